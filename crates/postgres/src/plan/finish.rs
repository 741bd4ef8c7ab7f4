//! The last settings: those that need more than one object to be there.

use crate::clause;
use std::borrow::Cow;

use super::super::{names, tokens, write};
use super::{Planner, part_names, sequences, table};
use wevrun_core::model::{Clauses, Definition, Kind, Name, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::Step;

impl Planner<'_> {
    /// What needs more than one object to be there.
    pub(super) fn finish(&mut self) {
        let named = part_names::step(self.planning.want, &self.have, &self.again);
        self.steps.extend(named);
        self.own_sequences();
        self.order_rows_of_views();
        self.settle_tables();
    }

    /// Which columns sequences belong to.
    fn own_sequences(&mut self) {
        let planning = self.planning;
        for object in planning.want.of_kind(Kind::Sequence) {
            let before = self.have().get(&object.key());
            let rebuilt = object
                .definition
                .owner()
                .is_some_and(|owner| self.again.contains(&ObjectKey::new(Kind::Table, owner.clone())));
            let same = before.is_some_and(|before| write::owned_by(before) == write::owned_by(object)) && !rebuilt;
            if let Some(statement) = write::owned_by(object).filter(|_| !same) {
                let mut statements = vec![statement];
                // A column that has numbers already goes on counting where they end.
                if let (Some(owner), Definition::Plain(plain), None) =
                    (object.definition.owner(), &object.definition, before)
                    && let Some(column) = plain.clauses.value(clause::OWNED_BY)
                    && self.have().table(owner).is_some_and(|table| table.column(&names::simple(column)).is_some())
                {
                    let own = tokens::literal(object.name.canonical());
                    statements.push(sequences::continue_counting(&own, owner, column));
                }
                let step = Step::new(format!("set the owning column of {}", object.key()), statements);
                self.push(step.of(object.key()));
            } else if !same && before.and_then(write::owned_by).is_some() {
                let statement = format!("ALTER SEQUENCE {} OWNED BY NONE", object.name);
                self.push(Step::new(format!("remove the owning column of {}", object.key()), vec![statement]));
            } else {
                continue;
            }
            self.pause();
        }
    }

    /// Which index orders the rows of a materialised view.
    fn order_rows_of_views(&mut self) {
        let planning = self.planning;
        for object in planning.want.of_kind(Kind::MaterializedView) {
            let Definition::View(view) = &object.definition else { continue };
            let Some(index) = view.clauses.value(clause::CLUSTER_ON) else { continue };
            let is_index = |key: &ObjectKey| key.kind == Kind::Index && names::identifier(&key.name) == index;
            let is_created = self.again.contains(&object.key()) || self.again.iter().any(is_index);
            let before = self.have().get(&object.key()).filter(|_| !is_created);
            if before.is_some_and(|before| write::clauses(before).value(clause::CLUSTER_ON) == Some(index)) {
                continue;
            }
            let statements = write::clustered(&object.name, view).into_iter().collect();
            self.push(Step::new(format!("set the clustering index of {}", object.key()), statements).of(object.key()));
            self.pause();
        }
    }

    /// The settings of tables that name an index or constraint.
    fn settle_tables(&mut self) {
        let planning = self.planning;
        for (name, table) in planning.want.tables() {
            let rebuilt = self.again.contains(&ObjectKey::new(Kind::Table, name.clone()));
            let mut before = match self.have().table(name).filter(|_| !rebuilt) {
                Some(have) => Cow::Borrowed(&have.clauses),
                None => Cow::Owned(Clauses::default()),
            };
            // These settings are dropped with the index that they name.
            let of_an_index = before.has(clause::CLUSTER_ON) || before.has(clause::REPLICA_IDENTITY);
            let created = if of_an_index { self.indexes_created_again(name, table) } else { Vec::new() };
            for index in created {
                for clause in [clause::CLUSTER_ON, clause::REPLICA_IDENTITY] {
                    if before.value(clause).is_some_and(|value| value.contains(index.canonical())) {
                        before.to_mut().remove(clause);
                    }
                }
            }
            let statements = write::late_settings(name, &before, &table.clauses);
            if statements.is_empty() {
                continue;
            }
            let step = Step::new(format!("apply the remaining settings of table {name}"), statements);
            self.push(step.of(ObjectKey::new(Kind::Table, name.clone())));
            self.pause();
        }
    }

    /// The names of the indexes of a table, those of keys too, that are dropped and created again.
    fn indexes_created_again(&self, name: &QualifiedName, want: &Table) -> Vec<Name> {
        let again = self.again.iter().filter(|key| key.kind == Kind::Index).filter_map(|key| self.have().get(key));
        let again = again.filter(|object| object.definition.owner() == Some(name));
        let mut found: Vec<Name> = again.map(|object| names::simple(&names::identifier(&object.name))).collect();
        let both = self.have().table(name).zip(self.planning.want.find(Kind::Table, name));
        if let Some((have, object)) = both {
            let change = table::TableChange { planning: self.planning, have, want, object };
            found.extend(change.keys_that_go().map(|key| key.name.clone()));
        }
        found
    }
}
