//! Migrations of MariaDB databases.

use std::collections::BTreeSet;

use wevrun_core::model::{Definition, Expression, Model, QualifiedName, Value};
use wevrun_core::plan::{Plan, Planner, Planning, Probe};

use crate::{MariaDb, clause, plan};

impl Planner for MariaDb {
    fn probes(&self, planning: &Planning<'_>) -> Vec<Probe> {
        plan::probes(planning)
    }

    fn probe_query(&self, probe: &Probe) -> String {
        plan::probe_query(probe)
    }

    fn plan(&self, planning: &Planning<'_>) -> Plan {
        plan::plan(planning)
    }

    fn take_respelled(&self, definition: &mut Definition) -> bool {
        let mut taken = false;
        let mut take = |expression: &mut Expression| {
            // A name or a constant is given back as it is.
            if !expression.is_sure() || expression.canonical.contains(['(', ' ']) {
                *expression = Expression::plain("");
                taken = true;
            }
        };
        match definition {
            Definition::Table(table) => {
                for column in table.columns.iter_mut() {
                    column.default.iter_mut().for_each(&mut take);
                    column.generated.iter_mut().for_each(|generated| take(&mut generated.expression));
                    if let Some(mut check) = column.clauses.remove(clause::CHECK) {
                        take(&mut check);
                        column.clauses.set(clause::CHECK, check);
                    }
                }
                table.checks.iter_mut().for_each(|check| take(&mut check.condition));
                if let Some(Value::Expression(mut partition_by)) = table.clauses.get_named("partition by").cloned() {
                    take(&mut partition_by);
                    table.clauses.set(clause::PARTITION_BY, partition_by);
                }
            }
            Definition::View(view) => take(&mut view.query),
            Definition::Plain(plain) => {
                for key in [clause::SCHEDULE, clause::RETURNS] {
                    if let Some(mut value) = plain.clauses.remove(key) {
                        take(&mut value);
                        plain.clauses.set(key, value);
                    }
                }
            }
            _ => {}
        }
        taken
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
