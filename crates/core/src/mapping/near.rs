//! The users of each name, so that a rename in a large model costs little.

use std::collections::{BTreeSet, HashMap};

use super::Mapper;
use crate::model::{Model, Object, ObjectKey, QualifiedName};

/// The objects of a model, by the names of those that they use.
pub struct Near {
    users: HashMap<QualifiedName, BTreeSet<ObjectKey>>,
}

impl Near {
    /// Of all objects of a model.
    pub fn of(model: &Model) -> Near {
        let mut near = Near { users: HashMap::new() };
        model.objects().for_each(|object| near.add(object));
        near
    }

    fn add(&mut self, object: &Object) {
        let key = object.key();
        let mut used: BTreeSet<&QualifiedName> = object.definition.object_names().into_iter().collect();
        used.extend(object.uses.iter().chain(object.definition.owner()));
        let own = object.definition.expressions().into_iter().filter_map(|expression| expression.references.as_ref());
        for references in own.chain(object.references.as_ref()) {
            used.extend(references.iter().map(|reference| &reference.object));
        }
        for name in used {
            self.users.entry(name.clone()).or_default().insert(key.clone());
        }
    }

    /// Renames an object in the part of the model that uses it, or what such an object uses.
    pub fn rename(&mut self, dialect: &dyn Mapper, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        let mut part = self.users.remove(&key.name).unwrap_or_default();
        part.insert(key.clone());
        let used: Vec<ObjectKey> = part
            .iter()
            .filter_map(|key| model.get(key))
            .flat_map(|object| object.uses.iter().chain(object.definition.owner()))
            .flat_map(|name| model.named(name))
            .map(Object::key)
            .collect();
        part.extend(used);
        let mut small: Model = part.iter().filter_map(|key| model.remove(key)).collect();
        dialect.rename_any(&mut small, key, to);
        for object in small.take_objects() {
            self.add(&object);
            model.insert(object);
        }
    }
}
