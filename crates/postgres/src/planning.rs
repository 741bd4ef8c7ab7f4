//! Migrations of PostgreSQL databases.

use std::collections::BTreeSet;

use wevrun_core::model::{Definition, Expression, Model, Object, QualifiedName};
use wevrun_core::plan::{Plan, Planner, Planning, Probe};

use crate::{Postgres, plan, rename};

impl Planner for Postgres {
    fn probes(&self, planning: &Planning<'_>) -> Vec<Probe> {
        plan::probes(planning)
    }

    fn probe_query(&self, probe: &Probe) -> String {
        plan::probe_query(probe)
    }

    fn plan(&self, planning: &Planning<'_>) -> Plan {
        plan::plan(planning)
    }

    fn order_obstacle(&self, model: &Model, table: &Object) -> Option<&'static str> {
        plan::order_obstacle(model, table)
    }

    fn take_respelled(&self, definition: &mut Definition) -> bool {
        let expressions = rename::expressions_mut(definition).into_iter();
        // A plain name or number is given back as it is.
        let is_respelled =
            |expression: &Expression| !expression.is_sure() || expression.canonical.contains(['(', '\'', ' ']);
        let respelled = expressions.filter(|expression| is_respelled(expression));
        let taken: Vec<()> = respelled.map(|expression| *expression = Expression::plain("")).collect();
        !taken.is_empty()
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
