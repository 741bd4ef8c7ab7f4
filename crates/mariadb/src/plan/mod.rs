//! Migrations. Every statement that changes a structure is committed by itself here, so a plan is one part whose steps each list what
//! they leave behind: a deployment that ended halfway is taken up by that.

mod access;
mod algorithm;
mod conversions;
mod foreign_keys;
mod frame;
mod partitions;
mod programs;
mod renames;
pub mod structure;
mod table;

pub use frame::{ROWS_WOULD_BE_LOST, frame, probe_query};
pub use structure::ANOTHER_STRUCTURE;

use std::collections::{BTreeMap, BTreeSet};

use wevrun_core::compare::{Change, Difference};
use wevrun_core::model::{Clauses, Definition, Kind, Model, Object, ObjectKey, QualifiedName};
use wevrun_core::plan::{Mode, Outcome, Part, Plan, Planning, Probe, Risk, RiskKind, Step, order};

use crate::names::in_sql;
use crate::write;

/// Questions about the data that a good plan needs.
pub fn probes(planning: &Planning<'_>) -> Vec<Probe> {
    let mut probes = Vec::new();
    for difference in &planning.comparison.differences {
        match &difference.change {
            Change::Remove(object) if object.definition.kind() == Kind::Table => {
                probes.push(Probe::HasRows(object.name.clone()));
            }
            Change::Change { have, want, .. } => {
                if let (Some(before), Some(after)) = (have.as_table(), want.as_table()) {
                    table::probes(planning, have, before, after, &mut probes);
                }
            }
            _ => {}
        }
    }
    probes
}

/// The ordered steps of a migration.
pub fn plan(planning: &Planning<'_>) -> Plan {
    let mut planner = Planner {
        planning,
        state: planning.have.clone(),
        steps: Vec::new(),
        made: BTreeSet::new(),
        recreated: Vec::new(),
        differences: planning.comparison.differences.iter().map(|difference| (&difference.key, difference)).collect(),
        have_keys: planning.renamed.by_owner(),
        want_keys: planning.want.by_owner(),
    };
    planner.plan();
    let Planner { steps, recreated, .. } = planner;
    if steps.is_empty() {
        return Plan::default();
    }
    let made: BTreeSet<String> =
        steps.iter().flat_map(|step| &step.makes).map(|outcome| outcome.object.clone()).collect();
    let made: Vec<String> = made.into_iter().chain(planning.left_out(&crate::MariaDb)).collect();
    let from = planning.have.without(&made).fingerprint();
    let part = Part { from: Some(from), mode: Mode::EachStatement, steps, ..Part::default() };
    Plan { recreated, parts: vec![part], ..Plan::default() }
}

struct Planner<'p> {
    planning: &'p Planning<'p>,
    /// The structure after the steps so far.
    state: Model,
    steps: Vec<Step>,
    /// The objects, by kind and name, that a step made so far.
    made: BTreeSet<String>,
    /// Objects that are made again though they stay the same.
    recreated: Vec<ObjectKey>,
    differences: BTreeMap<&'p ObjectKey, &'p Difference<'p>>,
    /// The objects on each table of have, under want's names.
    have_keys: BTreeMap<&'p QualifiedName, Vec<&'p Object>>,
    want_keys: BTreeMap<&'p QualifiedName, Vec<&'p Object>>,
}

impl<'p> Planner<'p> {
    fn plan(&mut self) {
        access::refuse_unknown(self);
        renames::plan(self);
        self.drop_what_depends();
        let moved = foreign_keys::Moved::find(self);
        foreign_keys::drop(self, &moved);
        self.drop_tables();
        self.make_sequences();
        programs::routines(self);
        self.create_tables(&moved);
        table::change_all(self, &moved);
        self.drop_kind(Kind::Sequence);
        foreign_keys::add(self, &moved);
        self.make_views();
        programs::triggers_and_events(self);
        for kind in [Kind::Function, Kind::Aggregate, Kind::Procedure, Kind::PackageBody, Kind::Package] {
            self.drop_kind(kind);
        }
        access::plan(self);
    }

    /// The differences of a kind of object.
    fn of_kind(&self, kind: Kind) -> Vec<&'p Difference<'p>> {
        self.differences.values().copied().filter(|difference| difference.key.kind == kind).collect()
    }

    /// Adds a step that leaves these objects behind.
    fn step(&mut self, mut step: Step, after: Vec<(ObjectKey, Option<Object>)>) {
        for (key, object) in after {
            let name = key.to_string();
            if self.made.insert(name.clone()) {
                let fingerprint = self.state.get(&key).map(|object| Model::from_iter([object.clone()]).fingerprint());
                step.meets.push(Outcome { object: name.clone(), fingerprint });
            }
            let fingerprint = object.as_ref().map(|object| Model::from_iter([object.clone()]).fingerprint());
            step.makes.push(Outcome { object: name, fingerprint });
            match object {
                Some(object) => drop(self.state.insert(object)),
                None => drop(self.state.remove(&key)),
            }
        }
        self.steps.push(step);
    }

    /// Drops views, triggers and events that are not wanted any more.
    fn drop_what_depends(&mut self) {
        for kind in [Kind::Event, Kind::Trigger] {
            self.drop_kind(kind);
        }
        let removed = self.of_kind(Kind::View).into_iter().filter_map(removed).collect::<Vec<_>>();
        for view in order::used_first(&removed).into_iter().rev() {
            self.drop_object(view);
        }
    }

    fn drop_kind(&mut self, kind: Kind) {
        let removed: Vec<&Object> = self.of_kind(kind).into_iter().filter_map(removed).collect();
        for object in removed {
            // What is on a table that is dropped is dropped with it.
            let with_table = kind == Kind::Trigger
                && object.definition.owner().is_some_and(|owner| self.planning.want.table(owner).is_none());
            if !with_table {
                self.drop_object(object);
            }
        }
    }

    fn drop_object(&mut self, object: &Object) {
        let key = object.key();
        let word = match key.kind {
            Kind::Aggregate => "FUNCTION".to_owned(),
            kind => kind.title().to_uppercase(),
        };
        let statement = format!("DROP {word} {}", in_sql(&object.name));
        let mut step = Step::new(format!("drop {key}"), vec![statement]).of(key.clone());
        if key.kind == Kind::Sequence {
            let explanation = "the next value is forgotten";
            step.risks.push(Risk::new(RiskKind::RepeatsValues, key.to_string(), explanation));
        }
        self.step(step, vec![(key, None)]);
    }

    fn drop_tables(&mut self) {
        let tables: Vec<&Object> = self.of_kind(Kind::Table).into_iter().filter_map(removed).collect();
        // Children before the tables that they refer to.
        for object in order::parents_first(&tables).into_iter().rev() {
            let key = object.key();
            let name = in_sql(&object.name);
            let mut step = Step::new(format!("drop {key}"), Vec::new()).of(key.clone());
            let probe = Probe::HasRows(object.name.clone());
            if self.planning.evidence.answer(&probe) == Some(false) {
                // Locked first, so that no session adds a row after the check.
                step.statements.push(format!("LOCK TABLES {name} WRITE"));
                step.statements.push(frame::must_not_hold(&probe));
                step.statements.push(format!("DROP TABLE {name}"));
                step.statements.push("UNLOCK TABLES".to_owned());
                step.notes.push(format!("{key} is empty, so nothing is lost; the script stops if it is not any more"));
            } else {
                let certain = match self.planning.evidence.answer(&probe) {
                    Some(true) => "it holds rows, and they are destroyed",
                    _ => "any rows in it are destroyed",
                };
                step.risks.push(Risk::new(RiskKind::LosesTable, key.to_string(), certain));
                step.statements.push(format!("DROP TABLE {name}"));
            }
            let on_it = self.state.objects().filter(|other| other.definition.owner() == Some(&object.name));
            let mut after: Vec<(ObjectKey, Option<Object>)> = on_it.map(|other| (other.key(), None)).collect();
            after.insert(0, (key, None));
            self.step(step, after);
        }
    }

    fn make_sequences(&mut self) {
        for difference in self.of_kind(Kind::Sequence) {
            let (title, statement, want, mut risks) = match &difference.change {
                Change::Create(object) => ("create", write::create_statement(object), *object, Vec::new()),
                Change::Change { have, want, .. } => {
                    let key = want.key();
                    let (Some(before), Some(after)) = (have.definition.clauses(), want.definition.clauses()) else {
                        continue;
                    };
                    let mut risks = Vec::new();
                    if before.get(crate::clause::INCREMENT) != after.get(crate::clause::INCREMENT) {
                        risks.push(Risk::new(
                            RiskKind::ChangesValues,
                            key.to_string(),
                            "later values have another distance",
                        ));
                    }
                    // The name of an engine is no part of ALTER.
                    let options = write::sequence_options(after);
                    let falls =
                        |clauses: &Clauses| clauses.get(crate::clause::INCREMENT).is_some_and(|by| by.starts_with('-'));
                    let turns = falls(before) != falls(after);
                    if turns {
                        risks.push(Risk::new(
                            RiskKind::RepeatsValues,
                            key.to_string(),
                            "it restarts: INCREMENT changed sign",
                        ));
                    }
                    let restart = if turns { " RESTART" } else { "" };
                    ("change", format!("ALTER SEQUENCE {}{options}{restart}", in_sql(&want.name)), *want, risks)
                }
                Change::Remove(_) => continue,
            };
            let key = want.key();
            let mut step = Step::new(format!("{title} {key}"), vec![statement]).of(key.clone());
            step.risks.append(&mut risks);
            self.step(step, vec![(key, Some(want.clone()))]);
        }
    }

    fn create_tables(&mut self, moved: &foreign_keys::Moved) {
        let new: Vec<&Object> = self.of_kind(Kind::Table).into_iter().filter_map(created).collect();
        for object in order::parents_first(&new) {
            let key = object.key();
            let Some(want) = object.as_table() else { continue };
            let keys: Vec<&Object> = self.keys_of(object, true);
            let mut table = want.clone();
            // What refers to a table that is not there yet, or changes, is added last.
            table.foreign_keys.retain(|key| !moved.is_added_later(&object.name, &key.name));
            let mut first = object.clone();
            first.definition = Definition::Table(table.clone());
            let statement = write::tables::create(&object.name, &table, &keys);
            let mut step = Step::new(format!("create {key}"), vec![statement]).of(key.clone());
            if self.planning.is_undo {
                step.notes.push("can't bring back: the rows that the table held before the release".to_owned());
            }
            let mut after = vec![(key, Some(first))];
            after.extend(keys.iter().map(|own| (own.key(), Some((*own).clone()))));
            self.step(step, after);
        }
    }

    /// The keys of a table, in have under want's names or in want.
    fn keys_of(&self, table: &Object, in_want: bool) -> Vec<&'p Object> {
        let all = if in_want { &self.want_keys } else { &self.have_keys };
        let on_it = all.get(&table.name).into_iter().flatten().copied();
        on_it.filter(|object| object.definition.kind() == Kind::Index).collect()
    }

    /// Views are replaced in one statement, after what they read from.
    fn make_views(&mut self) {
        let changed = self.of_kind(Kind::View).into_iter().filter_map(|difference| match &difference.change {
            Change::Create(object) => Some(*object),
            Change::Change { want, .. } => Some(*want),
            Change::Remove(_) => None,
        });
        let changed: Vec<&Object> = changed.collect();
        for view in order::used_first(&changed) {
            let key = view.key();
            let exists = self.state.get(&key).is_some();
            let (title, statement) = if exists {
                ("replace", write::create_or_replace(view))
            } else {
                ("create", write::create_statement(view))
            };
            let step = Step::new(format!("{title} {key}"), vec![statement]).of(key.clone());
            self.step(step, vec![(key, Some(view.clone()))]);
        }
    }
}

fn removed<'p>(difference: &'p Difference<'p>) -> Option<&'p Object> {
    if let Change::Remove(object) = &difference.change { Some(object) } else { None }
}

fn created<'p>(difference: &'p Difference<'p>) -> Option<&'p Object> {
    if let Change::Create(object) = &difference.change { Some(object) } else { None }
}
