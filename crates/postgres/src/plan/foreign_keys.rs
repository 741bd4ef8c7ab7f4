//! Foreign keys go before the keys and tables that they need, and come when all of these are there.

use crate::clause;
use std::borrow::Cow;
use std::collections::BTreeSet;

use super::super::names::quoted;
use super::super::{types, write};
use super::{Planner, table};
use wevrun_core::model::{Definition, ForeignKey, IndexPart, Kind, Model, Name, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::{Risk, RiskKind, Step};

impl Planner<'_> {
    /// Foreign keys that go, change, or point at a table that goes.
    pub(super) fn drop_foreign_keys(&mut self, removed: &BTreeSet<ObjectKey>) {
        let planning = self.planning;
        let gone = |name: &QualifiedName| {
            removed.iter().chain(&self.again).any(|key| key.kind == Kind::Table && key.name == *name)
        };
        let mut steps = Vec::new();
        for (name, table) in self.have().tables() {
            // With its table goes every foreign key, but not before other tables that point back.
            let partitioned = table.clauses.has(clause::PARTITION_BY);
            let circle = |key: &ForeignKey| gone(&key.parent) && (key.parent != *name || partitioned);
            let stays = !gone(name);
            for key in table.foreign_keys.iter() {
                let wanted = planning.want.table(name).is_some_and(|want| table::has_foreign_key(want, key));
                let target_changes = self.must_be_recreated(name, key, removed);
                if (stays && (!wanted || target_changes || gone(&key.parent)))
                    || (!stays && (circle(key) || target_changes))
                {
                    let statement = format!("ALTER TABLE {name} DROP CONSTRAINT {}", quoted(key.name.canonical()));
                    let temporarily = if wanted { " temporarily" } else { "" };
                    let step =
                        Step::new(format!("drop foreign key {} of {name}{temporarily}", key.name), vec![statement]);
                    steps.push(step);
                }
            }
        }
        for step in steps {
            self.push(step);
            self.pause();
        }
    }

    /// Whether a foreign key that stays can't be there while the tables at its ends change.
    fn must_be_recreated(&self, table: &QualifiedName, key: &ForeignKey, removed: &BTreeSet<ObjectKey>) -> bool {
        self.key_of_parent_changes(key, removed) || self.moves_between_logs(table, key) || self.other_types(table, key)
    }

    /// Whether columns at an end get another type: in between, the server might not compare them with those at the other end.
    fn other_types(&self, table: &QualifiedName, key: &ForeignKey) -> bool {
        let ends = [(table, &key.columns), (&key.parent, &key.parent_columns)];
        ends.into_iter().any(|(name, columns)| {
            let (Some(have), Some(want)) = (self.have().table(name), self.planning.want.table(name)) else {
                return false;
            };
            let base = |table: &Table, column: &Name| {
                let data_type = table.column(column).and_then(|column| column.data_type.as_ref());
                data_type.map(|data_type| types::without_modifiers(&data_type.canonical))
            };
            columns.iter().any(|column| {
                let (before, after) = (base(have, column), base(want, column));
                before.is_some() && after.is_some() && before != after
            })
        })
    }

    /// Whether a key or unique index over the columns that a foreign key points at goes: the server ties the foreign key to one of
    /// them, whichever it found first.
    fn key_of_parent_changes(&self, key: &ForeignKey, removed: &BTreeSet<ObjectKey>) -> bool {
        let (Some(have), Some(want)) = (self.have().table(&key.parent), self.planning.want.table(&key.parent)) else {
            return false;
        };
        let points_at = |columns: &[Cow<'_, str>]| {
            columns.len() == key.parent_columns.len()
                && key.parent_columns.iter().all(|column| columns.iter().any(|own| *own == column.canonical()))
        };
        let keys = have.primary_key.iter().chain(have.unique_keys.iter());
        let goes = keys
            .filter(|own| points_at(&own.parts.iter().map(|part| part.column.canonical().into()).collect::<Vec<_>>()))
            .any(|own| !table::has_primary_key(want, own) && !table::has_key(want, own));
        goes || removed.iter().chain(&self.again).filter(|key| key.kind == Kind::Index).any(|index| {
            let Some(Definition::Index(index)) = self.have().get(index).map(|object| &object.definition) else {
                return false;
            };
            let columns: Vec<Cow<'_, str>> = index.parts.iter().map(IndexPart::column).collect();
            index.unique && index.table == key.parent && points_at(&columns)
        })
    }

    /// Whether a table at either end becomes unlogged or logged: the server wants both to be alike at every moment.
    fn moves_between_logs(&self, table: &QualifiedName, key: &ForeignKey) -> bool {
        let unlogged =
            |model: &Model, name: &QualifiedName| model.table(name).map(|table| table.clauses.has(clause::UNLOGGED));
        [table, &key.parent].into_iter().any(|name| {
            let (have, want) = (unlogged(self.have(), name), unlogged(self.planning.want, name));
            have.zip(want).is_some_and(|(have, want)| have != want)
        })
    }

    /// Foreign keys come when all tables and keys are there.
    pub(super) fn add_foreign_keys(&mut self, removed: &BTreeSet<ObjectKey>) {
        let planning = self.planning;
        let mut steps = Vec::new();
        for (name, table) in planning.want.tables() {
            let rebuilt = self.again.contains(&ObjectKey::new(Kind::Table, name.clone()));
            let have = self.have().table(name).filter(|_| !rebuilt);
            for key in table.foreign_keys.iter() {
                let parent_rebuilt = self.again.contains(&ObjectKey::new(Kind::Table, key.parent.clone()));
                let there = have.is_some_and(|have| table::has_foreign_key(have, key))
                    && !self.must_be_recreated(name, key, removed)
                    && !parent_rebuilt;
                if there {
                    continue;
                }
                let mut statements = vec![format!("ALTER TABLE {name} ADD {}", write::foreign_key_constraint(key))];
                statements.extend(write::foreign_key_comment(name, key));
                let title = format!("add foreign key {} of {name} to {}", key.name, key.parent);
                let mut step = Step::new(title, statements).of(ObjectKey::new(Kind::Table, name.clone()));
                if have.is_some() && !key.clauses.has(clause::NOT_VALID) && !key.clauses.has(clause::NOT_ENFORCED) {
                    step.risks.push(Risk::new(
                        RiskKind::MayRefuseRows,
                        format!("foreign key {name}.{}", key.name),
                        format!("rows that refer to nothing in {} stop the script", key.parent),
                    ));
                }
                steps.push(step);
            }
        }
        for step in steps {
            self.push(step);
            self.pause();
        }
    }
}
