//! What a partition is once it is one no more: it keeps all that it had with its parent, as its own
//! (<https://www.postgresql.org/docs/current/sql-altertable.html#SQL-ALTERTABLE-DESC-DETACH-PARTITION>).

use super::super::sameness::Constraint;
use super::super::{names, settle, write};
use super::inheritance::{columns_of, not_null_names, says_the_same};
use crate::fold::Taken;
use crate::model::{Beside, Clauses, Definition, Index, Kind, Model, Name, Object, ObjectKey, Table};

/// The table and its indexes when it is detached; none if it is no partition. The model is canonical.
pub fn standalone(model: &Model, key: &ObjectKey) -> Option<Vec<Object>> {
    let mut object = model.get(key)?.clone();
    let not_null = not_null_names(model, object.as_table()?);
    let above = above(model, object.as_table()?);
    if above.is_empty() {
        return None;
    }
    let Definition::Table(table) = &mut object.definition else { return None };
    table.clauses.remove("partition of");
    table.clauses.remove("bound");
    for column in table.columns.iter_mut() {
        column.clauses.remove("inherited");
        column.clauses.remove("no default");
        if column.not_null.is_some() && column.not_null_name.is_none() {
            let usual = names::simple(write::not_null_name(&key.name, column).canonical());
            column.not_null_name = Beside(not_null.get(&column.name).filter(|name| **name != usual).cloned());
        }
    }
    for parent in above.iter().filter_map(|name| model.table(name)) {
        take_constraints(table, parent);
    }
    let mut indexes = std::mem::take(&mut table.of_parent.0.indexes);
    table.of_parent = Beside::default();
    let mut taken = Taken::default();
    model.objects().for_each(|object| taken.add(settle::held(object)));
    settle::settle(&mut object, &taken);
    for index in &mut indexes {
        if let Definition::Index(index) = &mut index.definition {
            index.clauses.remove("attached to");
        }
    }
    for (parent, index) in model.of_kind(Kind::Index).filter_map(|object| Some((object, as_index(object)?))) {
        let is_there = |own: &Object| as_index(own).is_some_and(|own| says_the_same(own, index));
        if above.contains(&index.table) && !indexes.iter().any(is_there) {
            let mut copy = Object { name: Name::none(), text: String::new(), ..parent.clone() };
            if let Definition::Index(index) = &mut copy.definition {
                index.table = key.name.clone();
                index.clauses.remove("comment");
            }
            settle::settle(&mut copy, &taken);
            indexes.push(copy);
        }
    }
    indexes.insert(0, object);
    indexes.iter_mut().for_each(|object| object.text = write::statements(object).join(";\n"));
    Some(indexes)
}

/// The tables above a partition, nearest first.
fn above(model: &Model, partition: &Table) -> Vec<Name> {
    let mut found: Vec<Name> = Vec::new();
    let mut next = partition.clauses.value("partition of").map(|name| Name::new(name, name));
    while let Some(name) = next.filter(|name| !found.contains(name)) {
        let parent = model.table(&name).and_then(|table| table.clauses.value("partition of"));
        next = parent.map(|name| Name::new(name, name));
        found.push(name);
    }
    found
}

fn as_index(object: &Object) -> Option<&Index> {
    if let Definition::Index(index) = &object.definition { Some(index) } else { None }
}

/// Gives a table the constraints that it has with a parent: as it says them itself, or as the server has made them for it.
fn take_constraints(table: &mut Table, parent: &Table) {
    let own = &table.of_parent.0;
    let uncommented = |clauses: &Clauses| -> Clauses {
        let is_comment = |name: &str| matches!(name, "comment" | "index comment");
        clauses.iter().filter(|(name, _)| !is_comment(name)).map(|(name, value)| (name, value.clone())).collect()
    };
    let keys = |key: &crate::model::Key| crate::model::Key {
        name: Name::none(),
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
        let same = own.foreign_keys.iter().find(|own| own.says_what(key)).cloned();
        let mut kept = same.unwrap_or_else(|| key.clone());
        kept.clauses = uncommented(&kept.clauses);
        if !table.foreign_keys.iter().any(|other| other.says_what(&kept)) {
            table.foreign_keys.0.push(kept);
        }
    }
    for check in parent.checks.iter().filter(|check| !check.clauses.has("no inherit")) {
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
