//! Whether the steps of a part are one transaction.

use std::str::FromStr;

/// Whether the steps of a part are one transaction.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Mode {
    /// All steps are one transaction.
    #[default]
    Transaction,
    /// Each statement is committed by itself, and can be run again.
    EachStatement,
}

impl Mode {
    /// Its name in scripts.
    pub fn name(self) -> &'static str {
        match self {
            Mode::Transaction => "transaction",
            Mode::EachStatement => "each-statement",
        }
    }
}

impl FromStr for Mode {
    type Err = String;

    fn from_str(text: &str) -> Result<Mode, String> {
        let found = [Mode::Transaction, Mode::EachStatement].into_iter().find(|mode| mode.name() == text);
        found.ok_or_else(|| format!("a part can't be `{text}`"))
    }
}
