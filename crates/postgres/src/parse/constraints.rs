//! Constraints of tables and domains.

use super::{column_list, expression, identifier, names, normalised, reference, run, storage_parameters};
use crate::change::{NewConstraints, NotNull};
use crate::clause;
use wevrun_core::model::{Action, Check, Clauses, Flag, ForeignKey, Key, KeyPart, Name, OnConflict, QualifiedName};
use wevrun_core::parse::{Parsed, Reader};

/// `NOT NULL` of a column that has been read so far, with what follows it.
pub fn not_null(reader: &mut Reader<'_>, column: Name, name: Option<Name>) -> Parsed<NotNull> {
    let mut clauses = Clauses::default();
    attributes(reader, &mut clauses)?;
    Ok(NotNull { column, name, attributes: clauses })
}

/// Whether a table constraint begins here.
pub fn sees_table_constraint(reader: &Reader<'_>) -> bool {
    let sees = |first: &str, second: &str| reader.sees(first) && reader.sees_at(1, second);
    let symbol = |ahead: usize, symbol: &str| reader.peek_at(ahead).is_some_and(|t| t.is_symbol(reader.text, symbol));
    reader.sees("CONSTRAINT")
        || sees("PRIMARY", "KEY")
        || sees("FOREIGN", "KEY")
        || sees("NOT", "NULL")
        || (reader.sees("UNIQUE") && (symbol(1, "(") || reader.sees_at(1, "NULLS") || reader.sees_at(1, "USING")))
        || (reader.sees("CHECK") && symbol(1, "("))
        || (reader.sees("EXCLUDE") && (symbol(1, "(") || reader.sees_at(1, "USING")))
}

/// `[CONSTRAINT name] …` of a table.
pub fn table_constraint(reader: &mut Reader<'_>, found: &mut NewConstraints) -> Parsed<()> {
    let name = constraint_name(reader)?;
    if reader.take(&["PRIMARY", "KEY"]) {
        let key = key(reader, name)?;
        found.constraints.primary_keys.push(key);
    } else if reader.take(&["UNIQUE"]) {
        let distinct = nulls_not_distinct(reader);
        let mut key = key(reader, name)?;
        if distinct {
            key.clauses.set(clause::NULLS_NOT_DISTINCT, Flag);
        }
        found.constraints.unique_keys.push(key);
    } else if reader.take(&["CHECK"]) {
        found.constraints.checks.push(check(reader, name)?);
    } else if reader.take(&["NOT", "NULL"]) {
        let column = names::simple(&identifier(reader, "a column's name")?);
        found.not_null.push(not_null(reader, column, name)?);
    } else if reader.take(&["FOREIGN", "KEY"]) {
        let (columns, period) = period_list(reader)?;
        let mut key = references(reader, name, columns)?;
        if period {
            key.clauses.set(clause::PERIOD, Flag);
        }
        found.constraints.foreign_keys.push(key);
    } else if reader.take(&["EXCLUDE"]) {
        found.exclusions.push(exclusion(reader, name)?);
    } else {
        return Err(reader.expected("a constraint"));
    }
    Ok(())
}

/// `CONSTRAINT name`, if it is there.
pub fn constraint_name(reader: &mut Reader<'_>) -> Parsed<Option<Name>> {
    if reader.take(&["CONSTRAINT"]) {
        Ok(Some(names::simple(&identifier(reader, "the constraint's name")?)))
    } else {
        Ok(None)
    }
}

fn given(name: Option<Name>) -> Name {
    name.unwrap_or_else(Name::none)
}

/// `NULLS [NOT] DISTINCT` (PostgreSQL 15); the default has no effect.
pub fn nulls_not_distinct(reader: &mut Reader<'_>) -> bool {
    if reader.take(&["NULLS", "NOT", "DISTINCT"]) {
        return true;
    }
    reader.take(&["NULLS", "DISTINCT"]);
    false
}

/// The columns of PRIMARY KEY or UNIQUE, and what follows them.
fn key(reader: &mut Reader<'_>, name: Option<Name>) -> Parsed<Key> {
    let mut key = key_of(name, Vec::new());
    if reader.take(&["USING", "INDEX"]) && !reader.sees("TABLESPACE") {
        key.clauses.set_text(clause::USING_INDEX, identifier(reader, "an index's name")?);
    } else {
        reader.expect_symbol("(")?;
        loop {
            let column = names::simple(&identifier(reader, "a column's name")?);
            key.parts.push(KeyPart { column, collation: None, descending: false });
            if reader.take(&["WITHOUT", "OVERLAPS"]) {
                key.clauses.set(clause::WITHOUT_OVERLAPS, Flag);
            }
            if !reader.take_symbol(",") {
                break;
            }
        }
        reader.expect_symbol(")")?;
    }
    key_parameters(reader, &mut key.clauses)?;
    Ok(key)
}

pub fn key_of(name: Option<Name>, columns: Vec<Name>) -> Key {
    let parts = columns.into_iter().map(|column| KeyPart { column, collation: None, descending: false }).collect();
    Key { name: given(name), parts, on_conflict: OnConflict::Abort, autoincrement: false, clauses: Clauses::default() }
}

/// INCLUDE, WITH, USING INDEX TABLESPACE and what every constraint can have.
pub fn key_parameters(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    if reader.take(&["INCLUDE"]) {
        let columns = column_list(reader)?;
        let columns: Vec<String> = columns.iter().map(|column| names::quoted(column.canonical())).collect();
        clauses.set_text(clause::INCLUDE, columns.join(", "));
    }
    if reader.take(&["WITH"]) {
        storage_parameters(reader, clauses)?;
    }
    if reader.take(&["USING", "INDEX", "TABLESPACE"]) {
        clauses.set_text(clause::TABLESPACE, identifier(reader, "a tablespace")?);
    }
    attributes(reader, clauses)
}

/// DEFERRABLE, INITIALLY, NOT VALID, NO INHERIT, ENFORCED.
pub fn attributes(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    loop {
        if reader.take(&["NOT", "DEFERRABLE"]) || reader.take(&["INITIALLY", "IMMEDIATE"]) || reader.take(&["ENFORCED"])
        {
            continue;
        } else if reader.take(&["DEFERRABLE"]) {
            clauses.set_text(clause::DEFERRABLE, "");
        } else if reader.take(&["INITIALLY", "DEFERRED"]) {
            clauses.set_text(clause::DEFERRABLE, "initially deferred");
        } else if reader.take(&["NOT", "VALID"]) {
            clauses.set(clause::NOT_VALID, Flag);
        } else if reader.take(&["NO", "INHERIT"]) {
            clauses.set(clause::NO_INHERIT, Flag);
        } else if reader.take(&["NOT", "ENFORCED"]) {
            clauses.set(clause::NOT_ENFORCED, Flag);
        } else {
            return Ok(());
        }
    }
}

/// `(condition)` after CHECK.
pub fn check(reader: &mut Reader<'_>, name: Option<Name>) -> Parsed<Check> {
    let inner = reader.parenthesised()?;
    let mut check = Check {
        condition: expression(reader, inner),
        name,
        with_column: Default::default(),
        clauses: Clauses::default(),
    };
    attributes(reader, &mut check.clauses)?;
    Ok(check)
}

fn period_list(reader: &mut Reader<'_>) -> Parsed<(Vec<Name>, bool)> {
    reader.expect_symbol("(")?;
    let (mut columns, mut period) = (Vec::new(), false);
    loop {
        period |= reader.sees("PERIOD") && !reader.peek_at(1).is_some_and(|t| matches!(t.text(reader.text), "," | ")"));
        if period {
            reader.take(&["PERIOD"]);
        }
        columns.push(names::simple(&identifier(reader, "a column's name")?));
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    Ok((columns, period))
}

/// `REFERENCES table [(columns)] …`.
pub fn references(reader: &mut Reader<'_>, name: Option<Name>, columns: Vec<Name>) -> Parsed<ForeignKey> {
    reader.expect("REFERENCES")?;
    reader.take(&["ONLY"]);
    let parent = reference(reader, "the referenced table's name")?;
    let parent_columns = if reader.sees_symbol("(") { period_list(reader)?.0 } else { Vec::new() };
    let mut key = ForeignKey { parent_columns, ..foreign_key_of(name, columns, parent) };
    loop {
        let before = reader.position;
        if reader.take(&["MATCH", "FULL"]) {
            key.clauses.set_text(clause::MATCH, "full");
        } else if reader.take(&["MATCH"]) {
            identifier(reader, "a match type")?;
        } else if reader.take(&["ON", "DELETE"]) {
            key.on_delete = action(reader)?;
            if reader.sees_symbol("(") {
                let columns = column_list(reader)?;
                let columns: Vec<String> = columns.iter().map(|column| names::quoted(column.canonical())).collect();
                key.clauses.set_text(clause::ON_DELETE_COLUMNS, columns.join(", "));
            }
        } else if reader.take(&["ON", "UPDATE"]) {
            key.on_update = action(reader)?;
        } else {
            attributes(reader, &mut key.clauses)?;
        }
        if reader.position == before {
            return Ok(key);
        }
    }
}

pub fn foreign_key_of(name: Option<Name>, columns: Vec<Name>, parent: QualifiedName) -> ForeignKey {
    ForeignKey {
        name: given(name),
        columns,
        with_column: Default::default(),
        parent,
        parent_columns: Vec::new(),
        on_delete: Action::NoAction,
        on_update: Action::NoAction,
        deferred: false,
        clauses: Clauses::default(),
    }
}

fn action(reader: &mut Reader<'_>) -> Parsed<Action> {
    const ACTIONS: [(&[&str], Action); 5] = [
        (&["NO", "ACTION"], Action::NoAction),
        (&["RESTRICT"], Action::Restrict),
        (&["CASCADE"], Action::Cascade),
        (&["SET", "NULL"], Action::SetNull),
        (&["SET", "DEFAULT"], Action::SetDefault),
    ];
    let found = ACTIONS.into_iter().find(|(words, _)| reader.take(words)).map(|(_, action)| action);
    found.ok_or_else(|| reader.expected("NO ACTION, RESTRICT, CASCADE, SET NULL or SET DEFAULT"))
}

/// The text after EXCLUDE. Method and elements are kept as one text.
fn exclusion(reader: &mut Reader<'_>, name: Option<Name>) -> Parsed<Check> {
    let method = if reader.take(&["USING"]) { identifier(reader, "an index method")? } else { "btree".to_owned() };
    let inner = reader.parenthesised()?;
    let elements = normalised(reader, inner);
    let mut clauses = Clauses::default();
    if reader.take(&["INCLUDE"]) {
        let columns = column_list(reader)?;
        let columns: Vec<String> = columns.iter().map(|column| names::quoted(column.canonical())).collect();
        clauses.set_text(clause::INCLUDE, columns.join(", "));
    }
    if reader.take(&["WITH"]) {
        storage_parameters(reader, &mut clauses)?;
    }
    if reader.take(&["USING", "INDEX", "TABLESPACE"]) {
        clauses.set_text(clause::TABLESPACE, identifier(reader, "a tablespace")?);
    }
    if reader.take(&["WHERE"]) {
        let range =
            if reader.sees_symbol("(") { reader.parenthesised()? } else { run(reader, "a condition", |_| false)? };
        clauses.set(clause::WHERE, expression(reader, range));
    }
    attributes(reader, &mut clauses)?;
    let condition = wevrun_core::model::Expression::plain(format!("USING {} ({elements})", names::quoted(&method)));
    Ok(Check { condition, name, with_column: Default::default(), clauses })
}
