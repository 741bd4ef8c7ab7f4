//! CREATE SEQUENCE (<https://mariadb.com/kb/en/create-sequence/>).

use wevrun_core::model::{Clauses, Expression, Flag, Kind, Plain};
use wevrun_core::parse::{Parsed, Reader};

use super::{number, word};
use crate::clause;

/// The rest of CREATE SEQUENCE, after the name.
pub fn sequence(reader: &mut Reader<'_>) -> Parsed<Plain> {
    let mut clauses = Clauses::default();
    options(reader, &mut clauses)?;
    settle(&mut clauses);
    Ok(Plain { kind: Kind::Sequence, owner: None, clauses })
}

/// All options that come next. RESTART changes no structure.
pub fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    loop {
        let equals = |reader: &mut Reader<'_>, word: &str| {
            let _ = reader.take(&[word]) || reader.take_symbol("=");
        };
        if reader.take(&["INCREMENT"]) {
            equals(reader, "BY");
            clauses.set(clause::INCREMENT, number(reader)?);
        } else if reader.take(&["MINVALUE"]) {
            reader.take_symbol("=");
            clauses.set(clause::MINVALUE, number(reader)?);
        } else if reader.take(&["MAXVALUE"]) {
            reader.take_symbol("=");
            clauses.set(clause::MAXVALUE, number(reader)?);
        } else if reader.take(&["NO", "MINVALUE"]) || reader.take(&["NOMINVALUE"]) {
            clauses.remove(clause::MINVALUE);
        } else if reader.take(&["NO", "MAXVALUE"]) || reader.take(&["NOMAXVALUE"]) {
            clauses.remove(clause::MAXVALUE);
        } else if reader.take(&["START"]) {
            equals(reader, "WITH");
            clauses.set(clause::START, number(reader)?);
        } else if reader.take(&["RESTART"]) {
            equals(reader, "WITH");
            if reader.peek().is_some_and(|token| token.kind == wevrun_core::parse::TokenKind::Number) {
                number(reader)?;
            }
        } else if reader.take(&["NOCACHE"]) {
            clauses.set(clause::CACHE, "0".to_owned());
        } else if reader.take(&["CACHE"]) {
            reader.take_symbol("=");
            clauses.set(clause::CACHE, number(reader)?);
        } else if reader.take(&["NOCYCLE"]) || reader.take(&["NO", "CYCLE"]) {
            clauses.remove(clause::CYCLE);
        } else if reader.take(&["CYCLE"]) {
            clauses.set(clause::CYCLE, Flag);
        } else if reader.take(&["ENGINE"]) {
            reader.take_symbol("=");
            let engine = word(reader, "an engine")?;
            clauses.set(clause::ENGINE, Expression::new(engine.to_ascii_lowercase(), &engine));
        } else if reader.take(&["COMMENT"]) {
            reader.take_symbol("=");
            clauses.set(clause::COMMENT, super::text_literal(reader)?);
        } else {
            return Ok(());
        }
    }
}

/// The server's defaults.
pub fn settle(clauses: &mut Clauses) {
    let mut say = |key, value: &str| {
        if !clauses.has(key) {
            clauses.set(key, value.to_owned());
        }
    };
    say(clause::INCREMENT, "1");
    say(clause::CACHE, "1000");
    let falls = clauses.get(clause::INCREMENT).is_some_and(|increment| increment.starts_with('-'));
    let mut say = |key, value: &str| {
        if !clauses.has(key) {
            clauses.set(key, value.to_owned());
        }
    };
    if falls {
        say(clause::MINVALUE, "-9223372036854775807");
        say(clause::MAXVALUE, "-1");
    } else {
        say(clause::MINVALUE, "1");
        say(clause::MAXVALUE, "9223372036854775806");
    }
    let start = clauses.get(if falls { clause::MAXVALUE } else { clause::MINVALUE }).cloned().unwrap_or_default();
    if !clauses.has(clause::START) {
        clauses.set(clause::START, start);
    }
    if !clauses.has(clause::ENGINE) {
        clauses.set(clause::ENGINE, Expression::new("innodb".to_owned(), "InnoDB"));
    }
}
