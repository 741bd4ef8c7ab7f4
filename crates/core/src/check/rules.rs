//! What the checks ask of an engine.

use super::Checks;
use crate::engine::EngineVersion;
use crate::fold::Completion;
use crate::model::Model;

/// An engine's own rules.
pub trait Rules: Completion {
    /// Checks the engine's own rules and its version's limits.
    fn check(&self, model: &Model, version: EngineVersion, checks: &mut Checks<'_>);
}
