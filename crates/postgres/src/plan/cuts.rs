//! Where a script that takes more locks than the server has room for is cut into transactions.
//!
//! A transaction keeps the locks of all that it makes, changes and drops until it ends, and all sessions share one table of locks
//! (<https://www.postgresql.org/docs/current/runtime-config-locks.html>). A cut is made where it is known what there is then, and where
//! nothing is gone that comes again.

use crate::clause;
use std::collections::{BTreeMap, BTreeSet};

use super::super::write;
use super::table::has_foreign_key;
use wevrun_core::model::{
    Column, Definition, Fingerprint, ForeignKey, Kind, Model, Object, ObjectKey, QualifiedName, Table,
};
use wevrun_core::plan::Planning;

/// The locks that a server with its default settings has room for: 64 for each of 100 connections.
const USUAL_ROOM: usize = 6_400;

/// What the steps so far have made of have.
pub struct Progress {
    /// Whether it only counts.
    only_counts: bool,
    /// What there is now; none where that is not known, or not asked.
    state: Option<Model>,
    /// What stands on what, at the beginning.
    standing: BTreeMap<QualifiedName, Vec<ObjectKey>>,
    /// What the state of a part leaves out.
    unproven: Vec<String>,
    /// How many locks a transaction may take.
    room: usize,
    /// How many all steps take.
    total: usize,
    /// How many the steps since the last cut take.
    taken: usize,
    /// What is gone for the moment, or there by half.
    away: BTreeSet<ObjectKey>,
    /// Before which step a part begins, and in what state.
    pub cuts: Vec<(usize, Fingerprint)>,
}

impl Progress {
    /// One that only counts.
    pub fn counting(planning: &Planning<'_>) -> Progress {
        // The rest is for other sessions.
        let room = planning.evidence.lock_room().unwrap_or(USUAL_ROOM) / 4 * 3;
        let (standing, unproven, away, cuts) = Default::default();
        Progress { only_counts: true, state: None, standing, unproven, room, total: 0, taken: 0, away, cuts }
    }

    /// Whether one transaction is enough.
    pub fn fits(&self) -> bool {
        self.total <= self.room
    }

    /// One that cuts, once it is told the state.
    pub fn cutting(planning: &Planning<'_>) -> Progress {
        Progress {
            only_counts: false,
            unproven: planning.left_out(&super::super::Postgres),
            ..Progress::counting(planning)
        }
    }

    /// From here on the state is known.
    pub fn begin(&mut self, state: &Model) {
        if self.only_counts {
            return;
        }
        let keys = |objects: Vec<&Object>| objects.into_iter().map(Object::key).collect();
        self.standing = state.by_owner().into_iter().map(|(owner, objects)| (owner.clone(), keys(objects))).collect();
        self.state = Some(state.clone());
    }

    /// From here on the state is not known: no more cuts.
    pub fn lose(&mut self) {
        self.state = None;
    }

    fn take(&mut self, locks: usize) {
        self.total += locks;
        self.taken += locks;
    }

    /// An object is there by half: no cut before it is whole.
    pub fn waits_for(&mut self, key: ObjectKey) {
        self.away.insert(key);
    }

    /// An object is made or changed, but for what comes after all tables are there.
    pub fn becomes(&mut self, object: &Object) {
        let key = object.key();
        self.take(locks_of(object));
        self.away.remove(&key);
        let Some(state) = &mut self.state else { return };
        let before = state.get(&key).cloned();
        let mut object = object.clone();
        match (&mut object.definition, before.as_ref().map(|before| &before.definition)) {
            (Definition::Table(table), before) => {
                let before = if let Some(Definition::Table(before)) = before { before } else { &Table::default() };
                table.foreign_keys.retain(|key| has_foreign_key(before, key));
                write::postpone_settings(&mut table.clauses, &before.clauses);
            }
            (Definition::Plain(sequence), before) if sequence.kind == Kind::Sequence => {
                sequence.owner = before.and_then(Definition::owner).cloned();
                match before {
                    Some(Definition::Plain(before)) if before.clauses.has(clause::OWNED_BY) => {
                        sequence
                            .clauses
                            .say(clause::OWNED_BY, before.clauses.value(clause::OWNED_BY).unwrap_or_default());
                    }
                    _ => drop(sequence.clauses.remove(clause::OWNED_BY)),
                }
            }
            _ => {}
        }
        state.insert(object);
    }

    /// An object is as want has it, with all that comes late.
    pub fn is_settled(&mut self, object: &Object) {
        self.take(2);
        if let Some(state) = &mut self.state {
            state.insert(object.clone());
        }
    }

    /// An object goes, and with it what stands on it; `again` says whether something comes again.
    pub fn leaves(&mut self, object: &Object, again: impl Fn(&ObjectKey) -> bool) {
        self.take(2 * locks_of(object) + 5);
        if object.definition.kind() == Kind::Operator {
            // Its negator and its commutator forget it.
            self.lose();
        }
        let Some(state) = &mut self.state else { return };
        let mut going = vec![object.key()];
        while let Some(key) = going.pop() {
            state.remove(&key);
            if key.kind.is_relation() {
                going.extend(self.standing.get(&key.name).into_iter().flatten().cloned());
            }
            if again(&key) {
                self.away.insert(key);
            }
        }
    }

    /// A table has one foreign key less; `again` says whether it comes again.
    pub fn drop_foreign_key(&mut self, table: &QualifiedName, gone: &ForeignKey, again: bool) {
        self.take(8);
        if again {
            self.lose();
        }
        self.amend(table, |table| table.foreign_keys.retain(|key| key.name != gone.name));
    }

    /// A table has one foreign key more.
    pub fn add_foreign_key(&mut self, table: &QualifiedName, key: &ForeignKey) {
        self.take(8);
        self.amend(table, |table| table.foreign_keys.push(key.clone()));
    }

    /// Something else about a table changes.
    pub fn amend(&mut self, table: &QualifiedName, change: impl FnOnce(&mut Table)) {
        let key = ObjectKey::new(Kind::Table, table.clone());
        let object = self.state.as_mut().and_then(|state| state.get_mut(&key));
        if let Some(Definition::Table(table)) = object.map(|object| &mut object.definition) {
            change(table);
        }
    }

    /// Whether a part ends after so many steps.
    pub fn cuts_after(&mut self, steps: usize) -> bool {
        if self.taken < self.room || !self.away.is_empty() {
            return false;
        }
        let Some(state) = &self.state else { return false };
        let fingerprint = state.without(&self.unproven).fingerprint();
        // What makes no difference to the structure can't be told from what was before.
        if self.cuts.last().is_some_and(|(_, last)| *last == fingerprint) {
            return false;
        }
        self.cuts.push((steps, fingerprint));
        self.taken = 0;
        true
    }
}

/// About how many locks making or changing an object takes, rather too many: as counted on versions 15 and 18.
fn locks_of(object: &Object) -> usize {
    match &object.definition {
        Definition::Table(table) => {
            let of_column = |column: &Column| {
                usize::from(column.default.is_some())
                    + usize::from(column.not_null.is_some())
                    + 2 * usize::from(column.clauses.has(clause::IDENTITY))
            };
            let keys = usize::from(table.primary_key.is_some()) + table.unique_keys.len() + table.exclusions.len();
            4 + 2 * keys + table.checks.len() + table.columns.iter().map(of_column).sum::<usize>()
        }
        _ => 2,
    }
}
