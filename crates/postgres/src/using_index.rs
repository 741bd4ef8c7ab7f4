//! A key that takes over an index which is there: PRIMARY KEY or UNIQUE USING INDEX
//! (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-ADD-TABLE-CONSTRAINT-USING-INDEX>).

use super::canonical::key_of_index;
use super::{names, settle, write};
use crate::clause;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::fold::Taken;
use wevrun_core::model::{Key, Kind, Model, Name, ObjectKey};

/// Gives the keys of a table what their indexes say. The index is the key's from then on, and has its name.
///
/// # Errors
/// If there is no such index on the table, or it can be no key's. The key is not there then.
pub fn take_over(model: &mut Model, table: &ObjectKey) -> Result<(), Box<Diagnostic>> {
    let Some(owner) = model.table_mut(table) else { return Ok(()) };
    let waits = |key: &mut Key| key.clauses.has(clause::USING_INDEX);
    let primary = owner.primary_key.take_if(waits);
    let unique: Vec<Key> = owner.unique_keys.0.extract_if(.., waits).collect();
    if primary.is_none() && unique.is_empty() {
        return Ok(());
    }
    if let Some(key) = primary {
        let key = completed(model, table, key)?;
        if let Some(owner) = model.table_mut(table) {
            owner.primary_key = Some(key);
        }
    }
    for key in unique {
        let key = completed(model, table, key)?;
        if let Some(owner) = model.table_mut(table) {
            owner.unique_keys.push(key);
        }
    }
    // Columns of a primary key are NOT NULL.
    if let Some(owner) = model.table_mut(table) {
        settle::table(&table.name, owner, &Taken::default());
    }
    Ok(())
}

/// The key with what its index says, which is no object of its own any more.
fn completed(model: &mut Model, table: &ObjectKey, mut key: Key) -> Result<Key, Box<Diagnostic>> {
    let name = key.clauses.remove(clause::USING_INDEX).map_or_else(Name::none, |name| names::simple(&name.canonical));
    let index = ObjectKey::new(Kind::Index, write::index_of(&table.name, &name));
    let wrong = |message: String| Box::new(Diagnostic::new(Code::WV110, message));
    let found = model.get(&index).and_then(|object| object.as_index()).filter(|found| found.table == table.name);
    let Some((found, owner)) = found.zip(model.table(&table.name)) else {
        return Err(wrong(format!("there is no {index} on {table} that a key could use")));
    };
    if !key.name.is_given() {
        key.name = name;
    }
    let key = key_of_index(key, found, owner).ok_or_else(|| {
        wrong(format!("{index} can't be a key's: it must be unique, over columns of the table alone, without WHERE"))
    })?;
    model.remove(&index);
    Ok(key)
}
