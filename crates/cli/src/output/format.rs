//! `--format`.

use clap::ValueEnum;

/// What a command's result is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Format {
    /// For people
    Text,
    /// For machines: one document on standard output
    Json,
}
