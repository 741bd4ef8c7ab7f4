//! Indexes of partitioned tables and their parts.

use crate::clause;
use std::collections::{HashMap, HashSet};

use super::super::names;
use wevrun_core::model::{
    Clauses, Definition, Expression, Index, IndexPart, Key, KeyPart, Kind, Model, Object, ObjectKey, QualifiedName,
    Table,
};

/// An index of a partition that is part of its parent's comes and goes with that: one that was attached, and the first that says
/// the same, which the server attaches by itself (`DefineIndex()` of indexcmds.c). Where partitions lack their part, the index is
/// one of the parent ONLY, and the parts that there are stand for themselves.
pub fn settle(model: &mut Model) {
    let mut gone: Vec<ObjectKey> = Vec::new();
    let partial = partial_indexes(model);
    for object in model.objects_mut() {
        if let Definition::Index(index) = &mut object.definition
            && !partial.contains(&object.name)
        {
            index.clauses.remove(clause::ONLY);
        }
    }
    let indexes = indexes(model);
    let of_partial = |index: &Index| attached_to(index).is_some_and(|parent| partial.contains(&parent));
    let attached = indexes.iter().filter(|(_, index)| index.clauses.has(clause::ATTACHED_TO) && !of_partial(index));
    gone.extend(attached.map(|(object, _)| object.key()));
    let mut of_table: HashMap<&QualifiedName, Vec<(&Object, &Index)>> = HashMap::new();
    indexes.iter().for_each(|(object, index)| of_table.entry(&index.table).or_default().push((object, index)));
    let partitions = partitions(model);
    for (_, parent) in indexes.iter().filter(|(object, _)| !partial.contains(&object.name)) {
        for name in partitions.get(&parent.table).into_iter().flatten() {
            let own = of_table.get(name).map_or(&[][..], Vec::as_slice);
            let is_there = |index: &Index| index.clauses.has(clause::ATTACHED_TO) && index_the_same(index, parent);
            if own.iter().any(|(_, index)| is_there(index)) {
                continue;
            }
            let mut same: Vec<&Object> = own
                .iter()
                .filter(|(object, index)| !gone.contains(&object.key()) && index_the_same(index, parent))
                .map(|(object, _)| *object)
                .collect();
            same.sort_by_key(|object| object.location);
            gone.extend(same.first().map(|object| object.key()));
        }
    }
    for key in gone {
        let Some(object) = model.remove(&key) else { continue };
        let Definition::Index(index) = &object.definition else { continue };
        let table = model.get_mut(&ObjectKey::new(Kind::Table, index.table.clone()));
        if let Some(Definition::Table(table)) = table.map(|table| &mut table.definition) {
            table.of_parent.0.indexes.push(object);
        }
    }
}

fn indexes(model: &Model) -> Vec<(&Object, &Index)> {
    let indexes = model.of_kind(Kind::Index);
    indexes.filter_map(|object| Some((object, object.as_index()?))).collect()
}

/// The index of the parent whose part an index is.
pub fn attached_to(index: &Index) -> Option<QualifiedName> {
    index.clauses.get(clause::ATTACHED_TO).cloned()
}

/// The index of a key, as a statement of its own would make it.
pub fn index_of_key(table: &QualifiedName, key: &Key) -> Index {
    let clauses = key.clauses.iter().filter(|(clause, _)| is_of_both(clause)).map(|(n, v)| (n, v.clone())).collect();
    let part = |part: &KeyPart| IndexPart {
        expression: Expression::plain(names::quoted(part.column.canonical())),
        collation: None,
        descending: false,
        clauses: Clauses::default(),
    };
    let parts = key.parts.iter().map(part).collect();
    Index { table: table.clone(), unique: true, parts, predicate: None, clauses }
}

/// The key with what an index says that it takes over; none if the index can be no key's: it is not unique, has a predicate, or
/// indexes more than columns of the table.
pub fn key_of_index(key: Key, index: &Index, table: &Table) -> Option<Key> {
    let column = |part: &IndexPart| {
        let written = part.expression.written().trim();
        let own = if written.starts_with('"') { names::unquoted(written) } else { names::folded(written) };
        Some(KeyPart { column: table.column(&names::simple(&own))?.name.clone(), collation: None, descending: false })
    };
    let parts: Vec<KeyPart> = index.parts.iter().map(column).collect::<Option<_>>()?;
    let mut clauses = key.clauses.clone();
    for (clause, value) in index.clauses.iter().filter(|(clause, _)| is_of_both(clause)) {
        clauses.set_named(clause, value.clone());
    }
    if let Some(comment) = index.clauses.get(clause::COMMENT) {
        clauses.set(clause::INDEX_COMMENT, comment.clone());
    }
    (index.unique && index.predicate.is_none()).then_some(Key { parts, clauses, ..key })
}

/// Whether a key says this as its index does.
fn is_of_both(clause: &str) -> bool {
    clause::WITH.has(clause) || matches!(clause, "include" | "nulls not distinct" | "tablespace")
}

/// The indexes ON ONLY a partitioned table of which a partition has no part, nor what is attached to it has all of its own
/// (<https://www.postgresql.org/docs/current/sql-createindex.html>).
fn partial_indexes(model: &Model) -> HashSet<QualifiedName> {
    let indexes = indexes(model);
    let only: HashMap<&QualifiedName, &Index> = indexes
        .iter()
        .filter(|(_, index)| index.clauses.has(clause::ONLY))
        .map(|(object, index)| (&object.name, *index))
        .collect();
    if only.is_empty() {
        return HashSet::new();
    }
    let parts: HashSet<(QualifiedName, &QualifiedName)> =
        indexes.iter().filter_map(|(_, index)| Some((attached_to(index)?, &index.table))).collect();
    let mut partitions: HashMap<&QualifiedName, Vec<&QualifiedName>> = HashMap::new();
    for (name, table) in model.tables() {
        if let Some(parent) = table.clauses.get(clause::PARTITION_OF) {
            partitions.entry(parent).or_default().push(name);
        }
    }
    // The index of a key can be a part of a unique one, too.
    let has_key = |partition: &QualifiedName, index: &Index| {
        let table = model.table(partition).into_iter();
        let mut keys = table.flat_map(|table| table.primary_key.iter().chain(table.unique_keys.iter()));
        keys.any(|key| index_the_same(&index_of_key(partition, key), index))
    };
    let lacks_a_part = |(name, index): &(&&QualifiedName, &&Index)| {
        let mut partitions = partitions.get(&index.table).into_iter().flatten();
        partitions.any(|own| !parts.contains(&((**name).clone(), *own)) && !has_key(own, index))
    };
    let mut partial: HashSet<QualifiedName> =
        only.iter().filter(lacks_a_part).map(|(name, _)| (*name).clone()).collect();
    let mut next: Vec<QualifiedName> = partial.iter().cloned().collect();
    while let Some(name) = next.pop() {
        let above = only.get(&name).and_then(|index| attached_to(index));
        next.extend(above.filter(|above| partial.insert(above.clone())));
    }
    partial
}

/// The partitions of every partitioned table, at every depth.
fn partitions(model: &Model) -> HashMap<QualifiedName, Vec<&QualifiedName>> {
    let mut found: HashMap<QualifiedName, Vec<&QualifiedName>> = HashMap::new();
    for (name, table) in model.tables() {
        let mut parent = table.clauses.get(clause::PARTITION_OF);
        let mut passed = HashSet::new();
        // What a person writes may go round in a circle.
        while let Some(ancestor) = parent.filter(|parent| passed.insert(*parent)) {
            found.entry(ancestor.clone()).or_default().push(name);
            parent = model.table(ancestor).and_then(|above| above.clauses.get(clause::PARTITION_OF));
        }
    }
    found
}

/// Whether two indexes index the same in the same way, whatever their tables and names.
pub fn index_the_same(index: &Index, other: &Index) -> bool {
    let (own, others) = (&index.clauses, &other.clauses);
    index.unique == other.unique
        && index.parts == other.parts
        && index.predicate == other.predicate
        && own.get(clause::USING) == others.get(clause::USING)
        && own.get(clause::INCLUDE) == others.get(clause::INCLUDE)
        && own.has(clause::NULLS_NOT_DISTINCT) == others.has(clause::NULLS_NOT_DISTINCT)
}
