//! Constraints to add.

use crate::model::{Check, ForeignKey, Key};

/// Constraints that a statement adds to a table, in the order in which it lists them.
#[derive(Debug, Clone, Default)]
pub struct NewConstraints {
    /// PRIMARY KEY; more than one is an error of the table's.
    pub primary_keys: Vec<Key>,
    /// UNIQUE.
    pub unique_keys: Vec<Key>,
    /// CHECK.
    pub checks: Vec<Check>,
    /// REFERENCES and FOREIGN KEY.
    pub foreign_keys: Vec<ForeignKey>,
}
