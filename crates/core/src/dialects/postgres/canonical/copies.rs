//! `LIKE other_table INCLUDING …`: the columns and what else is asked for are copied once, when the table is made
//! (<https://www.postgresql.org/docs/current/sql-createtable.html>).

use super::super::names;
use super::super::parse;
use crate::model::{Clauses, Column, Definition, Kind, Model, Name, ObjectKey, Table};

/// Replaces every LIKE by what it copies.
pub fn expand(model: &mut Model) {
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

fn expand_one(model: &mut Model, key: &ObjectKey) {
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
            vec![names::qualified(&schema, &names::identifier(&reference)), names::qualified("public", &names::identifier(&reference))]
        } else {
            vec![reference]
        };
        let Some(source) = candidates.iter().find_map(|name| model.table(name)).cloned() else { continue };
        if source.clauses.has("like 0") {
            continue;
        }
        let position: usize = position.parse().unwrap_or(0) + inserted;
        let Some(mut object) = model.remove(key) else { return };
        if let Definition::Table(table) = &mut object.definition {
            inserted += source.columns.len();
            copy(table, &source, included, position);
            table.clauses.remove(&clause);
            parse::settle(&key.name, table);
        }
        object.text.clear();
        model.insert(object);
    }
}

fn copy(table: &mut Table, source: &Table, included: &str, position: usize) {
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
        let unnamed = |key: &crate::model::Key| crate::model::Key { name: Name::none(), ..key.clone() };
        table.primary_key = table.primary_key.take().or(source.primary_key.as_ref().map(unnamed));
        table.unique_keys.extend(source.unique_keys.iter().map(unnamed));
    }
}
