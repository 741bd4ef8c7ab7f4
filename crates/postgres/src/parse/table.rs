//! CREATE TABLE.

use super::super::sameness::Constraint;
use super::constraints::{self, check, constraint_name, key_of, references, sees_table_constraint, table_constraint};
use super::{
    after_keyword, data_type, expression, foreign, identifier, normalised, object, own_name, path, reference,
    reference_of, run, storage_parameters,
};
use super::{names, sequences};
use crate::change::{NewConstraints, set_identity_options};
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{
    Clauses, Column, Definition, Expression, Flag, Generated, Key, Name, Object, OnConflict, QualifiedName, Table, is,
};
use wevrun_core::parse::{ColumnSpans, Parsed, Reader, Session};

/// The text after `CREATE [FOREIGN] TABLE [IF NOT EXISTS]`.
pub fn table(reader: &mut Reader<'_>, session: &Session, foreign: bool) -> Parsed<(Object, ColumnSpans)> {
    let name = own_name(reader, session, "the table's name")?;
    let mut table = Table::default();
    let mut found = NewConstraints::default();
    let mut spans = ColumnSpans::default();
    if reader.take(&["PARTITION", "OF"]) {
        table.clauses.set(clause::PARTITION_OF, own_name(reader, session, "the parent's name")?);
        if reader.sees_symbol("(") {
            elements(reader, &mut table, &mut found, &mut spans, true)?;
        }
        table.clauses.set(clause::BOUND, bound(reader)?);
    } else if reader.take(&["OF"]) {
        table.clauses.set(clause::OF, reference(reader, "a composite type")?);
        if reader.sees_symbol("(") {
            elements(reader, &mut table, &mut found, &mut spans, true)?;
        }
    } else if reader.sees_symbol("(") {
        elements(reader, &mut table, &mut found, &mut spans, false)?;
    } else {
        return Err(reader.expected("`(`"));
    }
    if reader.take(&["INHERITS"]) {
        reader.expect_symbol("(")?;
        let mut parents = vec![own_name(reader, session, "a parent's name")?];
        while reader.take_symbol(",") {
            parents.push(own_name(reader, session, "a parent's name")?);
        }
        reader.expect_symbol(")")?;
        table.clauses.set(clause::INHERITS, parents);
    }
    if foreign {
        reader.expect("SERVER")?;
        table.clauses.set(is::SERVER, names::global(&identifier(reader, "a server's name")?));
        if reader.take(&["OPTIONS"]) {
            foreign::options(reader, &mut table.clauses)?;
        }
    }
    options(reader, &mut table.clauses)?;
    if let Some(twice) = repeated(&table, &found) {
        let location = reader.location(0..reader.tokens.len());
        return Err(Box::new(
            Diagnostic::new(Code::WV131, twice).at(location, "this table").help("remove or rename one of them"),
        ));
    }
    found.apply(&mut table);
    // A new table has no rows that could break a rule: NOT VALID has no effect (`transformCheckConstraints()` of parse_utilcmd.c).
    for column in table.columns.iter_mut() {
        column.clauses.remove(clause::NOT_NULL_NOT_VALID);
    }
    if !table.clauses.has(is::SERVER) {
        let checks = table.checks.iter_mut().map(|check| &mut check.clauses);
        let keys = table.foreign_keys.iter_mut().map(|key| &mut key.clauses);
        for clauses in checks.chain(keys) {
            clauses.remove(clause::NOT_VALID);
        }
    }
    merge_keys(&mut table);
    Ok((object(reader, name, Definition::Table(table)), spans))
}

/// What a new table says twice and can have once only.
fn repeated(table: &Table, found: &NewConstraints) -> Option<String> {
    let first_double = |names: Vec<&Name>| {
        let double = names.iter().enumerate().find(|(index, name)| name.is_given() && names[..*index].contains(name));
        double.map(|(_, name)| (*name).clone())
    };
    let constraints = &found.constraints;
    if constraints.primary_keys.len() > 1 {
        return Some("the table has more than one primary key".to_owned());
    }
    if let Some(name) = first_double(table.columns.iter().map(|column| &column.name).collect()) {
        return Some(format!("the table has more than one column `{name}`"));
    }
    let keys = constraints.primary_keys.iter().chain(&constraints.unique_keys).map(|key| &key.name);
    let checks = constraints.checks.iter().filter_map(|check| check.name.as_ref());
    let others = constraints.foreign_keys.iter().map(|key| &key.name);
    let name = first_double(keys.chain(checks).chain(others).collect())?;
    Some(format!("the table has more than one constraint `{name}`"))
}

/// The text after the elements, in any order.
fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    loop {
        if reader.take(&["PARTITION", "BY"]) {
            let start = reader.position;
            reader.take_any();
            reader.parenthesised()?;
            clauses.set(clause::PARTITION_BY, partition_key(reader, start));
        } else if let Some(method) = after_keyword(reader, &["USING"], "a table access method")? {
            if method != "heap" {
                clauses.set_text(clause::USING, method);
            }
        } else if reader.take(&["WITHOUT", "OIDS"]) {
        } else if reader.take(&["ON", "COMMIT"]) {
            // Only a temporary table can say anything but PRESERVE ROWS.
            let rows = (reader.take(&["PRESERVE"]) || reader.take(&["DELETE"])) && reader.take(&["ROWS"]);
            if !rows && !reader.take(&["DROP"]) {
                return Err(reader.expected("PRESERVE ROWS, DELETE ROWS or DROP"));
            }
        } else if reader.take(&["WITH"]) {
            if reader.take(&["OIDS"]) {
                continue;
            }
            storage_parameters(reader, clauses)?;
        } else if let Some(space) = after_keyword(reader, &["TABLESPACE"], "a tablespace")? {
            if space != "pg_default" {
                clauses.set_text(clause::TABLESPACE, space);
            }
        } else {
            return Ok(());
        }
    }
}

/// `RANGE (a, lower(b))`: the strategy in upper case, as the server writes it.
fn partition_key(reader: &Reader<'_>, start: usize) -> Expression {
    let range = start..reader.position;
    let text = normalised(reader, range.clone());
    let (strategy, key) = text.split_once(' ').unwrap_or((&text, ""));
    Expression::new(format!("{} {key}", strategy.to_uppercase()), reader.written(range))
}

/// `FOR VALUES …` or DEFAULT.
pub fn bound(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let start = reader.position;
    if reader.take(&["DEFAULT"]) {
        return Ok(Expression::plain("DEFAULT"));
    }
    reader.expect("FOR")?;
    reader.expect("VALUES")?;
    let inner = |reader: &mut Reader<'_>| -> Parsed<String> {
        let range = reader.parenthesised()?;
        Ok(normalised(reader, range))
    };
    let text = if reader.take(&["IN"]) {
        format!("IN ({})", inner(reader)?)
    } else if reader.take(&["WITH"]) {
        format!("WITH ({})", inner(reader)?)
    } else {
        reader.expect("FROM")?;
        let from = inner(reader)?;
        reader.expect("TO")?;
        format!("FROM ({from}) TO ({})", inner(reader)?)
    };
    Ok(Expression::new(format!("FOR VALUES {text}"), reader.written(start..reader.position)))
}

/// `( column …, constraint …, LIKE … )`.
fn elements(
    reader: &mut Reader<'_>,
    table: &mut Table,
    found: &mut NewConstraints,
    spans: &mut ColumnSpans,
    typed: bool,
) -> Parsed<()> {
    spans.open = reader.peek().map_or(0, |token| token.start);
    reader.expect_symbol("(")?;
    let mut copied = 0;
    while !reader.sees_symbol(")") {
        let start = reader.peek().map_or(0, |token| token.start);
        if sees_table_constraint(reader) {
            table_constraint(reader, found)?;
        } else if reader.sees("LIKE") && !typed {
            reader.take(&["LIKE"]);
            let from = reference(reader, "a table's name")?;
            let what = like_options(reader);
            // The position, so that the columns come where they were written.
            table
                .clauses
                .set_text(clause::LIKE.of(&copied.to_string()), format!("{from}|{what}|{}", table.columns.len()));
            copied += 1;
        } else {
            let column = column(reader, found, typed)?;
            spans.columns.push((column.name.clone(), start));
            table.columns.push(column);
        }
        if !reader.take_symbol(",") {
            break;
        }
        if reader.sees_symbol(")") {
            return Err(reader.expected("a column or a constraint"));
        }
    }
    spans.close = reader.peek().map_or(u32::MAX, |token| token.start);
    reader.expect_symbol(")")
}

/// INCLUDING and EXCLUDING, as the words that are included.
fn like_options(reader: &mut Reader<'_>) -> String {
    const ALL: [&str; 9] = [
        "comments",
        "compression",
        "constraints",
        "defaults",
        "generated",
        "identity",
        "indexes",
        "statistics",
        "storage",
    ];
    let mut included: Vec<&str> = Vec::new();
    loop {
        let including = reader.take(&["INCLUDING"]);
        if !including && !reader.take(&["EXCLUDING"]) {
            return included.join(" ");
        }
        let word = reader.take_any().map_or("", |token| token.text(reader.text)).to_ascii_lowercase();
        let words: Vec<&str> = ALL.into_iter().filter(|option| word == "all" || word == *option).collect();
        included.retain(|option| !words.contains(option));
        if including {
            included.extend(words);
        }
    }
}

/// Whether a column's constraint begins here, so that an expression before it ends.
fn sees_column_constraint(reader: &Reader<'_>) -> bool {
    const WORDS: [&str; 13] = [
        "CONSTRAINT",
        "NULL",
        "CHECK",
        "UNIQUE",
        "PRIMARY",
        "REFERENCES",
        "DEFAULT",
        "GENERATED",
        "COLLATE",
        "DEFERRABLE",
        "INITIALLY",
        "STORAGE",
        "COMPRESSION",
    ];
    WORDS.iter().any(|word| reader.sees(word))
        || (reader.sees("NOT")
            && ["NULL", "DEFERRABLE", "VALID", "ENFORCED"].iter().any(|word| reader.sees_at(1, word)))
}

/// One column with its constraints; those that the model keeps with the table go to `found`.
pub fn column(reader: &mut Reader<'_>, found: &mut NewConstraints, typed: bool) -> Parsed<Column> {
    let mut column = Column::named(names::simple(&identifier(reader, "a column's name")?));
    let bare = reader.sees_symbol(",") || reader.sees_symbol(")");
    if typed && (reader.take(&["WITH", "OPTIONS"]) || bare || sees_column_constraint(reader)) {
    } else {
        column.data_type = Some(data_type(reader)?);
    }
    loop {
        if reader.take(&["OPTIONS"]) {
            foreign::options(reader, &mut column.clauses)?;
            continue;
        }
        if !sees_column_constraint(reader) {
            return Ok(column);
        }
        let name = constraint_name(reader)?;
        let own = vec![column.name.clone()];
        if reader.take(&["NOT", "NULL"]) {
            constraints::not_null(reader, column.name.clone(), name)?.apply(&mut column);
        } else if reader.take(&["NULL"]) {
        } else if reader.take(&["CHECK"]) {
            found.constraints.checks.push(check(reader, name)?);
        } else if reader.take(&["DEFAULT"]) {
            let range = run(reader, "an expression", sees_column_constraint)?;
            column.default = Some(expression(reader, range));
        } else if reader.take(&["GENERATED"]) {
            generated(reader, &mut column)?;
        } else if reader.take(&["UNIQUE"]) {
            let distinct = constraints::nulls_not_distinct(reader);
            let mut key = key_of(name, own);
            constraints::key_parameters(reader, &mut key.clauses)?;
            if distinct {
                key.clauses.set(clause::NULLS_NOT_DISTINCT, Flag);
            }
            found.constraints.unique_keys.push(key);
        } else if reader.take(&["PRIMARY", "KEY"]) {
            let mut key = key_of(name, own);
            constraints::key_parameters(reader, &mut key.clauses)?;
            found.constraints.primary_keys.push(key);
        } else if reader.sees("REFERENCES") {
            found.constraints.foreign_keys.push(references(reader, name, own)?);
        } else if reader.take(&["COLLATE"]) {
            column.collation = collation(&path(reader, "a collation's name")?);
        } else if let Some(storage) = after_keyword(reader, &["STORAGE"], "a storage mode")? {
            column.clauses.set_text(clause::STORAGE, storage);
        } else if let Some(method) = after_keyword(reader, &["COMPRESSION"], "a compression method")? {
            if method != "default" {
                column.clauses.set_text(clause::COMPRESSION, method);
            }
        } else {
            return Err(reader.expected("a column constraint"));
        }
    }
}

/// A collation's name; the database's own is no collation of the column's.
pub fn collation(path: &[String]) -> Option<QualifiedName> {
    match path {
        [only] if only == "default" => None,
        [schema, only] if schema == "pg_catalog" && only == "default" => None,
        [schema, only] if schema == "pg_catalog" => Some(names::global(only)),
        path => Some(reference_of(path)),
    }
}

/// The text after GENERATED.
pub fn generated(reader: &mut Reader<'_>, column: &mut Column) -> Parsed<()> {
    let by_default = reader.take(&["BY", "DEFAULT"]);
    if !by_default {
        reader.expect("ALWAYS")?;
    }
    reader.expect("AS")?;
    if reader.take(&["IDENTITY"]) {
        column.clauses.set_text(clause::IDENTITY, if by_default { "by default" } else { "always" });
        column.not_null = Some(OnConflict::Abort);
        if reader.sees_symbol("(") {
            let inner = reader.parenthesised()?;
            let mut options = Reader { tokens: &reader.tokens[inner], position: 0, ..reader.clone() };
            let mut changes = ClauseChanges::default();
            sequences::options(&mut options, &mut changes)?;
            options.finish()?;
            set_identity_options(column, changes.into_clauses());
        }
    } else {
        let inner = reader.parenthesised()?;
        let expression = expression(reader, inner);
        // Version 18 computes them when they are read by default.
        let stored = reader.take(&["STORED"]);
        reader.take(&["VIRTUAL"]);
        column.generated = Some(Generated { expression, stored });
    }
    Ok(())
}

/// Keys of one statement that say the same are one key, which takes the first name that is given
/// (`transformIndexConstraints()` of parse_utilcmd.c).
fn merge_keys(table: &mut Table) {
    let mut kept: Vec<Key> = table.primary_key.take().into_iter().collect();
    let has_primary = !kept.is_empty();
    for key in std::mem::take(&mut table.unique_keys).iter() {
        match kept.iter_mut().find(|prior| prior.is_same_as(key)) {
            Some(prior) if !prior.name.is_given() => prior.name = key.name.clone(),
            Some(_) if !key.name.is_given() => {}
            _ => kept.push(key.clone()),
        }
    }
    let mut kept = kept.into_iter();
    table.primary_key = if has_primary { kept.next() } else { None };
    table.unique_keys.extend(kept);
}
