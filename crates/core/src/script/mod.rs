//! The script: ordered steps in plain SQL, with a head that has the states before and after.

mod client;
mod frame;
mod identity;
mod line;
mod make;
mod pieces;
mod read;
mod respelled;
mod write;

pub use client::Client;
pub use frame::Frame;
pub use identity::{ScriptHash, StepId};
pub use make::{make_script, make_undo};
pub use pieces::{MANIFEST, Manifest, Pieces, RUN, join, split};
pub use read::{FindDialect, Read, ScriptError, read};
pub use respelled::Respelled;
pub use write::write;

use crate::engine::{Engine, EngineVersion};
use crate::model::{Fingerprint, Identifiers, Model, Scope};
use crate::plan::{Clearance, Ownership, Plan, Planner, Risk, Waiver};

/// The version of the script's form.
pub const FORMAT: u32 = 2;

/// A migration script.
#[derive(Debug, Clone)]
pub struct Script {
    /// The engine that runs it.
    pub engine: &'static Engine,
    /// The oldest version of the engine that can run it.
    pub engine_version: EngineVersion,
    /// The project's name.
    pub project: String,
    /// The structure that it starts from.
    pub have: Fingerprint,
    /// The structure that it leads to.
    pub want: Fingerprint,
    /// Objects, by kind and name, of which it can't be proven that they come out as wished.
    pub unproven: Vec<String>,
    /// The structure that it leads to without these objects.
    pub proven: Fingerprint,
    /// Promises about objects that the engine may spell in its own way; none if there are no such objects.
    pub respelled: Option<Respelled>,
    /// Whether it undoes a release.
    pub undo: bool,
    /// The part of a database that it is about: nothing else is compared or changed.
    pub scope: Scope,
    /// Differences from the desired schema that are left alone, in words: see [`crate::plan::PlanOptions::left`].
    pub left: Vec<String>,
    /// How it is known whose the objects are that it removes.
    pub ownership: Ownership,
    /// Its parts.
    pub plan: Plan,
}

impl Script {
    /// Applies waivers to the risks that need one. `today` is `YYYY-MM-DD`.
    pub fn clear(&mut self, waivers: &[Waiver], today: &str) {
        for risk in self.plan.risks_mut() {
            if risk.clearance == Clearance::Missing
                && let Some(waiver) = waivers.iter().find(|waiver| waiver.permits(risk, today))
            {
                risk.clearance = waiver.clearance();
            }
        }
    }

    /// Forgets all waivers: then [`Script::clear`] must find those that hold now.
    pub fn forget_waivers(&mut self) {
        for risk in self.plan.risks_mut() {
            if matches!(risk.clearance, Clearance::Waived { .. }) {
                risk.clearance = Clearance::Missing;
            }
        }
    }

    /// Forgets the waivers whose last day is over. `today` is `YYYY-MM-DD`.
    pub fn forget_expired_waivers(&mut self, today: &str) {
        for risk in self.plan.risks_mut() {
            if matches!(&risk.clearance, Clearance::Waived { until, .. } if until.as_str() < today) {
                risk.clearance = Clearance::Missing;
            }
        }
    }

    /// The risks that hold it back.
    pub fn blocked_by(&self) -> Vec<&Risk> {
        self.plan.risks().filter(|risk| risk.holds_back()).collect()
    }

    /// Whether a structure is the one that the script leads to, as far as that can be proven.
    pub fn leads_to(&self, names: &dyn Identifiers, found: &Model) -> bool {
        let managed = self.scope.part_of(names, found);
        if self.unproven.is_empty() {
            managed.fingerprint() == self.want
        } else {
            managed.without(&self.unproven).fingerprint() == self.proven
        }
    }

    /// The objects, by kind and name, that keep a structure from being the one that the script leads to, and of which it can't be told
    /// that they are not as wished: their steps were run, everything else is as promised, and these differ in nothing but
    /// expressions. None if the structure is another one.
    pub fn leads_to_but_for(&self, dialect: &dyn Planner, found: &Model) -> Option<Vec<String>> {
        if self.leads_to(dialect, found) {
            return Some(Vec::new());
        }
        let found = self.scope.part_of(dialect, found);
        self.respelled.as_ref()?.differing(dialect, &found.without(&self.unproven))
    }

    /// Whether it does nothing.
    pub fn is_empty(&self) -> bool {
        self.plan.parts.is_empty()
    }

    /// The part, from 0, that begins in this state: the first in have, a later one in what the parts before it have made.
    pub fn part_that_begins_in(&self, names: &dyn Identifiers, found: &Model) -> Option<usize> {
        let managed = self.scope.part_of(names, found);
        if managed.fingerprint() == self.have {
            return Some(0);
        }
        self.plan.parts.iter().position(|part| {
            part.from.as_ref().is_some_and(|from| {
                let makes = part.steps.iter().flat_map(|step| &step.makes).map(|outcome| outcome.object.clone());
                let beside: Vec<String> = makes.chain(self.unproven.iter().cloned()).collect();
                managed.without(&beside).fingerprint() == *from
            })
        })
    }
}
