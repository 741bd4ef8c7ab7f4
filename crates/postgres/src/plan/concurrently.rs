//! Indexes and keys that are built, and indexes that are dropped, while others write: after the transaction
//! (<https://www.postgresql.org/docs/current/sql-createindex.html#SQL-CREATEINDEX-CONCURRENTLY>).

use crate::clause;
use std::collections::{BTreeMap, BTreeSet};

use super::super::canonical;
use super::super::names::{self, identifier, quoted, schema};
use super::super::write;
use super::dependents::touched_columns;
use super::table::has_key;
use wevrun_core::compare::{Change, Renames};
use wevrun_core::model::{
    Definition, Expression, Flag, Index, Key, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table,
};
use wevrun_core::plan::{Mode, Outcome, Part, Planning, Step};

/// What comes after the transaction, and what the transaction leads to instead of want.
pub struct Late<'m> {
    /// What the transaction leads to.
    pub goal: Model,
    /// The renames on the way there: indexes that are rebuilt are renamed temporarily.
    pub renames: Renames,
    work: Vec<Work<'m>>,
}

/// One thing that is done later.
enum Work<'m> {
    /// An index is built.
    Build(&'m Object, &'m Index),
    /// An index of a partitioned table is built, partition by partition.
    BuildTree(&'m Object, &'m Index),
    /// Keys of a table are built.
    Keys(&'m Object, Vec<(&'static str, &'m Key)>),
    /// An index goes: its key, and why.
    Drop(ObjectKey, String),
}

/// What can be done later; none if there is nothing. `again` is what the transaction recreates.
pub fn find<'m>(planning: &Planning<'m>, have: &Model, again: &BTreeSet<ObjectKey>) -> Option<Late<'m>> {
    if !planning.plan_options.concurrent_indexes || planning.is_undo {
        return None;
    }
    let mut late = Late { goal: planning.want.clone(), renames: planning.comparison.renames.clone(), work: Vec::new() };
    let stays = |owner: &QualifiedName| {
        have.named(owner).any(|object| object.definition.kind().is_relation())
            && !again.iter().any(|key| key.name == *owner && key.kind.is_relation())
    };
    for difference in &planning.comparison.differences {
        match &difference.change {
            Change::Create(object) => {
                if let Definition::Index(index) = &object.definition
                    && stays(&index.table)
                {
                    late.new_index(planning.want, object, index);
                }
            }
            Change::Change { have: before, want: object, .. } => match (&before.definition, &object.definition) {
                (Definition::Index(old), Definition::Index(index)) if stays(&index.table) => {
                    if old.clauses.has(clause::INVALID) {
                        // The server left it behind when building it failed.
                        late.new_index(planning.want, object, index);
                    } else if again.contains(&object.key()) && index_stays(planning, have, before, old) {
                        late.changed_index(planning.want, (before, old), (object, index));
                    }
                }
                (Definition::Table(_), Definition::Table(table)) if stays(&object.name) => {
                    if let Some(before) = have.table(&object.name) {
                        late.new_keys((have, planning.want), object, before, table);
                    }
                }
                _ => {}
            },
            Change::Remove(object) => {
                if let Definition::Index(index) = &object.definition
                    && stays(&index.table)
                    && index_stays(planning, have, object, index)
                {
                    late.goal.insert((*object).clone());
                    late.work.push(Work::Drop(object.key(), format!("drop {}", object.key())));
                }
            }
        }
    }
    (!late.work.is_empty()).then_some(late)
}

/// Whether the server would let an index of have stay as it is until the end of the transaction.
fn index_stays(planning: &Planning<'_>, have: &Model, object: &Object, index: &Index) -> bool {
    let key = object.key();
    let touched = have.table(&index.table).zip(planning.want.table(&index.table));
    planning.comparison.renames.key_in_have(&key) == key
        && planning.comparison.renames.columns_of(&index.table).is_empty()
        && touched.is_none_or(|(have, want)| touched_columns(have, want).is_empty())
        && !is_needed(planning.want, &object.name, index)
        && !is_needed(have, &object.name, index)
        && !is_partitioned(have, &index.table)
        && object.uses.iter().all(|used| planning.want.named(used).next().is_some())
}

fn is_partitioned(model: &Model, table: &QualifiedName) -> bool {
    model.table(table).is_some_and(|table| table.clauses.has(clause::PARTITION_BY))
}

/// Whether something else needs the index: as what tells rows apart, as a foreign key's target.
fn is_needed(model: &Model, name: &QualifiedName, index: &Index) -> bool {
    let own = identifier(name);
    let Some(table) = model.table(&index.table) else {
        return model
            .relation(&index.table)
            .is_some_and(|view| write::clauses(view).value(clause::CLUSTER_ON) == Some(&own));
    };
    let named = table.clauses.expressions().any(|(clause, value)| {
        matches!(clause, "replica identity" | "cluster on") && value.canonical.contains(own.as_str())
    });
    named || index.unique && is_target(model, &index.table)
}

fn is_target(model: &Model, table: &QualifiedName) -> bool {
    model.tables().any(|(_, other)| other.foreign_keys.iter().any(|key| key.parent == *table))
}

/// What the old index is called until the new one is there.
fn temporary_name(name: &QualifiedName) -> QualifiedName {
    let old = format!("wevrun_old_{}", identifier(name));
    let end = old.floor_char_boundary(names::LONGEST);
    names::qualified(&schema(name).unwrap_or_default(), &old[..end])
}

impl<'m> Late<'m> {
    fn new_index(&mut self, want: &'m Model, object: &'m Object, index: &'m Index) {
        if index.clauses.has(clause::ATTACHED_TO) || is_needed(want, &object.name, index) {
            return;
        }
        if !is_partitioned(want, &index.table) {
            self.work.push(Work::Build(object, index));
        } else if canonical::partitions(want, &index.table)
            .iter()
            .all(|(partition, _)| partition.definition.kind() == Kind::Table)
        {
            self.work.push(Work::BuildTree(object, index));
        } else {
            return; // a foreign table has no indexes
        }
        self.goal.remove(&object.key());
    }

    fn changed_index(&mut self, want: &'m Model, before: (&Object, &Index), after: (&'m Object, &'m Index)) {
        if is_needed(want, &after.0.name, after.1) || is_partitioned(want, &after.1.table) {
            return;
        }
        let key = after.0.key();
        let old = Object { name: temporary_name(&key.name), text: String::new(), ..before.0.clone() };
        self.work.push(Work::Build(after.0, after.1));
        self.work.push(Work::Drop(old.key(), format!("drop the old {key}")));
        self.renames.tables.push((Kind::Index, key.name.clone(), old.name.clone()));
        self.goal.remove(&key);
        self.goal.insert(old);
    }

    /// Keys over columns that are NOT NULL already, so that only the index has to be built.
    fn new_keys(&mut self, (before, want): (&Model, &Model), object: &'m Object, have: &Table, table: &'m Table) {
        if table.clauses.has(clause::PARTITION_BY)
            || table.clauses.has(clause::PARTITION_OF)
            || is_target(want, &object.name)
        {
            return;
        }
        let alike = |column: &Name| have.column(column).is_some_and(|before| Some(before) == table.column(column));
        let filled = |column: &Name| have.column(column).is_some_and(|column| column.not_null.is_some());
        let has_name = |key: &Key| {
            have.primary_key.iter().chain(have.unique_keys.iter()).any(|other| other.name == key.name)
                || before.named(&write::index_of(&object.name, &key.name)).next().is_some()
        };
        let can_wait = |key: &&Key| {
            let own = quoted(key.name.canonical());
            let named = |(clause, value): (&str, &Expression)| {
                matches!(clause, "replica identity" | "cluster on") && value.canonical.contains(own.trim_matches('"'))
            };
            !key.clauses.has(clause::WITHOUT_OVERLAPS)
                && !has_name(key)
                && !table.clauses.expressions().any(named)
                && key.parts.iter().all(|part| alike(&part.column))
        };
        let primary = table.primary_key.iter().filter(|_| have.primary_key.is_none());
        let primary = primary.filter(can_wait).filter(|key| key.parts.iter().all(|part| filled(&part.column)));
        let unique = table.unique_keys.iter().filter(|key| !has_key(have, key)).filter(can_wait);
        let keys: Vec<_> = primary.map(|key| ("PRIMARY KEY", key)).chain(unique.map(|key| ("UNIQUE", key))).collect();
        if keys.is_empty() {
            return;
        }
        let mut bare = object.clone();
        if let Definition::Table(bare) = &mut bare.definition {
            if keys.iter().any(|(what, _)| *what == "PRIMARY KEY") {
                bare.primary_key = None;
            }
            bare.unique_keys.retain(|key| !keys.iter().any(|(_, late)| *late == key));
        }
        self.goal.insert(bare);
        self.work.push(Work::Keys(object, keys));
    }

    /// The part that does it.
    pub fn part(&self, planning: &Planning<'_>) -> Part {
        let is_drop = |work: &&Work<'_>| matches!(work, Work::Drop(..));
        let (first, last) = (self.work.iter().filter(|work| !is_drop(work)), self.work.iter().filter(is_drop));
        let steps: Vec<Step> = first.chain(last).map(|work| self.step(planning.want, work)).collect();
        let made = steps.iter().flat_map(|step| &step.makes).map(|outcome| outcome.object.clone());
        let beside: Vec<String> = made.chain(planning.left_out(&super::super::Postgres)).collect();
        Part {
            from: Some(self.goal.without(&beside).fingerprint()),
            mode: Mode::EachStatement,
            steps,
            ..Part::default()
        }
    }

    fn step(&self, want: &Model, work: &Work<'_>) -> Step {
        match work {
            Work::Build(object, index) => build(object, index),
            Work::BuildTree(object, index) => self.build_tree(want, object, index),
            Work::Keys(object, keys) => build_keys(object, keys),
            Work::Drop(key, title) => {
                let statement = format!("DROP INDEX CONCURRENTLY IF EXISTS {}", key.name);
                let mut step = Step::new(format!("{title} while others write"), vec![statement]);
                step.makes.push(Outcome { object: key.to_string(), fingerprint: None });
                step
            }
        }
    }

    fn build_tree(&self, want: &Model, object: &Object, index: &Index) -> Step {
        let key = object.key();
        let title = format!("build {key} on {}, partition by partition, while others write", index.table);
        let mut step = Step::new(title, vec![search_path(object)]);
        let own = identifier(&object.name);
        let mut names: BTreeMap<&QualifiedName, QualifiedName> = [(&index.table, object.name.clone())].into();
        // What a build that was broken off has left behind goes first.
        let mut drop_branches = vec![format!("DROP INDEX IF EXISTS {}", object.name)];
        let mut branches = vec![write::create_index(&object.name, &on(index, &index.table, true), false)];
        let (mut drop_leaves, mut leaves, mut attach) = (Vec::new(), Vec::new(), Vec::new());
        for (partition, parent) in canonical::partitions(want, &index.table) {
            let partition = &partition.name;
            let own_schema = schema(partition).unwrap_or_default();
            let is_taken = |name: &str| {
                let name = names::qualified(&own_schema, name);
                [&self.goal, want].into_iter().any(|model| model.named(&name).next().is_some())
            };
            // A name that says of which index it is: those that the server makes up may be taken by parts of another one.
            let made_up = || names::first_free(&identifier(partition), &own, "idx", is_taken);
            let given = want.table(partition).and_then(|table| table.part_names.get(&object.name));
            let name = given.map_or_else(made_up, |name| name.canonical().to_owned());
            let name = names::qualified(&own_schema, &name);
            if is_partitioned(want, partition) {
                drop_branches.push(format!("DROP INDEX IF EXISTS {name}"));
                branches.push(write::create_index(&name, &on(index, partition, true), false));
            } else {
                drop_leaves.push(format!("DROP INDEX CONCURRENTLY IF EXISTS {name}"));
                leaves.push(write::create_index(&name, &on(index, partition, false), true));
            }
            // Those below first: an index is valid when all that belong to it are.
            attach.insert(0, format!("ALTER INDEX {} ATTACH PARTITION {name}", names[parent]));
            let object = ObjectKey::new(Kind::Index, name.clone()).to_string();
            step.makes.push(Outcome { object, fingerprint: None });
            names.insert(partition, name);
        }
        attach.extend(write::extras(object));
        step.statements.extend(without_long_waits(drop_branches));
        step.statements.extend(drop_leaves);
        step.statements.extend(without_long_waits(branches));
        step.statements.extend(leaves);
        step.statements.extend(without_long_waits(attach));
        finished(step, object, index.unique)
    }
}

/// Statements before which others wait as soon as they wait themselves. A concurrent build may wait for as long as it takes.
fn without_long_waits(statements: Vec<String>) -> Vec<String> {
    let mut out = vec!["SET lock_timeout = '10s'".to_owned()];
    out.extend(statements);
    out.push("RESET lock_timeout".to_owned());
    out
}

fn build(object: &Object, index: &Index) -> Step {
    let key = object.key();
    let statements = vec![
        search_path(object),
        // What a build that failed has left behind.
        format!("DROP INDEX CONCURRENTLY IF EXISTS {}", object.name),
        write::create_index(&object.name, index, true),
    ];
    let mut step = Step::new(format!("build {key} on {} while others write", index.table), statements);
    step.statements.extend(write::extras(object));
    finished(step, object, index.unique)
}

fn build_keys(object: &Object, keys: &[(&'static str, &Key)]) -> Step {
    let table = &object.name;
    let called: Vec<String> = keys.iter().map(|(_, key)| key.name.to_string()).collect();
    let title = format!("build {} of {table} while others write", called.join(", "));
    let mut step = Step::new(title, vec![search_path(object)]);
    for (what, key) in keys {
        let own = quoted(key.name.canonical());
        let name = write::index_of(table, &key.name);
        let index = canonical::index_of_key(table, key);
        // What a build that was broken off has left behind goes first.
        let drop = format!("ALTER TABLE {table} DROP CONSTRAINT IF EXISTS {own}");
        step.statements.extend(without_long_waits(vec![drop]));
        step.statements.push(format!("DROP INDEX CONCURRENTLY IF EXISTS {name}"));
        step.statements.push(write::create_index(&name, &index, true));
        let attributes = write::attributes(&key.clauses);
        let mut add = vec![format!("ALTER TABLE {table} ADD CONSTRAINT {own} {what} USING INDEX {own}{attributes}")];
        add.extend(write::constraint_comments(table, &key.name, &key.clauses));
        step.statements.extend(without_long_waits(add));
        step.makes.push(Outcome { object: ObjectKey::new(Kind::Index, name).to_string(), fingerprint: None });
    }
    finished(step, object, true)
}

/// The same index on another table of its tree.
fn on(index: &Index, table: &QualifiedName, branch: bool) -> Index {
    let mut index = Index { table: table.clone(), ..index.clone() };
    if branch {
        index.clauses.set(clause::ONLY, Flag);
    }
    index
}

fn finished(mut step: Step, object: &Object, unique: bool) -> Step {
    let key = object.key();
    step.notes.push("the build waits for every transaction that runs when it begins".to_owned());
    if unique {
        step.risks.push(super::create::equal_rows(&key));
    }
    let fingerprint = Model::from_iter([object.clone()]).fingerprint();
    step.makes.insert(0, Outcome { object: key.to_string(), fingerprint: Some(fingerprint) });
    step
}

fn search_path(object: &Object) -> String {
    format!("SET search_path = {}", canonical::path_for(object))
}
