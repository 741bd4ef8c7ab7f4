//! Sequences and their options, those of identity columns too.

use super::{data_type, names, own_name, path, plain, reference};
use crate::clause;
use wevrun_core::model::{Clauses, Flag, Kind, Object, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, Session, Token, TokenKind};

/// What follows CREATE SEQUENCE.
pub fn create(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = own_name(reader, session, "the sequence's name")?;
    let mut clauses = Clauses::default();
    options(reader, &mut clauses)?;
    let data_type = clauses.value(clause::AS).unwrap_or("bigint").to_owned();
    settle(&mut clauses, &data_type);
    let owner = take_owner(&mut clauses, session);
    Ok(plain(reader, Kind::Sequence, name, owner, clauses))
}

/// `OWNED BY table.column` as the table's name; the column stays.
pub fn take_owner(clauses: &mut Clauses, session: &Session) -> Option<QualifiedName> {
    let path = names::parts(clauses.remove(clause::OWNED_BY)?.canonical.as_str());
    match &path[..] {
        [.., column] if path.len() > 1 => {
            clauses.say(clause::OWNED_BY, column.as_str());
            Some(super::in_schema(path[..path.len() - 1].to_vec(), session))
        }
        _ => None,
    }
}

/// Options in any order (<https://www.postgresql.org/docs/current/sql-createsequence.html>).
pub fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    while !reader.at_end() {
        option(reader, clauses)?;
    }
    Ok(())
}

/// One of them.
pub fn option(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    if reader.take(&["AS"]) {
        clauses.set(clause::AS, data_type(reader)?);
    } else if reader.take(&["INCREMENT"]) {
        reader.take(&["BY"]);
        clauses.say(clause::INCREMENT, number(reader)?);
    } else if reader.take(&["NO", "MINVALUE"]) {
        clauses.remove(clause::MINVALUE);
    } else if reader.take(&["NO", "MAXVALUE"]) {
        clauses.remove(clause::MAXVALUE);
    } else if reader.take(&["MINVALUE"]) {
        clauses.say(clause::MINVALUE, number(reader)?);
    } else if reader.take(&["MAXVALUE"]) {
        clauses.say(clause::MAXVALUE, number(reader)?);
    } else if reader.take(&["START"]) {
        reader.take(&["WITH"]);
        clauses.say(clause::START, number(reader)?);
    } else if reader.take(&["RESTART"]) {
        reader.take(&["WITH"]);
        let is_number = |token: Token| token.kind == TokenKind::Number || token.is_symbol(reader.text, "-");
        if reader.peek().is_some_and(is_number) {
            number(reader)?;
        }
    } else if reader.take(&["CACHE"]) {
        clauses.say(clause::CACHE, number(reader)?);
    } else if reader.take(&["NO", "CYCLE"]) {
        clauses.remove(clause::CYCLE);
    } else if reader.take(&["CYCLE"]) {
        clauses.set(clause::CYCLE, Flag);
    } else if reader.take(&["OWNED", "BY"]) {
        let path = path(reader, "table.column or NONE")?;
        let path: Vec<String> = path.iter().map(|part| names::quoted(part)).collect();
        if path.len() > 1 {
            clauses.say(clause::OWNED_BY, path.join("."));
        } else {
            clauses.remove(clause::OWNED_BY);
        }
    } else if reader.take(&["SEQUENCE", "NAME"]) {
        clauses.set(clause::NAME, reference(reader, "the sequence's name")?);
    } else if reader.take(&["LOGGED"]) {
        clauses.set(clause::LOGGED, Flag);
    } else if reader.take(&["UNLOGGED"]) {
        clauses.set(clause::UNLOGGED, Flag);
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

/// Takes out what is the default.
pub fn settle(clauses: &mut Clauses, data_type: &str) {
    let (least, most) = limits(data_type);
    let down = clauses.value(clause::INCREMENT).is_some_and(|by| by.starts_with('-'));
    let (min, max) = if down { (least, "-1") } else { ("1", most) };
    let start = if down {
        clauses.value(clause::MAXVALUE).unwrap_or(max)
    } else {
        clauses.value(clause::MINVALUE).unwrap_or(min)
    }
    .to_owned();
    let defaults = [
        ("increment", "1"),
        ("minvalue", min),
        ("maxvalue", max),
        ("start", start.as_str()),
        ("cache", "1"),
        ("as", "bigint"),
    ];
    for (name, value) in defaults {
        if clauses.value_named(name) == Some(value) {
            clauses.remove_named(name);
        }
    }
}

/// Gives a sequence another type: a limit that was the old type's own becomes the new one's, and it starts where it did
/// (<https://www.postgresql.org/docs/current/sql-altersequence.html>).
pub fn change_type(clauses: &mut Clauses, to: &str) {
    let (old, new) = (limits(clauses.value(clause::AS).unwrap_or("bigint")), limits(to));
    for (clause, old, new) in [("minvalue", old.0, new.0), ("maxvalue", old.1, new.1)] {
        if clauses.value_named(clause) == Some(old) {
            if !clauses.has(clause::START) {
                clauses.say(clause::START, old);
            }
            clauses.say_named(clause, new);
        }
    }
    clauses.say(clause::AS, to);
}

/// The least and the greatest number of a type (<https://www.postgresql.org/docs/current/datatype-numeric.html>).
fn limits(data_type: &str) -> (&'static str, &'static str) {
    match data_type {
        "smallint" => ("-32768", "32767"),
        "integer" => ("-2147483648", "2147483647"),
        _ => ("-9223372036854775808", "9223372036854775807"),
    }
}
