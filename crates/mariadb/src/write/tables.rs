//! Tables, columns and keys.

use wevrun_core::model::{
    Action, Check, Column, Definition, ForeignKey, Index, Key, Object, QualifiedName, Table, Value,
};

use super::{expression, list};
use crate::names::{in_sql, literal, quoted};
use crate::parse::keys::column_of;
use crate::{charset, clause};

/// CREATE TABLE, with keys.
pub fn create(name: &QualifiedName, table: &Table, keys: &[&Object]) -> String {
    let collation = table.clauses.get(clause::COLLATE).map_or("", String::as_str);
    let mut lines: Vec<String> = table.columns.iter().map(|own| column(own, collation)).collect();
    lines.extend(table.primary_key.iter().map(primary));
    for object in keys {
        if let Definition::Index(index) = &object.definition {
            lines.push(key(object, index));
        }
    }
    lines.extend(periods(table));
    lines.extend(table.foreign_keys.iter().map(foreign_key));
    lines.extend(table.checks.iter().map(check));
    let mut text = format!("CREATE TABLE {} (\n    {}\n)", in_sql(name), lines.join(",\n    "));
    for option in options(table) {
        text.push(' ');
        text.push_str(&option);
    }
    if let Some(partition_by) = table.clauses.get(clause::PARTITION_BY) {
        text.push_str(&format!("\n{}", partition_by.written()));
    }
    text
}

/// A column with all its clauses, in a table of this collation.
pub fn column(column: &Column, table_collation: &str) -> String {
    format!("{} {}", quoted(column.name.written()), definition(column, table_collation))
}

/// The text after the name of a column.
pub fn definition(column: &Column, table_collation: &str) -> String {
    let spelling = column.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
    let mut text = spelling.to_owned();
    if let Some(method) = column.clauses.get(clause::COMPRESSED) {
        text.push_str(" COMPRESSED");
        if !method.is_empty() {
            text.push_str(&format!("={method}"));
        }
    }
    if let Some(collation) =
        column.collation.as_ref().map(|collation| collation.canonical()).filter(|own| *own != table_collation)
    {
        text.push_str(&format!(" CHARACTER SET {} COLLATE {collation}", charset::of_collation(collation)));
    }
    if let Some(moment) = column.clauses.get(clause::ROW_MOMENT) {
        text.push_str(&format!(" GENERATED ALWAYS AS ROW {}", moment.to_uppercase()));
    } else if let Some(generated) = &column.generated {
        let kind = if generated.stored { "STORED" } else { "VIRTUAL" };
        text.push_str(&format!(" GENERATED ALWAYS AS ({}) {kind}", expression(&generated.expression)));
    } else if column.not_null.is_some() {
        text.push_str(" NOT NULL");
    } else if spelling.starts_with("timestamp") {
        // Some servers have NOT NULL as the default.
        text.push_str(" NULL");
    }
    if column.clauses.has(clause::INVISIBLE) {
        text.push_str(" INVISIBLE");
    }
    if let Some(versioning) = column.clauses.get(clause::SYSTEM_VERSIONING) {
        text.push_str(&format!(" {} SYSTEM VERSIONING", versioning.to_uppercase()));
    }
    if let Some(default) = &column.default {
        text.push_str(&format!(" DEFAULT {}", default_value(default)));
    }
    if let Some(update) = column.clauses.get(clause::ON_UPDATE) {
        text.push_str(&format!(" ON UPDATE {}", expression(update)));
    }
    if column.clauses.has(clause::AUTO_INCREMENT) {
        text.push_str(" AUTO_INCREMENT");
    }
    if let Some(comment) = column.clauses.get(clause::COMMENT) {
        text.push_str(&format!(" COMMENT {}", literal(comment)));
    }
    if let Some(system) = column.clauses.get(clause::REF_SYSTEM_ID) {
        text.push_str(&format!(" REF_SYSTEM_ID={system}"));
    }
    if let Some(check) = column.clauses.get(clause::CHECK) {
        text.push_str(&format!(" CHECK ({})", expression(check)));
    }
    text
}

/// A default as SQL: what is no constant and no moment is in parentheses.
pub fn default_value(default: &wevrun_core::model::Expression) -> String {
    let canonical = default.canonical.as_str();
    let is_number = canonical.trim_start_matches('-').starts_with(|ch: char| ch.is_ascii_digit())
        && canonical.chars().all(|ch| ch.is_ascii_alphanumeric() || matches!(ch, '.' | '-' | '+'));
    let literal = canonical.strip_prefix(['b', 'x']).unwrap_or(canonical);
    let is_constant = is_number || crate::canonical::expression::is_one_literal(literal);
    let is_moment = canonical.starts_with("current_timestamp(") && canonical.ends_with(')') && !canonical.contains(' ');
    if is_constant || is_moment {
        // In the server's spelling: that of a person may be for another type.
        return canonical.to_owned();
    }
    format!("({})", expression(default))
}

fn parts(index: &Index) -> String {
    let part = |part: &wevrun_core::model::IndexPart| {
        let mut text = quoted(column_of(part).written());
        if let Some(length) = part.clauses.get(clause::LENGTH) {
            text.push_str(&format!("({length})"));
        }
        if part.descending {
            text.push_str(" DESC");
        }
        text
    };
    let mut parts: Vec<String> = index.parts.iter().map(part).collect();
    if let Some(period) = index.clauses.get(clause::WITHOUT_OVERLAPS) {
        parts.push(format!("{} WITHOUT OVERLAPS", quoted(period.written())));
    }
    format!("({})", parts.join(", "))
}

fn key_options(clauses: &wevrun_core::model::Clauses) -> String {
    let mut text = String::new();
    if let Some(using) = clauses.get(clause::USING) {
        text.push_str(&format!(" USING {}", using.to_uppercase()));
    }
    if let Some(size) = clauses.get(clause::KEY_BLOCK_SIZE) {
        text.push_str(&format!(" KEY_BLOCK_SIZE={size}"));
    }
    if let Some(parser) = clauses.get(clause::PARSER) {
        text.push_str(&format!(" WITH PARSER {}", quoted(parser)));
    }
    if let Some(comment) = clauses.get(clause::COMMENT) {
        text.push_str(&format!(" COMMENT {}", literal(comment)));
    }
    if clauses.has(clause::IGNORED) {
        text.push_str(" IGNORED");
    }
    text
}

fn kind_word(index: &Index) -> &'static str {
    match index.clauses.get(clause::KIND).map(String::as_str) {
        Some("fulltext") => "FULLTEXT ",
        Some("spatial") => "SPATIAL ",
        _ if index.unique => "UNIQUE ",
        _ => "",
    }
}

/// A key as a table's element.
pub fn key(object: &Object, index: &Index) -> String {
    let name = quoted(object.name.identifier());
    format!("{}KEY {name} {}{}", kind_word(index), parts(index), key_options(&index.clauses))
}

/// CREATE INDEX.
pub fn create_index(object: &Object, index: &Index) -> String {
    let name = quoted(object.name.identifier());
    let table = in_sql(&index.table);
    format!("CREATE {}INDEX {name} ON {table} {}{}", kind_word(index), parts(index), key_options(&index.clauses))
}

/// PRIMARY KEY.
pub fn primary(key: &Key) -> String {
    let part = |part: &wevrun_core::model::KeyPart| {
        let mut text = quoted(part.column.written());
        if let Some(length) = key.clauses.get(clause::LENGTH_OF.of(part.column.canonical())) {
            text.push_str(&format!("({length})"));
        }
        if part.descending {
            text.push_str(" DESC");
        }
        text
    };
    let mut parts: Vec<String> = key.parts.iter().map(part).collect();
    if let Some(period) = key.clauses.get(clause::WITHOUT_OVERLAPS) {
        parts.push(format!("{} WITHOUT OVERLAPS", quoted(period.written())));
    }
    format!("PRIMARY KEY ({}){}", parts.join(", "), key_options(&key.clauses))
}

/// A foreign key as a table's element.
pub fn foreign_key(key: &ForeignKey) -> String {
    let mut text = format!(
        "CONSTRAINT {} FOREIGN KEY {} REFERENCES {} {}",
        quoted(key.name.written()),
        list(&key.columns),
        in_sql(&key.parent),
        list(&key.parent_columns)
    );
    for (words, action) in [("ON DELETE", key.on_delete), ("ON UPDATE", key.on_update)] {
        if action != Action::NoAction {
            text.push_str(&format!(" {words} {}", action.keywords()));
        }
    }
    text
}

/// A CHECK as a table's element.
pub fn check(check: &Check) -> String {
    let name = check.name.as_ref().map_or(String::new(), |name| format!("CONSTRAINT {} ", quoted(name.written())));
    format!("{name}CHECK ({})", expression(&check.condition))
}

fn periods(table: &Table) -> Vec<String> {
    let period = |(name, value): (&str, &Value)| {
        let period = clause::PERIOD.member(name)?;
        let Value::Identifiers(columns) = value else { return None };
        let period = if period == "system_time" { "SYSTEM_TIME".to_owned() } else { quoted(period) };
        Some(format!("PERIOD FOR {period} {}", list(columns)))
    };
    table.clauses.iter().filter_map(period).collect()
}

/// The options of a table, each as SQL.
pub fn options(table: &Table) -> Vec<String> {
    let mut options = Vec::new();
    if let Some(engine) = table.clauses.get(clause::ENGINE) {
        options.push(format!("ENGINE={}", engine.written()));
    }
    if let Some(collation) = table.clauses.get(clause::COLLATE) {
        options.push(collation_option(collation));
    }
    for (name, value) in table.clauses.iter() {
        if let (Some(option), Value::Expression(value)) = (clause::OPTION.member(name), value) {
            options.push(format!("{}={}", option_name(option), value.written()));
        }
    }
    if let Some(comment) = table.clauses.get(clause::COMMENT) {
        options.push(format!("COMMENT={}", literal(comment)));
    }
    if table.clauses.has(clause::SYSTEM_VERSIONING) {
        options.push("WITH SYSTEM VERSIONING".to_owned());
    }
    options
}

/// The default collation of a table.
pub fn collation_option(collation: &str) -> String {
    format!("DEFAULT CHARSET={} COLLATE={collation}", charset::of_collation(collation))
}

/// The name of an option as SQL.
pub fn option_name(name: &str) -> String {
    name.to_uppercase()
}
