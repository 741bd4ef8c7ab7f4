//! Where a script that takes more locks than the server has room for is cut into transactions.
//!
//! A transaction keeps the locks of all that it makes, changes and drops until it ends, and all sessions share one table of locks
//! (<https://www.postgresql.org/docs/current/runtime-config-locks.html>). The state at each cut is computed by running the steps
//! on the model.

use std::any::Any;
use std::collections::BTreeSet;

use rayon::prelude::*;
use wevrun_core::change::Change;
use wevrun_core::fold::Run;
use wevrun_core::model::{
    Column, Definition, Expression, Fingerprint, Kind, Model, Object, ObjectKey, QualifiedName, Table,
};
use wevrun_core::parse::{Statement, StatementKind, parse_source};
use wevrun_core::plan::{Part, Planning, Step};
use wevrun_core::source::Source;

use crate::change::{self, TableChange};
use crate::{Postgres, clause};

/// The locks that a server with its default settings has room for: 64 for each of 100 connections.
const USUAL_ROOM: usize = 6_400;

/// How many locks a transaction may take: the rest is for other sessions.
fn room(planning: &Planning<'_>) -> usize {
    planning.evidence.lock_room().unwrap_or(USUAL_ROOM) / 4 * 3
}

/// Whether one transaction has room for the locks of all steps.
pub fn fits(planning: &Planning<'_>, steps: &[Step]) -> bool {
    let parsed: Vec<Vec<Statement>> = steps.par_iter().map(statements).collect();
    let mut held = Held { planning, keys: BTreeSet::new() };
    parsed.iter().flatten().map(|statement| held.take(&statement.kind)).sum::<usize>() <= room(planning)
}

/// Before which of the steps a part begins, and in what state. Cuts are made only after as many steps as `pauses` lists, and where
/// everything is there that both sides have. `first` are the parts before these steps; `unproven` is left out of the states.
pub fn places(
    planning: &Planning<'_>,
    first: &[Part],
    steps: &[Step],
    pauses: &[usize],
    unproven: &[String],
) -> Vec<(usize, Fingerprint)> {
    let room = room(planning);
    let mut cuts: Vec<(usize, Fingerprint)> = Vec::new();
    let mut run = after(planning, first);
    let mut held = Held { planning, keys: BTreeSet::new() };
    let (mut taken, mut enough) = (0, room);
    for (index, step) in steps.iter().enumerate() {
        let statements = statements(step);
        taken += statements.iter().map(|statement| held.take(&statement.kind)).sum::<usize>();
        if run.apply(statements).iter().any(|found| found.is_error()) {
            break; // From here on the state is not known.
        }
        if taken < enough || pauses.binary_search(&(index + 1)).is_err() {
            continue;
        }
        let state = run.state();
        let fingerprint = state.without(unproven).fingerprint();
        // What makes no difference to the structure can't be told from what was before.
        let is_other = cuts.last().is_none_or(|(_, last)| *last != fingerprint);
        if is_other && is_whole(planning, &state) {
            cuts.push((index + 1, fingerprint));
            held.keys.clear();
            (taken, enough) = (0, room);
        } else {
            enough = taken + room / 8;
        }
    }
    cuts
}

/// The state that parts leave, without what is unproven or not managed.
pub fn state_after(planning: &Planning<'_>, parts: &[Part]) -> Fingerprint {
    after(planning, parts).state().without(&planning.left_out(&Postgres)).fingerprint()
}

fn after(planning: &Planning<'_>, parts: &[Part]) -> Run<'static> {
    let mut run = Run::new(&Postgres, planning.have);
    for step in parts.iter().flat_map(|part| &part.steps) {
        run.apply(statements(step));
    }
    run
}

fn statements(step: &Step) -> Vec<Statement> {
    let text: String = step.statements.iter().map(|statement| format!("{statement};\n")).collect();
    parse_source(&Postgres, &Source::new("", &text), 0).statements
}

/// What a transaction holds locks of.
struct Held<'p> {
    planning: &'p Planning<'p>,
    keys: BTreeSet<ObjectKey>,
}

impl Held<'_> {
    /// How many more locks a statement takes, about: rather too many, as counted on versions 15 and 18.
    fn take(&mut self, statement: &StatementKind) -> usize {
        match statement {
            StatementKind::Create { object, .. } => {
                self.keys.insert(object.key());
                locks_of(object)
            }
            StatementKind::Drop { kind, name, .. } => {
                2 * self.object(&[*kind], name).map_or(2, |(_, object)| locks_of(object)) + 5
            }
            StatementKind::Alter(alter) => {
                let Some((key, object)) = self.object(&alter.kinds, &alter.name) else { return 2 };
                let all = locks_of(object);
                let first = self.keys.insert(key);
                8 * foreign_keys(&alter.change) + if first { all } else { 2 }
            }
            StatementKind::IfMissing(kind) => self.take(kind),
            StatementKind::Grant(_) | StatementKind::Aside { .. } | StatementKind::Session => 1,
        }
    }

    /// The object of this name, with its key, in want or in have.
    fn object(&self, kinds: &[Kind], name: &QualifiedName) -> Option<(ObjectKey, &Object)> {
        let models = [self.planning.want, &self.planning.renamed, self.planning.have];
        let keys = kinds.iter().map(|kind| ObjectKey::new(*kind, name.clone()));
        let mut found =
            keys.flat_map(|key| models.into_iter().filter_map(move |model| Some((key.clone(), model.get(&key)?))));
        found.next()
    }
}

/// How many constraints a change adds or drops that lock another table as well.
fn foreign_keys(change: &Change) -> usize {
    let Change::Engine(change) = change else { return 0 };
    match (&**change as &dyn Any).downcast_ref() {
        Some(change::Change::Table { changes, .. }) => changes.iter().map(locks_others).sum(),
        _ => 0,
    }
}

fn locks_others(change: &TableChange) -> usize {
    match change {
        TableChange::AddConstraints(added) | TableChange::AddColumn { constraints: added, .. } => {
            added.constraints.foreign_keys.len()
        }
        TableChange::DropConstraint { .. } | TableChange::DropColumn { .. } => 1,
        _ => 0,
    }
}

/// About how many locks making or changing an object takes.
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

/// Whether a state has everything that both sides have: nothing is gone that the rest of the script creates again.
fn is_whole(planning: &Planning<'_>, state: &Model) -> bool {
    planning.renamed.objects().all(|have| {
        let key = have.key();
        let Some(want) = planning.want.get(&key) else { return true };
        let Some(now) = state.get(&key) else { return false };
        match (&have.definition, &now.definition, &want.definition) {
            (Definition::Table(have), Definition::Table(now), Definition::Table(want)) => {
                has_what_both_have(have, now, want)
            }
            // To which column it belongs is set at the end.
            (Definition::Plain(plain), ..) if plain.kind == Kind::Sequence => true,
            (have, now, want) => now == have || now == want,
        }
    }) && !state.objects().any(is_shell)
}

fn is_shell(object: &Object) -> bool {
    matches!(&object.definition, Definition::Plain(plain) if plain.clauses.has(clause::SHELL))
}

fn has_what_both_have(have: &Table, now: &Table, want: &Table) -> bool {
    fn of_both<T: PartialEq>(have: &[T], now: &[T], want: &[T]) -> bool {
        have.iter().filter(|item| want.contains(item)).all(|item| now.contains(item))
    }
    let column = |now: &Column| {
        let default = |table: &Table| table.column(&now.name).and_then(|column| column.default.clone());
        let [have, want]: [Option<Expression>; 2] = [default(have), default(want)];
        now.default.is_some() || have.is_none() || want.is_none()
    };
    (have.primary_key != want.primary_key || now.primary_key == want.primary_key)
        && of_both(&have.unique_keys.0, &now.unique_keys.0, &want.unique_keys.0)
        && of_both(&have.foreign_keys.0, &now.foreign_keys.0, &want.foreign_keys.0)
        && of_both(&have.checks.0, &now.checks.0, &want.checks.0)
        && of_both(&have.exclusions.0, &now.exclusions.0, &want.exclusions.0)
        && now.columns.iter().all(column)
}
