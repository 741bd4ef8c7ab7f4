//! Publications and subscriptions.

use super::super::tokens::literal;
use super::storage_parameters;
use crate::clause;
use wevrun_core::model::{Clauses, Name};

/// CREATE PUBLICATION.
pub fn create_publication(name: &Name, clauses: &Clauses) -> String {
    let mut out = format!("CREATE PUBLICATION {name}");
    let tables: Vec<String> = clauses
        .expressions()
        .filter_map(|(clause, rest)| Some(format!("{} {}", clause::PUBLISHED_TABLE.member(clause)?, rest.written())))
        .map(|text| text.trim_end().to_owned())
        .collect();
    let schemas: Vec<&str> = clauses.iter().filter_map(|(clause, _)| clause::PUBLISHED_SCHEMA.member(clause)).collect();
    if clauses.has(clause::ALL_TABLES) {
        out += " FOR ALL TABLES";
    } else if !tables.is_empty() || !schemas.is_empty() {
        let mut members = Vec::new();
        if !tables.is_empty() {
            members.push(format!("TABLE {}", tables.join(", ")));
        }
        if !schemas.is_empty() {
            members.push(format!("TABLES IN SCHEMA {}", schemas.join(", ")));
        }
        out += &format!(" FOR {}", members.join(", "));
    }
    out + &storage_parameters(clauses)
}

/// CREATE SUBSCRIPTION, as a transaction can do it: without asking the publisher, and not running yet.
pub fn create_subscription(name: &Name, clauses: &Clauses) -> String {
    let publications = clauses.value(clause::PUBLICATIONS).unwrap_or_default();
    let mut options = clauses.clone();
    options.set_text(clause::WITH_CONNECT, "false");
    // Without a connection, a slot is only named.
    if !options.has(clause::WITH_SLOT_NAME) {
        options.set_text(clause::WITH_SLOT_NAME, super::names::unquoted(name.canonical()));
    }
    let connection = literal(clauses.written(clause::CONNECTION));
    format!(
        "CREATE SUBSCRIPTION {name} CONNECTION {connection} PUBLICATION {publications}{}",
        storage_parameters(&options)
    )
}
