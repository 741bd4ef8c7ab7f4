//! Source files in git revisions.

mod files;
mod revision;
mod trees;

pub use files::{GitFiles, discover};
pub use revision::revision;
