//! A key that takes over an index which is there: PRIMARY KEY or UNIQUE USING INDEX
//! (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-ADD-TABLE-CONSTRAINT-USING-INDEX>).

use super::canonical::key_of_index;
use super::{names, settle, write};
use crate::diagnostics::{Code, Diagnostic};
use crate::fold::Taken;
use crate::model::{Definition, Key, Kind, Model, ObjectKey};

/// Gives the keys of a table what their indexes say. The index is the key's from then on, and has its name.
///
/// # Errors
/// If there is no such index on the table, or it can be no key's.
pub fn take_over(model: &mut Model, table: &ObjectKey) -> Result<(), Box<Diagnostic>> {
    let Some(owner) = model.get(table).and_then(|object| object.as_table()) else { return Ok(()) };
    let keys = owner.primary_key.iter().chain(owner.unique_keys.iter());
    let waiting: Vec<Key> = keys.filter(|key| key.clauses.has("using index")).cloned().collect();
    if waiting.is_empty() {
        return Ok(());
    }
    for key in waiting {
        take_one(model, table, key)?;
    }
    // Columns of a primary key are NOT NULL.
    if let Some(Definition::Table(owner)) = model.get_mut(table).map(|object| &mut object.definition) {
        settle::table(&table.name, owner, &Taken::default());
    }
    Ok(())
}

fn take_one(model: &mut Model, table: &ObjectKey, key: Key) -> Result<(), Box<Diagnostic>> {
    let mut bare = key.clone();
    let name =
        bare.clauses.remove("using index").map_or_else(|| key.name.clone(), |name| names::simple(&name.canonical));
    let index = ObjectKey::new(Kind::Index, write::index_of(&table.name, &name));
    let wrong = |message: String| Err(Box::new(Diagnostic::new(Code::WV110, message)));
    let found = model.get(&index).and_then(|object| object.as_index()).filter(|found| found.table == table.name);
    let Some((found, owner)) = found.zip(model.table(&table.name)) else {
        return wrong(format!("there is no {index} on {table} that a key could use"));
    };
    if !bare.name.is_given() {
        bare.name = name;
    }
    let Some(full) = key_of_index(bare, found, owner) else {
        return wrong(format!(
            "{index} can't be a key's: it must be unique, over columns of the table alone, without WHERE"
        ));
    };
    model.remove(&index);
    if let Some(Definition::Table(owner)) = model.get_mut(table).map(|object| &mut object.definition) {
        let mut all = owner.primary_key.iter_mut().chain(owner.unique_keys.iter_mut());
        all.find(|other| **other == key).into_iter().for_each(|own| own.clone_from(&full));
    }
    Ok(())
}
