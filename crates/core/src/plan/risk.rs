//! Risks of a step for data: named, graded, with evidence.

use std::fmt;
use std::str::FromStr;

/// The kinds of risk.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum RiskKind {
    /// The rows of a table are destroyed.
    LosesTable,
    /// The values of a column are destroyed.
    LosesColumn,
    /// Values are stored as another type, and may not be what they were.
    ChangesValues,
    /// An object of unknown origin is removed: the target has no ledger.
    RemovesUnknown,
    /// Something that was created or changed by hand since the last release is removed or changed.
    UndoesDrift,
    /// An object that the project does not manage would be removed.
    RemovesUnmanaged,
    /// A sequence or identity would hand out values again that it has handed out before.
    RepeatsValues,
    /// A column that must not be NULL has no value for the rows that exist.
    NeedsValues,
    /// Rows that exist may break a new rule; then the script stops and nothing has changed.
    MayRefuseRows,
    /// The whole table is rewritten, and no other session can write meanwhile.
    RewritesTable,
}

impl RiskKind {
    /// Every kind, the worst first.
    pub const ALL: [RiskKind; 10] = [
        RiskKind::LosesTable,
        RiskKind::LosesColumn,
        RiskKind::ChangesValues,
        RiskKind::RemovesUnknown,
        RiskKind::UndoesDrift,
        RiskKind::RemovesUnmanaged,
        RiskKind::RepeatsValues,
        RiskKind::NeedsValues,
        RiskKind::MayRefuseRows,
        RiskKind::RewritesTable,
    ];

    /// Its name in scripts, waivers and reports.
    pub fn name(self) -> &'static str {
        match self {
            RiskKind::LosesTable => "loses-table",
            RiskKind::LosesColumn => "loses-column",
            RiskKind::ChangesValues => "changes-values",
            RiskKind::RemovesUnknown => "removes-unknown",
            RiskKind::UndoesDrift => "undoes-drift",
            RiskKind::RemovesUnmanaged => "removes-unmanaged",
            RiskKind::RepeatsValues => "repeats-values",
            RiskKind::NeedsValues => "needs-values",
            RiskKind::MayRefuseRows => "may-refuse-rows",
            RiskKind::RewritesTable => "rewrites-table",
        }
    }

    /// Whether a script may hold it only with a waiver.
    pub fn needs_waiver(self) -> bool {
        !matches!(self, RiskKind::MayRefuseRows | RiskKind::RewritesTable)
    }

    /// Whether a waiver can permit it.
    pub fn can_be_waived(self) -> bool {
        self.needs_waiver() && self != RiskKind::RemovesUnmanaged
    }
}

impl fmt::Display for RiskKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl FromStr for RiskKind {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        RiskKind::ALL.into_iter().find(|kind| kind.name() == text).ok_or_else(|| format!("there is no risk `{text}`"))
    }
}

/// Why a risk does not hold a script back, or that it does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Clearance {
    /// It needs no permission.
    NotNeeded,
    /// It needs a waiver and has none.
    Missing,
    /// A waiver permits it: the reason and the last day.
    Waived {
        /// Why.
        reason: String,
        /// The last day on which the waiver holds, `2026-12-31`.
        until: String,
    },
    /// No waiver can permit it: it is certain to fail.
    Impossible,
}

/// A risk of one step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Risk {
    /// Its kind.
    pub kind: RiskKind,
    /// The object or column at risk, as a waiver names it: `column hives.paint_colour`.
    pub object: String,
    /// The possible consequence, in a sentence.
    pub explanation: String,
    /// The ways out.
    pub ways_out: Vec<String>,
    /// Whether it is permitted.
    pub clearance: Clearance,
}

impl Risk {
    /// A risk that is not cleared yet.
    pub fn new(kind: RiskKind, object: impl Into<String>, explanation: impl Into<String>) -> Risk {
        let clearance = if kind.needs_waiver() { Clearance::Missing } else { Clearance::NotNeeded };
        Risk { kind, object: object.into(), explanation: explanation.into(), ways_out: Vec::new(), clearance }
    }

    /// Whether it holds the script back.
    pub fn holds_back(&self) -> bool {
        matches!(self.clearance, Clearance::Missing | Clearance::Impossible)
    }
}
