//! Changes of a table, in place: one ALTER TABLE for what can share it.

use super::super::names::quoted;
use super::super::sameness::Constraint;
use super::super::write;
use super::{index_settings, parameters};
use crate::clause;
use wevrun_core::model::{Check, Column, ForeignKey, Key, Name, Object, QualifiedName, Table};
use wevrun_core::plan::{Planning, Probe, Risk, RiskKind, Step};

/// One table that differs.
pub struct TableChange<'p> {
    pub planning: &'p Planning<'p>,
    /// As it is, under want's names.
    pub have: &'p Table,
    /// As it shall be.
    pub want: &'p Table,
    /// Want's object.
    pub object: &'p Object,
}

impl TableChange<'_> {
    pub(super) fn original_table(&self) -> QualifiedName {
        self.planning.comparison.renames.key_in_have(&self.object.key()).name
    }

    pub(super) fn original_column(&self, column: &Name) -> Name {
        let renamed = self.planning.comparison.renames.columns_of(&self.object.name);
        renamed.into_iter().find(|(_, new)| new == column).map_or_else(|| column.clone(), |(old, _)| old)
    }

    pub(super) fn answer(&self, probe: &Probe) -> Option<bool> {
        self.planning.evidence.answer(probe)
    }

    /// What must be known of the rows.
    pub fn probes(&self) -> Vec<Probe> {
        let table = self.original_table();
        let mut probes = vec![Probe::HasRows(table.clone())];
        for column in self.have.columns.iter().filter(|column| column.generated.is_none()) {
            let original = self.original_column(&column.name);
            match self.want.column(&column.name) {
                Some(wanted) if wanted == column => {}
                Some(_) => probes.extend([
                    Probe::HasValues(table.clone(), original.clone()),
                    Probe::HasNulls(table.clone(), original),
                ]),
                None => probes.push(Probe::HasValues(table.clone(), original)),
            }
        }
        probes
    }

    /// The steps, in the order in which the server can take them.
    pub fn steps(&self) -> Vec<Step> {
        let mut steps = Vec::new();
        self.dropped_constraints(&mut steps);
        self.columns(&mut steps);
        self.inheritance(&mut steps);
        self.settings(&mut steps);
        self.added_constraints(&mut steps);
        steps.extend(index_settings::of_constraints(self));
        self.comments(&mut steps);
        steps
    }

    pub(super) fn table(&self) -> &QualifiedName {
        &self.object.name
    }

    pub(super) fn step(&self, title: impl Into<String>, actions: Vec<String>) -> Step {
        let what = if self.want.clauses.has(clause::SERVER) { "FOREIGN TABLE" } else { "TABLE" };
        let statement = format!("ALTER {what} {}\n    {}", self.table(), actions.join(",\n    "));
        Step::new(title, vec![if actions.len() == 1 { statement.replacen("\n    ", " ", 1) } else { statement }])
    }

    pub(super) fn has_no_rows(&self) -> bool {
        self.answer(&Probe::HasRows(self.original_table())) == Some(false)
    }

    pub(super) fn may_refuse(&self, step: &mut Step, object: String, explanation: &str) {
        if !self.has_no_rows() {
            step.risks.push(Risk::new(RiskKind::MayRefuseRows, object, explanation));
        }
    }

    fn dropped_constraints(&self, steps: &mut Vec<Step>) {
        let mut actions = Vec::new();
        let mut names = Vec::new();
        let mut drop = |name: &Name| {
            actions.push(format!("DROP CONSTRAINT {}", quoted(name.canonical())));
            names.push(name.canonical().to_owned());
        };
        let (have, want) = (self.have, self.want);
        self.keys_that_go().for_each(|key| drop(&key.name));
        let checks = have.checks.iter().filter(|check| !has_check(want, check) || self.is_respelled(check));
        let exclusions = have.exclusions.iter().filter(|check| !has_exclusion(want, check) || self.is_respelled(check));
        checks.chain(exclusions).filter_map(|check| check.name.as_ref()).for_each(&mut drop);
        if !actions.is_empty() {
            let title = format!("drop constraint {} of {}", names.join(", "), self.table());
            steps.push(self.step(title, actions));
        }
    }

    /// Whether the server would spell the check with casts from the old type of a column: then it is recreated.
    fn is_respelled(&self, check: &Check) -> bool {
        let names = |column: &Name| {
            let conditions = check.clauses.get(clause::WHERE).into_iter().chain([&check.condition]);
            conditions.into_iter().any(|condition| condition.may_use_column(column))
        };
        let other_type =
            |column: &Column| self.want.column(&column.name).is_some_and(|want| want.data_type != column.data_type);
        self.have.columns.iter().any(|column| other_type(column) && names(&column.name))
            || self.replaced().iter().any(names)
    }

    fn replaced(&self) -> Vec<Name> {
        super::dependents::replaced_columns(self.have, self.want, self.planning.version.major)
    }

    /// The keys that go, for good or to be recreated.
    pub fn keys_that_go(&self) -> impl Iterator<Item = &Key> {
        let (have, want) = (self.have, self.want);
        let primary = have.primary_key.iter().filter(|key| !has_primary_key(want, key));
        let unique = have.unique_keys.iter().filter(|key| !has_key(want, key));
        let gone: Vec<&Key> = primary.chain(unique).collect();
        let all = have.primary_key.iter().chain(have.unique_keys.iter());
        all.filter(move |key| gone.contains(key) || self.loses_column(key))
    }

    /// Whether the key goes with a column that is recreated.
    fn loses_column(&self, key: &Key) -> bool {
        self.replaced().iter().any(|column| key.parts.iter().any(|part| part.column == *column))
    }

    fn added_constraints(&self, steps: &mut Vec<Step>) {
        let (have, want) = (self.have, self.want);
        let table = self.table();
        let mut add = |name: &Name, words: String, object: String, explanation: &str, harmless: bool| {
            let mut step = self.step(format!("add constraint {name} to {table}"), vec![format!("ADD {words}")]);
            if !harmless {
                self.may_refuse(&mut step, object, explanation);
            }
            steps.push(step);
        };
        let equal = "rows that are equal in these columns stop the script";
        for key in want.primary_key.iter().filter(|key| !has_primary_key(have, key) || self.loses_column(key)) {
            add(&key.name, write::key_constraint("PRIMARY KEY", key), format!("primary key {table}"), equal, false);
        }
        for key in want.unique_keys.iter().filter(|key| !has_key(have, key) || self.loses_column(key)) {
            add(
                &key.name,
                write::key_constraint("UNIQUE", key),
                format!("unique key {table}.{}", key.name),
                equal,
                false,
            );
        }
        let breaks = "rows that break the condition stop the script";
        for check in want.checks.iter().filter(|check| !has_check(have, check) || self.is_respelled(check)) {
            let Some(name) = &check.name else { continue };
            let harmless = check.clauses.has(clause::NOT_VALID) || check.clauses.has(clause::NOT_ENFORCED);
            add(name, write::check_constraint(check), format!("check {table}.{name}"), breaks, harmless);
        }
        for check in want.exclusions.iter().filter(|check| !has_exclusion(have, check) || self.is_respelled(check)) {
            let Some(name) = &check.name else { continue };
            add(
                name,
                write::exclusion_constraint(check),
                format!("exclusion {table}.{name}"),
                "rows that exclude one another stop the script",
                false,
            );
        }
    }

    fn settings(&self, steps: &mut Vec<Step>) {
        let table = self.table();
        let (have, want) = (&self.have.clauses, &self.want.clauses);
        let mut statements = write::table_settings(table, have, want);
        let mut actions = Vec::new();
        let mut rewrites = false;
        for clause in have.differing(want) {
            let value = want.value_named(clause);
            match clause {
                "unlogged" => {
                    actions.push(if value.is_some() { "SET UNLOGGED" } else { "SET LOGGED" }.to_owned());
                    rewrites = true;
                }
                "tablespace" => {
                    statements
                        .push(format!("ALTER TABLE {table} SET TABLESPACE {}", quoted(value.unwrap_or("pg_default"))));
                    rewrites = true;
                }
                "using" => {
                    actions.push(format!("SET ACCESS METHOD {}", quoted(value.unwrap_or("heap"))));
                    rewrites = true;
                }
                "of" => {
                    let of = want.get(clause::OF);
                    actions.push(of.map_or_else(|| "NOT OF".to_owned(), |of| format!("OF {of}")));
                }
                _ => {
                    if let Some(name) = clause::OPTIONS.member(clause) {
                        let name = quoted(name);
                        let words = match (have.has_named(clause), value) {
                            (true, Some(value)) => format!("SET {name} {}", super::super::tokens::literal(value)),
                            (false, Some(value)) => format!("ADD {name} {}", super::super::tokens::literal(value)),
                            (_, None) => format!("DROP {name}"),
                        };
                        statements.push(format!("ALTER FOREIGN TABLE {table} OPTIONS ({words})"));
                    }
                }
            }
        }
        actions.extend(parameters::change(have, want));
        if !actions.is_empty() {
            statements.extend(self.step("", actions).statements);
        }
        if !statements.is_empty() {
            let mut step = Step::new(format!("change settings of table {table}"), statements);
            if rewrites && !self.has_no_rows() {
                step.risks.push(self.rewrites());
            }
            steps.push(step);
        }
    }

    fn comments(&self, steps: &mut Vec<Step>) {
        let table = self.table();
        let mut statements = Vec::new();
        let (have, want) = (self.have, self.want);
        if have.clauses.value(clause::COMMENT) != want.clauses.value(clause::COMMENT) {
            let subject = write::subject(self.object.definition.kind(), table);
            statements.push(write::comment_on(&subject, want.clauses.value(clause::COMMENT)));
        }
        for column in want.columns.iter() {
            let before = have.column(&column.name).and_then(|have| have.clauses.value(clause::COMMENT));
            let wanted = column.clauses.value(clause::COMMENT);
            if before != wanted {
                statements
                    .push(write::comment_on(&format!("COLUMN {table}.{}", quoted(column.name.canonical())), wanted));
            }
        }
        let before = constraint_comments(have);
        for (name, clause, wanted) in constraint_comments(want) {
            let same = before.iter().find(|(other, of, _)| *other == name && *of == clause);
            let was = same.and_then(|(_, _, comment)| *comment);
            let recreated = self.is_recreated(&name);
            if (recreated && wanted.is_some()) || (!recreated && was != wanted) {
                statements.push(match clause {
                    "comment" => write::constraint_comment(table, &name, wanted),
                    _ => write::comment_on(&format!("INDEX {}", write::index_of(table, &name)), wanted),
                });
            }
        }
        // Comments on new foreign keys come with them.
        for key in want.foreign_keys.iter().filter(|key| has_foreign_key(have, key)) {
            let was = have.foreign_keys.iter().find(|other| other.name == key.name);
            let wanted = key.clauses.value(clause::COMMENT);
            if was.and_then(|was| was.clauses.value(clause::COMMENT)) != wanted {
                statements.push(write::constraint_comment(table, &key.name, wanted));
            }
        }
        if !statements.is_empty() {
            steps.push(Step::new(format!("change comments of {table}"), statements));
        }
    }

    /// Whether the constraint is dropped and added, or new: then it has no comment yet.
    pub(super) fn is_recreated(&self, name: &Name) -> bool {
        let (have, want) = (self.have, self.want);
        let mut keys = want.primary_key.iter().chain(want.unique_keys.iter());
        if let Some(key) = keys.find(|key| key.name == *name) {
            return !(has_primary_key(have, key) || has_key(have, key)) || self.loses_column(key);
        }
        let called = |check: &&Check| check.name.as_ref() == Some(name);
        if let Some(check) = want.checks.iter().find(called) {
            return !has_check(have, check) || self.is_respelled(check);
        }
        want.exclusions.iter().find(called).is_some_and(|check| !has_exclusion(have, check) || self.is_respelled(check))
    }
}

/// The comments of constraints and of their indexes: the constraint, the clause, the text.
fn constraint_comments(table: &Table) -> Vec<(Name, &'static str, Option<&str>)> {
    let keys = table.primary_key.iter().chain(table.unique_keys.iter());
    let keys = keys.map(|key| (key.name.clone(), &key.clauses));
    let checks = table.checks.iter().chain(table.exclusions.iter());
    let checks = checks.filter_map(|check| Some((check.name.clone()?, &check.clauses)));
    keys.chain(checks)
        .flat_map(|(name, clauses)| {
            ["comment", "index comment"].map(|clause| (name.clone(), clause, clauses.value_named(clause)))
        })
        .collect()
}

/// Whether a constraint can stay as it is, with other comments and settings of its index: on a partitioned table not with the latter.
fn stays<C: Constraint>(table: &Table, had: &C, wanted: &C) -> bool {
    let partitioned = table.clauses.has(clause::PARTITION_BY);
    if partitioned { had.uncommented() == wanted.uncommented() } else { had.lasting() == wanted.lasting() }
}

/// Whether the table has this primary key, whatever can be changed as it stands.
pub fn has_primary_key(table: &Table, key: &Key) -> bool {
    table.primary_key.as_ref().is_some_and(|other| stays(table, other, key))
}

/// Whether the table has this unique key, whatever can be changed as it stands.
pub fn has_key(table: &Table, key: &Key) -> bool {
    table.unique_keys.iter().any(|other| stays(table, other, key))
}

/// Whether the table has this foreign key, whatever the comment on it.
pub fn has_foreign_key(table: &Table, key: &ForeignKey) -> bool {
    table.foreign_keys.iter().any(|other| other.uncommented() == key.uncommented())
}

fn has_check(table: &Table, check: &Check) -> bool {
    table.checks.iter().any(|other| other.uncommented() == check.uncommented())
}

fn has_exclusion(table: &Table, check: &Check) -> bool {
    table.exclusions.iter().any(|other| stays(table, other, check))
}

/// Constraints that are the same except their names: the name that there is, and the one that is wanted.
///
/// A foreign key to a table with partitions has one to each of them, whose names are in the way of new ones: it is left out.
pub fn constraint_renames(
    have: &Table,
    want: &Table,
    partitioned: impl Fn(&QualifiedName) -> bool,
) -> Vec<(Name, Name)> {
    let names = |table: &Table| -> Vec<Name> {
        let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| key.name.clone());
        let checks = table.checks.iter().chain(table.exclusions.iter()).filter_map(|check| check.name.clone());
        keys.chain(checks).chain(table.foreign_keys.iter().map(|key| key.name.clone())).collect()
    };
    let (there, wanted) = (names(have), names(want));
    let mut renames: Vec<(Name, Name)> = Vec::new();
    let mut pair = |from: &Name, to: &Name, same: bool| {
        let free = !there.contains(to) && !wanted.contains(from);
        let taken = renames.iter().any(|(other, new)| other == from || new == to);
        if same && free && !taken {
            renames.push((from.clone(), to.clone()));
        }
    };
    for (old, new) in have.primary_key.iter().zip(&want.primary_key) {
        pair(&old.name, &new.name, old.is_same_as(new));
    }
    for old in have.unique_keys.iter() {
        want.unique_keys.iter().for_each(|new| pair(&old.name, &new.name, old.is_same_as(new)));
    }
    for (ours, theirs) in [(&have.checks, &want.checks), (&have.exclusions, &want.exclusions)] {
        for (old, new) in ours.iter().flat_map(|old| theirs.iter().map(move |new| (old, new))) {
            if let (Some(from), Some(to)) = (&old.name, &new.name) {
                pair(from, to, old.is_same_as(new));
            }
        }
    }
    for (old, new) in have.foreign_keys.iter().flat_map(|old| want.foreign_keys.iter().map(move |new| (old, new))) {
        pair(&old.name, &new.name, old.is_same_as(new) && !partitioned(&old.parent));
    }
    renames
}
