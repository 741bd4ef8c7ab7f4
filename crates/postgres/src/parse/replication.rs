//! Publications and subscriptions.

use super::access::Subject;
use super::alter::unknown;
use super::{identifier, own_name, plain, storage_parameters, whole};
use crate::change::{Change, MemberChange, ObjectChange, take_usual_of_publication};
use crate::{clause, names, tokens};
use wevrun_core::model::{Clauses, Expression, Flag, Kind, Object};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind, TokenKind};

/// The text after CREATE PUBLICATION.
pub fn publication(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = names::global(&identifier(reader, "the publication's name")?);
    let mut clauses = Clauses::default();
    if reader.take(&["FOR", "ALL", "TABLES"]) {
        clauses.set(clause::ALL_TABLES, Flag);
    } else if reader.take(&["FOR"]) {
        publication_members(reader, session, &mut clauses)?;
    }
    if reader.take(&["WITH"]) {
        storage_parameters(reader, &mut clauses)?;
    }
    take_usual_of_publication(&mut clauses);
    Ok(plain(reader, Kind::Publication, name, None, clauses))
}

/// `TABLE a, b (c) WHERE (…), TABLES IN SCHEMA s`: each member a clause.
fn publication_members(reader: &mut Reader<'_>, session: &Session, clauses: &mut Clauses) -> Parsed<()> {
    let mut schemas = false;
    loop {
        if reader.take(&["TABLES", "IN", "SCHEMA"]) {
            schemas = true;
        } else if reader.take(&["TABLE"]) {
            schemas = false;
        }
        if schemas {
            let schema = names::quoted(&identifier(reader, "a schema")?);
            clauses.set_text(clause::PUBLISHED_SCHEMA.of(&schema), "");
        } else {
            reader.take(&["ONLY"]);
            let table = own_name(reader, session, "a table's name")?;
            reader.take_symbol("*");
            let start = reader.position;
            if reader.sees_symbol("(") {
                reader.parenthesised()?;
            }
            if reader.take(&["WHERE"]) {
                reader.parenthesised()?;
            }
            clauses.set(clause::PUBLISHED_TABLE.of(table.canonical()), whole(reader, start..reader.position));
        }
        if !reader.take_symbol(",") {
            return Ok(());
        }
    }
}

/// The text after ALTER PUBLICATION name.
pub fn alter_publication(reader: &mut Reader<'_>, session: &Session, subject: Subject) -> Parsed<Vec<StatementKind>> {
    let change = if reader.take(&["ADD"]) {
        MemberChange::Add
    } else if reader.take(&["DROP"]) {
        MemberChange::Drop
    } else if reader.take(&["SET"]) {
        if reader.sees_symbol("(") { MemberChange::SetOptions } else { MemberChange::Set }
    } else {
        return Err(unknown(reader));
    };
    let mut clauses = Clauses::default();
    if change == MemberChange::SetOptions {
        storage_parameters(reader, &mut clauses)?;
    } else {
        publication_members(reader, session, &mut clauses)?;
    }
    reader.finish()?;
    Ok(vec![subject.alter(false, Change::Object(ObjectChange::Publication(change, clauses)))])
}

/// The text after CREATE SUBSCRIPTION. Where the rows come from is beside the structure: it differs from one environment to the
/// next, and may hold a password, which is never kept. So is what only the moment of making it needs to know
/// (<https://www.postgresql.org/docs/current/sql-createsubscription.html>).
pub fn subscription(reader: &mut Reader<'_>) -> Parsed<Object> {
    let own = identifier(reader, "the subscription's name")?;
    let mut clauses = Clauses::default();
    reader.expect("CONNECTION")?;
    let connection = match reader.take_any() {
        Some(token) if token.kind == TokenKind::Text => {
            tokens::string_value(token.text(reader.text)).unwrap_or_default()
        }
        _ => return Err(reader.expected("a connection string in quotes")),
    };
    let written = if connection.to_lowercase().contains("password") { "" } else { connection.as_str() };
    clauses.set(clause::CONNECTION, Expression::new(String::new(), written));
    reader.expect("PUBLICATION")?;
    let mut publications = vec![names::quoted(&identifier(reader, "a publication")?)];
    while reader.take_symbol(",") {
        publications.push(names::quoted(&identifier(reader, "a publication")?));
    }
    publications.sort();
    clauses.set_text(clause::PUBLICATIONS, publications.join(", "));
    if reader.take(&["WITH"]) {
        storage_parameters(reader, &mut clauses)?;
    }
    // The default of streaming depends on the server's version, so that it can't be compared.
    for beside in ["connect", "create_slot", "copy_data", "enabled", "refresh", "streaming"] {
        clauses.remove(clause::WITH.of(beside));
    }
    let usual = [
        ("slot_name", own.as_str()),
        ("binary", "false"),
        ("synchronous_commit", "off"),
        ("two_phase", "false"),
        ("disable_on_error", "false"),
        ("origin", "any"),
        ("password_required", "true"),
        ("run_as_owner", "false"),
        ("failover", "false"),
    ];
    for (option, usual) in usual {
        let clause = format!("with.{option}");
        let value = clauses.value_named(&clause).map(|value| match value.to_ascii_lowercase().as_str() {
            "on" | "yes" | "1" if usual == "true" || usual == "false" => "true".to_owned(),
            "off" | "no" | "0" if usual == "true" || usual == "false" => "false".to_owned(),
            _ => value.to_owned(),
        });
        match value {
            Some(value) if value == usual => drop(clauses.remove_named(&clause)),
            Some(value) => clauses.set_text_named(&clause, value),
            None => {}
        }
    }
    Ok(plain(reader, Kind::Subscription, names::global(&own), None, clauses))
}
