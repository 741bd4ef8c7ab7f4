//! Routines, triggers, events and packages: what is around their bodies. Bodies are compared without their
//! comments and layout: the server's client leaves comments out when it creates them.

use wevrun_core::model::{Clauses, Definition, Expression, Flag, Kind, Plain};
use wevrun_core::parse::{Parsed, Reader, Session};

use super::create::{Head, program_clauses};
use super::settings::SQL_MODE;
use super::{own_name, text_literal, word};
use crate::canonical::expression::{plain_tokens, statement_tokens};
use crate::{charset, clause, names};

/// The rest of the statement, after the name.
pub fn program(reader: &mut Reader<'_>, kind: Kind, head: &Head, session: &Session) -> Parsed<Definition> {
    let mut clauses = Clauses::default();
    let mut owner = None;
    match kind {
        Kind::Trigger => owner = Some(trigger(reader, &mut clauses, session)?),
        Kind::Event => event(reader, &mut clauses)?,
        Kind::Package | Kind::PackageBody => {
            while characteristic(reader, &mut clauses)? {}
            let _ = reader.take(&["AS"]) || reader.take(&["IS"]);
        }
        _ => routine(reader, kind, &mut clauses, session)?,
    }
    program_clauses(head, &mut clauses);
    if reader.at_end() {
        return Err(reader.expected("a body"));
    }
    let body = reader.written(reader.position..reader.tokens.len());
    reader.position = reader.tokens.len();
    let body = body.replace("\r\n", "\n");
    clauses.set(clause::BODY, Expression::new(statement_tokens(&body), &body));
    if let Some(mode) = session.defaults.get(SQL_MODE) {
        let kept: Vec<&str> = mode.split(',').filter(|mode| MEANINGFUL_MODES.contains(mode)).collect();
        if !kept.is_empty() {
            clauses.set(clause::SQL_MODE, kept.join(","));
        }
    }
    Ok(Definition::Plain(Plain { kind, owner, clauses }))
}

/// The modes that change how a body is read.
pub const MEANINGFUL_MODES: [&str; 7] = [
    "ANSI_QUOTES",
    "NO_BACKSLASH_ESCAPES",
    "PIPES_AS_CONCAT",
    "HIGH_NOT_PRECEDENCE",
    "IGNORE_SPACE",
    "ORACLE",
    "REAL_AS_FLOAT",
];

fn routine(reader: &mut Reader<'_>, kind: Kind, clauses: &mut Clauses, session: &Session) -> Parsed<()> {
    if reader.sees_symbol("(") {
        let range = reader.parenthesised()?;
        let written = reader.written(range);
        clauses.set(clause::PARAMETERS, Expression::new(plain_tokens(written), written));
    }
    if kind != Kind::Procedure {
        let _ = reader.take(&["RETURNS"]) || reader.take(&["RETURN"]);
        let start = reader.position;
        let data_type = super::column::data_type(reader)?;
        let written = reader.written(start..reader.position);
        let resolved = data_type.resolve(&super::database_collation(session));
        let mut canonical = resolved.spelling;
        let mut complete = written.to_owned();
        if let Some(collation) = resolved.collation {
            let set = charset::of_collation(&collation);
            canonical.push_str(&format!(" charset {set} collate {collation}"));
            // In another database, the same words would be another type.
            if data_type.has_no_character_set() {
                complete.push_str(&format!(" CHARSET {set} COLLATE {collation}"));
            }
        }
        clauses.set(clause::RETURNS, Expression::new(canonical, &complete));
    }
    while characteristic(reader, clauses)? {}
    let _ = reader.take(&["AS"]) || reader.take(&["IS"]);
    Ok(())
}

/// A characteristic of a routine, if one is next.
pub fn characteristic(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<bool> {
    if reader.take(&["NOT", "DETERMINISTIC"]) {
        clauses.remove(clause::DETERMINISTIC);
    } else if reader.take(&["DETERMINISTIC"]) {
        clauses.set(clause::DETERMINISTIC, Flag);
    } else if reader.take(&["CONTAINS", "SQL"]) {
        clauses.remove(clause::DATA_ACCESS);
    } else if reader.take(&["NO", "SQL"]) {
        clauses.set(clause::DATA_ACCESS, "no sql".to_owned());
    } else if reader.take(&["READS", "SQL", "DATA"]) {
        clauses.set(clause::DATA_ACCESS, "reads sql data".to_owned());
    } else if reader.take(&["MODIFIES", "SQL", "DATA"]) {
        clauses.set(clause::DATA_ACCESS, "modifies sql data".to_owned());
    } else if reader.take(&["LANGUAGE", "SQL"]) {
        // The only one.
    } else if reader.take(&["SQL", "SECURITY"]) {
        clauses.remove(clause::SQL_SECURITY);
        if word(reader, "`DEFINER` or `INVOKER`")?.eq_ignore_ascii_case("invoker") {
            clauses.set(clause::SQL_SECURITY, "invoker".to_owned());
        }
    } else if reader.take(&["COMMENT"]) {
        clauses.remove(clause::COMMENT);
        let comment = text_literal(reader)?;
        if !comment.is_empty() {
            clauses.set(clause::COMMENT, comment);
        }
    } else {
        return Ok(false);
    }
    Ok(true)
}

fn trigger(
    reader: &mut Reader<'_>,
    clauses: &mut Clauses,
    session: &Session,
) -> Parsed<wevrun_core::model::QualifiedName> {
    let timing = if reader.take(&["BEFORE"]) {
        "before"
    } else {
        reader.expect("AFTER")?;
        "after"
    };
    clauses.set(clause::TIMING, timing.to_owned());
    let event = ["insert", "update", "delete"].into_iter().find(|event| reader.take(&[&event.to_ascii_uppercase()]));
    let Some(event) = event else { return Err(reader.expected("`INSERT`, `UPDATE` or `DELETE`")) };
    clauses.set(clause::EVENT, event.to_owned());
    reader.expect("ON")?;
    let table = names::of(Kind::Table, own_name(reader, session, "a table")?);
    reader.expect("FOR")?;
    reader.expect("EACH")?;
    reader.expect("ROW")?;
    let start = reader.position;
    if reader.take(&["FOLLOWS"]) || reader.take(&["PRECEDES"]) {
        super::a_name(reader, "a trigger's name")?;
    }
    clauses.set(clause::PLACE, Expression::new(String::new(), reader.written(start..reader.position)));
    Ok(table)
}

fn event(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    reader.expect("ON")?;
    reader.expect("SCHEDULE")?;
    let start = reader.position;
    let ends = |reader: &Reader<'_>| {
        reader.at_end()
            || reader.sees("DO")
            || reader.sees("COMMENT")
            || reader.sees("ENABLE")
            || reader.sees("DISABLE")
            || (reader.sees("ON") && reader.sees_at(1, "COMPLETION"))
            || (reader.sees("RENAME") && reader.sees_at(1, "TO"))
    };
    while !ends(reader) {
        if reader.sees_symbol("(") {
            reader.parenthesised()?;
        } else {
            reader.position += 1;
        }
    }
    let written = reader.written(start..reader.position);
    let schedule = plain_tokens(written);
    // The server computes these when the event is created.
    let is_computed = ["current_timestamp", "now (", "interval", "sysdate"].iter().any(|word| schedule.contains(word));
    let schedule = if is_computed { Expression::unsure(schedule, written) } else { Expression::new(schedule, written) };
    clauses.set(clause::SCHEDULE, schedule);
    loop {
        if reader.take(&["ON", "COMPLETION", "NOT", "PRESERVE"]) {
            clauses.remove(clause::ON_COMPLETION);
        } else if reader.take(&["ON", "COMPLETION", "PRESERVE"]) {
            clauses.set(clause::ON_COMPLETION, "preserve".to_owned());
        } else if reader.take(&["ENABLE"]) {
            clauses.remove(clause::STATUS);
        } else if reader.take(&["DISABLE"]) {
            let on = reader.take(&["ON", "SLAVE"]) || reader.take(&["ON", "REPLICA"]);
            clauses.set(clause::STATUS, if on { "disable on slave" } else { "disable" }.to_owned());
        } else if reader.take(&["COMMENT"]) {
            let comment = text_literal(reader)?;
            if !comment.is_empty() {
                clauses.set(clause::COMMENT, comment);
            }
        } else {
            break;
        }
    }
    reader.expect("DO")?;
    Ok(())
}
