//! The engine compiles the whole schema in memory, and refuses what is wrong.
//!
//! Making an object costs the engine time that grows with the size of its catalogue, so one database for all would take time
//! that grows with the square of the schema. So the schema is cut into groups, each with what it depends on, and each group
//! gets a database of its own.

use std::collections::{BTreeMap, BTreeSet};

use rayon::prelude::*;
use rusqlite::Connection;
use wevrun_core::check::Refusal;
use wevrun_core::model::{Definition, Event, Identifiers, Kind, Model, Name, Object, ObjectKey, QualifiedName};

use wevrun_sqlite::Sqlite;

use super::connection::words;

/// How many objects are judged in one database, not counting what they depend on.
const GROUP: usize = 48;

/// The errors of the engine, ordered by kind and name.
pub fn second_opinion(model: &Model) -> Vec<Refusal> {
    let by_owner = model.by_owner();
    let tables: Vec<&Object> = model.of_kind(Kind::Table).chain(model.of_kind(Kind::VirtualTable)).collect();
    let mut refusals: Vec<Refusal> =
        tables.par_chunks(GROUP).flat_map_iter(|group| judge_tables(group, &by_owner)).collect();
    let refused: BTreeSet<ObjectKey> = refusals.iter().map(|refusal| refusal.key.clone()).collect();
    let dependents: Vec<&Object> = model.of_kind(Kind::View).chain(model.of_kind(Kind::Trigger)).collect();
    let later: Vec<Refusal> = dependents
        .par_chunks(GROUP)
        .flat_map_iter(|group| judge_dependents(group, model, &by_owner, &refused))
        .collect();
    refusals.extend(later);
    // What fails only because of something else that was refused is no finding of its own.
    let refused: BTreeSet<ObjectKey> =
        refusals.iter().filter(|r| !r.lacks).map(|refusal| refusal.key.clone()).collect();
    refusals.retain(|refusal| !depends_on(model, &refusal.key, &refused));
    refusals.sort_by(|a, b| a.key.cmp(&b.key));
    refusals
}

/// Whether an object uses, directly or through others, one of these.
fn depends_on(model: &Model, key: &ObjectKey, refused: &BTreeSet<ObjectKey>) -> bool {
    let used = |object: &Object| -> Vec<QualifiedName> {
        object.uses.iter().chain(object.definition.owner()).cloned().collect()
    };
    let mut waiting = model.get(key).map(used).unwrap_or_default();
    let mut seen = BTreeSet::new();
    while let Some(name) = waiting.pop() {
        let Some(object) = model.relation(&name).filter(|_| seen.insert(name.clone())) else { continue };
        if object.key() != *key && refused.contains(&object.key()) {
            return true;
        }
        waiting.extend(used(object));
    }
    false
}

fn scratch() -> Connection {
    let connection = Connection::open_in_memory().expect("memory is there");
    connection.execute_batch("PRAGMA foreign_keys = OFF").expect("a pragma that is always there");
    connection
}

/// Tables and their indexes.
fn judge_tables(group: &[&Object], by_owner: &BTreeMap<&QualifiedName, Vec<&Object>>) -> Vec<Refusal> {
    let scratch = scratch();
    let mut refusals = Vec::new();
    for table in group {
        if let Err(error) = scratch.execute_batch(&table.text) {
            refusals.push(refusal(table, &error));
            continue;
        }
        let owned = by_owner.get(&table.name).into_iter().flatten();
        for index in owned.filter(|object| object.definition.kind() == Kind::Index) {
            if let Err(error) = scratch.execute_batch(&index.text) {
                refusals.push(refusal(index, &error));
            }
        }
    }
    refusals
}

/// Views and triggers, each compiled by a statement that needs it.
fn judge_dependents(
    group: &[&Object],
    model: &Model,
    by_owner: &BTreeMap<&QualifiedName, Vec<&Object>>,
    refused: &BTreeSet<ObjectKey>,
) -> Vec<Refusal> {
    let scratch = scratch();
    let mut present = BTreeSet::new();
    let mut refusals = Vec::new();
    for object in group {
        let complete = object
            .uses
            .iter()
            .chain(object.definition.owner())
            .all(|name| provide(&scratch, (model, by_owner), name, refused, &mut present));
        if !complete {
            continue; // what it depends on has been reported
        }
        match &object.definition {
            Definition::View(_) => {
                let made =
                    if present.insert(object.name.clone()) { scratch.execute_batch(&object.text) } else { Ok(()) };
                let outcome = made.and_then(|()| compile(&scratch, &object.name));
                refusals.extend(outcome.err().map(|error| refusal(object, &error)));
            }
            Definition::Trigger(trigger) => {
                let outcome = scratch
                    .execute_batch(&object.text)
                    .and_then(|()| fire(&scratch, &trigger.table, trigger.event, &trigger.columns));
                refusals.extend(outcome.err().map(|error| refusal(object, &error)));
                let _ = scratch.execute_batch(&format!("DROP TRIGGER IF EXISTS {}", quoted(&object.name)));
            }
            _ => unreachable!("only views and triggers depend"),
        }
    }
    refusals
}

/// Makes a table or view and all that it needs. False if something of it was refused or is not there.
fn provide(
    scratch: &Connection,
    (model, by_owner): (&Model, &BTreeMap<&QualifiedName, Vec<&Object>>),
    name: &QualifiedName,
    refused: &BTreeSet<ObjectKey>,
    present: &mut BTreeSet<QualifiedName>,
) -> bool {
    let mut waiting = vec![name.clone()];
    while let Some(name) = waiting.pop() {
        if present.contains(&name) {
            continue;
        }
        let Some(object) = model.relation(&name) else { continue }; // built in, or reported by the core's checks
        if refused.contains(&object.key()) || scratch.execute_batch(&object.text).is_err() {
            return false;
        }
        // ON CONFLICT and INDEXED BY need them; one that is refused was reported with its table.
        let indexes = by_owner.get(&object.name).into_iter().flatten();
        for index in indexes.filter(|object| object.definition.kind() == Kind::Index) {
            let _ = scratch.execute_batch(&index.text);
        }
        present.insert(name);
        waiting.extend(object.uses.iter().cloned());
    }
    true
}

/// Compiles a query of everything.
fn compile(scratch: &Connection, relation: &QualifiedName) -> rusqlite::Result<()> {
    scratch.prepare(&format!("SELECT * FROM {}", quoted(relation))).map(drop)
}

/// Compiles the statement that fires a trigger.
fn fire(scratch: &Connection, relation: &QualifiedName, event: Event, of: &[Name]) -> rusqlite::Result<()> {
    let table = quoted(relation);
    let statement = match event {
        Event::Insert => format!("INSERT INTO {table} DEFAULT VALUES"),
        Event::Delete => format!("DELETE FROM {table}"),
        Event::Update => {
            let Some(column) = ordinary_column(scratch, relation, of)? else {
                return Ok(()); // of generated columns alone: no statement sets one
            };
            format!("UPDATE {table} SET {column} = NULL")
        }
    };
    scratch.prepare(&statement).map(drop)
}

/// A column of these, or of all if there are none, that can be set: not a generated one.
fn ordinary_column(scratch: &Connection, relation: &QualifiedName, of: &[Name]) -> rusqlite::Result<Option<String>> {
    let mut query = scratch.prepare("SELECT name FROM pragma_table_xinfo(?1) WHERE hidden = 0")?;
    let names = query.query_map([relation.written()], |row| row.get::<_, String>(0))?;
    let names: Vec<String> = names.collect::<Result<_, _>>()?;
    let column = names.iter().find(|name| of.is_empty() || of.contains(&Sqlite.name(name)));
    Ok(column.map(|name| Sqlite.quoted(name)))
}

fn quoted(name: &QualifiedName) -> String {
    Sqlite.quoted(name.written())
}

fn refusal(object: &Object, error: &rusqlite::Error) -> Refusal {
    let message = words(error);
    let offset = match error {
        rusqlite::Error::SqlInputError { offset, sql, .. } if *sql == object.text => usize::try_from(*offset).ok(),
        _ => None,
    };
    let lacks = ["no such function: ", "no such collation sequence: ", "no such module: ", "no such tokenizer: "]
        .iter()
        .any(|lack| message.starts_with(lack))
        || message.starts_with("error in tokenizer constructor");
    let culprit = message.rsplit_once(": ").map(|(_, name)| name.rsplit('.').next().unwrap_or(name).to_owned());
    let culprit = culprit.filter(|culprit| object.text.contains(culprit.as_str()));
    Refusal { key: object.key(), message, offset, culprit, lacks }
}
