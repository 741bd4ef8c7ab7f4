//! A key that takes over an index which is there: PRIMARY KEY or UNIQUE USING INDEX
//! (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-ADD-TABLE-CONSTRAINT-USING-INDEX>).

use super::canonical::index_column;
use super::{names, settle};
use crate::diagnostics::{Code, Diagnostic};
use crate::fold::Taken;
use crate::model::{Clauses, Definition, Expression, Index, Key, KeyPart, Kind, Model, Name, ObjectKey};

/// Gives the keys of a table what their indexes say. The index is the key's from then on, and has its name.
pub fn take_over(model: &mut Model, table: &ObjectKey) -> Result<(), Box<Diagnostic>> {
    let Some(owner) = model.get(table).and_then(|object| object.as_table()) else { return Ok(()) };
    let keys = owner.primary_key.iter().chain(owner.unique_keys.iter());
    let waiting: Vec<Key> = keys.filter(|key| key.clauses.has("using index")).cloned().collect();
    if waiting.is_empty() {
        return Ok(());
    }
    for key in waiting {
        let index_name = key.clauses.value("using index").unwrap_or_default().to_owned();
        let index = names::qualified(&names::schema(&table.name).unwrap_or_default(), &index_name);
        let taken = model.remove(&ObjectKey::new(Kind::Index, index.clone()));
        let Some(found) = taken.as_ref().and_then(|object| object.as_index()).filter(|on| on.table == table.name)
        else {
            model.extend(taken);
            let message = format!("there is no index `{index}` on {table} that a key could use");
            return Err(Box::new(Diagnostic::new(Code::WV110, message)));
        };
        let Some(Definition::Table(owner)) = model.get_mut(table).map(|object| &mut object.definition) else {
            continue;
        };
        let mut all = owner.primary_key.iter_mut().chain(owner.unique_keys.iter_mut());
        if let Some(own) = all.find(|other| **other == key) {
            let name = if key.name.is_given() { key.name.clone() } else { names::simple(&index_name) };
            *own = key_of(&key, found, name);
        }
    }
    // Columns of a primary key are NOT NULL.
    if let Some(object) = model.get_mut(table)
        && let Definition::Table(owner) = &mut object.definition
    {
        settle::table(&table.name, owner, &Taken::default());
    }
    Ok(())
}

fn key_of(key: &Key, index: &Index, name: Name) -> Key {
    let part = |expression: &Expression| KeyPart {
        column: names::simple(&index_column(expression.written())),
        collation: None,
        descending: false,
    };
    let mut clauses: Clauses =
        key.clauses.iter().filter(|(clause, _)| *clause != "using index").map(|(n, v)| (n, v.clone())).collect();
    for (clause, value) in index.clauses.iter() {
        match clause {
            "comment" => clauses.set("index comment", value.clone()),
            "include" | "nulls not distinct" | "tablespace" => clauses.set(clause, value.clone()),
            _ if clause.starts_with("with.") => clauses.set(clause, value.clone()),
            _ => {}
        }
    }
    Key { name, parts: index.parts.iter().map(|found| part(&found.expression)).collect(), clauses, ..key.clone() }
}
