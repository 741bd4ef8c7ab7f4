//! What PostgreSQL's statements do to a model, and what the engine adds to what they say.

use crate::clause;
use wevrun_core::change::Semantics;
use wevrun_core::fold::{Completion, Held, Taken};
use wevrun_core::model::{Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName};
use wevrun_core::parse::Alter;

use crate::{Postgres, canonical, cascade, change, enum_labels, names, rename, rename_schema, settle, unfolded, write};

impl Semantics for Postgres {
    fn resolve(&self, model: &Model, kind: Kind, name: &QualifiedName) -> Option<ObjectKey> {
        let key = ObjectKey::new(kind, name.clone());
        if model.get(&key).is_some() {
            return Some(key);
        }
        // An index may be that of a constraint, which is a part of its table.
        if kind == Kind::Index {
            let (schema, own) = names::split(name);
            let own = names::simple(&own);
            let found = model.tables().find(|(table, definition)| {
                names::schema(table) == schema
                    && (definition.primary_key.iter().chain(definition.unique_keys.iter()).any(|key| key.name == own)
                        || definition.exclusions.iter().any(|check| check.name.as_ref() == Some(&own)))
            });
            let constraint = found.map(|(table, _)| ObjectKey::new(Kind::Table, table.clone()));
            // Or a part of one that is above its table.
            return constraint.or_else(|| Some(canonical::part_names::find(model, name)?.0));
        }
        // A trigger of a partition is that of its parent, which is the parent's; its state is the partition's.
        if kind == Kind::Trigger {
            let key = ObjectKey::new(Kind::Table, name.owner()?.clone());
            return model
                .get(&key)
                .filter(|object| object.as_table().is_some_and(|t| t.clauses.has(clause::PARTITION_OF)))
                .map(Object::key);
        }
        // A routine that is the only one of its name needs no arguments to be named.
        if !matches!(kind, Kind::Function | Kind::Procedure | Kind::Aggregate) || !names::signature(name).is_empty() {
            return None;
        }
        let prefix = format!("{name}(");
        let mut found = model.of_kind(kind).filter(|object| object.name.canonical().starts_with(&prefix));
        found.next().filter(|_| found.next().is_none()).map(Object::key)
    }

    fn drop_with_dependents(&self, model: &mut Model, key: &ObjectKey) -> Vec<ObjectKey> {
        cascade::drop_with_dependents(model, key)
    }

    fn can_rename(&self, kind: Kind) -> bool {
        // https://www.postgresql.org/docs/current/sql-commands.html has no ALTER … RENAME for these.
        !matches!(
            kind,
            Kind::AccessMethod
                | Kind::Cast
                | Kind::Transform
                | Kind::UserMapping
                | Kind::Extension
                | Kind::Operator
                | Kind::DefaultPrivileges
        )
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
        let name = match renamed {
            Kind::Schema => rename_schema::name(&key.name, from, to),
            _ => rename::signature(key, from, to)?,
        };
        (name != key.name).then(|| ObjectKey::new(key.kind, name))
    }

    fn labels(&self, object: &Object) -> Vec<Name> {
        let labels = enum_labels(write::clauses(object)).into_iter().filter(|label| !label.is_empty());
        labels.map(|label| Name::new(label.as_str(), label.as_str())).collect()
    }
}

impl Completion for Postgres {
    fn completes(&self, first: &Object, _: &Object) -> bool {
        // CREATE TYPE name; makes the shell of a base type.
        matches!(&first.definition, Definition::Plain(plain) if plain.kind == Kind::Type && plain.clauses.has(clause::SHELL))
    }

    fn keep_replaced(&self, first: &Object, object: &mut Object) {
        change::keep_replaced(first, object);
    }

    fn inherit_present(&self, model: &Model, object: &mut Object) {
        change::inherit_present(model, object);
    }

    fn forget(&self, model: &mut Model, dropped: &Object) {
        change::forget(model, dropped);
    }

    fn alter_generated(&self, model: &mut Model, alter: &Alter) -> bool {
        change::rename_multirange(model, alter)
    }

    fn is_generated(&self, model: &Model, kinds: &[Kind], name: &QualifiedName) -> bool {
        canonical::is_generated(model, kinds, name)
    }

    fn partitions(&self, model: &Model, table: &QualifiedName) -> Vec<ObjectKey> {
        canonical::partitions(model, table).into_iter().map(|(partition, _)| partition.key()).collect()
    }

    fn copies(&self, object: &Object) -> bool {
        canonical::copies(object)
    }

    fn take_copies(&self, model: &mut Model, key: &ObjectKey, within: Option<u32>) -> Vec<Object> {
        canonical::take_copies(model, key, within)
    }

    fn settle(&self, object: &mut Object, taken: &Taken) -> Vec<Object> {
        settle::settle(object, taken)
    }

    fn is_incomplete(&self, object: &Object) -> bool {
        settle::is_incomplete(object)
    }

    fn held_names(&self, object: &Object) -> Held {
        settle::held(object)
    }

    fn finish(&self, model: &mut Model) {
        canonical::finish(model);
    }

    fn resolve_names(&self, model: &mut Model) {
        canonical::resolve_names(model);
    }

    fn unfold(&self, object: &mut Object) {
        unfolded::unfold(object);
    }
}
