//! What goes, in the order in which the server lets it go.

use crate::clause;
use std::collections::BTreeSet;

use super::super::canonical::attached_to;
use super::super::names::{self, quoted};
use super::super::write;
use super::{Planner, column_order, must_not_hold, order};
use wevrun_core::compare::Change;
use wevrun_core::model::{Definition, Kind, Name, Object, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::{Clearance, Probe, Risk, RiskKind, Step};

impl Planner<'_> {
    /// What goes or is recreated and depends on tables: before these change. What tables must let go of goes after what they
    /// are `detached` from it.
    pub(super) fn drop_early(&mut self, removed: &BTreeSet<ObjectKey>, detached: Vec<Step>) {
        let new = self.new_routines();
        let gives_way = |key: &ObjectKey| is_routine(key.kind) && new.contains(&without_arguments(&key.name));
        let early = removed
            .iter()
            .filter(|key| is_early(key.kind) || gives_way(key) || self.takes_swapped(key) || self.holds_columns(key))
            .chain(&self.again);
        let mut early: BTreeSet<ObjectKey> = early.cloned().collect();
        // What takes the rows of a relation, or has it in its body, goes before it.
        loop {
            let relations: BTreeSet<&QualifiedName> = early.iter().map(|key| &key.name).collect();
            let uses_one = |key: &&ObjectKey| {
                let object = self.have().get(key);
                !early.contains(key)
                    && !matches!(key.kind, Kind::Schema | Kind::Sequence | Kind::Type)
                    && object.is_some_and(|object| object.uses.iter().any(|name| relations.contains(name)))
            };
            let more: Vec<ObjectKey> = removed.iter().filter(uses_one).cloned().collect();
            if more.is_empty() {
                break;
            }
            early.extend(more);
        }
        self.drop_circular_checks(&early);
        let gone: BTreeSet<ObjectKey> = removed.iter().chain(&self.again).cloned().collect();
        let called = if detached.is_empty() { BTreeSet::new() } else { self.called_by_tables(&early) };
        let (called, others): (Vec<_>, Vec<_>) = early.into_iter().partition(|key| called.contains(key));
        self.drop_all(&others, &gone);
        self.steps.extend(detached);
        self.drop_all(&called, &gone);
    }

    /// A sequence goes with the column that owns it, unless it is let go before.
    pub(super) fn keep_sequences(&mut self, removed: &BTreeSet<ObjectKey>) {
        let planning = self.planning;
        let goes = |table: &QualifiedName, column: &Name| {
            let key = ObjectKey::new(Kind::Table, table.clone());
            let recreated = self.again.contains(&key) && !self.ordered.contains(table);
            let without = |want: &Table| want.column(column).is_none();
            recreated || removed.contains(&key) || planning.want.table(table).is_some_and(without)
        };
        let mut steps = Vec::new();
        for object in self.have().of_kind(Kind::Sequence) {
            let Definition::Plain(plain) = &object.definition else { continue };
            let owner = plain.owner.as_ref().zip(plain.clauses.value(clause::OWNED_BY));
            if planning.want.get(&object.key()).is_some()
                && owner.is_some_and(|(table, column)| goes(table, &names::simple(column)))
            {
                let statement = format!("ALTER SEQUENCE {} OWNED BY NONE", object.name);
                steps.push(Step::new(format!("remove the owning column of {}", object.key()), vec![statement]));
            }
        }
        self.steps.extend(steps);
    }

    /// What tables that stay use of these, with all that it uses itself.
    fn called_by_tables(&self, keys: &BTreeSet<ObjectKey>) -> BTreeSet<ObjectKey> {
        let stays = |object: &&Object| !keys.contains(&object.key());
        let tables = self.have().of_kind(Kind::Table).filter(stays);
        let mut names: Vec<&QualifiedName> = tables.flat_map(|object| &object.uses).collect();
        let mut found = BTreeSet::new();
        while let Some(name) = names.pop() {
            let objects = self.have().named(name).filter(|object| keys.contains(&object.key()));
            for object in objects {
                if found.insert(object.key()) {
                    names.extend(&object.uses);
                }
            }
        }
        found
    }

    /// Drops these, unless they go with what they stand on. `gone` is all that goes or is recreated.
    fn drop_all(&mut self, keys: &[ObjectKey], gone: &BTreeSet<ObjectKey>) {
        for key in order::users_first(self.have(), keys) {
            let Some(object) = self.have().get(&key).cloned().filter(|_| !self.dropped.contains(&key)) else {
                continue;
            };
            // What stands on a table or view that goes, goes with it, unless it keeps something else from going.
            let goes = |name: &QualifiedName| gone.iter().any(|key| key.name == *name && key.kind.is_relation());
            let holds = matches!(key.kind, Kind::Rule | Kind::Policy);
            let cascades = object.definition.owner().is_some_and(|owner| {
                goes(owner) && !(holds && object.uses.iter().any(|used| used != owner && goes(used)))
            });
            // So does a part of an index with that, and can't go before it.
            let whole = object.as_index().and_then(attached_to).map(|whole| ObjectKey::new(Kind::Index, whole));
            if cascades || whole.is_some_and(|whole| gone.contains(&whole)) {
                continue;
            }
            if let Some(table) = object.as_table().filter(|_| self.ordered.contains(&key.name)) {
                let step = column_order::step_aside(self.have(), &key.name, table);
                self.push(step);
                continue;
            }
            self.dropped.insert(key);
            self.drop_object(&object);
        }
    }

    /// Whether it is a routine of which the server knows what columns it reads, and does not let these go.
    fn holds_columns(&self, key: &ObjectKey) -> bool {
        matches!(key.kind, Kind::Function | Kind::Procedure)
            && self.have().get(key).is_some_and(|object| write::clauses(object).has(clause::BODY))
    }

    /// Whether it needs a type that is only renamed temporarily, and could not go after it.
    fn takes_swapped(&self, key: &ObjectKey) -> bool {
        let uses = |object: &Object| object.uses.iter().any(|name| self.swapped.contains(name));
        matches!(key.kind, Kind::Function | Kind::Procedure | Kind::Aggregate) && self.have().get(key).is_some_and(uses)
    }

    /// The names, without arguments, of the routines that come: the server calls what fits best, which may be one that goes.
    fn new_routines(&self) -> BTreeSet<String> {
        let new = self.planning.comparison.differences.iter().filter_map(|difference| match &difference.change {
            Change::Create(object) if is_routine(object.definition.kind()) => Some(without_arguments(&object.name)),
            _ => None,
        });
        new.collect()
    }

    /// The checks of tables that call a routine which takes the table's rows: neither could go before the other.
    fn drop_circular_checks(&mut self, gone: &BTreeSet<ObjectKey>) {
        let mut steps = Vec::new();
        let functions = gone.iter().filter(|key| key.kind == Kind::Function);
        let routines: Vec<&Object> = functions.filter_map(|key| self.have().get(key)).collect();
        for key in gone.iter().filter(|key| key.kind == Kind::Table) {
            let Some(object) = self.have().get(key) else { continue };
            let Some(table) = object.as_table() else { continue };
            for routine in routines.iter().filter(|routine| order::takes_rows(routine, &key.name)) {
                for check in order::checks_with(table, routine).into_iter().filter_map(|check| check.name.as_ref()) {
                    let statement = format!("ALTER TABLE {} DROP CONSTRAINT {}", key.name, quoted(check.canonical()));
                    steps.push(Step::new(format!("drop check {check} of {}", key.name), vec![statement]));
                }
            }
        }
        self.steps.extend(steps);
    }

    /// A serial column that becomes an identity column, or the other way round, needs the name of its sequence.
    pub(super) fn make_room(&mut self, removed: &BTreeSet<ObjectKey>) -> Vec<ObjectKey> {
        let planning = self.planning;
        let mut gone = Vec::new();
        let mut steps = Vec::new();
        for (name, table) in self.have().tables() {
            let Some(want) =
                planning.want.table(name).filter(|_| !self.again.contains(&ObjectKey::new(Kind::Table, name.clone())))
            else {
                continue;
            };
            for column in table.columns.iter() {
                let Some(wanted) = want.column(&column.name) else { continue };
                let own = quoted(column.name.canonical());
                if column.clauses.has(clause::IDENTITY) && !wanted.clauses.has(clause::IDENTITY) {
                    let sequence = write::identity_sequence(name, column);
                    let statements = vec![
                        super::sequences::keep_count(&sequence, name, column.name.canonical()),
                        format!("ALTER TABLE {name} ALTER COLUMN {own} DROP IDENTITY"),
                    ];
                    let title = format!("drop the identity of column {name}.{}", column.name);
                    steps.push(Step::new(title, statements));
                }
                if !column.clauses.has(clause::IDENTITY)
                    && wanted.clauses.has(clause::IDENTITY)
                    && column.default.is_some()
                {
                    let mut statements = vec![format!("ALTER TABLE {name} ALTER COLUMN {own} DROP DEFAULT")];
                    for key in removed.iter().filter(|key| key.kind == Kind::Sequence) {
                        let Some(Definition::Plain(sequence)) = self.have().get(key).map(|object| &object.definition)
                        else {
                            continue;
                        };
                        if sequence.owner.as_ref() == Some(name)
                            && sequence.clauses.value(clause::OWNED_BY) == Some(column.name.canonical())
                        {
                            let own = column.name.canonical();
                            statements.push(super::sequences::keep_count(&key.name, name, own));
                            statements.push(format!("DROP SEQUENCE {}", key.name));
                            gone.push(key.clone());
                        }
                    }
                    steps.push(Step::new(
                        format!("free the sequence name for the identity of column {name}.{}", column.name),
                        statements,
                    ));
                }
            }
        }
        self.steps.extend(steps);
        gone
    }

    /// What can only go when nothing uses it any more: types, sequences, routines, schemas.
    pub(super) fn drop_late(&mut self, removed: &BTreeSet<ObjectKey>) {
        let keys: Vec<ObjectKey> =
            removed.iter().filter(|key| !is_early(key.kind) && !self.again.contains(key)).cloned().collect();
        for key in order::users_first(self.have(), &keys) {
            let Some(object) = self.have().get(&key).cloned() else { continue };
            if self.dropped.contains(&key) {
                continue;
            }
            // A sequence goes with the column that owns it.
            if let Definition::Plain(plain) = &object.definition
                && let (Kind::Sequence, Some(owner), Some(column)) =
                    (plain.kind, &plain.owner, plain.clauses.value(clause::OWNED_BY))
            {
                let stays =
                    self.planning.want.table(owner).is_some_and(|table| table.column(&names::simple(column)).is_some());
                if !stays {
                    continue;
                }
            }
            self.drop_object(&object);
        }
    }

    /// A partition of a table that others refer to can't go while it is one: the server looks then whether a row refers to its rows.
    fn detach_partition(&self, object: &Object) -> Option<String> {
        let parent_of = |table: &Table| table.clauses.get(clause::PARTITION_OF).cloned();
        let parent = parent_of(object.as_table()?)?;
        let stays = ObjectKey::new(Kind::Table, parent.clone());
        let mut above = vec![parent.clone()];
        while let Some(next) = self.have().table(above.last()?).and_then(parent_of).filter(|next| !above.contains(next))
        {
            above.push(next);
        }
        let refers = |table: &Table| table.foreign_keys.iter().any(|key| above.contains(&key.parent));
        let needed = self.planning.want.get(&stays).is_some()
            && !self.again.contains(&stays)
            && self.have().tables().any(|(_, table)| refers(table));
        needed.then(|| format!("ALTER TABLE {parent} DETACH PARTITION {}", object.name))
    }

    /// The server drops no operator class while a key is ordered by it.
    fn keys_ordered_by(&self, class: &Object) -> Vec<Risk> {
        let stays = |key: &ObjectKey| self.planning.want.get(key).is_some() && !self.again.contains(key);
        let tables = self.have().of_kind(Kind::Table).filter(|table| table.uses.contains(&class.name));
        let risks = tables.filter(|table| stays(&table.key())).map(|table| {
            let explanation =
                format!("keys of it are ordered by {}, and the server can't drop that under them", class.key());
            let mut risk = Risk::new(RiskKind::ChangesValues, table.key().to_string(), explanation);
            risk.clearance = Clearance::Impossible;
            risk.ways_out.push("keep the class, and create another one for new indexes".to_owned());
            risk.ways_out
                .push("drop the keys in this release, and add them with the new class in the next one".to_owned());
            risk
        });
        risks.collect()
    }

    /// Where a sequence makes room for that of an identity, which continues to count.
    fn keep_count(&self, sequence: &Object) -> Option<String> {
        let Definition::Plain(plain) = &sequence.definition else { return None };
        let (owner, column) = (plain.owner.as_ref()?, plain.clauses.value(clause::OWNED_BY)?);
        let wanted = self.planning.want.table(owner)?.column(&names::simple(column))?;
        let is_sequence = plain.kind == Kind::Sequence && wanted.clauses.has(clause::IDENTITY);
        is_sequence.then(|| super::sequences::keep_count(&sequence.name, owner, column))
    }

    pub(super) fn drop_object(&mut self, object: &Object) {
        let key = object.key();
        let purpose = if self.again.contains(&key) { " to recreate it" } else { "" };
        let mut step = Step::new(format!("drop {key}{purpose}"), Vec::new());
        if matches!(key.kind, Kind::Table) {
            let original = self.original(&key);
            let probe = Probe::HasRows(original);
            if self.planning.evidence.answer(&probe) == Some(false) {
                step.statements.extend(must_not_hold(&Probe::HasRows(object.name.clone())));
                step.notes.push(format!("{key} is empty, so nothing is lost; the script stops if it is not any more"));
            } else {
                let certain = match self.planning.evidence.answer(&probe) {
                    Some(true) => "it holds rows, and they are destroyed",
                    _ => "any rows in it are destroyed",
                };
                step.risks.push(Risk::new(RiskKind::LosesTable, key.to_string(), certain));
            }
        }
        step.statements.extend(self.keep_count(object));
        step.statements.extend(self.detach_partition(object));
        step.statements.push(drop_statement(object));
        if key.kind == Kind::Subscription {
            // Dropped with its slot, it could not be in a transaction.
            let name = &object.name;
            let first = [
                format!("ALTER SUBSCRIPTION {name} DISABLE"),
                format!("ALTER SUBSCRIPTION {name} SET (slot_name = NONE)"),
            ];
            step.statements.splice(0..0, first);
            step.notes.push("its replication slot stays on the publisher; drop it there".to_owned());
        }
        if key.kind == Kind::OperatorClass {
            step.risks.extend(self.keys_ordered_by(object));
        }
        if order::is_base_type(object) {
            // The type and the functions that read and write it need each other: nothing else uses them any more.
            step.statements = vec![format!("{} CASCADE", drop_statement(object))];
            let functions = self.have().of_kind(Kind::Function).filter(|f| object.uses.contains(&f.name));
            let functions: Vec<ObjectKey> = functions.map(Object::key).collect();
            let words: Vec<String> = functions.iter().map(ToString::to_string).collect();
            step.notes.push(format!("also dropped: {}", words.join(", ")));
            self.dropped.extend(functions);
        }
        self.push(step);
        self.pause();
    }
}

fn is_routine(kind: Kind) -> bool {
    matches!(kind, Kind::Function | Kind::Procedure | Kind::Aggregate)
}

fn without_arguments(name: &QualifiedName) -> String {
    names::without_signature(name).canonical().to_owned()
}

/// The statement that drops an object, and nothing else.
fn drop_statement(object: &Object) -> String {
    let key = object.key();
    let name = &object.name;
    match key.kind {
        // Where the aggregated arguments stand decides which one is meant.
        Kind::Aggregate if let Some(ordered) = write::clauses(object).value(clause::ORDERED) => {
            let base = names::without_signature(name);
            format!("DROP AGGREGATE {base}({ordered})")
        }
        // Two procedures may differ only in what is OUT.
        Kind::Procedure if let Some(arguments) = write::clauses(object).value(clause::ARGUMENTS) => {
            let with_mode = |argument: &String| {
                let has = ["OUT ", "INOUT ", "VARIADIC "].iter().any(|mode| argument.starts_with(mode));
                if has { argument.clone() } else { format!("IN {argument}") }
            };
            let arguments: Vec<String> = super::super::split_list(arguments).iter().map(with_mode).collect();
            let base = names::without_signature(name);
            format!("DROP PROCEDURE {base}({})", arguments.join(", "))
        }
        kind => format!("DROP {}", write::subject(kind, name)),
    }
}

/// Whether objects of the kind go before tables change: what depends on tables, and tables themselves.
fn is_early(kind: Kind) -> bool {
    matches!(
        kind,
        Kind::Table
            | Kind::ForeignTable
            | Kind::Index
            | Kind::View
            | Kind::MaterializedView
            | Kind::Trigger
            | Kind::Rule
            | Kind::Policy
            | Kind::Statistics
            | Kind::Publication
            | Kind::EventTrigger
    )
}
