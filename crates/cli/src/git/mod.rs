//! What git knows of source files.

mod files;
mod revision;
mod trees;

pub use files::{GitFiles, discover};
pub use revision::revision;
