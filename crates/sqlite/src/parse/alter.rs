//! ALTER TABLE and DROP (<https://sqlite.org/lang_altertable.html>).

use super::super::canonical::expression;
use super::table::column;
use super::{a_name, on_conflict, qualified_name};
use wevrun_core::change::{Change, NewConstraints, TableChange};
use wevrun_core::model::{Check, Clauses, Kind, QualifiedName};
use wevrun_core::parse::{Alter, Parsed, Reader, StatementKind};

/// The rest of ALTER.
pub fn alter(mut reader: Reader<'_>) -> Parsed<StatementKind> {
    reader.expect("TABLE")?;
    let (_, table) = qualified_name(&mut reader)?;
    let change = if reader.take(&["RENAME", "TO"]) {
        Change::Rename(QualifiedName::plain(a_name(&mut reader, "the new name")?))
    } else if reader.take(&["RENAME"]) {
        reader.take(&["COLUMN"]);
        let from = a_name(&mut reader, "the column's name")?;
        reader.expect("TO")?;
        Change::RenameColumn { from, to: a_name(&mut reader, "the new name")? }
    } else if reader.sees("ADD") && (reader.sees_at(1, "CONSTRAINT") || reader.sees_at(1, "CHECK")) {
        reader.position += 1;
        let name =
            if reader.take(&["CONSTRAINT"]) { Some(a_name(&mut reader, "the constraint's name")?) } else { None };
        reader.expect("CHECK")?;
        let range = reader.parenthesised()?;
        let condition = expression(&reader, range);
        on_conflict(&mut reader)?;
        Change::Table(TableChange::AddCheck(Check {
            condition,
            name,
            with_column: Default::default(),
            clauses: Clauses::default(),
        }))
    } else if reader.take(&["ADD"]) {
        reader.take(&["COLUMN"]);
        let mut constraints = NewConstraints::default();
        let column = column(&mut reader, &mut constraints)?;
        Change::Table(TableChange::AddColumn { column: Box::new(column), constraints })
    } else if reader.take(&["DROP", "CONSTRAINT"]) {
        Change::Table(TableChange::DropConstraint(a_name(&mut reader, "the constraint's name")?))
    } else if reader.take(&["DROP"]) {
        reader.take(&["COLUMN"]);
        Change::Table(TableChange::DropColumn(a_name(&mut reader, "the column's name")?))
    } else if reader.take(&["ALTER"]) {
        reader.take(&["COLUMN"]);
        let name = a_name(&mut reader, "the column's name")?;
        if reader.take(&["SET", "NOT", "NULL"]) {
            Change::Table(TableChange::SetNotNull(name, on_conflict(&mut reader)?))
        } else if reader.take(&["DROP", "NOT", "NULL"]) {
            Change::Table(TableChange::DropNotNull(name))
        } else {
            return Err(reader.expected("`SET NOT NULL` or `DROP NOT NULL`"));
        }
    } else {
        return Err(reader.expected("`RENAME`, `ADD`, `DROP` or `ALTER`"));
    };
    reader.finish()?;
    // Of a virtual table nothing can change but its name.
    let (kinds, new_name) = match &change {
        Change::Rename(to) => (vec![Kind::Table, Kind::VirtualTable], Some(to.clone())),
        _ => (vec![Kind::Table], None),
    };
    Ok(StatementKind::Alter(Box::new(Alter { kinds, name: table, new_name, if_exists: false, change })))
}

/// The rest of DROP.
pub fn drop(mut reader: Reader<'_>) -> Parsed<StatementKind> {
    let kinds = [("TABLE", Kind::Table), ("INDEX", Kind::Index), ("VIEW", Kind::View), ("TRIGGER", Kind::Trigger)];
    let Some((_, kind)) = kinds.into_iter().find(|(word, _)| reader.take(&[word])) else {
        return Err(reader.expected("`TABLE`, `INDEX`, `VIEW` or `TRIGGER`"));
    };
    let if_exists = reader.take(&["IF", "EXISTS"]);
    let (_, name) = qualified_name(&mut reader)?;
    reader.finish()?;
    Ok(StatementKind::Drop { kind, name, if_exists, cascade: false })
}
