//! The effects of MariaDB's statements on a model, and the engine's additions.

use wevrun_core::change::Semantics;
use wevrun_core::fold::{Completion, Taken};
use wevrun_core::model::{Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName};

use crate::canonical::query::Known;
use crate::change::keys_of;
use crate::{MariaDb, clause, finish, names, rename, resolve, write};

impl Semantics for MariaDb {
    fn can_rename(&self, kind: Kind) -> bool {
        matches!(kind, Kind::Table | Kind::View | Kind::Sequence | Kind::Index)
    }

    fn resolve(&self, model: &Model, kind: Kind, name: &QualifiedName) -> Option<ObjectKey> {
        // Routines do not care for letter case.
        let name = names::of(kind, name.parts().clone());
        let kinds: &[Kind] = match kind {
            Kind::Function => &[Kind::Function, Kind::Aggregate],
            Kind::Table => &[Kind::Table, Kind::Sequence],
            _ => std::slice::from_ref(&kind),
        };
        kinds.iter().map(|kind| ObjectKey::new(*kind, name.clone())).find(|key| model.get(key).is_some())
    }

    fn rename_object(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        rename::object(model, key, to);
    }

    fn rename_column(&self, model: &mut Model, table: &QualifiedName, from: &Name, to: &Name) {
        rename::column(model, table, from, to);
    }

    fn renamed_with(
        &self,
        key: &ObjectKey,
        renamed: Kind,
        from: &QualifiedName,
        to: &QualifiedName,
    ) -> Option<ObjectKey> {
        let is_on_it = key.kind == Kind::Index && renamed == Kind::Table && key.name.owner() == Some(from);
        is_on_it.then(|| ObjectKey::new(Kind::Index, names::key(to, key.name.identifier())))
    }
}

impl Completion for MariaDb {
    fn settle(&self, _: &mut Object, _: &Taken) -> Vec<Object> {
        Vec::new()
    }

    fn copies(&self, object: &Object) -> bool {
        object.as_table().is_some_and(|table| table.clauses.has(clause::LIKE))
    }

    /// CREATE TABLE … LIKE copies everything but foreign keys and triggers.
    fn take_copies(&self, model: &mut Model, key: &ObjectKey, within: Option<u32>) -> Vec<Object> {
        let like = model.get(key).and_then(Object::as_table).and_then(|table| table.clauses.get(clause::LIKE)).cloned();
        let Some(from) = like.and_then(|name| model.find(Kind::Table, &name)) else { return Vec::new() };
        let is_here = within.is_none_or(|source| from.location.is_some_and(|location| location.source == source));
        let Some(table) = from.as_table().filter(|_| is_here && !self.copies(from)) else { return Vec::new() };
        let mut table = table.clone();
        table.foreign_keys.clear();
        let indexes = keys_of(model, &from.name);
        let location = model.get(key).and_then(|object| object.location);
        if let Some(object) = model.get_mut(key) {
            object.definition = Definition::Table(table);
            object.text = write::create_statement(object);
        }
        let copied = |mut object: Object| {
            object.name = names::key(&key.name, object.name.identifier());
            if let Definition::Index(index) = &mut object.definition {
                index.table = key.name.clone();
            }
            // A key that was made for a foreign key is one of its own here.
            object.text = write::create_statement(&object);
            object.location = location;
            object
        };
        indexes.into_iter().map(copied).collect()
    }

    fn resolve_names(&self, model: &mut Model) {
        resolve::all(model, &Known::of(model));
    }

    fn finish(&self, model: &mut Model) {
        finish::finish(model);
    }
}
