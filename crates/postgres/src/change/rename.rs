//! New names of objects and columns.

use wevrun_core::model::{Kind, Model, Name, ObjectKey, QualifiedName};

use crate::canonical::part_names;
use crate::{names, rename};

/// The same name in another schema, or another name in the same schema.
#[derive(Debug, Clone, Default)]
pub struct Rename {
    /// SET SCHEMA.
    pub schema: Option<String>,
    /// RENAME TO.
    pub identifier: Option<String>,
    /// The name that ALTER INDEX gives, which may be that of a constraint.
    pub index: Option<QualifiedName>,
}

impl Rename {
    /// The name that an object gets.
    pub fn new_name(&self, old: &ObjectKey) -> QualifiedName {
        let name = &old.name;
        let schema = self.schema.as_deref().or(name.schema());
        names::moved(old.kind, name, schema, self.identifier.as_deref().unwrap_or(name.identifier()))
    }

    pub(super) fn apply(&self, model: &mut Model, key: &ObjectKey) {
        let new = self.new_name(key);
        // The index of a constraint has the constraint's name.
        if let Some(index) = self.index.as_ref().filter(|index| key.kind == Kind::Table && **index != key.name) {
            let [from, to] = [index, &new].map(|name| names::simple(name.identifier()));
            rename::constraint_or_part(model, key, &from, &to);
            if let Some(object) = model.get_mut(key) {
                object.text.clear();
            }
            return;
        }
        rename::say_identity_sequences(model, key);
        part_names::say_all(model, key);
        rename::object(model, key, &new);
        if let Some(mut object) = model.remove(&ObjectKey::new(key.kind, new)) {
            object.formerly.table.get_or_insert(key.name.clone());
            object.formerly.table.take_if(|old| *old == object.name);
            model.insert(object);
        }
    }
}

/// Gives a column another name, and remembers the old one.
pub fn column(model: &mut Model, key: &ObjectKey, from: &Name, to: &Name) {
    rename::say_identity_sequences(model, key);
    rename::column(model, &key.name, from, to);
    let Some(object) = model.get_mut(key) else { return };
    match object.formerly.columns.iter_mut().find(|(name, _)| name == from) {
        Some((name, _)) => *name = to.clone(),
        None => object.formerly.columns.push((to.clone(), from.clone())),
    }
}
