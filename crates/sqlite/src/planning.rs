//! Migrations of SQLite databases.

use std::collections::BTreeSet;

use wevrun_core::model::{Model, QualifiedName};
use wevrun_core::plan::{Plan, Planner, Planning, Probe};

use crate::{Sqlite, plan};

impl Planner for Sqlite {
    fn probes(&self, planning: &Planning<'_>) -> Vec<Probe> {
        plan::probes(planning)
    }

    fn probe_query(&self, probe: &Probe) -> String {
        plan::probe_query(probe)
    }

    fn plan(&self, planning: &Planning<'_>) -> Plan {
        plan::plan(planning)
    }

    fn structure_query(&self, names: &BTreeSet<QualifiedName>, exact: bool) -> String {
        plan::structure::query(names, exact)
    }

    fn structure_facts(&self, model: &Model, names: &BTreeSet<QualifiedName>) -> Vec<String> {
        plan::structure::facts(model, names)
    }

    fn structure_guard(&self, names: &BTreeSet<QualifiedName>, exact: bool, facts: &[String]) -> String {
        plan::structure::guard(names, exact, facts)
    }
}
