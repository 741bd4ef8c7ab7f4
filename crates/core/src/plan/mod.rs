//! From differences to ordered steps, with what each may do to data.

mod evidence;
mod mode;
pub mod order;
mod ownership;
mod planner;
pub(crate) mod provenance;
mod resume;
mod risk;
mod step;
mod touched;
mod waiver;

pub use evidence::{Evidence, Probe};
pub use mode::Mode;
pub use ownership::Ownership;
pub use planner::Planner;
pub use provenance::Provenance;
pub use resume::Left;
pub use risk::{Clearance, Risk, RiskKind};
pub use step::{Outcome, Step};
pub use touched::touched;
pub use waiver::{Waiver, WaiverError, WaiverFile, is_date, read_waivers, zones};

use std::borrow::Cow;
use std::collections::BTreeSet;

use crate::compare::Comparison;
use crate::engine::EngineVersion;
use crate::model::{Fingerprint, Model, ObjectKey, QualifiedName, Scope};

/// Options of a plan.
#[derive(Debug, Clone, Default)]
pub struct PlanOptions {
    /// Tables that must be recreated, with their rows, to have want's order of columns.
    pub column_order: Vec<QualifiedName>,
    /// Whether new indexes of tables that are in use are built while others write, outside the transaction.
    pub concurrent_indexes: bool,
    /// Whether owners, grants and labels become want's.
    pub access: bool,
    /// The time zones in which the moments of columns are, where a type with a zone becomes one without, or the other way: an object
    /// or a pattern as in a waiver, and the zone's name.
    pub zones: Vec<(String, String)>,
    /// Differences that are left alone, in words: a ledger does not take it for released.
    pub left: Vec<String>,
    /// The part of the database that the project is responsible for. Want must be [`Scope::effective_want`] then.
    pub scope: Scope,
}

/// Everything that a dialect needs to plan a migration.
pub struct Planning<'m> {
    /// The present model.
    pub have: &'m Model,
    /// The same, under want's names.
    pub renamed: Cow<'m, Model>,
    /// The desired model.
    pub want: &'m Model,
    /// The differences.
    pub comparison: &'m Comparison<'m>,
    /// The engine's oldest version that the script must run on.
    pub version: EngineVersion,
    /// Evidence about the data.
    pub evidence: &'m Evidence,
    /// The options.
    pub plan_options: PlanOptions,
    /// Whether this is the undo script: then each step names the data that it can't bring back.
    pub is_undo: bool,
}

/// A dialect's plan.
#[derive(Debug, Clone, Default)]
pub struct Plan {
    /// Risks of the whole, not of one step.
    pub risks: Vec<Risk>,
    /// Statements that let the engine's own client stop where the structure is not the one that the plan was made for. `deploy`
    /// compares fingerprints instead.
    pub client_guard: Vec<String>,
    /// Statements that let the client stop before it commits, where the structure is not the one that the plan leads to.
    pub client_check: Vec<String>,
    /// Why only the engine's own client, of the version that the database is used with, can run the plan; nothing if `deploy` can.
    pub client_only: Vec<String>,
    /// Objects that are dropped and created again, by want's names, whether they change or only depend on what does.
    pub recreated: Vec<ObjectKey>,
    /// One part, unless the engine can't do all in one transaction. None: there is nothing to do.
    pub parts: Vec<Part>,
}

/// Steps that belong together.
#[derive(Debug, Clone, Default)]
pub struct Part {
    /// The state in which it begins, without what it makes and what is unproven; silent in a plan's only transaction.
    pub from: Option<Fingerprint>,
    /// Whether the steps are one transaction.
    pub mode: Mode,
    /// Statements before the first step, after the transaction has begun.
    pub prepare: Vec<String>,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// Statements after the last step, before the transaction is committed.
    pub checks: Vec<String>,
}

impl Plan {
    /// A plan that is one transaction.
    pub fn one(prepare: Vec<String>, steps: Vec<Step>, checks: Vec<String>) -> Plan {
        Plan { parts: vec![Part { prepare, steps, checks, ..Part::default() }], ..Plan::default() }
    }

    /// Whether it is one transaction, or nothing.
    pub fn is_one_transaction(&self) -> bool {
        match &self.parts[..] {
            [] => true,
            [part] => part.mode == Mode::Transaction,
            _ => false,
        }
    }

    /// The steps of all parts.
    pub fn steps(&self) -> impl Iterator<Item = &Step> {
        self.parts.iter().flat_map(|part| &part.steps)
    }

    /// The steps of all parts, to change them.
    pub fn steps_mut(&mut self) -> impl Iterator<Item = &mut Step> {
        self.parts.iter_mut().flat_map(|part| &mut part.steps)
    }

    /// All risks: those of the whole first.
    pub fn risks(&self) -> impl Iterator<Item = &Risk> {
        self.risks.iter().chain(self.steps().flat_map(|step| &step.risks))
    }

    /// All risks, to change them.
    pub fn risks_mut(&mut self) -> impl Iterator<Item = &mut Risk> {
        let of_steps = self.parts.iter_mut().flat_map(|part| &mut part.steps).flat_map(|step| &mut step.risks);
        self.risks.iter_mut().chain(of_steps)
    }
}

impl<'m> Planning<'m> {
    /// Prepares a plan for a comparison that is known already.
    pub fn new(
        dialect: &dyn Planner,
        (have, want): (&'m Model, &'m Model),
        comparison: &'m Comparison<'m>,
        version: EngineVersion,
        evidence: &'m Evidence,
    ) -> Planning<'m> {
        let renamed = comparison.renames.apply(dialect, have);
        Planning {
            have,
            renamed,
            want,
            comparison,
            version,
            evidence,
            plan_options: PlanOptions::default(),
            is_undo: false,
        }
    }

    /// Objects, by kind and name, that the fingerprint of a state on the way leaves out: unproven or not managed.
    pub fn left_out(&self, dialect: &dyn Planner) -> Vec<String> {
        let others = self.plan_options.scope.left_out(dialect, self.have).into_iter().map(|key| key.to_string());
        self.unproven().into_iter().chain(others).collect()
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

/// Questions about have's data that a good plan needs.
pub fn probes(
    dialect: &dyn Planner,
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

/// Questions to a live database for the client's guards, which compare whole definitions.
pub struct ExactGuard {
    names: BTreeSet<QualifiedName>,
    /// The query for the facts, before and after.
    pub query: String,
}

impl ExactGuard {
    /// The guard of what a script touches.
    pub fn new(dialect: &dyn Planner, have: &Model, comparison: &Comparison<'_>) -> ExactGuard {
        let names = touched(have, comparison);
        ExactGuard { query: dialect.structure_query(&names, true), names }
    }

    /// Adds a comparison by the client of the structure before the first step with these facts, and after the last step if known.
    pub fn apply(&self, dialect: &dyn Planner, plan: &mut Plan, before: &[String], after: Option<&[String]>) {
        if plan.parts.is_empty() {
            return;
        }
        plan.client_guard = vec![dialect.structure_guard(&self.names, true, before)];
        if let Some(after) = after.filter(|_| plan.is_one_transaction()) {
            plan.client_check = vec![dialect.structure_guard(&self.names, true, after)];
        }
    }
}
