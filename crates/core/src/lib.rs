//! The heart of Wevrun: from DDL to a canonical model, from two models to differences, and from differences to an
//! ordered script.
//!
//! There is one folder or file a stage; [`STAGES`] has their order, and none uses a later one. What an engine does in its own way
//! is in its dialect's crate: each stage that needs it has a trait for it, and the caller hands over an implementation
//! ([`Dialect`] is all of them together). Nothing here does I/O, reads a clock or an environment, or knows a terminal or
//! an engine.

pub mod adopt;
pub mod build;
pub mod change;
pub mod check;
pub mod compare;
pub mod diagnostics;
pub mod engine;
pub mod fold;
pub mod mapping;
pub mod model;
pub mod parse;
pub mod pick;
pub mod plan;
pub mod render;
pub mod reread;
pub mod script;
pub mod select;
pub mod snapshot;
pub mod source;
pub mod spelling;
pub mod unread;

pub use engine::{Engine, EngineVersion};
pub use script::Client as Dialect;

/// The modules, in the order in which they may use one another: each only those before it.
pub const STAGES: [&str; 21] = [
    "source",
    "engine",
    "diagnostics",
    "model",
    "render",
    "change",
    "parse",
    "fold",
    "check",
    "unread",
    "build",
    "spelling",
    "snapshot",
    "compare",
    "adopt",
    "reread",
    "mapping",
    "select",
    "plan",
    "script",
    "pick",
];
