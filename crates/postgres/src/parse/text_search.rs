//! ALTER TEXT SEARCH CONFIGURATION (<https://www.postgresql.org/docs/current/sql-altertsconfig.html>).

use super::super::canonical::replace_dictionary;
use super::access::{Subject, amend, say};
use super::identifier;
use crate::clause;
use wevrun_core::model::Definition;
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
        let old = dictionary(reader)?;
        reader.expect("WITH")?;
        let new = dictionary(reader)?;
        return Ok(vec![amend(subject, if_exists, move |object| {
            let Definition::Plain(plain) = &mut object.definition else { return Ok(()) };
            // What a copy will have is not there yet.
            if plain.clauses.has(clause::WITH_COPY) && tokens.is_empty() {
                let before =
                    plain.clauses.value(clause::REPLACED).map_or_else(String::new, |before| format!("{before}, "));
                plain.clauses.say(clause::REPLACED, format!("{before}{old}, {new}"));
            }
            let is_meant = |token: &str| tokens.is_empty() || tokens.iter().any(|named| named == token);
            let listed = plain
                .clauses
                .expressions_mut()
                .filter(|(clause, _)| clause.strip_prefix("mapping ").is_some_and(is_meant));
            listed.for_each(|(_, listed)| replace_dictionary(listed, &old, &new));
            Ok(())
        })]);
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
    Ok(vec![amend(subject, if_exists, move |object| {
        tokens.iter().for_each(|token| say(object, &format!("mapping {token}"), Some(&listed)));
        Ok(())
    })])
}

/// A text search dictionary that is named; the engine's own ones without their schema.
fn dictionary(reader: &mut Reader<'_>) -> Parsed<String> {
    let name = super::reference(reader, "a dictionary")?;
    Ok(name.canonical().strip_prefix("pg_catalog.").unwrap_or(name.canonical()).to_owned())
}
