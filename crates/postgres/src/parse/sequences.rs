//! Sequences and their options, those of identity columns too.

use super::{data_type, names, own_name, path, plain, reference};
use crate::change::take_usual;
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Flag, Kind, Object, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, Session, Token, TokenKind};

/// The text after CREATE SEQUENCE.
pub fn create(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = own_name(reader, session, "the sequence's name")?;
    let mut changes = ClauseChanges::default();
    options(reader, &mut changes)?;
    let owner = take_owner(&mut changes, session).flatten();
    let mut clauses = changes.into_clauses();
    let data_type = clauses.value(clause::AS).unwrap_or("bigint").to_owned();
    take_usual(&mut clauses, &data_type);
    Ok(plain(reader, Kind::Sequence, name, owner, clauses))
}

/// `OWNED BY table.column` as the table's name, `OWNED BY NONE` as no name; the column stays.
pub fn take_owner(changes: &mut ClauseChanges, session: &Session) -> Option<Option<QualifiedName>> {
    let Some(owner) = changes.take(clause::OWNED_BY)? else {
        changes.remove(clause::OWNED_BY);
        return Some(None);
    };
    let mut path = names::parts(&owner.canonical);
    changes.set_text(clause::OWNED_BY, path.pop().unwrap_or_default());
    Some(Some(super::in_schema(path, session)))
}

/// Options in any order (<https://www.postgresql.org/docs/current/sql-createsequence.html>).
pub fn options(reader: &mut Reader<'_>, changes: &mut ClauseChanges) -> Parsed<()> {
    while !reader.at_end() {
        option(reader, changes)?;
    }
    Ok(())
}

/// One of them.
pub fn option(reader: &mut Reader<'_>, changes: &mut ClauseChanges) -> Parsed<()> {
    if reader.take(&["AS"]) {
        changes.set(clause::AS, data_type(reader)?);
    } else if reader.take(&["INCREMENT"]) {
        reader.take(&["BY"]);
        changes.set_text(clause::INCREMENT, number(reader)?);
    } else if reader.take(&["NO", "MINVALUE"]) {
        changes.remove(clause::MINVALUE);
    } else if reader.take(&["NO", "MAXVALUE"]) {
        changes.remove(clause::MAXVALUE);
    } else if reader.take(&["MINVALUE"]) {
        changes.set_text(clause::MINVALUE, number(reader)?);
    } else if reader.take(&["MAXVALUE"]) {
        changes.set_text(clause::MAXVALUE, number(reader)?);
    } else if reader.take(&["START"]) {
        reader.take(&["WITH"]);
        changes.set_text(clause::START, number(reader)?);
    } else if reader.take(&["RESTART"]) {
        reader.take(&["WITH"]);
        let is_number = |token: Token| token.kind == TokenKind::Number || token.is_symbol(reader.text, "-");
        if reader.peek().is_some_and(is_number) {
            number(reader)?;
        }
    } else if reader.take(&["CACHE"]) {
        changes.set_text(clause::CACHE, number(reader)?);
    } else if reader.take(&["NO", "CYCLE"]) {
        changes.remove(clause::CYCLE);
    } else if reader.take(&["CYCLE"]) {
        changes.set(clause::CYCLE, Flag);
    } else if reader.take(&["OWNED", "BY"]) {
        let path = path(reader, "table.column or NONE")?;
        let path: Vec<String> = path.iter().map(|part| names::quoted(part)).collect();
        if path.len() > 1 {
            changes.set_text(clause::OWNED_BY, path.join("."));
        } else {
            changes.remove(clause::OWNED_BY);
        }
    } else if reader.take(&["SEQUENCE", "NAME"]) {
        changes.set(clause::NAME, reference(reader, "the sequence's name")?);
    } else if reader.take(&["LOGGED"]) {
        changes.set(clause::LOGGED, Flag);
    } else if reader.take(&["UNLOGGED"]) {
        changes.set(clause::UNLOGGED, Flag);
    } else {
        return Err(reader.expected("an option of a sequence"));
    }
    Ok(())
}

fn number(reader: &mut Reader<'_>) -> Parsed<String> {
    let sign = if reader.take_symbol("-") {
        "-"
    } else {
        reader.take_symbol("+");
        ""
    };
    match reader.take_any() {
        Some(token) if token.kind == TokenKind::Number => Ok(format!("{sign}{}", token.text(reader.text))),
        _ => Err(reader.expected("a number")),
    }
}
