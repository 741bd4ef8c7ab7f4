//! The ledger: Wevrun's own record, inside each target, of what was released there.

/// One release.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LedgerEntry {
    /// When, in UTC: `2026-11-23T06:23:10Z`.
    pub released_at: String,
    /// The user.
    pub released_by: String,
    /// The project's name.
    pub project: String,
    /// The fingerprint before.
    pub have: String,
    /// The fingerprint after.
    pub want: String,
    /// SHA-256 of the script, in hexadecimal digits.
    pub script_hash: String,
    /// The version of Wevrun.
    pub tool: String,
    /// The snapshot of what was released, kept for the last release only.
    pub snapshot: Option<String>,
}
