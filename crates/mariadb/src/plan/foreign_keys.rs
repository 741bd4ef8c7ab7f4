//! Foreign keys: those that change, and those that prevent changes of their columns and keys on the server, are dropped
//! first and added last, each validated.

use std::collections::{BTreeMap, BTreeSet};

use wevrun_core::compare::Change;
use wevrun_core::model::{Column, Definition, Kind, Name, Object, ObjectKey, QualifiedName};
use wevrun_core::plan::{Probe, Risk, RiskKind, Step};

use super::Planner;
use super::algorithm::Traits;
use crate::names::{in_sql, quoted};
use crate::parse::keys::{index_columns, primary_columns};
use crate::write::tables;

/// Foreign keys by their tables (want's names).
#[derive(Debug, Default)]
pub struct Moved {
    dropped: BTreeMap<QualifiedName, BTreeSet<Name>>,
    added: BTreeMap<QualifiedName, BTreeSet<Name>>,
}

impl Moved {
    /// Whether a foreign key of want is added after all tables are there.
    pub fn is_added_later(&self, table: &QualifiedName, key: &Name) -> bool {
        self.added.get(table).is_some_and(|keys| keys.contains(key))
    }

    /// Which foreign keys are dropped, and which are added by themselves.
    pub fn find(planner: &Planner<'_>) -> Moved {
        let planning = planner.planning;
        let mut moved = Moved::default();
        let changing = Changing::find(planner);
        for (name, table) in planning.renamed.tables() {
            let want = planning.want.table(name);
            // A table that is dropped keeps its foreign keys unless another one is dropped before it.
            for key in table.foreign_keys.iter() {
                let stays = want.is_some_and(|want| want.foreign_keys.contains(key));
                let parent_goes = planning.want.table(&key.parent).is_none() && key.parent.schema().is_none();
                let blocks = changing.touches(name, &key.columns) || changing.touches(&key.parent, &key.parent_columns);
                if (want.is_some() && (!stays || blocks)) || (want.is_none() && parent_goes && key.parent != *name) {
                    moved.dropped.entry(name.clone()).or_default().insert(key.name.clone());
                }
            }
        }
        let is_new = |name: &QualifiedName| planning.renamed.table(name).is_none();
        let mut created: BTreeSet<&QualifiedName> = BTreeSet::new();
        let new: Vec<&Object> = planner.of_kind(Kind::Table).into_iter().filter_map(super::created).collect();
        for object in wevrun_core::plan::order::parents_first(&new) {
            created.insert(&object.name);
            let Some(table) = object.as_table() else { continue };
            for key in table.foreign_keys.iter() {
                let is_there = created.contains(&key.parent) || (!is_new(&key.parent) && !changing.has(&key.parent));
                if !is_there && key.parent.schema().is_none() {
                    moved.added.entry(object.name.clone()).or_default().insert(key.name.clone());
                }
            }
        }
        for (name, table) in planning.want.tables().filter(|(name, _)| !is_new(name)) {
            let have = planning.renamed.table(name).expect("it is not new");
            let dropped = moved.dropped.get(name).cloned().unwrap_or_default();
            for key in table.foreign_keys.iter() {
                if !have.foreign_keys.contains(key) || dropped.contains(&key.name) {
                    moved.added.entry(name.clone()).or_default().insert(key.name.clone());
                }
            }
        }
        moved
    }
}

/// Columns whose type changes, or whose keys do, and tables that change at all.
struct Changing {
    columns: BTreeMap<QualifiedName, BTreeSet<Name>>,
    tables: BTreeSet<QualifiedName>,
}

impl Changing {
    fn find(planner: &Planner<'_>) -> Changing {
        let mut changing = Changing { columns: BTreeMap::new(), tables: BTreeSet::new() };
        for difference in planner.differences.values() {
            if let (Kind::Index, Change::Remove(object)) = (difference.key.kind, &difference.change) {
                changing.key(object);
            }
            let Change::Change { want, .. } = &difference.change else { continue };
            if let Some(before) =
                planner.planning.renamed.get(&difference.key).filter(|object| object.definition.kind() == Kind::Index)
            {
                changing.key(before);
            }
            let (Some(have), Some(after)) = (planner.planning.renamed.table(&want.name), want.as_table()) else {
                continue;
            };
            changing.tables.insert(want.name.clone());
            let differs = |column: &Column| {
                let same = |other: &Column| {
                    other.data_type == column.data_type
                        && other.collation == column.collation
                        && other.generated == column.generated
                        && other.not_null == column.not_null
                };
                after.column(&column.name).is_none_or(|other| !same(other))
            };
            let columns: BTreeSet<Name> =
                have.columns.iter().filter(|column| differs(column)).map(|column| column.name.clone()).collect();
            let entry = changing.columns.entry(want.name.clone()).or_default();
            entry.extend(columns);
            if have.primary_key != after.primary_key
                && let Some(key) = &have.primary_key
            {
                entry.extend(primary_columns(key).into_iter().map(|(column, _)| column));
            }
        }
        changing
    }

    /// A key that is dropped may be the one that serves a foreign key.
    fn key(&mut self, object: &Object) {
        if let Definition::Index(index) = &object.definition {
            let columns = index_columns(index).into_iter().map(|(column, _)| column);
            self.columns.entry(index.table.clone()).or_default().extend(columns);
        }
    }

    fn touches(&self, table: &QualifiedName, columns: &[Name]) -> bool {
        self.columns.get(table).is_some_and(|changing| columns.iter().any(|column| changing.contains(column)))
    }

    fn has(&self, table: &QualifiedName) -> bool {
        self.tables.contains(table)
    }
}

/// Drops foreign keys, the ones of a table in one statement.
pub fn drop(planner: &mut Planner<'_>, moved: &Moved) {
    for (name, keys) in &moved.dropped {
        let key = ObjectKey::new(Kind::Table, name.clone());
        let Some(mut object) = planner.state.get(&key).cloned() else { continue };
        let Definition::Table(table) = &mut object.definition else { continue };
        table.foreign_keys.retain(|key| !keys.contains(&key.name));
        let traits = Traits::of(table, &[]);
        let clauses: Vec<String> =
            keys.iter().map(|key| format!("DROP FOREIGN KEY {}", quoted(key.written()))).collect();
        let words = if traits.is_innodb() { ", ALGORITHM=INSTANT, LOCK=NONE" } else { "" };
        let statement = format!("ALTER TABLE {} {}{words}", in_sql(name), clauses.join(", "));
        let stays = |key: &Name| {
            planner.planning.want.table(name).is_some_and(|want| want.foreign_keys.iter().any(|own| own.name == *key))
        };
        let again = keys.iter().any(stays);
        let titles: Vec<&str> = keys.iter().map(|key| key.written()).collect();
        let kind = if again { " for now" } else { "" };
        let mut step = Step::new(format!("drop foreign key {} of {name}{kind}", titles.join(", ")), vec![statement])
            .of(key.clone());
        if again {
            step.notes.push(
                "until it is added again, rows without a parent are not refused; adding it checks all rows".to_owned(),
            );
        }
        planner.step(step, vec![(key, Some(object))]);
    }
}

/// Adds foreign keys, each by itself: the server checks all rows.
pub fn add(planner: &mut Planner<'_>, moved: &Moved) {
    for (name, keys) in &moved.added {
        let Some(want) = planner.planning.want.table(name) else { continue };
        for foreign_key in want.foreign_keys.iter().filter(|key| keys.contains(&key.name)) {
            let key = ObjectKey::new(Kind::Table, name.clone());
            let Some(mut object) = planner.state.get(&key).cloned() else { continue };
            let Definition::Table(table) = &mut object.definition else { continue };
            table.foreign_keys.push(foreign_key.clone());
            let words = if Traits::of(table, &[]).is_innodb() { ", ALGORITHM=COPY, LOCK=SHARED" } else { "" };
            let keep =
                key_to_keep(planner, name, &foreign_key.columns).map(|key| format!("{key}, ")).unwrap_or_default();
            let statement =
                format!("ALTER TABLE {} {keep}ADD {}{words}", in_sql(name), tables::foreign_key(foreign_key));
            let title = format!("add foreign key {} to {name}", foreign_key.name);
            let mut step = Step::new(title, vec![statement]).of(key.clone());
            let has_rows = planner.planning.renamed.table(name).is_some();
            if has_rows {
                let what = format!("foreign key {} of {name}", foreign_key.name);
                let known = planner.planning.evidence.answer(&Probe::HasRows(have_name(planner, name)));
                if known != Some(false) {
                    step.risks.push(Risk::new(
                        RiskKind::MayRefuseRows,
                        what.clone(),
                        "rows without a parent stop the script",
                    ));
                    let explanation = "the table is copied to check it, and no other session can write meanwhile";
                    step.risks.push(Risk::new(RiskKind::RewritesTable, what, explanation));
                }
            }
            planner.step(step, vec![(key, Some(object))]);
        }
    }
}

/// The clauses that make a key a person's own, if it may be one that the server once made for a foreign key: else the server replaces
/// it by another one, with another name.
fn key_to_keep(planner: &Planner<'_>, table: &QualifiedName, columns: &[Name]) -> Option<String> {
    planner.planning.renamed.table(table)?;
    let keys = planner.want_keys.get(table)?.iter().filter_map(|object| match &object.definition {
        Definition::Index(index) => Some((object, index)),
        _ => None,
    });
    let is_such = |index: &wevrun_core::model::Index| {
        let own = index_columns(index);
        !index.unique
            && index.clauses.is_empty()
            && own.len() == columns.len()
            && crate::parse::keys::begins_with(&own, columns)
    };
    let (object, index) = keys.into_iter().find(|(_, index)| is_such(index))?;
    let name = quoted(object.name.identifier());
    Some(format!("DROP INDEX {name}, ADD {}", tables::key(object, index)))
}

/// The name of a table in have.
pub fn have_name(planner: &Planner<'_>, name: &QualifiedName) -> QualifiedName {
    planner.planning.comparison.renames.key_in_have(&ObjectKey::new(Kind::Table, name.clone())).name
}
