//! The heart of Wevrun: from DDL to a canonical model, from two models to differences, and from differences to an
//! ordered script.
//!
//! There is one folder a stage, in the order in which text flows through them: [`source`], [`parse`], [`fold`],
//! [`model`], [`check`], [`snapshot`], [`compare`], [`plan`], [`script`]. What an engine does in its own way is in
//! [`dialects`]. Nothing here does I/O, reads a clock or an environment, or knows a terminal.

pub mod adopt;
pub mod build;
pub mod check;
pub mod compare;
pub mod diagnostics;
pub mod dialects;
pub mod engine;
pub mod fold;
pub mod model;
pub mod parse;
pub mod plan;
pub mod script;
pub mod snapshot;
pub mod source;
pub mod spelling;
pub mod unread;

pub use engine::{Engine, EngineVersion};
