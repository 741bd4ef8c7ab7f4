//! How it is known whose the objects are that a script removes or changes.

use std::str::FromStr;

/// Where the knowledge is from.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Ownership {
    /// Nobody was asked: a side is neither a live database nor a project's.
    #[default]
    Unknown,
    /// The target has no ledger: the origin of its objects is unknown.
    NoLedger,
    /// The target's ledger holds what was released there last.
    Ledger,
}

impl Ownership {
    /// Its name in scripts.
    pub fn name(self) -> &'static str {
        match self {
            Ownership::Unknown => "unknown",
            Ownership::NoLedger => "no-ledger",
            Ownership::Ledger => "ledger",
        }
    }
}

impl FromStr for Ownership {
    type Err = String;

    fn from_str(text: &str) -> Result<Ownership, String> {
        let found =
            [Ownership::Unknown, Ownership::NoLedger, Ownership::Ledger].into_iter().find(|it| it.name() == text);
        found.ok_or_else(|| format!("ownership can't be `{text}`"))
    }
}
