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
use crate::model::{Fingerprint, Model, Name};
use crate::script::{Script, Step};

/// What may be done or not, beside what differs.
#[derive(Debug, Clone, Default)]
pub struct Wishes {
    /// Tables that shall be made anew, with their rows, to have want's order of columns.
    pub column_order: Vec<Name>,
    /// Whether new indexes of tables that are in use are built while others write, outside the transaction.
    pub concurrent_indexes: bool,
    /// Whether owners, grants and labels become what want says.
    pub access: bool,
}

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
    /// What is asked for beside.
    pub wishes: Wishes,
    /// Whether this is the way back: then each step says what data it can't bring back.
    pub way_back: bool,
}

/// A dialect's plan.
#[derive(Debug, Clone, Default)]
pub struct Plan {
    /// One part, unless the engine can't do all in one transaction. None: there is nothing to do.
    pub parts: Vec<Part>,
}

/// Steps that belong together, and what stands around them.
#[derive(Debug, Clone, Default)]
pub struct Part {
    /// The state in which it begins, without what it makes and what is unproven; silent in a plan's only transaction.
    pub from: Option<Fingerprint>,
    /// Whether each statement stands for itself. Else all are one transaction.
    pub alone: bool,
    /// Statements before the first step, with the start of the transaction.
    pub opening: Vec<String>,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// Statements after the last step, with the end of the transaction.
    pub closing: Vec<String>,
}

impl Plan {
    /// A plan that is one transaction.
    pub fn one(opening: Vec<String>, steps: Vec<Step>, closing: Vec<String>) -> Plan {
        Plan { parts: vec![Part { opening, steps, closing, ..Part::default() }] }
    }

    /// The steps of all parts.
    pub fn steps(&self) -> impl Iterator<Item = &Step> {
        self.parts.iter().flat_map(|part| &part.steps)
    }

    /// The steps of all parts, to change them.
    pub fn steps_mut(&mut self) -> impl Iterator<Item = &mut Step> {
        self.parts.iter_mut().flat_map(|part| &mut part.steps)
    }
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
        Planning { have, renamed, want, comparison, version, evidence, wishes: Wishes::default(), way_back: false }
    }

    /// Objects, by kind and name, that the script leaves alone or makes, and that can't be told from what the engine makes of
    /// them.
    pub fn unproven(&self) -> Vec<String> {
        let left = self.comparison.unproven.iter().cloned();
        let made = self.want.unsure().into_iter().filter(|key| {
            let have = self.renamed.get(key).map(|have| &have.definition);
            have != self.want.get(key).map(|want| &want.definition)
        });
        let mut unproven: Vec<String> = left.chain(made).map(|key| key.to_string()).collect();
        unproven.sort();
        unproven.dedup();
        unproven
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
    wishes: Wishes,
    version: EngineVersion,
    evidence: &Evidence,
) -> Script {
    let planning = Planning { wishes, ..Planning::new(dialect, (have, want), comparison, version, evidence) };
    planned(dialect, project, &planning)
}

/// The way back: from want to have, with the renames the other way round.
///
/// What it can't bring back is named in its steps; nothing is known of the data that there will be by then. `access`: whether
/// owners, grants and labels of what stays go back too; what is made again has them in any case.
pub fn undo(
    dialect: &dyn Dialect,
    project: &str,
    (have, want): (&Model, &Model),
    renames: &Renames,
    access: bool,
    version: EngineVersion,
) -> Script {
    let comparison = compare_with(dialect, want, have, renames.inverted());
    let evidence = Evidence::default();
    let wishes = Wishes { access, ..Wishes::default() };
    let planning =
        Planning { way_back: true, wishes, ..Planning::new(dialect, (want, have), &comparison, version, &evidence) };
    planned(dialect, project, &planning)
}

fn planned(dialect: &dyn Dialect, project: &str, planning: &Planning<'_>) -> Script {
    let unproven = planning.unproven();
    let want = planning.want.fingerprint();
    let proven = if unproven.is_empty() { want.clone() } else { planning.want.without(&unproven).fingerprint() };
    Script {
        proven,
        unproven,
        engine: dialect.engine(),
        engine_version: planning.version,
        project: project.to_owned(),
        have: planning.have.fingerprint(),
        want,
        undo: planning.way_back,
        plan: dialect.plan(planning),
    }
}
