//! What a partition is once it is one no more: it keeps all that it had with its parent, as its own
//! (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-DETACH-PARTITION>).

use super::super::sameness::Constraint;
use super::super::{names, settle, write};
use super::index_parts::index_the_same;
use super::inheritance::columns_of;
use super::not_null_names;
use crate::clause;
use wevrun_core::fold::Taken;
use wevrun_core::model::{
    Beside, Check, Clauses, Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table,
};

/// The table and its indexes when it is detached; none if it is no partition. The model is canonical.
pub fn standalone(model: &Model, key: &ObjectKey) -> Option<Vec<Object>> {
    let mut object = model.get(key)?.clone();
    let not_null = not_null_names::of_parent(model, object.as_table()?);
    let above = above(model, object.as_table()?);
    if above.is_empty() {
        return None;
    }
    let Definition::Table(table) = &mut object.definition else { return None };
    table.clauses.remove(clause::PARTITION_OF);
    table.clauses.remove(clause::BOUND);
    for column in table.columns.iter_mut() {
        column.clauses.remove(clause::INHERITED);
        column.clauses.remove(clause::NO_DEFAULT);
        if column.not_null.is_some() && column.not_null_name.is_none() {
            let usual = names::simple(write::not_null_name(&key.name, column).canonical());
            column.not_null_name = Beside(not_null.get(&column.name).filter(|name| **name != usual).cloned());
        }
    }
    for (name, parent) in above.iter().filter_map(|name| Some((name, model.table(name)?))) {
        take_constraints(table, name, parent);
    }
    let mut indexes = std::mem::take(&mut table.of_parent.0.indexes);
    let part_names = std::mem::take(&mut table.part_names.0);
    table.of_parent = Beside::default();
    let mut taken = Taken::default();
    model.objects().for_each(|object| taken.add(settle::held(object)));
    settle::settle(&mut object, &taken);
    for index in &mut indexes {
        if let Definition::Index(index) = &mut index.definition {
            index.clauses.remove(clause::ATTACHED_TO);
        }
    }
    for (parent, index) in model.of_kind(Kind::Index).filter_map(|object| Some((object, object.as_index()?))) {
        let is_there = |own: &Object| own.as_index().is_some_and(|own| index_the_same(own, index));
        if above.contains(&index.table) && !indexes.iter().any(is_there) {
            let schema = names::schema(&key.name).unwrap_or_default();
            let part = part_names.get(&parent.name).map(|part| names::qualified(&schema, part.canonical()));
            let mut copy = Object {
                name: part.unwrap_or_else(|| QualifiedName::plain(Name::none())),
                text: String::new(),
                ..parent.clone()
            };
            if let Definition::Index(index) = &mut copy.definition {
                index.table = key.name.clone();
                index.clauses.remove(clause::COMMENT);
            }
            settle::settle(&mut copy, &taken);
            indexes.push(copy);
        }
    }
    indexes.insert(0, object);
    indexes.iter_mut().for_each(|object| object.text.clear());
    Some(indexes)
}

/// A table that inherits from a parent no more: it keeps the parent's columns and checks as its own
/// (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-INHERIT>). The model is canonical.
pub fn without_parent(model: &Model, key: &ObjectKey, parent: &QualifiedName) -> Option<Object> {
    let mut object = model.get(key)?.clone();
    let mut left = object.as_table()?.clauses.get(clause::INHERITS)?.clone();
    left.retain(|other| !names::is_same(parent, other));
    let gone = model.tables().find(|(name, _)| names::is_same(parent, name)).map(|(_, table)| table)?;
    let still = |column: &Name| left.iter().filter_map(|name| model.table(name)).any(|t| t.column(column).is_some());
    let Definition::Table(table) = &mut object.definition else { return None };
    if left.is_empty() {
        table.clauses.remove(clause::INHERITS);
    } else {
        table.clauses.set(clause::INHERITS, left.clone());
    }
    for column in table.columns.iter_mut().filter(|column| gone.column(&column.name).is_some() && !still(&column.name))
    {
        column.clauses.remove(clause::INHERITED);
        column.clauses.remove(clause::NO_DEFAULT);
        column.clauses.remove(clause::GENERATED_BY_THE_PARENT);
        column.not_null_inherited = Beside(false);
    }
    for check in gone.checks.iter().filter(|check| !check.clauses.has(clause::NO_INHERIT)) {
        if !table.checks.iter().any(|own| own.name == check.name) {
            table.checks.0.push(check.clone());
        }
    }
    object.text.clear();
    Some(object)
}

/// A table that is of a composite type no more: its columns are its own
/// (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-NOT-OF>). The model is canonical.
pub fn without_type(model: &Model, key: &ObjectKey) -> Option<Object> {
    let mut object = model.get(key)?.clone();
    let Definition::Table(table) = &mut object.definition else { return None };
    table.clauses.remove(clause::OF);
    table.columns.iter_mut().for_each(|column| drop(column.clauses.remove(clause::INHERITED)));
    object.text.clear();
    Some(object)
}

/// The tables above a partition, nearest first.
pub fn above(model: &Model, partition: &Table) -> Vec<QualifiedName> {
    let mut found: Vec<QualifiedName> = Vec::new();
    let mut next = partition.clauses.get(clause::PARTITION_OF).cloned();
    while let Some(name) = next.filter(|name| !found.contains(name)) {
        next = model.table(&name).and_then(|table| table.clauses.get(clause::PARTITION_OF)).cloned();
        found.push(name);
    }
    found
}

/// Gives a table the constraints that it has with a parent: as it says them itself, or as the server has made them for it.
fn take_constraints(table: &mut Table, name: &QualifiedName, parent: &Table) {
    let own = &table.of_parent.0;
    let part_names = &table.part_names.0;
    let part = |constraint: &Name| part_names.get(&write::index_of(name, constraint)).cloned();
    let uncommented = |clauses: &Clauses| -> Clauses {
        let is_comment = |name: &str| matches!(name, "comment" | "index comment");
        clauses.iter().filter(|(name, _)| !is_comment(name)).map(|(name, value)| (name, value.clone())).collect()
    };
    let keys = |key: &wevrun_core::model::Key| wevrun_core::model::Key {
        name: part(&key.name).unwrap_or_else(Name::none),
        clauses: uncommented(&key.clauses),
        ..key.clone()
    };
    if let (None, Some(key)) = (&table.primary_key, &parent.primary_key) {
        table.primary_key = Some(own.primary_key.clone().unwrap_or_else(|| keys(key)));
    }
    for key in parent.unique_keys.iter() {
        let same = own.unique_keys.iter().find(|own| columns_of(own) == columns_of(key));
        table.unique_keys.0.push(same.cloned().unwrap_or_else(|| keys(key)));
    }
    for key in parent.foreign_keys.iter() {
        let same = own.foreign_keys.iter().find(|own| own.is_same_as(key)).cloned();
        let mut kept = same.unwrap_or_else(|| key.clone());
        kept.clauses = uncommented(&kept.clauses);
        if !table.foreign_keys.iter().any(|other| other.is_same_as(&kept)) {
            table.foreign_keys.0.push(kept);
        }
    }
    for check in parent.exclusions.iter() {
        let same = own.exclusions.iter().find(|own| own.condition == check.condition).cloned();
        let name = check.name.as_ref().and_then(part);
        let nameless = || Check { name, clauses: uncommented(&check.clauses), ..check.clone() };
        table.exclusions.0.push(same.unwrap_or_else(nameless));
    }
    for check in parent.checks.iter().filter(|check| !check.clauses.has(clause::NO_INHERIT)) {
        let same = own.checks.iter().find(|own| own.name == check.name).cloned();
        let kept = same.unwrap_or_else(|| {
            let mut copy = check.clone();
            copy.clauses = uncommented(&check.clauses);
            copy
        });
        if !table.checks.iter().any(|other| other.name == kept.name) {
            table.checks.0.push(kept);
        }
    }
}
