//! Publications and subscriptions.

use super::access::{Subject, amend};
use super::alter::unknown;
use super::{identifier, own_name, plain, storage_parameters, whole};
use crate::clause;
use crate::{names, tokens};
use wevrun_core::model::{Clauses, Definition, Expression, Flag, Kind, Object};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind, TokenKind};

/// What follows CREATE PUBLICATION.
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
    forget_usual(&mut clauses);
    Ok(plain(reader, Kind::Publication, name, None, clauses))
}

/// Takes out what is the default.
fn forget_usual(clauses: &mut Clauses) {
    let defaults = [("with.publish", "insert, update, delete, truncate"), ("with.publish_via_partition_root", "false")];
    for (key, value) in defaults {
        if clauses.value_named(key) == Some(value) {
            clauses.remove_named(key);
        }
    }
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
            clauses.say_named(&format!("schema {}", names::quoted(&identifier(reader, "a schema")?)), "");
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
            clauses.set_named(&format!("table {table}"), whole(reader, start..reader.position));
        }
        if !reader.take_symbol(",") {
            return Ok(());
        }
    }
}

/// What follows ALTER PUBLICATION name.
pub fn alter_publication(reader: &mut Reader<'_>, session: &Session, subject: Subject) -> Parsed<Vec<StatementKind>> {
    const CHANGES: [&str; 3] = ["ADD", "DROP", "SET"];
    let change = CHANGES.into_iter().find(|word| reader.take(&[word])).ok_or_else(|| unknown(reader))?;
    let options = change == "SET" && reader.sees_symbol("(");
    let mut said = Clauses::default();
    if options {
        storage_parameters(reader, &mut said)?;
    } else {
        publication_members(reader, session, &mut said)?;
    }
    reader.finish()?;
    Ok(vec![amend(subject, false, move |object| {
        let Definition::Plain(plain) = &mut object.definition else { return Ok(()) };
        let is_member = |clause: &str| clause.starts_with("table ") || clause.starts_with("schema ");
        plain.clauses.retain(|clause, _| match change {
            "DROP" => !said.has_named(clause),
            "SET" if !options => !is_member(clause),
            _ => true,
        });
        if change != "DROP" {
            said.iter().for_each(|(clause, value)| plain.clauses.set_named(clause, value.clone()));
        }
        forget_usual(&mut plain.clauses);
        Ok(())
    })])
}

/// What follows CREATE SUBSCRIPTION. Where the rows come from is beside the structure: it differs from one environment to the
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
    clauses.say(clause::PUBLICATIONS, publications.join(", "));
    if reader.take(&["WITH"]) {
        storage_parameters(reader, &mut clauses)?;
    }
    // What streaming is if nothing is said depends on the server's version, so that it can't be compared.
    for beside in ["connect", "create_slot", "copy_data", "enabled", "refresh", "streaming"] {
        clauses.remove_named(&format!("with.{beside}"));
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
            Some(value) => clauses.say_named(&clause, value),
            None => {}
        }
    }
    Ok(plain(reader, Kind::Subscription, names::global(&own), None, clauses))
}
