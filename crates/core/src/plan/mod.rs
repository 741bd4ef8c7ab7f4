//! From differences to ordered steps, with what each may do to data.

mod evidence;
mod risk;
mod waiver;

pub use evidence::{Evidence, Probe};
pub use risk::{Clearance, Risk, RiskKind};
pub use waiver::{Waiver, WaiverError, WaiverFile, read_waivers};

use std::borrow::Cow;

use crate::compare::{Comparison, Renames, compare_with};
use crate::dialects::Dialect;
use crate::engine::EngineVersion;
use crate::model::Model;
use crate::script::{Script, Step};

/// Everything that a dialect needs to plan a migration.
pub struct Planning<'m> {
    /// What there is.
    pub have: &'m Model,
    /// The same, under want's names.
    pub renamed: Cow<'m, Model>,
    /// What there shall be.
    pub want: &'m Model,
    /// What differs.
    pub comparison: &'m Comparison<'m>,
    /// The engine's oldest version that the script must run on.
    pub version: EngineVersion,
    /// What is known of the data.
    pub evidence: &'m Evidence,
    /// Whether this is the way back: then each step says what data it can't bring back.
    pub way_back: bool,
}

/// A dialect's plan: the steps, and what stands around them so that they are one transaction.
#[derive(Debug, Clone, Default)]
pub struct Plan {
    /// Statements before the first step, with the start of the transaction.
    pub opening: Vec<String>,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// Statements after the last step, with the end of the transaction.
    pub closing: Vec<String>,
}

impl<'m> Planning<'m> {
    /// Prepares a plan for a comparison that is known already.
    pub fn new(
        dialect: &dyn Dialect,
        (have, want): (&'m Model, &'m Model),
        comparison: &'m Comparison<'m>,
        version: EngineVersion,
        evidence: &'m Evidence,
    ) -> Planning<'m> {
        let renamed = comparison.renames.apply(dialect, have);
        Planning { have, renamed, want, comparison, version, evidence, way_back: false }
    }
}

/// What must be asked of have's data before a good plan can be made.
pub fn probes(
    dialect: &dyn Dialect,
    have: &Model,
    want: &Model,
    comparison: &Comparison<'_>,
    version: EngineVersion,
) -> Vec<Probe> {
    let evidence = Evidence::default();
    let mut probes = dialect.probes(&Planning::new(dialect, (have, want), comparison, version, &evidence));
    probes.sort();
    probes.dedup();
    probes
}

/// The script from have to want. Risks are not cleared yet: see [`Script::clear`].
pub fn script(
    dialect: &dyn Dialect,
    project: &str,
    (have, want): (&Model, &Model),
    comparison: &Comparison<'_>,
    version: EngineVersion,
    evidence: &Evidence,
) -> Script {
    let planning = Planning::new(dialect, (have, want), comparison, version, evidence);
    planned(dialect, project, &planning)
}

/// The way back: from want to have, with the renames the other way round.
///
/// What it can't bring back is named in its steps; nothing is known of the data that there will be by then.
pub fn undo(
    dialect: &dyn Dialect,
    project: &str,
    have: &Model,
    want: &Model,
    renames: &Renames,
    version: EngineVersion,
) -> Script {
    let comparison = compare_with(dialect, want, have, renames.inverted());
    let evidence = Evidence::default();
    let planning = Planning { way_back: true, ..Planning::new(dialect, (want, have), &comparison, version, &evidence) };
    planned(dialect, project, &planning)
}

fn planned(dialect: &dyn Dialect, project: &str, planning: &Planning<'_>) -> Script {
    // What the script leaves alone or makes, and can't be told from what the engine makes of it.
    let left = planning.comparison.unproven.iter().cloned();
    let made = planning.want.unsure().into_iter().filter(|key| {
        let have = planning.renamed.get(key).map(|have| &have.definition);
        have != planning.want.get(key).map(|want| &want.definition)
    });
    let mut unproven: Vec<String> = left.chain(made).map(|key| key.to_string()).collect();
    unproven.sort();
    unproven.dedup();
    Script {
        proven: planning.want.without(&unproven).fingerprint(),
        unproven,
        engine: dialect.engine(),
        engine_version: planning.version,
        project: project.to_owned(),
        have: planning.have.fingerprint(),
        want: planning.want.fingerprint(),
        undo: planning.way_back,
        plan: dialect.plan(planning),
    }
}
