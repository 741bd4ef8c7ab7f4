//! `LIKE other_table INCLUDING …`: the columns and what else is asked for are copied once, when the table is made
//! (<https://www.postgresql.org/docs/current/sql-createtable.html>).

use super::super::sameness::Constraint;
use super::super::{names, settle};
use super::inheritance;
use crate::fold::Taken;
use crate::model::{Beside, Clauses, Column, Definition, Kind, Model, Name, ObjectKey, Table};

/// Replaces every LIKE by what it copies.
pub fn expand(model: &mut Model) {
    text_search(model);
    let waiting: Vec<ObjectKey> = model
        .of_kind(Kind::Table)
        .filter(|object| object.as_table().is_some_and(|table| table.clauses.has("like 0")))
        .map(|object| object.key())
        .collect();
    // A copy of a copy: as many rounds as there are tables at most.
    for _ in 0..waiting.len() {
        for key in &waiting {
            expand_one(model, key);
        }
    }
}

/// The token types of the engine's own parser, and whether their words are brought to their stems
/// (<https://www.postgresql.org/docs/current/textsearch-parsers.html>).
const TOKEN_TYPES: [(&str, bool); 19] = [
    ("asciiword", true),
    ("word", true),
    ("numword", false),
    ("asciihword", true),
    ("hword", true),
    ("numhword", false),
    ("hword_asciipart", true),
    ("hword_part", true),
    ("hword_numpart", false),
    ("email", false),
    ("url", false),
    ("host", false),
    ("url_path", false),
    ("file", false),
    ("sfloat", false),
    ("float", false),
    ("int", false),
    ("uint", false),
    ("version", false),
];

/// `COPY = other`: a text search configuration that begins as a copy.
fn text_search(model: &mut Model) {
    let copies: Vec<ObjectKey> = model.of_kind(Kind::TextSearchConfiguration).map(|object| object.key()).collect();
    for key in copies {
        let Some(mut object) = model.remove(&key) else { continue };
        if let Definition::Plain(plain) = &mut object.definition
            && let Some(from) = plain.clauses.remove("with.copy")
        {
            let name = Name::new(from.canonical.as_str(), from.canonical.as_str());
            let name =
                if names::is_unresolved(&name) { names::qualified("public", &names::identifier(&name)) } else { name };
            let other = model.find(Kind::TextSearchConfiguration, &name).map(|object| object.definition.clone());
            if let Some(Definition::Plain(other)) = other {
                let inherited =
                    other.clauses.iter().filter(|(clause, _)| *clause != "comment" && !plain.clauses.has(clause));
                let inherited: Vec<_> = inherited.map(|(clause, value)| (clause.to_owned(), value.clone())).collect();
                inherited.into_iter().for_each(|(clause, value)| plain.clauses.set(&clause, value));
            } else {
                let language = names::identifier(&name);
                plain.clauses.say("with.parser", "\"default\"");
                for (token, stems) in TOKEN_TYPES {
                    let clause = format!("mapping {token}");
                    if !plain.clauses.has(&clause) {
                        let stem = stems && language != "simple";
                        plain.clauses.say(&clause, if stem { format!("{language}_stem") } else { "simple".to_owned() });
                    }
                }
            }
            object.text.clear();
        }
        if let Definition::Plain(plain) = &mut object.definition {
            let gone: Vec<String> = plain
                .clauses
                .iter()
                .filter(|(clause, value)| clause.starts_with("mapping ") && value.canonical.is_empty())
                .map(|(clause, _)| clause.to_owned())
                .collect();
            gone.iter().for_each(|clause| drop(plain.clauses.remove(clause)));
        }
        model.insert(object);
    }
}

/// Replaces the LIKEs of one table by what they copy, as far as their tables are there.
pub fn expand_one(model: &mut Model, key: &ObjectKey) {
    let Some(table) = model.table(&key.name) else { return };
    let copies: Vec<(String, String)> = table
        .clauses
        .iter()
        .filter(|(name, _)| name.starts_with("like "))
        .map(|(name, value)| (name.to_owned(), value.canonical.clone()))
        .collect();
    let mut inserted = 0;
    for (clause, what) in copies {
        let parts: Vec<&str> = what.split('|').collect();
        let [from, included, position] = parts[..] else { continue };
        let schema = names::schema(&key.name).unwrap_or_else(|| "public".to_owned());
        let reference = Name::new(from, from);
        let candidates = if names::is_unresolved(&reference) {
            vec![
                names::qualified(&schema, &names::identifier(&reference)),
                names::qualified("public", &names::identifier(&reference)),
            ]
        } else {
            vec![reference]
        };
        // A composite type can be copied too.
        let of = |name| model.table(name).cloned().or_else(|| inheritance::as_table(model.find(Kind::Type, name)?));
        let Some((from, source)) = candidates.iter().find_map(|name| Some((name, of(name)?))) else { continue };
        if source.clauses.has("like 0") {
            continue;
        }
        let position: usize = position.parse().unwrap_or(0) + inserted;
        let Some(mut object) = model.remove(key) else { return };
        if let Definition::Table(table) = &mut object.definition {
            inserted += source.columns.len();
            copy(table, from, &source, included, position);
            table.clauses.remove(&clause);
            settle::table(&key.name, table, &Taken::default());
        }
        object.text.clear();
        model.insert(object);
    }
}

fn copy(table: &mut Table, from: &Name, source: &Table, included: &str, position: usize) {
    let has = |what: &str| included.split(' ').any(|word| word == what);
    for (offset, column) in source.columns.iter().enumerate() {
        let mut clauses = Clauses::default();
        for (name, value) in column.clauses.iter() {
            let wanted = match name {
                "comment" => has("comments"),
                "storage" => has("storage"),
                "compression" => has("compression"),
                name if name.starts_with("identity") => has("identity"),
                _ => false,
            };
            if wanted {
                clauses.set(name, value.clone());
            }
        }
        let copied = Column {
            default: column.default.clone().filter(|_| has("defaults")),
            generated: column.generated.clone().filter(|_| has("generated")),
            // Constraints NOT NULL keep the name that they have there.
            not_null_name: Beside(column.not_null_name.0.clone().or(column.not_null.map(|_| {
                names::simple(&names::made_up(&names::identifier(from), column.name.canonical(), "not_null"))
            }))),
            clauses,
            ..column.clone()
        };
        let at = (position + offset).min(table.columns.len());
        table.columns.insert(at, copied);
    }
    if has("constraints") {
        table.checks.extend(source.checks.iter().cloned());
    }
    if has("indexes") {
        // Keys get names of their own table.
        table.primary_key = table.primary_key.take().or(source.primary_key.as_ref().map(Constraint::bare));
        table.unique_keys.extend(source.unique_keys.iter().map(Constraint::bare));
    }
}
