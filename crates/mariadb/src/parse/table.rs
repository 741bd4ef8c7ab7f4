//! CREATE TABLE (<https://mariadb.com/kb/en/create-table/>).

use std::collections::BTreeSet;

use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Check, Column, Expression, ForeignKey, Name, Object, QualifiedName, Table, Unordered};
use wevrun_core::parse::{Parsed, Reader, Session, TokenKind};
use wevrun_core::source::Location;

use super::column::{ColumnSpec, check, column};
use super::keys::{
    self, KeyKind, KeySpec, begins_with, can_serve, foreign_key, foreign_key_name, index_columns, made_up_name,
    primary_columns,
};
use super::options::{self, TableOptions};
use super::{a_name, partitions};
use crate::{clause, names};

/// The places of the columns, for the comments on them.
pub use wevrun_core::parse::ColumnSpans;

/// A table as it was written.
#[derive(Debug, Clone, Default)]
pub struct TableSpec {
    pub columns: Vec<ColumnSpec>,
    pub keys: Vec<KeySpec>,
    pub checks: Vec<Check>,
    pub foreign_keys: Vec<ForeignKey>,
    pub periods: Vec<(Name, Vec<Name>)>,
    pub options: TableOptions,
    pub partition_by: Option<Expression>,
    /// The table whose definition it copies.
    pub like: Option<QualifiedName>,
}

/// The rest of CREATE TABLE, after the name.
pub fn table(reader: &mut Reader<'_>) -> Parsed<(TableSpec, ColumnSpans)> {
    if reader.sees("LIKE") || (reader.sees_symbol("(") && reader.sees_at(1, "LIKE")) {
        let in_list = reader.take_symbol("(");
        reader.expect("LIKE")?;
        let like = Some(super::qualified_name(reader, "a table")?);
        if in_list {
            reader.expect_symbol(")")?;
        }
        return Ok((TableSpec { like, ..TableSpec::default() }, ColumnSpans::default()));
    }
    let open = reader.peek().map_or(0, |token| token.start);
    if !reader.sees_symbol("(") {
        return Err(of_query(reader));
    }
    let list = reader.position;
    reader.position += 1;
    let mut spec = TableSpec::default();
    let mut spans: Vec<(Name, u32)> = Vec::new();
    loop {
        let start = reader.position;
        if !element(reader, &mut spec)? {
            let column = column(reader)?;
            if let Some(earlier) = spec.columns.iter().position(|other| other.name() == column.name()) {
                let first = Location {
                    source: reader.source,
                    start: spans[earlier].1,
                    end: spans[earlier].1 + column.name().written().len() as u32,
                };
                return Err(Box::new(
                    Diagnostic::new(Code::WV102, format!("the table has two columns named `{}`", column.name()))
                        .at(reader.location(start..start + 1), "again here")
                        .and_at(first, "first here"),
                ));
            }
            spans.push((column.name().clone(), reader.tokens[start].start));
            if column.primary {
                spec.keys.push(KeySpec::of_column(KeyKind::Primary, column.name()));
            }
            if column.is_unique() {
                spec.keys.push(KeySpec::of_column(KeyKind::Unique, column.name()));
            }
            spec.foreign_keys.extend(column.references.clone());
            spec.columns.push(column);
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    if reader.at_end() {
        reader.position = list;
        return reader.parenthesised().map(|_| unreachable!("the list is not closed"));
    }
    let close = reader.peek().map_or(0, |token| token.start);
    reader.expect_symbol(")")?;
    options::table(reader, &mut spec.options)?;
    if reader.sees("PARTITION") {
        spec.partition_by = Some(partitions::clause(reader)?);
    }
    if reader.sees("AS")
        || reader.sees("SELECT")
        || reader.sees("WITH")
        || reader.sees("IGNORE")
        || reader.sees("REPLACE")
    {
        return Err(of_query(reader));
    }
    Ok((spec, ColumnSpans { open, close, columns: spans }))
}

fn of_query(reader: &Reader<'_>) -> Box<Diagnostic> {
    Box::new(
        Diagnostic::new(Code::WV006, "this table's columns depend on a query")
            .at(reader.location(reader.position..reader.position + 1), "the columns are defined here")
            .help("list the columns and their types; rows are not part of the schema"),
    )
}

/// A key, constraint or period, if one is next.
fn element(reader: &mut Reader<'_>, spec: &mut TableSpec) -> Parsed<bool> {
    let start = reader.position;
    let mut name = None;
    let constraint = reader.take(&["CONSTRAINT"]);
    let begins = |reader: &Reader<'_>| ["PRIMARY", "UNIQUE", "FOREIGN", "CHECK"].iter().any(|word| reader.sees(word));
    if constraint && !begins(reader) {
        reader.take(&["IF", "NOT", "EXISTS"]);
        name = Some(a_name(reader, "the constraint's name")?);
    }
    if reader.take(&["CHECK"]) {
        spec.checks.push(check(reader, name)?);
    } else if reader.sees("FOREIGN") && reader.sees_at(1, "KEY") {
        reader.position += 2;
        spec.foreign_keys.push(foreign_key(reader, name)?);
    } else if reader.sees("PERIOD") && reader.sees_at(1, "FOR") {
        reader.position += 2;
        let period = a_name(reader, "the period's name")?;
        let columns = super::name_list(reader, "a column's name")?;
        spec.periods.push((period, columns));
    } else if is_key(reader)
        && let Some(kind) = keys::kind(reader)
    {
        spec.keys.push(keys::key(reader, kind, name)?);
    } else if constraint {
        return Err(reader.expected("a constraint"));
    } else {
        reader.position = start;
        return Ok(false);
    }
    Ok(true)
}

/// Whether a key is next, and no column of such a name.
fn is_key(reader: &Reader<'_>) -> bool {
    let opens = |ahead: usize| reader.peek_at(ahead).is_some_and(|token| token.is_symbol(reader.text, "("));
    let is_quoted = reader.peek().is_some_and(|token| token.kind == TokenKind::Quoted);
    // All but these two are reserved.
    !is_quoted && !opens(0)
}

/// The table and its keys, in the database whose text has this collation.
pub fn build(name: &QualifiedName, spec: &TableSpec, session: &Session) -> (Table, Vec<Object>) {
    if let Some(like) = &spec.like {
        let mut table = Table::default();
        table.clauses.set(clause::LIKE, super::without_own_database(like, session));
        return (table, Vec::new());
    }
    let collation = spec.options.collation(&super::database_collation(session));
    let mut table = Table { columns: Unordered(Vec::new()), ..Table::default() };
    table.columns.0 = spec.columns.iter().map(|column| column.resolve(&collation)).collect();
    table.clauses.set(clause::COLLATE, collation);
    spec.options.apply(&mut table.clauses);
    if let Some(partition_by) = &spec.partition_by {
        table.clauses.set(clause::PARTITION_BY, partition_by.clone());
    }
    for (period, columns) in &spec.periods {
        table.clauses.set(clause::PERIOD.of(period.canonical()), columns.clone());
        for column in table.columns.iter_mut().filter(|column| columns.contains(&column.name)) {
            column.not_null = Some(Default::default());
        }
    }
    resolve_versioning(&mut table);
    table.checks.0.clone_from(&spec.checks);
    name_checks(&mut table);
    let mut indexes: Vec<Object> = Vec::new();
    let explicit: BTreeSet<String> =
        spec.keys.iter().filter_map(|key| Some(key.name.as_ref()?.canonical().to_owned())).collect();
    for key in &spec.keys {
        add_key(name, &mut table, &mut indexes, key, &explicit);
    }
    for foreign_key in &spec.foreign_keys {
        add_foreign_key(name, &mut table, &mut indexes, foreign_key);
    }
    (table, indexes)
}

/// A table is also versioned if some of its columns are: then those without the clause are not.
fn resolve_versioning(table: &mut Table) {
    let with = |column: &Column| column.clauses.get(clause::SYSTEM_VERSIONING).is_some_and(|said| said == "with");
    let of_period = row_period(table).cloned().unwrap_or_default();
    if !table.clauses.has(clause::SYSTEM_VERSIONING) && table.columns.iter().any(with) {
        table.clauses.set(clause::SYSTEM_VERSIONING, "with".to_owned());
        let others = table.columns.iter_mut().filter(|column| !with(column) && !of_period.contains(&column.name));
        others.for_each(|column| column.clauses.set(clause::SYSTEM_VERSIONING, "without".to_owned()));
    }
    for column in table.columns.iter_mut().filter(|column| with(column)) {
        column.clauses.remove(clause::SYSTEM_VERSIONING);
    }
}

/// The two columns of the period for SYSTEM_TIME, if the table has them.
fn row_period(table: &Table) -> Option<&Vec<Name>> {
    table.clauses.get(clause::PERIOD.of("system_time"))
}

/// Adds a key to a table; what is no primary key becomes an object of its own. `reserved` are names that later keys have.
pub fn add_key(
    name: &QualifiedName,
    table: &mut Table,
    indexes: &mut Vec<Object>,
    key: &KeySpec,
    reserved: &BTreeSet<String>,
) {
    let mut key = key.clone();
    for part in &mut key.parts {
        // The whole column is none of its first characters.
        let column = table.columns.iter().find(|column| column.name == part.column);
        let spelling = column.and_then(|column| column.data_type.as_ref()).map_or("", |own| own.canonical.as_str());
        let size = spelling.split_once('(').and_then(|(_, rest)| rest.strip_suffix(')'));
        part.length.take_if(|length| size == Some(length.as_str()));
    }
    // Old versions of a row are told apart by the end of their time.
    if matches!(key.kind, KeyKind::Primary | KeyKind::Unique)
        && table.clauses.has(clause::SYSTEM_VERSIONING)
        && let Some(end) = row_period(table).and_then(|columns| columns.get(1))
        && !key.parts.iter().any(|part| part.column == *end)
    {
        key.parts.push(keys::Part { column: end.clone(), length: None, descending: false });
    }
    let key = &key;
    if key.kind == KeyKind::Primary {
        let primary = key.primary();
        for column in table.columns.iter_mut().filter(|column| primary.has_column(&column.name)) {
            column.not_null = Some(Default::default());
        }
        table.primary_key = Some(primary);
        return;
    }
    // A key that was only made for a foreign key gives way to one that serves it as well.
    let columns: Vec<(Name, bool)> =
        key.parts.iter().map(|part| (part.column.clone(), part.length.is_none())).collect();
    indexes.retain(|object| {
        let wevrun_core::model::Definition::Index(index) = &object.definition else { return true };
        let own: Vec<Name> = index_columns(index).into_iter().map(|(column, _)| column).collect();
        !(object.text.is_empty() && begins_with(&columns, &own))
    });
    let mut taken: BTreeSet<String> = indexes.iter().map(|index| index.name.identifier().to_lowercase()).collect();
    taken.extend(reserved.iter().cloned());
    let own = key.name.as_ref().map(|name| name.written().to_owned());
    let own = own.or_else(|| key.parts.first().map(|part| made_up_name(&part.column, &taken)));
    indexes.push(key.index(name, &own.unwrap_or_default()));
}

/// Adds a foreign key to a table, with the key that the server makes for it if none serves it.
pub fn add_foreign_key(name: &QualifiedName, table: &mut Table, indexes: &mut Vec<Object>, key: &ForeignKey) {
    let mut key = key.clone();
    let named = key.name.is_given().then(|| key.name.written().to_owned());
    if named.is_none() {
        key.name = names::simple(&foreign_key_name(name.identifier(), table.foreign_keys.iter()));
    }
    let serves = |object: &Object| match &object.definition {
        wevrun_core::model::Definition::Index(index) => {
            can_serve(index) && begins_with(&index_columns(index), &key.columns)
        }
        _ => false,
    };
    let by_primary =
        table.primary_key.as_ref().is_some_and(|primary| begins_with(&primary_columns(primary), &key.columns));
    if !by_primary && !indexes.iter().any(serves) {
        let taken: BTreeSet<String> = indexes.iter().map(|index| index.name.identifier().to_lowercase()).collect();
        let own = named.unwrap_or_else(|| made_up_name(&key.columns[0], &taken));
        let part = |column: &Name| keys::Part { column: column.clone(), length: None, descending: false };
        let parts = key.columns.iter().map(part).collect();
        let spec = KeySpec { kind: KeyKind::Plain, name: None, parts, clauses: Default::default() };
        let mut object = spec.index(name, &own);
        // Nobody wrote it: see `add_key`.
        object.text.clear();
        indexes.push(object);
    }
    table.foreign_keys.push(key);
}

/// Gives CHECKs without a name the next free `CONSTRAINT_n`.
pub fn name_checks(table: &mut Table) {
    let mut taken: BTreeSet<String> =
        table.checks.iter().filter_map(|check| Some(check.name.as_ref()?.canonical().to_owned())).collect();
    let checked = table.columns.iter().filter(|column| column.clauses.has(clause::CHECK));
    taken.extend(checked.map(|column| column.name.canonical().to_owned()));
    taken.extend(table.foreign_keys.iter().map(|key| key.name.canonical().to_owned()));
    for check in table.checks.iter_mut().filter(|check| check.name.is_none()) {
        let name = (1..).map(|number| format!("CONSTRAINT_{number}")).find(|name| taken.insert(name.to_lowercase()));
        check.name = name.map(|name| names::simple(&name));
    }
}
