//! Changes of a model as data: made by a statement of a source, or planned for a database.

mod clauses;
mod constraints;
mod engine_change;
mod semantics;
mod table;

pub use clauses::ClauseChanges;
pub use constraints::NewConstraints;
pub use engine_change::{EngineChange, Outcome, PrivilegeChange, Scope};
pub use semantics::Semantics;
pub use table::{Refused, TableChange};

use std::sync::Arc;

use crate::model::{Name, QualifiedName};

/// One change of an object.
#[derive(Debug, Clone)]
pub enum Change {
    /// Gives the object another name, and what refers to it.
    Rename(QualifiedName),
    /// Gives a column of a table another name, and what refers to it.
    RenameColumn {
        /// The present name.
        from: Name,
        /// The new name.
        to: Name,
    },
    /// Changes one table only.
    Table(TableChange),
    /// A change that only one engine knows.
    Engine(Arc<dyn EngineChange>),
}
