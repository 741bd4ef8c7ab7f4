//! What MariaDB's statements do to a model, and what the engine adds to what they say.

use wevrun_core::change::Semantics;
use wevrun_core::fold::{Completion, Taken};
use wevrun_core::model::{Kind, Model, Name, Object, ObjectKey, QualifiedName};

use crate::{MariaDb, references, rename};

impl Semantics for MariaDb {
    fn can_rename(&self, kind: Kind) -> bool {
        matches!(kind, Kind::Table | Kind::View | Kind::Sequence | Kind::Index)
    }

    fn resolve(&self, model: &Model, kind: Kind, name: &QualifiedName) -> Option<ObjectKey> {
        // Routines do not care for letter case.
        let name = crate::names::of(kind, name.parts().clone());
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
        is_on_it.then(|| ObjectKey::new(Kind::Index, crate::names::key(to, key.name.identifier())))
    }
}

impl Completion for MariaDb {
    fn settle(&self, _: &mut Object, _: &Taken) -> Vec<Object> {
        Vec::new()
    }

    fn finish(&self, model: &mut Model) {
        references::finish(model);
    }
}
