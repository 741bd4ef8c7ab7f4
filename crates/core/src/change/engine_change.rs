//! Changes that only one engine knows.

use std::any::Any;
use std::fmt::Debug;

use crate::diagnostics::Diagnostic;
use crate::model::{Model, Object, ObjectKey};

/// Whether a change could be made; else why not.
pub type Outcome = Result<(), Box<Diagnostic>>;

/// A change of one object, with what it means for others.
pub trait EngineChange: Any + Debug + Send + Sync {
    /// Changes the model. `key` is an object that is there; the change may rename it or remove it.
    fn apply(&self, model: &mut Model, key: &ObjectKey) -> Outcome;
}

/// A change of privileges on objects that the statement does not name one by one.
pub trait PrivilegeChange: Debug + Send + Sync {
    /// Changes the objects of the model that are in scope.
    fn apply(&self, model: &mut Model, scope: Scope);
}

/// Objects by the source that defines them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    /// Those of the source with this index.
    Source(u32),
    /// All others.
    OtherSources(u32),
    /// All objects.
    All,
}

impl Scope {
    /// Whether an object is in scope.
    pub fn has(self, object: &Object) -> bool {
        let source = object.location.map(|location| location.source);
        match self {
            Scope::Source(index) => source == Some(index),
            Scope::OtherSources(index) => source != Some(index),
            Scope::All => true,
        }
    }
}
