//! Of which tables a table is a part or a child.

use crate::clause;
use std::collections::BTreeSet;

use super::super::canonical::{self, ancestors};
use super::super::names::{self, quoted};
use super::super::write;
use super::columns::has_column;
use super::table::TableChange;
use wevrun_core::model::{Check, Column, Kind, Model, Name, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::Step;

impl TableChange<'_> {
    pub(super) fn inheritance(&self, steps: &mut Vec<Step>) {
        self.partition(steps);
        self.parents_that_go(steps);
        self.added_parents(steps);
    }

    fn partition(&self, steps: &mut Vec<Step>) {
        let (have, want, table) = (&self.have.clauses, &self.want.clauses, self.table());
        if have.get(clause::PARTITION_OF) == want.get(clause::PARTITION_OF)
            && have.get(clause::BOUND) == want.get(clause::BOUND)
        {
            return;
        }
        if let Some(parent) = have.get(clause::PARTITION_OF) {
            let statement = format!("ALTER TABLE {parent} DETACH PARTITION {table}");
            steps.push(Step::new(format!("detach partition {table} from {parent}"), vec![statement]));
        }
        if let (Some(parent), Some(bound)) = (want.get(clause::PARTITION_OF), want.get(clause::BOUND)) {
            let statement = format!("ALTER TABLE {parent} ATTACH PARTITION {table} {}", bound.written());
            let mut step = Step::new(format!("attach partition {table} to {parent}"), vec![statement]);
            let explanation = "rows that do not belong into the partition stop the script";
            self.may_refuse(&mut step, format!("table {table}"), explanation);
            steps.push(step);
        }
    }

    /// With a parent go the columns that only this parent has: the server leaves them behind.
    fn parents_that_go(&self, steps: &mut Vec<Step>) {
        let after = inherited_from(self.want);
        let (stay, go): (Vec<QualifiedName>, Vec<QualifiedName>) =
            inherited_from(self.have).into_iter().partition(|parent| after.contains(parent));
        steps.extend(go.iter().map(|parent| self.parent_step(format!("NO INHERIT {parent}"))));
        let of_one = |parents: &[QualifiedName], column: &Column| {
            parents.iter().any(|parent| has_column(&self.planning.renamed, parent, &column.name))
        };
        let left_behind = self.have.columns.iter().filter(|column| {
            column.clauses.has(clause::INHERITED)
                && self.want.column(&column.name).is_none()
                && of_one(&go, column)
                && !of_one(&stay, column)
        });
        steps.extend(left_behind.map(|column| self.drop_column(column)));
    }

    fn added_parents(&self, steps: &mut Vec<Step>) {
        let (want, before) = (self.planning.want, inherited_from(self.have));
        let mut missing: Vec<&Column> = self.want.columns.iter().collect();
        missing.retain(|column| column.clauses.has(clause::INHERITED) && self.have.column(&column.name).is_none());
        for parent in inherited_from(self.want).iter().filter(|parent| !before.contains(parent)) {
            let columns: Vec<&Column> =
                missing.extract_if(.., |column| has_column(want, parent, &column.name)).collect();
            let checks = self.checks_of(parent);
            steps.push(if columns.is_empty() && checks.is_empty() {
                self.parent_step(format!("INHERIT {parent}"))
            } else {
                self.inherit_with(parent, &columns, &checks)
            });
        }
    }

    fn parent_step(&self, action: String) -> Step {
        self.step(format!("change the parents of {}", self.table()), vec![action])
    }

    /// The CHECKs of a parent, and of its parents, that the table has not.
    fn checks_of(&self, parent: &QualifiedName) -> Vec<Check> {
        let Some(parent) = self.planning.want.table(parent) else { return Vec::new() };
        let family = std::iter::once(parent.clone()).chain(ancestors(self.planning.want, parent));
        let mut checks: Vec<Check> = family.flat_map(|table| table.checks.0).collect();
        checks.retain(|check| {
            !check.clauses.has(clause::NO_INHERIT) && !self.have.checks.iter().any(|own| own.name == check.name)
        });
        checks
    }

    /// Makes the table a child of a parent whose columns or checks it has not yet. They are added by a parent that exists for a moment
    /// and has only these: added to the table itself they would be its own, as well as the parent's.
    fn inherit_with(&self, parent: &Name, columns: &[&Column], checks: &[Check]) -> Step {
        let table = self.table();
        let schema = names::schema(table).unwrap_or_default();
        let between = names::qualified(&schema, &names::made_up(&names::identifier(table), "", "to_inherit"));
        let added: Vec<Step> = columns.iter().map(|column| self.add_column(column)).collect();
        // What a column says beside its parent's is the table's own.
        let says_itself =
            |column: &Column| column.clauses.value(clause::INHERITED).is_some_and(|how| how.contains("NOT NULL"));
        let of_parent = |column: &Column| {
            let mut column = column.clone();
            column.not_null = column.not_null.filter(|_| !says_itself(&column));
            column
        };
        let definitions: Vec<String> = (columns.iter())
            .map(|column| format!("ADD COLUMN {}", write::column(&of_parent(column))))
            .chain(checks.iter().map(|check| format!("ADD {}", write::check_constraint(check))))
            .collect();
        let listed = columns.iter().map(|column| column.name.canonical());
        let listed = listed.chain(checks.iter().filter_map(|check| Some(check.name.as_ref()?.canonical())));
        // The conditions of checks may name columns that the table has already.
        let named = self.want.columns.iter().filter(|column| {
            let is_new = columns.iter().any(|new| new.name == column.name);
            !is_new && checks.iter().any(|check| check.condition.may_use_column(&column.name))
        });
        let named = named.filter_map(|column| {
            let data_type = &column.data_type.as_ref()?.canonical;
            let collation = column.collation.as_ref().map_or_else(String::new, |name| format!(" COLLATE {name}"));
            Some(format!("{} {data_type}{collation}", quoted(column.name.canonical())))
        });
        let mut step = Step::new(
            format!("let {table} inherit {} from {parent}", listed.collect::<Vec<_>>().join(", ")),
            vec![
                format!("CREATE TABLE {between} ({})", named.collect::<Vec<_>>().join(", ")),
                format!("ALTER TABLE {table} INHERIT {between}"),
                format!("ALTER TABLE {between}\n    {}", definitions.join(",\n    ")),
                format!("ALTER TABLE {table} INHERIT {parent}"),
                format!("ALTER TABLE {table} NO INHERIT {between}"),
                format!("DROP TABLE {between}"),
            ],
        );
        step.statements.extend(columns.iter().filter(|column| says_itself(column)).map(|column| {
            format!("ALTER TABLE ONLY {table} ALTER COLUMN {} SET NOT NULL", quoted(column.name.canonical()))
        }));
        for one in added {
            step.statements.extend(one.statements.into_iter().skip(1));
            step.risks.extend(one.risks);
            step.notes.extend(one.notes);
        }
        if !checks.is_empty() {
            self.may_refuse(
                &mut step,
                format!("table {table}"),
                "rows that break a check of the parent stop the script",
            );
        }
        step
    }
}

/// The tables that one inherits from, in order.
fn inherited_from(table: &Table) -> Vec<QualifiedName> {
    table.clauses.get(clause::INHERITS).cloned().unwrap_or_default()
}

/// The indexes that are made again because a part of them goes, which the server does not let go alone, or because what they are a
/// part of does.
pub fn indexes_that_hold_together(
    have: &Model,
    want: &Model,
    removed: &BTreeSet<ObjectKey>,
    again: &BTreeSet<ObjectKey>,
) -> BTreeSet<ObjectKey> {
    let parts = have.of_kind(Kind::Index).filter_map(|object| {
        let whole = canonical::attached_to(object.as_index()?)?;
        Some((object.key(), ObjectKey::new(Kind::Index, whole)))
    });
    let goes = |key: &ObjectKey| removed.contains(key) || again.contains(key);
    let mut found = BTreeSet::new();
    for (part, whole) in parts.filter(|(part, whole)| goes(part) != goes(whole)) {
        found.extend([part, whole].into_iter().filter(|key| !goes(key) && want.get(key).is_some()));
    }
    found
}
