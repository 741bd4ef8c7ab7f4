//! Planning for PostgreSQL: in place wherever the server can, and what stands in the way dropped and made again.

mod column_order;
mod columns;
mod concurrently;
mod conversions;
mod create;
mod cuts;
mod dependents;
mod detached;
mod drops;
mod event_triggers;
mod finish;
mod foreign_keys;
mod frame;
mod grants;
mod guards;
mod index_settings;
mod inheritance;
mod labels;
mod operators;
mod order;
mod parameters;
mod part_names;
mod partitions;
mod plain;
mod recomputed;
mod renames;
mod sequences;
pub mod structure;
mod swap;
mod table;
mod type_changes;

use crate::clause;
use std::borrow::Cow;
use std::cell::OnceCell;
use std::collections::BTreeSet;

use super::Postgres;
use super::canonical;
use super::write;
pub use column_order::obstacle as order_obstacle;
use dependents::{Going, in_the_way};
pub use frame::frame;
pub use guards::{must_not_hold, probe_query, stop_if};
use wevrun_core::compare::{Change, compare_with};
use wevrun_core::model::{Definition, Fingerprint, Kind, Model, Object, ObjectKey, Plain, QualifiedName};
use wevrun_core::plan::{Part, Plan, Planning, Probe, Risk, RiskKind, Step};

/// The whole plan.
pub fn plan(planning: &Planning<'_>) -> Plan {
    if planning.comparison.is_identical()
        && planning.plan_options.column_order.is_empty()
        && !planning.plan_options.access
    {
        return Plan::default();
    }
    let Some((have, steps)) = partitions::detached_first(planning) else { return parts(planning) };
    let comparison = compare_with(&Postgres, &have, planning.want, planning.comparison.renames.clone());
    let sides = (&have, planning.want);
    let rest = Planning::new(&Postgres, sides, &comparison, planning.version, planning.evidence);
    let rest = Planning { plan_options: planning.plan_options.clone(), is_undo: planning.is_undo, ..rest };
    let mut plan = parts(&rest);
    partitions::put_first(&mut plan.parts, steps);
    plan
}

/// The parts of a plan that needs no preparation.
fn parts(planning: &Planning<'_>) -> Plan {
    let planner = Planner::planned(planning, false);
    let Some(late) = concurrently::find(planning, &planner.have, &planner.again) else {
        return transactions(planning, planner, planning);
    };
    // The transaction leads to want without what is done later.
    let comparison = compare_with(&Postgres, planning.have, &late.goal, late.renames.clone());
    let sides = (planning.have, &late.goal);
    let first = Planning::new(&Postgres, sides, &comparison, planning.version, planning.evidence);
    let first = Planning { plan_options: planning.plan_options.clone(), ..first };
    let planner = Planner::planned(&first, false);
    let mut plan = transactions(&first, planner, planning);
    plan.parts.push(late.part(planning));
    plan
}

/// The parts that are transactions: more than one if labels must be there first, or if it takes too many locks.
/// `whole` is what all parts together lead to.
fn transactions<'p>(planning: &'p Planning<'p>, planner: Planner<'p>, whole: &Planning<'_>) -> Plan {
    let must_be_cut = !cuts::fits(planning, &planner.steps);
    let mut planner = if must_be_cut { Planner::planned(planning, true) } else { planner };
    let labels = labels::first(planning, &planner.early_labels);
    let mut parts: Vec<Part> = labels.into_iter().collect();
    // A plan's first part begins in have, which its head says.
    let from = (!parts.is_empty()).then(|| cuts::state_after(planning, &parts));
    let cuts = if must_be_cut {
        cuts::places(planning, &parts, &planner.steps, &planner.pauses, &whole.left_out(&Postgres))
    } else {
        Vec::new()
    };
    planner.steps.extend(grants::steps(whole));
    let swapped = planner.swapped.iter().flat_map(|name| planning.want.named(name)).map(Object::key);
    let recreated = planner.again.iter().cloned().chain(swapped).collect();
    parts.extend(planner.transactions(from, cuts));
    Plan { recreated, parts, ..Plan::default() }
}

/// How an object of both sides is brought from one to the other.
enum Method {
    /// Nothing that needs a step.
    Nothing,
    /// Changed where it is.
    Alter(Vec<Step>),
    /// Dropped and recreated.
    Rebuild,
}

/// The columns of have's views and of want's.
type Outputs = (canonical::Outputs, canonical::Outputs);

struct Planner<'p> {
    planning: &'p Planning<'p>,
    /// Whether the steps are to be cut into more than one transaction.
    must_be_cut: bool,
    /// After how many steps they can be cut, as far as the steps themselves allow it.
    pauses: Vec<usize>,
    /// What there is, under want's names: also those of constraints.
    have: Cow<'p, Model>,
    steps: Vec<Step>,
    /// Objects that are dropped and made again, whether they change or only stand in the way.
    again: BTreeSet<ObjectKey>,
    /// Types that are recreated under the columns that use them.
    swapped: BTreeSet<QualifiedName>,
    /// Tables that are recreated to have their columns in another order.
    ordered: BTreeSet<QualifiedName>,
    /// What is dropped already.
    dropped: BTreeSet<ObjectKey>,
    /// Types whose new labels are used in the same script.
    early_labels: Vec<ObjectKey>,
    /// The schemas in which names are looked for.
    path: String,
    /// Event triggers that may fire for the steps, by have's names.
    firing: Vec<QualifiedName>,
}

impl<'p> Planner<'p> {
    fn planned(planning: &'p Planning<'p>, must_be_cut: bool) -> Planner<'p> {
        let mut planner = Planner {
            planning,
            must_be_cut,
            pauses: Vec::new(),
            have: Cow::Borrowed(&*planning.renamed),
            steps: Vec::new(),
            again: BTreeSet::new(),
            swapped: BTreeSet::new(),
            ordered: BTreeSet::new(),
            dropped: BTreeSet::new(),
            early_labels: Vec::new(),
            path: canonical::USUAL_PATH.to_owned(),
            firing: Vec::new(),
        };
        planner.plan();
        planner
    }

    /// The steps as transactions: `cuts` says where each but the first begins, and in what state. `from` is the state in which the
    /// first begins, if its place in the script does not say so.
    fn transactions(self, from: Option<Fingerprint>, cuts: Vec<(usize, Fingerprint)>) -> Vec<Part> {
        let mut steps = self.steps;
        let mut parts = Vec::new();
        for (start, state) in cuts.into_iter().rev() {
            parts.push(Part { from: Some(state), steps: steps.split_off(start), ..Part::default() });
        }
        parts.push(Part { from, steps, ..Part::default() });
        parts.retain(|part| !part.steps.is_empty());
        parts.reverse();
        parts
    }

    fn have(&self) -> &Model {
        &self.have
    }

    /// Between what was done and what is next the script may be cut.
    fn pause(&mut self) {
        if self.must_be_cut {
            self.path = canonical::USUAL_PATH.to_owned();
            self.pauses.push(self.steps.len());
        }
    }

    fn push(&mut self, step: Step) {
        self.steps.push(step);
    }

    fn plan(&mut self) {
        let planning = self.planning;
        let disabled = self.disable_event_triggers();
        self.renames();
        self.rename_constraints();
        self.find_early_labels();
        let outputs = OnceCell::new();
        let mut removed: BTreeSet<ObjectKey> = BTreeSet::new();
        let mut alterations: Vec<(ObjectKey, Vec<Step>)> = Vec::new();
        for difference in &planning.comparison.differences {
            match &difference.change {
                Change::Create(_) => {}
                Change::Remove(object) => {
                    removed.insert(object.key());
                }
                Change::Change { want, .. } => {
                    let key = want.key();
                    let Some(have) = self.have().get(&key) else { continue };
                    if have.definition == want.definition {
                        continue; // only names changed
                    }
                    match self.method(have, want, &outputs) {
                        Method::Nothing => {}
                        Method::Alter(steps) => alterations.push((key, steps)),
                        Method::Rebuild => {
                            self.again.insert(key);
                        }
                    }
                }
            }
        }
        self.swapped =
            self.again.iter().filter(|key| swap::is_swapped(planning, key)).map(|key| key.name.clone()).collect();
        self.again.retain(|key| !self.swapped.contains(&key.name) || key.kind == Kind::Index);
        let to_order = planning.plan_options.column_order.iter().map(|name| ObjectKey::new(Kind::Table, name.clone()));
        let to_order: Vec<ObjectKey> =
            to_order.filter(|key| !alterations.iter().any(|(other, _)| other == key)).collect();
        self.ordered = to_order.iter().filter(|key| !self.again.contains(key)).map(|key| key.name.clone()).collect();
        self.again.extend(to_order);
        self.find_dependents(&removed);
        // What is recreated is not altered as well.
        alterations.retain(|(key, _)| !self.again.contains(key));
        let detached = self.detach(&removed, &mut alterations, &outputs);
        self.keep_sequences(&removed);
        self.drop_foreign_keys(&removed);
        let gone: BTreeSet<&QualifiedName> = removed.iter().chain(&self.again).map(|key| &key.name).collect();
        let freed = swap::without_checks(planning, &self.swapped, &gone);
        self.steps.extend(freed);
        self.drop_early(&removed, detached);
        let gone = self.make_room(&removed);
        removed.retain(|key| !gone.contains(key));
        self.steps.extend(swap::before(planning, &self.swapped));
        let event_triggers = self.create_and_alter(alterations);
        self.add_foreign_keys(&removed);
        self.finish();
        self.steps.extend(recomputed::steps(planning, &self.have, &self.again));
        self.steps.extend(swap::at_last(planning, &self.swapped));
        self.drop_late(&removed);
        event_triggers.into_iter().for_each(|object| self.create(object));
        self.enable_event_triggers(&disabled);
    }

    /// What must be made again, and which types are renamed temporarily, because something else does.
    fn find_dependents(&mut self, removed: &BTreeSet<ObjectKey>) {
        let planning = self.planning;
        let mut columns = self.detached_columns(removed, &self.again);
        loop {
            let going = Going { removed, again: &self.again, swapped: &self.swapped, columns: &columns };
            let stands = in_the_way(self.have(), planning.want, &going, planning.version.major);
            // A type on a type that is renamed temporarily does so too.
            let (swapped, again): (Vec<_>, Vec<_>) =
                stands.into_iter().partition(|key| swap::is_swapped(planning, key));
            let before = (self.swapped.len(), self.again.len());
            self.swapped.extend(swapped.into_iter().map(|key| key.name));
            self.again.extend(again);
            self.again.extend(inheritance::indexes_that_hold_together(
                self.have(),
                planning.want,
                removed,
                &self.again,
            ));
            columns = self.detached_columns(removed, &self.again);
            if before == (self.swapped.len(), self.again.len()) {
                break;
            }
        }
    }

    fn method(&self, have: &Object, want: &Object, outputs: &OnceCell<Outputs>) -> Method {
        match (&have.definition, &want.definition) {
            (Definition::Table(before), Definition::Table(after)) => {
                if before.clauses.value(clause::PARTITION_BY) != after.clauses.value(clause::PARTITION_BY) {
                    return Method::Rebuild;
                }
                let change = table::TableChange { planning: self.planning, have: before, want: after, object: want };
                Method::Alter(change.steps())
            }
            (Definition::View(before), Definition::View(after)) => {
                let of_both = || (canonical::view_outputs(self.have()), canonical::view_outputs(self.planning.want));
                plain::view(have, want, before, after, outputs.get_or_init(of_both))
            }
            (Definition::Index(before), Definition::Index(after)) => {
                plain::index(want, before, after, is_partitioned(self.planning.want, &after.table))
            }
            (Definition::Plain(before), Definition::Plain(after)) => {
                plain::plain(want, before, after, swap::is_swapped(self.planning, &want.key()))
            }
            _ => Method::Rebuild,
        }
    }

    /// Enums whose new labels are used by what the script makes have them before it begins.
    fn find_early_labels(&mut self) {
        for difference in &self.planning.comparison.differences {
            let Change::Change { want, .. } = &difference.change else { continue };
            let key = want.key();
            let Some(mut have) = self.have().get(&key).cloned() else { continue };
            let (Definition::Plain(before), Definition::Plain(after)) = (&mut have.definition, &want.definition) else {
                continue;
            };
            let Some(labels) = after.clauses.get(clause::ENUM).filter(|_| before.clauses.has(clause::ENUM)) else {
                continue;
            };
            let additions = labels::additions(&want.name, &before.clauses, &after.clauses);
            if additions.is_none_or(|additions| additions.is_empty()) || !self.uses_new_labels(before, want) {
                continue;
            }
            before.clauses.set(clause::ENUM, labels.clone());
            self.have.to_mut().insert(have);
            self.early_labels.push(key);
        }
    }

    /// Whether something that is made or changes names a label that is new.
    fn uses_new_labels(&self, before: &Plain, want: &Object) -> bool {
        let old = super::enum_labels(&before.clauses);
        let labels = super::enum_labels(write::clauses(want));
        let new: Vec<String> = labels.into_iter().filter(|label| !old.contains(label)).collect();
        self.planning.comparison.differences.iter().any(|difference| {
            let object = match &difference.change {
                Change::Create(object) => *object,
                Change::Change { want: object, .. } => *object,
                Change::Remove(_) => return false,
            };
            let routine = matches!(object.definition.kind(), Kind::Function | Kind::Procedure);
            object.key() != want.key() && !routine && labels::may_be_used(object, &want.name, &old, &new)
        })
    }

    /// What an object was called in have.
    fn original(&self, key: &ObjectKey) -> QualifiedName {
        self.planning.comparison.renames.key_in_have(key).name
    }

    /// Gives the event triggers that are to be created last: they would fire for all that comes after them.
    fn create_and_alter(&mut self, alterations: Vec<(ObjectKey, Vec<Step>)>) -> Vec<&'p Object> {
        let planning = self.planning;
        let mut keys: Vec<ObjectKey> = planning
            .comparison
            .differences
            .iter()
            .filter_map(|difference| match &difference.change {
                Change::Create(object) => Some(object.key()),
                _ => None,
            })
            .filter(|key| self.have().get(key).is_none())
            .collect();
        keys.extend(self.again.iter().filter(|key| planning.want.get(key).is_some()).cloned());
        keys.extend(alterations.iter().map(|(key, _)| key.clone()));
        keys.extend(
            self.swapped
                .iter()
                .flat_map(|name| planning.want.named(name))
                .filter(|o| swap::can_be_renamed_temporarily(o.definition.kind()))
                .map(Object::key),
        );
        keys.sort();
        keys.dedup();
        // A base type is a shell first, so that its functions can name it.
        let is_new_base_type = |key: &&ObjectKey| {
            planning.want.get(key).is_some_and(order::is_base_type) && self.have().get(key).is_none()
        };
        let mut shells: Vec<ObjectKey> = keys.iter().filter(is_new_base_type).cloned().collect();
        let mut waiting = self.swapped.clone();
        let (mut late, mut event_triggers) = (Vec::new(), Vec::new());
        for key in order::used_first(planning.want, &keys) {
            if !matches!(key.kind, Kind::Schema | Kind::Extension | Kind::AccessMethod) {
                for shell in shells.drain(..) {
                    let statement = format!("CREATE TYPE {}", shell.name);
                    let step = Step::new(format!("create the shell of {shell}"), vec![statement]);
                    self.push(step.of(shell.clone()));
                }
            }
            if let Some((_, steps)) = alterations.iter().find(|(altered, _)| *altered == key) {
                for step in steps {
                    self.push(step.clone());
                }
                self.pause();
                continue;
            }
            let Some(object) = planning.want.get(&key) else { continue };
            if key.kind == Kind::EventTrigger {
                event_triggers.push(object);
                continue;
            }
            late.extend(self.create_without_late_checks(object));
            // As soon as all new types are there, and before anything is made on the columns.
            if swap::can_be_renamed_temporarily(key.kind) && waiting.remove(&key.name) && waiting.is_empty() {
                let recreated = |name: &QualifiedName| self.again.contains(&ObjectKey::new(Kind::Table, name.clone()));
                let stays = |name: &QualifiedName| !recreated(name) || self.ordered.contains(name);
                self.steps.extend(swap::after(planning, &self.swapped, stays));
            }
        }
        self.steps.extend(late);
        event_triggers
    }
}

/// Whether a table has partitions.
fn is_partitioned(model: &Model, name: &QualifiedName) -> bool {
    model.table(name).is_some_and(|table| table.clauses.has(clause::PARTITION_BY))
}

/// The risk that a step rewrites every row of a table.
pub fn rewrites(table: &QualifiedName) -> Risk {
    Risk::new(
        RiskKind::RewritesTable,
        format!("table {table}"),
        "every row is rewritten; no other session can read or write the table meanwhile",
    )
}

/// What must be known of the data to plan well.
pub fn probes(planning: &Planning<'_>) -> Vec<Probe> {
    let changed = planning.comparison.differences.iter().filter_map(|difference| match &difference.change {
        Change::Change { want, .. } => {
            matches!(want.definition.kind(), Kind::Type | Kind::Domain).then(|| want.name.clone())
        }
        _ => None,
    });
    let mut probes = swap::probes(planning, &changed.collect());
    for difference in &planning.comparison.differences {
        match &difference.change {
            Change::Create(object) => {
                let default = partitions::default_beside(planning, object);
                probes.extend(default.map(|default| partitions::has_rows(planning, default)));
            }
            Change::Remove(object) if object.definition.kind() == Kind::Table => {
                probes.push(Probe::HasRows(object.name.clone()))
            }
            Change::Change { want, .. } => {
                if let (Some(have), Some(after)) = (planning.renamed.table(&want.name), want.as_table()) {
                    probes.extend(table::TableChange { planning, have, want: after, object: want }.probes());
                }
            }
            _ => {}
        }
    }
    probes
}
