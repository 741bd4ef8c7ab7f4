//! The trait of folding: the engine's additions to an object that a statement creates.

use super::{Held, Taken};
use crate::model::{Kind, Model, Name, Object, ObjectKey, QualifiedName};
use crate::parse::{Alter, Grammar};

/// The engine's additions to statements.
pub trait Completion: Grammar {
    /// Whether the second definition of a name completes the first, which only announced it.
    fn completes(&self, _first: &Object, _second: &Object) -> bool {
        false
    }

    /// Keeps what OR REPLACE keeps of the first object. `first` was defined before `object`.
    fn keep_replaced(&self, first: &Object, object: &mut Object) {
        object.access.clone_from(&first.access);
    }

    /// Gives a new object what its parents have now, where earlier statements have changed them for objects to come only.
    fn inherit_present(&self, _: &Model, _object: &mut Object) {}

    /// Removes mentions of a dropped object in others, where they do not prevent the DROP.
    fn forget(&self, _: &mut Model, _dropped: &Object) {}

    /// Changes an object that the engine has generated with another one, which defines it. Returns whether it is such a one.
    fn alter_generated(&self, _: &mut Model, _: &Alter) -> bool {
        false
    }

    /// Whether the engine has generated an object of this name with another one. The model does not list it.
    fn is_generated(&self, _: &Model, _: &[Kind], _name: &QualifiedName) -> bool {
        false
    }

    /// The partitions of a table, and theirs: they are dropped with it.
    fn partitions(&self, _: &Model, _table: &QualifiedName) -> Vec<ObjectKey> {
        Vec::new()
    }

    /// Whether the object copies from others, and has not done so yet.
    fn copies(&self, _: &Object) -> bool {
        false
    }

    /// Applies CREATE TABLE … LIKE, if the copied object is there, in this source if one is given. Returns the objects that
    /// are created with it.
    fn take_copies(&self, _: &mut Model, _: &ObjectKey, _within: Option<u32>) -> Vec<Object> {
        Vec::new()
    }

    /// Resolves the names in a table's own expressions, before the table changes.
    fn resolve_own_names(&self, _: &mut Object) {}

    /// The other objects that prevent the engine from dropping a column of a table, since they use it.
    fn users_of_column(&self, _: &Model, _table: &QualifiedName, _column: &Name) -> Vec<ObjectKey> {
        Vec::new()
    }

    /// Makes explicit what the engine implies once it knows a whole object, and gives it the names that the engine generates,
    /// of which none is taken. Returns the objects that are created with it.
    fn settle(&self, object: &mut Object, taken: &Taken) -> Vec<Object>;

    /// Whether a part of an object still needs a generated name.
    fn is_incomplete(&self, _: &Object) -> bool {
        false
    }

    /// The names that an object takes, of those that the engine looks at before it generates one.
    fn held_names(&self, _: &Object) -> Held {
        Held::default()
    }

    /// Resolves the names of a canonical model that was read from a snapshot. Its structure stays the same.
    fn resolve_names(&self, _: &mut Model) {}

    /// Makes canonical what needs the whole schema to be known.
    fn finish(&self, model: &mut Model);

    /// Replaces spellings of a catalogue that would be read differently with the form that they were stored from.
    fn unfold(&self, _: &mut Object) {}
}
