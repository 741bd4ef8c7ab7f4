//! New names of objects and columns.

use wevrun_core::model::{Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName};
use wevrun_core::parse::Alter;

use crate::canonical::{self, part_names};
use crate::{clause, names, rename};

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
        rename::keep_identity_names(model, key);
        part_names::store_all(model, key);
        if self.identifier.is_some() {
            keep_multirange_name(model, key);
        }
        rename::object(model, key, &new);
        if let Some(mut object) = model.remove(&ObjectKey::new(key.kind, new)) {
            object.formerly.table.get_or_insert(key.name.clone());
            object.formerly.table.take_if(|old| *old == object.name);
            model.insert(object);
        }
    }
}

/// Gives the multirange type of a range type another name.
pub fn rename_multirange(model: &mut Model, alter: &Alter) -> bool {
    let Some(new) = alter.new_name.as_ref().filter(|_| alter.kinds.contains(&Kind::Type)) else { return false };
    let found = model.objects_mut().find_map(|object| {
        let Definition::Plain(plain) = &mut object.definition else { return None };
        let is_range = plain.kind == Kind::Type && plain.clauses.has(clause::RANGE_SUBTYPE);
        (is_range && canonical::multirange(&object.name, &plain.clauses) == alter.name.canonical()).then_some(plain)
    });
    let is_one = found.is_some();
    found.into_iter().for_each(|range| range.clauses.set_text(clause::RANGE_MULTIRANGE_TYPE_NAME, new.canonical()));
    is_one
}

/// Lets a range type say the name of its multirange type, which stays when the range type gets another name.
fn keep_multirange_name(model: &mut Model, key: &ObjectKey) {
    let object = model.get_mut(key).filter(|object| object.definition.kind() == Kind::Type);
    if let Some(Object { name, definition: Definition::Plain(plain), .. }) = object
        && plain.clauses.has(clause::RANGE_SUBTYPE)
    {
        let multirange = canonical::multirange(name, &plain.clauses);
        plain.clauses.set_text(clause::RANGE_MULTIRANGE_TYPE_NAME, multirange);
    }
}

/// Gives a column another name, and remembers the old one.
pub fn column(model: &mut Model, key: &ObjectKey, from: &Name, to: &Name) {
    rename::keep_identity_names(model, key);
    rename::column(model, &key.name, from, to);
    let Some(object) = model.get_mut(key) else { return };
    match object.formerly.columns.iter_mut().find(|(name, _)| name == from) {
        Some((name, _)) => *name = to.clone(),
        None => object.formerly.columns.push((to.clone(), from.clone())),
    }
}
