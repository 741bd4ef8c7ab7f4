//! The identity of a script, and of a step of it, in a journal, a ledger or a report.

use std::fmt;

use serde::Serialize;
use sha2::{Digest, Sha256};

use crate::model::hex;

/// SHA-256 of a script's text, as 64 hexadecimal digits.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
pub struct ScriptHash(String);

impl ScriptHash {
    /// Of the text that a file of the script holds.
    pub fn of(text: &str) -> ScriptHash {
        ScriptHash(hex(&Sha256::digest(text.as_bytes())))
    }

    /// The 64 digits.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for ScriptHash {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// A step of a script. The hash makes it unique among the steps of all scripts.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
pub struct StepId {
    /// The script.
    pub script: ScriptHash,
    /// The part that holds the step, from 1.
    pub part: usize,
    /// The number of the step in the script, from 1.
    pub number: usize,
}
