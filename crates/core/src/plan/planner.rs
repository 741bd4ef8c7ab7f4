//! The trait of planning.

use std::collections::BTreeSet;

use super::{Plan, Planning, Probe};
use crate::mapping::Mapper;
use crate::model::{Definition, Model, Object, QualifiedName};

/// How an engine's databases are migrated.
pub trait Planner: Mapper {
    /// Questions about the data that a good plan needs.
    fn probes(&self, planning: &Planning<'_>) -> Vec<Probe>;

    /// A query that returns a row exactly if the answer to the probe is yes.
    fn probe_query(&self, probe: &Probe) -> String;

    /// The ordered steps of a migration, and the statements that make one transaction of them.
    fn plan(&self, planning: &Planning<'_>) -> Plan;

    /// Why a table can't be rebuilt to have its columns in another order; none if it can.
    fn order_obstacle(&self, _: &Model, _: &Object) -> Option<&'static str> {
        Some("the engine's dialect does not do that yet")
    }

    /// Removes the expressions that the engine may return in a spelling of its own. False if there are none.
    fn take_respelled(&self, _: &mut Definition) -> bool {
        false
    }

    /// A query for facts about objects of these names and all that is on them, one text a row. `exact`: about their whole
    /// definitions, as far as the engine's SQL can tell them, else about names.
    fn structure_query(&self, names: &BTreeSet<QualifiedName>, exact: bool) -> String;

    /// The rows of that query, not exact, for a database with the structure of a model.
    fn structure_facts(&self, model: &Model, names: &BTreeSet<QualifiedName>) -> Vec<String>;

    /// A statement that stops a script where that query returns anything but these facts.
    fn structure_guard(&self, names: &BTreeSet<QualifiedName>, exact: bool, facts: &[String]) -> String;
}
