//! Changes that only MariaDB knows.

mod alter_table;

pub use alter_table::{AlterTable, Position, TableAction, keys_of};

use wevrun_core::change::{EngineChange, Outcome};
use wevrun_core::model::{Clauses, Model, ObjectKey};

use crate::grants;

/// A change of what users may do with an object, which is no part of its text.
#[derive(Debug)]
pub struct ChangeGrants(pub grants::Change);

impl EngineChange for ChangeGrants {
    fn apply(&self, model: &mut Model, key: &ObjectKey) -> Outcome {
        if let Some(object) = model.get_mut(key) {
            self.0.apply(key.kind, &mut object.access);
        }
        Ok(())
    }
}

/// Clauses of an object that is nothing but clauses, to set and to remove.
#[derive(Debug)]
pub struct AlterPlain {
    /// The clauses to set.
    pub clauses: Clauses,
    /// The names of what is taken back.
    pub removed: Vec<&'static str>,
}

impl EngineChange for AlterPlain {
    fn apply(&self, model: &mut Model, key: &ObjectKey) -> Outcome {
        if let Some(object) = model.get_mut(key) {
            if let Some(clauses) = object.definition.clauses_mut() {
                self.clauses.iter().for_each(|(name, value)| clauses.set_named(name, value.clone()));
                self.removed.iter().for_each(|name| drop(clauses.remove_named(name)));
            }
            object.text = crate::write::create_statement(object);
        }
        Ok(())
    }
}
