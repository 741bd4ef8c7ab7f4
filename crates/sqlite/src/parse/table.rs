//! CREATE TABLE (<https://sqlite.org/lang_createtable.html>).

use super::super::canonical::{expression, type_name};
use super::{a_name, name_list, on_conflict};
use crate::names;
use wevrun_core::change::NewConstraints;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{
    Action, Beside, Check, Clauses, Column, Expression, ForeignKey, Generated, Key, KeyPart, Name, OnConflict,
    QualifiedName, Table, Unordered,
};
use wevrun_core::parse::{ColumnSpans, Parsed, Reader, TokenKind};

/// The rest of CREATE TABLE, after the name.
pub fn table(reader: &mut Reader<'_>) -> Parsed<(Table, ColumnSpans)> {
    if reader.sees("AS") {
        return Err(Box::new(
            Diagnostic::new(Code::WV006, "this table's columns depend on a query")
                .at(reader.location(reader.position..reader.position + 1), "the columns are defined here")
                .help("list the columns and their types; rows are not part of the schema"),
        ));
    }
    let open = reader.peek().map_or(0, |token| token.start);
    let list = reader.position;
    reader.expect_symbol("(")?;
    let mut columns: Vec<Column> = Vec::new();
    let mut spans: Vec<(Name, u32)> = Vec::new();
    let mut constraints = NewConstraints::default();
    loop {
        if starts_table_constraint(reader) {
            break;
        }
        let start = reader.position;
        let column = column(reader, &mut constraints)?;
        if let Some(earlier) = columns.iter().position(|other| other.name == column.name) {
            let first = spans[earlier].1;
            return Err(Box::new(
                Diagnostic::new(Code::WV102, format!("the table has two columns named `{}`", column.name))
                    .at(reader.location(start..start + 1), "again here")
                    .and_at(
                        wevrun_core::source::Location {
                            source: reader.source,
                            start: first,
                            end: first + column.name.written().len() as u32,
                        },
                        "first here",
                    ),
            ));
        }
        if columns.len() == MOST_COLUMNS {
            return Err(Box::new(
                Diagnostic::new(Code::WV131, format!("the table has more than {MOST_COLUMNS} columns"))
                    .at(reader.location(start..start + 1), "one too many")
                    .help("SQLite takes no more (https://sqlite.org/limits.html); split the table"),
            ));
        }
        spans.push((column.name.clone(), reader.tokens[start].start));
        columns.push(column);
        if !reader.take_symbol(",") {
            break;
        }
    }
    while !reader.sees_symbol(")") {
        if reader.at_end() {
            reader.position = list;
            return reader.parenthesised().map(|_| unreachable!("the list is not closed"));
        }
        if !starts_table_constraint(reader) {
            return Err(reader.expected("`,` or `)`"));
        }
        table_constraint(reader, &columns, &mut constraints)?;
        reader.take_symbol(",");
    }
    let close = reader.peek().map_or(0, |token| token.start);
    reader.expect_symbol(")")?;
    let mut table = Table { columns: Unordered(columns), ..Table::default() };
    loop {
        if reader.take(&["WITHOUT"]) {
            reader.expect("ROWID")?;
            table.without_rowid = true;
        } else if reader.take(&["STRICT"]) {
            table.strict = true;
        } else if reader.at_end() {
            break;
        } else {
            return Err(reader.expected("`STRICT`, `WITHOUT ROWID` or the end of the statement"));
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    if constraints.primary_keys.len() > 1 {
        let location = reader.location(0..reader.tokens.len());
        return Err(Box::new(
            Diagnostic::new(Code::WV131, "the table has more than one primary key")
                .at(location, "two PRIMARY KEY clauses")
                .help("a key over several columns is written once, after the columns: PRIMARY KEY (a, b)"),
        ));
    }
    add_constraints(&mut table, constraints);
    settle(&mut table);
    Ok((table, ColumnSpans { open, close, columns: spans }))
}

/// SQLITE_MAX_COLUMN, as every distribution has it.
const MOST_COLUMNS: usize = 2000;

/// Adds what was read with the columns or after them. A constraint that repeats another one is left out.
pub fn add_constraints(table: &mut Table, constraints: NewConstraints) {
    table.primary_key = table.primary_key.take().or(constraints.primary_keys.into_iter().next());
    push_new(&mut table.unique_keys, constraints.unique_keys);
    for check in &constraints.checks {
        // One that two columns have stays when one of them is dropped.
        if let Some(same) = table.checks.iter_mut().find(|same| *same == check) {
            same.with_column = Beside::default();
        }
        push_new(&mut table.checks, vec![check.clone()]);
    }
    push_new(&mut table.foreign_keys, constraints.foreign_keys);
}

fn push_new<T: PartialEq>(list: &mut Unordered<T>, items: Vec<T>) {
    for item in items {
        if !list.0.contains(&item) {
            list.0.push(item);
        }
    }
}

/// The engine's implications for a whole table.
pub fn settle(table: &mut Table) {
    let Some(key) = &table.primary_key else { return };
    if table.without_rowid {
        // "NOT NULL is enforced on every column of the PRIMARY KEY": https://sqlite.org/withoutrowid.html
        for column in &mut table.columns.0 {
            if key.has_column(&column.name) && column.not_null.is_none() {
                column.not_null = Some(OnConflict::Abort);
            }
        }
    }
}

fn starts_table_constraint(reader: &Reader<'_>) -> bool {
    ["CONSTRAINT", "PRIMARY", "UNIQUE", "CHECK", "FOREIGN"].iter().any(|word| reader.sees(word))
}

/// A column definition with its constraints.
pub fn column(reader: &mut Reader<'_>, constraints: &mut NewConstraints) -> Parsed<Column> {
    let mut column = Column::named(a_name(reader, "a column's name")?);
    column.data_type = data_type(reader)?;
    let mut name = None;
    loop {
        if reader.take(&["CONSTRAINT"]) {
            name = Some(a_name(reader, "the constraint's name")?);
            continue;
        }
        if !column_constraint(reader, &mut column, name.take(), constraints)? {
            return Ok(column);
        }
    }
}

const AFTER_TYPE: &[&str] = &[
    "CONSTRAINT",
    "PRIMARY",
    "NOT",
    "NULL",
    "UNIQUE",
    "CHECK",
    "DEFAULT",
    "COLLATE",
    "REFERENCES",
    "AS",
    "ON",
    "DEFERRABLE",
];

fn data_type(reader: &mut Reader<'_>) -> Parsed<Option<Expression>> {
    let start = reader.position;
    while reader.sees_name()
        && !AFTER_TYPE.iter().any(|word| reader.sees(word))
        && !(reader.sees("GENERATED") && reader.sees_at(1, "ALWAYS"))
    {
        reader.position += 1;
    }
    if reader.position == start {
        return Ok(None);
    }
    if reader.sees_symbol("(") {
        reader.parenthesised()?;
    }
    let range = start..reader.position;
    let canonical = type_name(reader.text, &reader.tokens[range.clone()]);
    Ok(Some(Expression::new(canonical, reader.written(range))))
}

/// One constraint of a column, if one is next.
fn column_constraint(
    reader: &mut Reader<'_>,
    column: &mut Column,
    name: Option<Name>,
    constraints: &mut NewConstraints,
) -> Parsed<bool> {
    let part = || KeyPart { column: column.name.clone(), collation: None, descending: false };
    if reader.take(&["PRIMARY"]) {
        reader.expect("KEY")?;
        let mut part = part();
        part.descending = direction(reader);
        let on_conflict = on_conflict(reader)?;
        let autoincrement = reader.take(&["AUTOINCREMENT"]);
        constraints.primary_keys.push(key(name, vec![part], on_conflict, autoincrement));
    } else if reader.take(&["NOT", "NULL"]) {
        column.not_null = Some(on_conflict(reader)?);
    } else if reader.take(&["NULL"]) {
        on_conflict(reader)?;
    } else if reader.take(&["UNIQUE"]) {
        let parts = vec![part()];
        let on_conflict = on_conflict(reader)?;
        constraints.unique_keys.push(key(name, parts, on_conflict, false));
    } else if reader.take(&["CHECK"]) {
        let mut check = check(reader, name)?;
        check.with_column.0 = Some(column.name.clone());
        constraints.checks.push(check);
    } else if reader.take(&["DEFAULT"]) {
        column.default = Some(default(reader)?);
    } else if reader.take(&["COLLATE"]) {
        column.collation = collation(reader)?;
    } else if reader.take(&["REFERENCES"]) {
        let mut key = references(reader, vec![column.name.clone()], name)?;
        key.with_column.0 = Some(column.name.clone());
        constraints.foreign_keys.push(key);
    } else if reader.sees("DEFERRABLE") || (reader.sees("NOT") && reader.sees_at(1, "DEFERRABLE")) {
        let deferred = deferrable(reader)?;
        if let Some(key) = constraints.foreign_keys.last_mut() {
            key.deferred = deferred;
        }
    } else if reader.take(&["GENERATED", "ALWAYS", "AS"]) || reader.take(&["AS"]) {
        let range = reader.parenthesised()?;
        let stored = reader.take(&["STORED"]);
        if !stored {
            reader.take(&["VIRTUAL"]);
        }
        column.generated = Some(Generated { expression: expression(reader, range), stored });
    } else {
        return Ok(false);
    }
    Ok(true)
}

/// BINARY is the engine's default.
fn collation(reader: &mut Reader<'_>) -> Parsed<Option<QualifiedName>> {
    let name = QualifiedName::plain(a_name(reader, "a collation's name")?);
    Ok((name.canonical() != "binary").then_some(name))
}

fn direction(reader: &mut Reader<'_>) -> bool {
    let descending = reader.take(&["DESC"]);
    if !descending {
        reader.take(&["ASC"]);
    }
    descending
}

fn check(reader: &mut Reader<'_>, name: Option<Name>) -> Parsed<Check> {
    let range = reader.parenthesised()?;
    if range.is_empty() {
        return Err(reader.expected("a condition"));
    }
    let condition = expression(reader, range);
    on_conflict(reader)?; // "CHECK … ON CONFLICT" is taken and has no effect: https://sqlite.org/lang_conflict.html
    Ok(Check { condition, name, with_column: Default::default(), clauses: Clauses::default() })
}

/// A default: a literal, a signed number, or an expression in parentheses, which are left out.
fn default(reader: &mut Reader<'_>) -> Parsed<Expression> {
    if reader.sees_symbol("(") {
        let range = reader.parenthesised()?;
        return Ok(expression(reader, range));
    }
    let start = reader.position;
    let signed = reader.take_symbol("+") || reader.take_symbol("-");
    let Some(token) = reader.peek().filter(|token| token.kind != TokenKind::Symbol) else {
        return Err(reader.expected("a default value"));
    };
    reader.position += 1;
    let range = start..reader.position;
    // A name in this place is a string: https://sqlite.org/quirks.html#dblquote
    if !signed && token.kind == TokenKind::Quoted {
        let text = names::literal(&names::unquoted(token, reader.text));
        return Ok(Expression::new(text.clone(), &text));
    }
    let word = token.text(reader.text);
    let means_itself = |word: &str| CONSTANTS.iter().any(|constant| constant.eq_ignore_ascii_case(word));
    if !signed && token.kind == TokenKind::Word && !means_itself(word) {
        return Ok(Expression::new(names::literal(word), word));
    }
    Ok(expression(reader, range))
}

/// Words that are no strings as defaults.
const CONSTANTS: [&str; 6] = ["null", "true", "false", "current_time", "current_date", "current_timestamp"];

/// The table constraint that is next.
fn table_constraint(reader: &mut Reader<'_>, columns: &[Column], constraints: &mut NewConstraints) -> Parsed<()> {
    let mut name = None;
    if reader.take(&["CONSTRAINT"]) {
        name = Some(a_name(reader, "the constraint's name")?);
    }
    if reader.take(&["PRIMARY"]) {
        reader.expect("KEY")?;
        let (mut parts, autoincrement) = key_parts(reader)?;
        // On a column that is the rowid the direction means nothing, unless it was written with the column:
        // https://sqlite.org/lang_createtable.html#rowid
        if let [part] = &mut parts[..]
            && columns.iter().any(|column| column.name == part.column && is_integer(column))
        {
            part.descending = false;
        }
        let on_conflict = on_conflict(reader)?;
        constraints.primary_keys.push(key(name, parts, on_conflict, autoincrement));
    } else if reader.take(&["UNIQUE"]) {
        let (parts, _) = key_parts(reader)?;
        let on_conflict = on_conflict(reader)?;
        constraints.unique_keys.push(key(name, parts, on_conflict, false));
    } else if reader.take(&["CHECK"]) {
        constraints.checks.push(check(reader, name)?);
    } else if reader.take(&["FOREIGN"]) {
        reader.expect("KEY")?;
        let columns = name_list(reader, "a column's name")?;
        reader.expect("REFERENCES")?;
        constraints.foreign_keys.push(references(reader, columns, name)?);
    } else if name.is_none() {
        return Err(reader.expected("a constraint"));
    }
    Ok(())
}

fn is_integer(column: &Column) -> bool {
    column.data_type.as_ref().is_some_and(|data_type| data_type.canonical == "integer")
}

fn key_parts(reader: &mut Reader<'_>) -> Parsed<(Vec<KeyPart>, bool)> {
    reader.expect_symbol("(")?;
    let mut parts = Vec::new();
    loop {
        let column = a_name(reader, "a column's name")?;
        let collation = if reader.take(&["COLLATE"]) { collation(reader)? } else { None };
        parts.push(KeyPart { column, collation, descending: direction(reader) });
        if !reader.take_symbol(",") {
            break;
        }
    }
    let autoincrement = reader.take(&["AUTOINCREMENT"]);
    reader.expect_symbol(")")?;
    Ok((parts, autoincrement))
}

/// The text after REFERENCES.
fn references(reader: &mut Reader<'_>, columns: Vec<Name>, name: Option<Name>) -> Parsed<ForeignKey> {
    let parent = QualifiedName::plain(a_name(reader, "the referenced table's name")?);
    let parent_columns = if reader.sees_symbol("(") { name_list(reader, "a column's name")? } else { Vec::new() };
    let mut key = ForeignKey {
        name: silent(name),
        columns,
        with_column: Default::default(),
        parent,
        parent_columns,
        on_delete: Action::NoAction,
        on_update: Action::NoAction,
        deferred: false,
        clauses: Clauses::default(),
    };
    loop {
        if reader.take(&["ON", "DELETE"]) {
            key.on_delete = action(reader)?;
        } else if reader.take(&["ON", "UPDATE"]) {
            key.on_update = action(reader)?;
        } else if reader.take(&["ON", "INSERT"]) {
            action(reader)?; // taken by the grammar, without effect
        } else if reader.take(&["MATCH"]) {
            a_name(reader, "a match type")?; // likewise: https://sqlite.org/foreignkeys.html#fk_unsupported
        } else if reader.sees("DEFERRABLE") || (reader.sees("NOT") && reader.sees_at(1, "DEFERRABLE")) {
            key.deferred = deferrable(reader)?;
        } else {
            return Ok(key);
        }
    }
}

fn action(reader: &mut Reader<'_>) -> Parsed<Action> {
    for action in [Action::NoAction, Action::Restrict, Action::SetNull, Action::SetDefault, Action::Cascade] {
        if reader.take(&action.keywords().split(' ').collect::<Vec<_>>()) {
            return Ok(action);
        }
    }
    Err(reader.expected("`NO ACTION`, `RESTRICT`, `SET NULL`, `SET DEFAULT` or `CASCADE`"))
}

/// Only DEFERRABLE INITIALLY DEFERRED defers: <https://sqlite.org/foreignkeys.html#fk_deferred>.
fn deferrable(reader: &mut Reader<'_>) -> Parsed<bool> {
    let not = reader.take(&["NOT"]);
    reader.expect("DEFERRABLE")?;
    let mut deferred = false;
    if reader.take(&["INITIALLY"]) {
        deferred = reader.take(&["DEFERRED"]);
        if !deferred {
            reader.expect("IMMEDIATE")?;
        }
    }
    Ok(deferred && !not)
}

/// SQLite gives the names of keys no meaning (<https://sqlite.org/lang_createtable.html#constraint_enforcement>).
fn silent(name: Option<Name>) -> Name {
    name.map_or_else(Name::none, |name| Name::silent(name.written()))
}

fn key(name: Option<Name>, parts: Vec<KeyPart>, on_conflict: OnConflict, autoincrement: bool) -> Key {
    Key { name: silent(name), parts, on_conflict, autoincrement, clauses: Clauses::default() }
}
