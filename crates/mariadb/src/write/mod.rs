//! Statements that make objects.

mod programs;
pub mod tables;

use wevrun_core::model::{Clauses, Definition, Expression, Kind, Object, View};

use crate::clause;
use crate::names::{in_sql, literal, quoted};

/// The CREATE statement of an object, without a semicolon.
pub fn create_statement(object: &Object) -> String {
    match &object.definition {
        Definition::Table(table) => tables::create(&object.name, table, &[]),
        Definition::Index(index) => tables::create_index(object, index),
        Definition::View(view) => create_view(object, view, ""),
        Definition::Plain(plain) if plain.kind == Kind::Sequence => {
            format!("CREATE SEQUENCE {}{}", in_sql(&object.name), sequence_options(&plain.clauses))
        }
        Definition::Plain(plain) => programs::create(object, plain, ""),
        Definition::VirtualTable(_) | Definition::Trigger(_) => String::new(),
    }
}

/// The same for a source file: what holds semicolons is between delimiters.
pub fn source_text(object: &Object) -> String {
    delimited(&create_statement(object))
}

/// A statement as the client takes it, without the last semicolon: one that holds others is between delimiters.
pub fn delimited(statement: &str) -> String {
    if holds_semicolons(statement) { format!("DELIMITER ;;\n{statement};;\nDELIMITER ") } else { statement.to_owned() }
}

/// Whether a semicolon in a statement could be taken for its end.
pub fn holds_semicolons(statement: &str) -> bool {
    use wevrun_core::parse::token;
    statement.contains(';') && {
        let (tokens, _) = token::tokenize(crate::tokens::rules(), statement, 0);
        tokens.iter().any(|token| token.is_symbol(statement, ";"))
    }
}

/// The statement that makes an object, or replaces one of its name.
pub fn create_or_replace(object: &Object) -> String {
    match &object.definition {
        Definition::View(view) => create_view(object, view, "OR REPLACE "),
        Definition::Plain(plain) if plain.kind != Kind::Sequence => programs::create(object, plain, "OR REPLACE "),
        _ => create_statement(object),
    }
}

fn create_view(object: &Object, view: &View, or_replace: &str) -> String {
    let mut text = format!("CREATE {or_replace}");
    if let Some(algorithm) = view.clauses.get(clause::ALGORITHM) {
        text.push_str(&format!("ALGORITHM = {} ", algorithm.to_uppercase()));
    }
    if view.clauses.has(clause::SQL_SECURITY) {
        text.push_str("SQL SECURITY INVOKER ");
    }
    text.push_str(&format!("VIEW {}", in_sql(&object.name)));
    let written = view.query.written().trim();
    let lists_columns = !crate::parse::view::columns_of(written).0.is_empty();
    text.push_str(if lists_columns { " " } else { " AS\n" });
    text.push_str(written);
    if let Some(option) = view.clauses.get(clause::CHECK_OPTION) {
        text.push_str(&format!("\nWITH {} CHECK OPTION", option.to_uppercase()));
    }
    text
}

/// The options of a sequence that are not those that it has anyway.
pub fn sequence_options(clauses: &Clauses) -> String {
    let mut text = String::new();
    for (key, words) in [
        (clause::START, "START WITH"),
        (clause::MINVALUE, "MINVALUE"),
        (clause::MAXVALUE, "MAXVALUE"),
        (clause::INCREMENT, "INCREMENT BY"),
        (clause::CACHE, "CACHE"),
    ] {
        if let Some(value) = clauses.get(key) {
            text.push_str(&format!(" {words} {value}"));
        }
    }
    text.push_str(if clauses.has(clause::CYCLE) { " CYCLE" } else { " NOCYCLE" });
    if let Some(engine) = clauses.get(clause::ENGINE).filter(|engine| engine.canonical != "innodb") {
        text.push_str(&format!(" ENGINE = {}", engine.written()));
    }
    if let Some(comment) = clauses.get(clause::COMMENT) {
        text.push_str(&format!(" COMMENT = {}", literal(comment)));
    }
    text
}

/// An expression as SQL: as it was written.
pub fn expression(expression: &Expression) -> String {
    expression.written().trim().to_owned()
}

/// A list of names in parentheses.
pub fn list<'n>(columns: impl IntoIterator<Item = &'n wevrun_core::model::Name>) -> String {
    let columns: Vec<String> = columns.into_iter().map(|column| quoted(column.written())).collect();
    format!("({})", columns.join(", "))
}
