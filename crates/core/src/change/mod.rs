//! Changes of a model: what else changes with an object that is renamed or dropped.

mod semantics;

pub use semantics::Semantics;
