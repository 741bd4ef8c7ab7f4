//! Renames of tables and columns with everything that follows them, as the server's own ALTER and RENAME do.

use wevrun_core::model::{Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName, Value};

use crate::parse::keys::{column_expression, column_of};
use crate::{clause, names, own_columns, write};

/// Renames an object. Foreign keys follow a table, and so do its keys and triggers; views and bodies do not.
pub fn object(model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
    let Some(mut object) = model.remove(key) else { return };
    let from = std::mem::replace(&mut object.name, to.clone());
    if let Definition::Table(table) = &mut object.definition {
        // Names of the server's own form follow the table, even if they were given.
        let prefix = format!("{}_ibfk_", from.identifier().to_lowercase());
        for foreign_key in table.foreign_keys.iter_mut() {
            if let Some(number) = foreign_key.name.canonical().strip_prefix(&prefix) {
                foreign_key.name = names::simple(&format!("{}_ibfk_{number}", to.identifier()));
            }
        }
    }
    retext(&mut object);
    model.insert(object);
    if key.kind != Kind::Table {
        return;
    }
    let on_it = |object: &&Object| object.definition.owner() == Some(&from);
    let owned: Vec<ObjectKey> = model.objects().filter(on_it).map(Object::key).collect();
    for key in owned {
        let Some(mut object) = model.remove(&key) else { continue };
        match &mut object.definition {
            Definition::Index(index) => {
                index.table = to.clone();
                object.name = names::key(to, key.name.identifier());
            }
            Definition::Plain(plain) => plain.owner = Some(to.clone()),
            _ => {}
        }
        // A key without a text keeps none.
        if !object.text.is_empty() {
            retext(&mut object);
        }
        model.insert(object);
    }
    for object in model.objects_mut() {
        let Definition::Table(table) = &mut object.definition else { continue };
        let mut changed = false;
        for foreign_key in table.foreign_keys.iter_mut().filter(|key| key.parent == from) {
            foreign_key.parent = to.clone();
            changed = true;
        }
        if changed {
            retext(object);
        }
    }
}

fn retext(object: &mut Object) {
    object.text = write::create_statement(object);
}

/// Renames a column: keys, foreign keys on both sides and the expressions of the table follow.
pub fn column(model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
    let renamed = |name: &mut Name| {
        if name == from {
            *name = to.clone();
        }
    };
    for object in model.objects_mut() {
        match &mut object.definition {
            Definition::Table(own) => {
                let is_it = object.name == *table;
                let mut changed = is_it;
                for key in own.foreign_keys.iter_mut() {
                    if is_it {
                        key.columns.iter_mut().for_each(renamed);
                    }
                    if key.parent == *table {
                        key.parent_columns.iter_mut().for_each(renamed);
                        changed = true;
                    }
                }
                if is_it {
                    own.columns.iter_mut().for_each(|column| renamed(&mut column.name));
                    own_columns::rename(table, own, from, to);
                    if let Some(key) = &mut own.primary_key {
                        for part in &mut key.parts {
                            renamed(&mut part.column);
                        }
                        if let Some(length) = key.clauses.remove(clause::LENGTH_OF.of(from.canonical())) {
                            key.clauses.set(clause::LENGTH_OF.of(to.canonical()), length);
                        }
                    }
                    let periods: Vec<String> = own
                        .clauses
                        .iter()
                        .map(|(name, _)| name.to_owned())
                        .filter(|name| clause::PERIOD.has(name))
                        .collect();
                    for period in periods {
                        if let Some(Value::Identifiers(mut columns)) = own.clauses.get_named(&period).cloned() {
                            columns.iter_mut().for_each(renamed);
                            own.clauses.set_named(&period, Value::Identifiers(columns));
                        }
                    }
                }
                if changed {
                    object.text = write::create_statement(object);
                }
            }
            Definition::Index(index) if index.table == *table => {
                let mut changed = false;
                for part in &mut index.parts {
                    if column_of(part) == *from {
                        part.expression = column_expression(to);
                        changed = true;
                    }
                }
                if changed && !object.text.is_empty() {
                    object.text = write::create_statement(object);
                }
            }
            _ => {}
        }
    }
}
