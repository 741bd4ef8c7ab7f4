//! The ordered steps of a migration.
//!
//! The order: drop triggers, views and indexes; rename; drop, alter and create tables,
//! then indexes, views and triggers come. Everything is one transaction, with foreign keys off meanwhile and checked
//! before the end, as the manual prescribes for schema changes (<https://sqlite.org/lang_altertable.html#otheralter>).

mod foreign_keys;
mod guards;
mod in_place;
mod meanings;
mod real_text;
mod rebuild;
mod renames;
pub mod structure;
mod virtual_tables;

pub use guards::{frame, probe_query};

use std::collections::{BTreeMap, BTreeSet};

use super::names::quoted;
use super::write::create_statement;
use wevrun_core::compare::Change;
use wevrun_core::model::{Definition, Kind, Name, Object, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::{Plan, Planning, Probe, Risk, RiskKind, Step, order};

/// Questions about the data.
pub fn probes(planning: &Planning<'_>) -> Vec<Probe> {
    let mut probes = Vec::new();
    for difference in &planning.comparison.differences {
        match &difference.change {
            Change::Remove(object) if matches!(object.definition.kind(), Kind::Table | Kind::VirtualTable) => {
                probes.push(Probe::HasRows(object.name.clone()));
            }
            Change::Change { have, want, .. } => match (&have.definition, &want.definition) {
                (Definition::Table(_), Definition::Table(_)) => {
                    probes.extend(TableChange::new(planning, have, want).probes());
                }
                (Definition::VirtualTable(_), Definition::VirtualTable(_)) => {
                    probes.push(Probe::HasRows(have.name.clone()));
                }
                _ => {}
            },
            _ => {}
        }
    }
    probes.extend(real_text::probes(planning));
    probes
}

/// A table that changes, under the names that it has in want.
struct TableChange<'p> {
    planning: &'p Planning<'p>,
    /// Its name in have, for questions about rows.
    original: &'p QualifiedName,
    /// As it is, with want's names.
    have: &'p Table,
    /// As it shall be.
    want: &'p Table,
    /// The object that want has.
    object: &'p Object,
}

impl<'p> TableChange<'p> {
    fn new(planning: &'p Planning<'p>, have: &'p Object, want: &'p Object) -> TableChange<'p> {
        TableChange {
            planning,
            original: &have.name,
            have: planning.renamed.table(&want.name).expect("the comparison found it there"),
            want: want.as_table().expect("a table's key"),
            object: want,
        }
    }

    /// The name of a column in have.
    fn original_column(&self, column: &Name) -> Name {
        let renamed = self.planning.comparison.renames.columns_of(&self.object.name);
        renamed.into_iter().find(|(_, new)| new == column).map_or_else(|| column.clone(), |(old, _)| old)
    }

    fn answer(&self, probe: &Probe) -> Option<bool> {
        self.planning.evidence.answer(probe)
    }

    fn has_rows(&self) -> Probe {
        Probe::HasRows(self.original.clone())
    }

    fn has_values(&self, column: &Name) -> Probe {
        Probe::HasValues(self.original.clone(), self.original_column(column))
    }

    fn has_nulls(&self, column: &Name) -> Probe {
        Probe::HasNulls(self.original.clone(), self.original_column(column))
    }

    /// In an undo script: notes that a column is added without its former values.
    fn note_lost_values(&self, column: &Name, step: &mut Step) {
        if self.planning.is_undo {
            let column = format!("{}.{column}", self.object.name);
            step.notes.push(format!("can't bring back: the values that column {column} held before the release"));
        }
    }

    fn probes(&self) -> Vec<Probe> {
        let mut probes = vec![self.has_rows()];
        // A column may become the rowid although nothing of itself changes.
        let id = rebuild::row_id_column(self.want).filter(|id| self.have.column(&id.name).is_some());
        probes.extend(id.map(|id| self.has_nulls(&id.name)));
        for column in self.have.columns.iter() {
            match self.want.column(&column.name) {
                Some(wanted) if wanted == column => {}
                _ if column.generated.is_some() => {}
                Some(_) => probes.extend([self.has_values(&column.name), self.has_nulls(&column.name)]),
                None => probes.push(self.has_values(&column.name)),
            }
        }
        probes
    }
}

/// The whole plan.
pub fn plan(planning: &Planning<'_>) -> Plan {
    let mut planner = Planner {
        planning,
        steps: Vec::new(),
        recreated: BTreeSet::new(),
        owned: planning.want.by_owner(),
        touches_rows: false,
        rebuilt: BTreeSet::new(),
        late: Vec::new(),
        endangered: BTreeSet::new(),
    };
    planner.plan();
    let Planner { mut steps, touches_rows, recreated, rebuilt, .. } = planner;
    if steps.is_empty() {
        return Plan::default();
    }
    let checks = if touches_rows { foreign_keys::checks(planning) } else { foreign_keys::Checks::default() };
    steps.last_mut().expect("there is one").notes.extend(checks.notes);
    let mut plan = Plan::one(checks.before, steps, checks.after);
    plan.risks = meanings::risks(planning);
    plan.client_only = real_text::reasons(planning, &rebuilt, &recreated);
    plan.recreated = recreated.into_iter().collect();
    plan
}

struct Planner<'p> {
    planning: &'p Planning<'p>,
    steps: Vec<Step>,
    /// Objects of want that are the same in have, but were dropped on the way and must come again.
    recreated: BTreeSet<ObjectKey>,
    /// The indexes and triggers of want's tables and views.
    owned: BTreeMap<&'p QualifiedName, Vec<&'p Object>>,
    /// Whether a step can break a foreign key.
    touches_rows: bool,
    /// Tables, by want's names, whose rows are written again.
    rebuilt: BTreeSet<QualifiedName>,
    /// Virtual tables that index what is only created by this script.
    late: Vec<Step>,
    /// Objects, by want's keys, that must be written again so that they mean what they do.
    endangered: BTreeSet<ObjectKey>,
}

impl Planner<'_> {
    fn plan(&mut self) {
        let planning = self.planning;
        let removed_names: BTreeSet<&QualifiedName> = planning
            .comparison
            .differences
            .iter()
            .filter(|d| matches!(d.change, Change::Remove(_)) && d.key.kind.is_relation())
            .map(|d| &d.key.name)
            .collect();
        let mut in_the_way = renames::dependents(planning, looks_through_everything(planning));
        in_the_way.extend(triggers_of_changed_views(planning));
        self.endangered = meanings::endangered(planning);
        in_the_way.extend(self.endangered.iter().map(|key| planning.comparison.renames.key_in_have(key)));
        self.clear_away(Kind::Trigger, &in_the_way, &removed_names);
        self.clear_away(Kind::View, &in_the_way, &removed_names);
        self.clear_away(Kind::Index, &in_the_way, &removed_names);
        let renames = renames::steps(planning);
        self.touches_rows |= !renames.is_empty();
        self.steps.extend(renames);
        self.drop_tables();
        self.change_tables();
        self.create();
    }

    /// Drops objects that change or are removed, and those that would block a rename.
    fn clear_away(
        &mut self,
        kind: Kind,
        in_the_way: &BTreeSet<ObjectKey>,
        removed_relations: &BTreeSet<&QualifiedName>,
    ) {
        let word = kind.title().to_uppercase();
        let drop = |planner: &mut Self, name: &QualifiedName, title: String| {
            let statement = format!("DROP {word} {}", quoted(name.written()));
            planner.steps.push(Step::new(title, vec![statement]));
        };
        let planning = self.planning;
        for object in planning.have.of_kind(kind) {
            let key = object.key();
            // Objects on a dropped table or view are dropped with it.
            let cascades = object.definition.owner().is_some_and(|owner| removed_relations.contains(owner));
            let change = planning.comparison.differences.binary_search_by(|d| d.key.cmp(&key)).ok();
            match change.map(|at| &planning.comparison.differences[at].change) {
                Some(Change::Remove(_)) if !cascades => drop(self, &object.name, format!("drop {key}")),
                Some(Change::Remove(_)) => {}
                Some(Change::Change { .. }) => drop(self, &object.name, format!("drop {key} to recreate it")),
                _ if in_the_way.contains(&key) => {
                    drop(self, &object.name, format!("drop {key} temporarily"));
                    self.recreated.insert(key);
                }
                _ => {}
            }
        }
    }

    fn drop_tables(&mut self) {
        let planning = self.planning;
        let removed: Vec<&Object> = planning
            .comparison
            .differences
            .iter()
            .filter_map(|d| if let Change::Remove(object) = &d.change { Some(*object) } else { None })
            .filter(|object| matches!(object.definition.kind(), Kind::Table | Kind::VirtualTable))
            .collect();
        // Children before the tables that they refer to, and indexes of text before all tables.
        let (texts, tables): (Vec<&Object>, Vec<&Object>) =
            removed.into_iter().partition(|object| object.definition.kind() == Kind::VirtualTable);
        for object in texts.into_iter().chain(order::parents_first(&tables).into_iter().rev()) {
            let key = object.key();
            let drop = format!("DROP TABLE {}", quoted(object.name.written()));
            let mut step = Step::new(format!("drop {key}"), Vec::new());
            let probe = Probe::HasRows(object.name.clone());
            let indexes_others =
                matches!(&object.definition, Definition::VirtualTable(table) if virtual_tables::indexes_others(table));
            if indexes_others {
                step.notes.push(format!("{key} stores no rows"));
            } else if planning.evidence.answer(&probe) == Some(false) {
                step.statements.push(guards::must_not_hold(&probe));
                step.notes.push(format!("{key} is empty, so nothing is lost; the script stops if it is not any more"));
            } else {
                let certain = match planning.evidence.answer(&probe) {
                    Some(true) => "it holds rows, and they are destroyed",
                    _ => "any rows in it are destroyed",
                };
                step.risks.push(Risk::new(RiskKind::LosesTable, key.to_string(), certain));
            }
            step.statements.push(drop);
            self.touches_rows = true;
            self.steps.push(step);
        }
    }

    fn change_tables(&mut self) {
        let planning = self.planning;
        for difference in &planning.comparison.differences {
            let Change::Change { have, want, .. } = &difference.change else { continue };
            match &want.definition {
                Definition::Table(table) => {
                    let change = TableChange::new(planning, have, want);
                    if change.have == table {
                        continue; // only names changed
                    }
                    let in_place = in_place::steps(&change).filter(|_| !self.endangered.contains(&difference.key));
                    if let Some(steps) = in_place {
                        self.touches_rows |= change.have.foreign_keys != table.foreign_keys;
                        self.steps.extend(steps);
                    } else {
                        self.touches_rows = true;
                        self.rebuilt.insert(want.name.clone());
                        let keep = self.kept_with(&want.name);
                        self.steps.push(rebuild::step(&change, &keep));
                        let stale = virtual_tables::stale_after(planning, &want.name, change.have, table);
                        self.steps.extend(stale);
                    }
                }
                Definition::VirtualTable(table) => {
                    let Some(Definition::VirtualTable(present)) =
                        planning.renamed.get(&difference.key).map(|object| &object.definition)
                    else {
                        continue;
                    };
                    if present != table {
                        let step = virtual_tables::step(planning, &have.name, present, want, table);
                        let is_late = virtual_tables::content_is_created(planning, table);
                        if is_late { self.late.push(step) } else { self.steps.push(step) }
                    }
                }
                Definition::Index(_) | Definition::View(_) | Definition::Trigger(_) | Definition::Plain(_) => {}
            }
        }
    }

    /// The indexes and triggers of a table that stay as they are, and that a rebuild must make again.
    fn kept_with(&self, table: &QualifiedName) -> Vec<&Object> {
        let planning = self.planning;
        let owned = self.owned.get(table).into_iter().flatten().copied();
        owned
            .filter(|object| {
                let key = object.key();
                planning.renamed.get(&key).is_some_and(|present| present.definition == object.definition)
                    && !self.recreated.contains(&key)
            })
            .collect()
    }

    /// Creates what is new, what changed and was dropped, and what was dropped on the way.
    fn create(&mut self) {
        let planning = self.planning;
        let comes = |kind: Kind| -> Vec<&Object> {
            let differences = planning.comparison.differences.iter().filter(move |d| d.key.kind == kind);
            let new = differences.filter_map(|d| match &d.change {
                Change::Create(object) => Some(*object),
                Change::Change { want, .. } if !matches!(kind, Kind::Table | Kind::VirtualTable) => Some(*want),
                _ => None,
            });
            let again = self.recreated.iter().filter(|key| key.kind == kind).filter_map(|key| planning.want.get(key));
            let mut objects: Vec<&Object> = new.chain(again).collect();
            objects.sort_by_key(|object| &object.name);
            objects.dedup_by_key(|object| &object.name);
            objects
        };
        let mut steps = Vec::new();
        let is_late = |object: &&Object| {
            let definition = if let Definition::VirtualTable(table) = &object.definition { Some(table) } else { None };
            definition.is_some_and(|table| virtual_tables::content_is_created(planning, table))
        };
        // What indexes a view is created after it.
        let (mut late, texts): (Vec<&Object>, Vec<&Object>) = comes(Kind::VirtualTable).into_iter().partition(is_late);
        for kind in Kind::ALL {
            let objects = match kind {
                Kind::VirtualTable => texts.clone(),
                Kind::Trigger => late.drain(..).chain(comes(kind)).collect(),
                kind => comes(kind),
            };
            if kind == Kind::Trigger {
                steps.append(&mut self.late);
            }
            let objects = match kind {
                Kind::Table => order::parents_first(&objects),
                Kind::View => order::used_first(&objects),
                _ => objects,
            };
            for object in objects {
                let create = if self.recreated.contains(&object.key()) { "recreate" } else { "create" };
                let title = match object.definition.owner() {
                    Some(owner) => format!("{create} {} on {owner}", object.key()),
                    None => format!("{create} {}", object.key()),
                };
                let mut step = Step::new(title, vec![object.text.clone()]);
                if planning.is_undo && kind == Kind::Table {
                    step.notes.push("can't bring back: the rows that the table held before the release".to_owned());
                }
                if let Definition::VirtualTable(table) = &object.definition {
                    step.statements.extend(virtual_tables::fill(planning.want, &object.name, table));
                }
                if let Definition::Index(index) = &object.definition
                    && index.unique
                    && planning.renamed.table(&index.table).is_some()
                {
                    let explanation = "rows that are equal in these columns stop the script";
                    step.risks.push(Risk::new(RiskKind::MayRefuseRows, object.key().to_string(), explanation));
                }
                steps.push(step);
            }
        }
        self.steps.extend(steps);
    }
}

/// Whether a step makes the engine look through all views and triggers: a rename, or a column that is dropped in place.
fn looks_through_everything(planning: &Planning<'_>) -> bool {
    let drops_column = planning.comparison.differences.iter().any(|difference| match &difference.change {
        Change::Change { have, want, .. } => want.as_table().is_some_and(|table| {
            let change = TableChange::new(planning, have, want);
            change.have.columns.iter().any(|column| table.column(&column.name).is_none())
                && in_place::steps(&change).is_some()
        }),
        _ => false,
    });
    drops_column || !planning.comparison.renames.is_empty()
}

/// Triggers of a recreated view are dropped with it.
fn triggers_of_changed_views(planning: &Planning<'_>) -> Vec<ObjectKey> {
    let views = planning.comparison.differences.iter().filter(|d| d.key.kind == Kind::View);
    let changed: BTreeSet<&QualifiedName> =
        views.filter(|d| matches!(d.change, Change::Change { .. })).map(|d| &d.key.name).collect();
    let triggers = planning.have.of_kind(Kind::Trigger);
    triggers.filter(|t| t.definition.owner().is_some_and(|o| changed.contains(o))).map(Object::key).collect()
}

/// The text of a CREATE statement with another name: for the temporary table of a rebuild.
fn create_as(object: &Object, name: &str) -> String {
    use wevrun_core::parse::{TokenKind, token};
    let text = &object.text;
    let (tokens, _) = token::tokenize(&super::tokens::Rules, text, 0);
    let tokens: Vec<_> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let Some(word) = tokens.iter().position(|token| token.is_word(text, "TABLE")) else {
        return create_statement(&Object { name: super::names::object_name(name), ..object.clone() });
    };
    let is = |at: usize, word: &str| tokens.get(at).is_some_and(|token| token.is_word(text, word));
    let mut at = word + 1 + if is(word + 1, "IF") && is(word + 2, "NOT") { 3 } else { 0 };
    if tokens.get(at + 1).is_some_and(|token| token.is_symbol(text, ".")) {
        at += 2;
    }
    let head = if is(1, "VIRTUAL") { "CREATE VIRTUAL TABLE" } else { "CREATE TABLE" };
    format!("{head} {}{}", quoted(name), &text[tokens[at].end as usize..])
}

/// A temporary name of a table or column that nothing else has.
fn temporary_name(planning: &Planning<'_>, name: &QualifiedName) -> String {
    let mut candidate = format!("wevrun_new_{}", name.written());
    let taken = |candidate: &str| {
        let name = super::names::object_name(candidate);
        let any = |model: &wevrun_core::model::Model| {
            model.relation(&name).is_some() || model.find(Kind::Index, &name).is_some()
        };
        any(planning.have) || any(planning.want)
    };
    while taken(&candidate) {
        candidate.push('_');
    }
    candidate
}
