//! The trait of changes.

use crate::model::{Kind, Model, Name, Object, ObjectKey, QualifiedName};
use crate::render::Writer;

/// The effects of an engine's ALTER and DROP on a model.
pub trait Semantics: Writer {
    /// The object that a statement means by a kind and a name.
    fn resolve(&self, model: &Model, kind: Kind, name: &QualifiedName) -> Option<ObjectKey> {
        let key = ObjectKey::new(kind, name.clone());
        model.get(&key).map(Object::key)
    }

    /// Drops an object with all that depends on it, as DROP … CASCADE does; returns what else was dropped.
    fn drop_with_dependents(&self, model: &mut Model, key: &ObjectKey) -> Vec<ObjectKey> {
        model.remove(key);
        Vec::new()
    }

    /// Whether the engine can rename objects of a kind.
    fn can_rename(&self, _: Kind) -> bool {
        true
    }

    /// Renames an object and what refers to it, as the engine's own ALTER does.
    fn rename_object(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName);

    /// Renames a column and what refers to it, as the engine's own ALTER TABLE does.
    fn rename_column(&self, model: &mut Model, table: &QualifiedName, from: &Name, to: &Name);

    /// The new key of an object whose own name changes with the rename of another one: what is in a schema, a routine that takes
    /// values of a type.
    fn renamed_with(
        &self,
        _: &ObjectKey,
        _renamed: Kind,
        _from: &QualifiedName,
        _to: &QualifiedName,
    ) -> Option<ObjectKey> {
        None
    }

    /// The labels of an enumeration, as literals; none of anything else.
    fn labels(&self, _: &Object) -> Vec<Name> {
        Vec::new()
    }
}
