//! ALTER TEXT SEARCH CONFIGURATION (<https://www.postgresql.org/docs/current/sql-altertsconfig.html>).

use super::access::{Subject, set_clauses};
use super::identifier;
use crate::change::{Change, ObjectChange};
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::parse::{Parsed, Reader, StatementKind};

/// `ADD|ALTER MAPPING FOR token, … WITH dictionary, …`, `ALTER MAPPING FOR token, … REPLACE dictionary WITH dictionary`, or `DROP MAPPING FOR token, …`, of a text search configuration.
pub fn mapping(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    let drops = reader.take(&["DROP", "MAPPING"]);
    if !drops && !reader.take(&["ADD", "MAPPING"]) && !reader.take(&["ALTER", "MAPPING"]) {
        return Err(reader.expected("ADD, ALTER or DROP MAPPING"));
    }
    reader.take(&["IF", "EXISTS"]);
    let mut tokens = Vec::new();
    if reader.take(&["FOR"]) {
        tokens.push(identifier(reader, "a token type")?);
        while reader.take_symbol(",") {
            tokens.push(identifier(reader, "a token type")?);
        }
    }
    if !drops && reader.take(&["REPLACE"]) {
        let from = dictionary(reader)?;
        reader.expect("WITH")?;
        let to = dictionary(reader)?;
        let change = ObjectChange::ReplaceDictionary { tokens, from, to };
        return Ok(vec![subject.alter(if_exists, Change::Object(change))]);
    }
    if tokens.is_empty() {
        return Err(reader.expected("`FOR`"));
    }
    let mut dictionaries = Vec::new();
    if !drops {
        reader.expect("WITH")?;
        dictionaries.push(dictionary(reader)?);
        while reader.take_symbol(",") {
            dictionaries.push(dictionary(reader)?);
        }
    }
    // None at all is said, since the configuration may be the copy of one that has the mapping.
    let listed = dictionaries.join(", ");
    let mut changes = ClauseChanges::default();
    tokens.iter().for_each(|token| changes.set_text(clause::MAPPING.of(token), listed.as_str()));
    Ok(vec![set_clauses(subject, if_exists, changes)])
}

/// A text search dictionary that is named; the engine's own ones without their schema.
fn dictionary(reader: &mut Reader<'_>) -> Parsed<String> {
    let name = super::reference(reader, "a dictionary")?;
    Ok(name.canonical().strip_prefix("pg_catalog.").unwrap_or(name.canonical()).to_owned())
}
