//! The trait of mapping.

use std::collections::BTreeMap;

use crate::compare::Privileges;
use crate::model::{Identifiers, Model, Name, Object, ObjectKey, QualifiedName};

/// Mapped names: want's, each with have's.
#[derive(Debug)]
pub struct Renamed<'r> {
    /// Objects.
    pub objects: &'r BTreeMap<ObjectKey, QualifiedName>,
    /// Columns, by want's name of their table.
    pub columns: &'r BTreeMap<QualifiedName, Vec<(Name, Name)>>,
    /// Schemas.
    pub schemas: BTreeMap<String, String>,
}

impl Renamed<'_> {
    /// No two objects get the same name, and none that of an object that keeps it.
    ///
    /// # Errors
    /// The first new name that is taken.
    pub fn require_free(&self, names: &dyn Identifiers, model: &Model) -> Result<(), String> {
        let mut given: BTreeMap<&QualifiedName, Vec<&ObjectKey>> = BTreeMap::new();
        for (key, to) in self.objects.iter().filter(|(key, to)| key.name != **to) {
            let shares = |other: &ObjectKey| names.share_names(key.kind, other.kind);
            let kept = model.named(to).map(Object::key).filter(|other| !self.objects.contains_key(other));
            let others = given.entry(to).or_default();
            let other = kept.chain(others.iter().map(|other| (*other).clone())).find(shares);
            if let Some(other) = other {
                let kind = other.kind.title();
                return Err(format!("{key} can't be called {to}: want has a {kind} of this name too"));
            }
            others.push(key);
        }
        Ok(())
    }
}

/// A word in a text that may be a mapped name.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Doubt {
    /// The object that has the text.
    pub object: ObjectKey,
    /// The word.
    pub word: String,
}

/// Gives an engine's objects other names, as if their source had them.
pub trait Mapper: Privileges {
    /// Renames an object of any kind with what refers to it, also of kinds that the engine can't rename.
    fn rename_any(&self, model: &mut Model, key: &ObjectKey, to: &QualifiedName) {
        self.rename_object(model, key, to);
    }

    /// Renames all objects and columns in one pass, in which each name is the one before; false if the engine's names are followed one
    /// after the other.
    ///
    /// # Errors
    /// Where a new name is taken.
    fn rename_all(&self, _: &mut Model, _: &Renamed<'_>) -> Result<bool, String> {
        Ok(false)
    }

    /// Indexes, sequences and the like with names that were made up from those of renamed tables and columns, each with the name that
    /// would be made up now.
    fn made_up(&self, _before: &Model, _model: &Model, _: &Renamed<'_>) -> Vec<(ObjectKey, QualifiedName)> {
        Vec::new()
    }

    /// Changes what the engine's own renames leave as it is: names in the bodies of routines, and names of constraints that
    /// were made up. `before` is the model before the renames. Returns what may be such a name, and was left.
    fn follow(&self, _before: &Model, _model: &mut Model, _: &Renamed<'_>) -> Vec<Doubt> {
        Vec::new()
    }
}
