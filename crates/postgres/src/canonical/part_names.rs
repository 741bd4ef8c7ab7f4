//! What the parts of a partitioned table's indexes are called, where the server would call them otherwise: they were there before
//! they became parts, or were renamed, or their table was.

use crate::clause;
use std::collections::{BTreeMap, HashMap};

use super::super::{names, settle, write};
use super::index_parts::{attached_to, index_the_same};
use super::inheritance::columns_of;
use super::standalone::above;
use wevrun_core::model::{Check, Definition, Index, Key, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table};

/// The indexes of tables, those of constraints not.
type Indexes<'m> = HashMap<&'m QualifiedName, Vec<(&'m Object, &'m Index)>>;

/// In which order the indexes of a table come.
#[derive(Clone, Copy)]
enum Order {
    /// As the source says them.
    Said,
    /// As a script makes them.
    Made,
}

/// Remembers the names that partitions say. The model's partitions have given up what is of their parents.
pub fn settle(model: &mut Model) {
    let partitions: Vec<(&QualifiedName, &Table)> =
        model.tables().filter(|(_, table)| table.clauses.has(clause::PARTITION_OF)).collect();
    if partitions.is_empty() {
        return;
    }
    let indexes = indexes(model);
    let found: Vec<(QualifiedName, BTreeMap<QualifiedName, Name>)> = (partitions.into_iter())
        .map(|(name, table)| {
            let mut given = table.part_names.0.clone();
            given.extend(stored_names(model, &indexes, table));
            let mut names = called(model, &indexes, (name, table), &given, Order::Said);
            let usual = called(model, &indexes, (name, table), &BTreeMap::new(), Order::Made);
            names.retain(|whole, part| usual.get(whole) != Some(part));
            (name.clone(), names)
        })
        .collect();
    for (name, names) in found {
        remember(model, &name, names);
    }
}

/// Remembers what the parts that there are by now are called: they keep it when their table is renamed.
pub fn store_all(model: &mut Model, key: &ObjectKey) {
    let Some(table) = model.get(key).and_then(Object::as_table).filter(|table| table.clauses.has(clause::PARTITION_OF))
    else {
        return;
    };
    let all = called(model, &indexes(model), (&key.name, table), &table.part_names, Order::Said);
    remember(model, &key.name, all);
}

/// The partition that has a part of this name, and the index of which it is a part.
pub fn find(model: &Model, part: &QualifiedName) -> Option<(ObjectKey, QualifiedName)> {
    let (schema, own) = names::split(part);
    let indexes = indexes(model);
    let in_schema = model.tables().filter(|(name, _)| names::schema(name) == schema);
    in_schema.filter(|(_, table)| table.clauses.has(clause::PARTITION_OF)).find_map(|(name, table)| {
        let all = called(model, &indexes, (name, table), &table.part_names, Order::Said);
        let (whole, _) = all.into_iter().find(|(_, name)| name.canonical() == own)?;
        Some((ObjectKey::new(Kind::Table, name.clone()), whole))
    })
}

fn remember(model: &mut Model, partition: &QualifiedName, names: BTreeMap<QualifiedName, Name>) {
    let object = model.get_mut(&ObjectKey::new(Kind::Table, partition.clone()));
    if let Some(Definition::Table(table)) = object.map(|object| &mut object.definition) {
        table.part_names.0 = names;
    }
}

fn indexes(model: &Model) -> Indexes<'_> {
    let mut found: Indexes<'_> = HashMap::new();
    for object in model.of_kind(Kind::Index) {
        if let Some(index) = object.as_index() {
            found.entry(&index.table).or_default().push((object, index));
        }
    }
    found
}

/// The tables above a partition, topmost first.
fn tops<'m>(model: &'m Model, table: &Table) -> Vec<(&'m QualifiedName, &'m Table)> {
    let tops = above(model, table).into_iter().rev().map(|name| ObjectKey::new(Kind::Table, name));
    tops.filter_map(|key| model.get(&key)).filter_map(|object| Some((&object.name, object.as_table()?))).collect()
}

/// The names that a partition says, each by the topmost index of which it is a part.
fn stored_names(model: &Model, indexes: &Indexes<'_>, table: &Table) -> BTreeMap<QualifiedName, Name> {
    let tops = tops(model, table);
    let own = &table.of_parent.0;
    let mut found = BTreeMap::new();
    let mut say = |whole: Option<QualifiedName>, part: &str| {
        found.extend(whole.filter(|_| !part.is_empty()).map(|whole| (whole, names::simple(part))));
    };
    if let Some(key) = &own.primary_key {
        let whole = tops.iter().find_map(|(top, table)| Some((top, table.primary_key.as_ref()?)));
        say(whole.map(|(top, key)| write::index_of(top, &key.name)), key.name.canonical());
    }
    for key in &own.unique_keys {
        let same = |table: &Table| table.unique_keys.iter().find(|other| columns_of(other) == columns_of(key)).cloned();
        let whole = tops.iter().find_map(|(top, table)| Some(write::index_of(top, &same(table)?.name)));
        say(whole, key.name.canonical());
    }
    for check in &own.exclusions {
        let same = |table: &Table| table.exclusions.iter().find(|other| other.condition == check.condition).cloned();
        let whole = tops.iter().find_map(|(top, table)| Some(write::index_of(top, same(table)?.name.as_ref()?)));
        say(whole, check.name.as_ref().map_or("", Name::canonical));
    }
    for (object, index) in own.indexes.iter().filter_map(|object| Some((object, object.as_index()?))) {
        let candidates = || tops.iter().flat_map(|(top, _)| indexes.get(*top)).flatten();
        let attached = attached_to(index);
        let whole = candidates()
            .find(|(whole, _)| Some(&whole.name) == attached.as_ref())
            .or_else(|| candidates().find(|(_, whole)| index_the_same(index, whole)));
        say(whole.map(|(whole, _)| whole.name.clone()), &names::identifier(&object.name));
    }
    found
}

/// What the parts are called that a partition has of the indexes above it: as is given, or as the server calls them, where a second
/// one of the same name gets a number.
fn called(
    model: &Model,
    indexes: &Indexes<'_>,
    (name, table): (&QualifiedName, &Table),
    given: &BTreeMap<QualifiedName, Name>,
    order: Order,
) -> BTreeMap<QualifiedName, Name> {
    let mut wholes: Vec<(QualifiedName, String, &str)> = Vec::new();
    for (top, table) in tops(model, table) {
        let of = |name: &Name| write::index_of(top, name);
        let key = |key: &Key| (of(&key.name), settle::unique_columns(key), "key");
        let exclusion = |check: &Check| Some((of(check.name.as_ref()?), settle::exclusion_columns(check), "excl"));
        wholes.extend(table.primary_key.iter().map(|key| (of(&key.name), String::new(), "pkey")));
        wholes.extend(table.unique_keys.iter().map(key));
        wholes.extend(table.exclusions.iter().filter_map(exclusion));
        // One of the table ONLY that lacks parts has none below but those that are attached.
        let is_whole = |(_, index): &&(&Object, &Index)| !index.clauses.has(clause::ONLY);
        let mut own: Vec<_> = indexes.get(top).into_iter().flatten().filter(is_whole).collect();
        match order {
            Order::Said => own.sort_by_key(|(object, _)| object.location),
            Order::Made => own.sort_by_key(|(object, _)| &object.name),
        }
        wholes
            .extend(own.into_iter().map(|(object, index)| (object.name.clone(), settle::index_columns(index), "idx")));
    }
    let own = names::identifier(name);
    let mut found: BTreeMap<QualifiedName, Name> = BTreeMap::new();
    for (whole, columns, label) in wholes {
        let is_taken = |name: &str| given.values().chain(found.values()).any(|other| other.canonical() == name);
        let made_up = || names::simple(&names::first_free(&own, &columns, label, is_taken));
        let part = given.get(&whole).cloned().unwrap_or_else(made_up);
        // However a person has written it.
        found.insert(whole, part);
    }
    found
}
