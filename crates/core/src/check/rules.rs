//! The trait of the checks.

use super::Checks;
use crate::engine::EngineVersion;
use crate::fold::Completion;
use crate::model::{Model, Name, Object, Table};

/// An engine's own rules.
pub trait Rules: Completion {
    /// Whether foreign keys may point at these columns of a table. `owned` are its indexes.
    fn can_be_referenced(&self, table: &Table, columns: &[Name], owned: &[&Object]) -> bool {
        table.is_unique(columns, owned)
    }

    /// Checks the engine's own rules and its version's limits.
    fn check(&self, model: &Model, version: EngineVersion, checks: &mut Checks<'_>);
}
