//! What a change of a parent's columns means for its children, with ONLY and without
//! (<https://www.postgresql.org/docs/current/ddl-inherit.html>). A model's child lists only what it says of a column itself.

use super::super::listed_names;
use super::super::rename::same;
use super::super::sameness::Constraint;
use super::alter_table::DEFAULT_OF_CHILDREN;
use crate::model::{Check, Column, Definition, Expression, Kind, Model, Name, ObjectKey, Table};

/// What the children keep that the parent alone has lost: a default, a column.
pub fn keep(model: &mut Model, parent: &ObjectKey, before: &[Column]) {
    let Some(Definition::Table(table)) = model.get_mut(parent).map(|object| &mut object.definition) else { return };
    for column in table.columns.iter_mut() {
        let Some(old) = before.iter().find(|old| old.name == column.name) else { continue };
        if old.default != column.default && !column.clauses.has(DEFAULT_OF_CHILDREN) {
            let kept = old.default.clone().unwrap_or_else(|| Expression::plain("NULL"));
            column.clauses.set(DEFAULT_OF_CHILDREN, kept);
        }
    }
    let gone: Vec<&Column> = before.iter().filter(|old| table.column(&old.name).is_none()).collect();
    if gone.is_empty() {
        return;
    }
    let gone: Vec<Column> = gone.into_iter().cloned().collect();
    for child in children(model, &parent.name) {
        let Some(child) = table_of(model, &child) else { continue };
        // It stood before what is the child's alone.
        for column in gone.iter().rev() {
            match child.columns.iter_mut().find(|own| own.name == column.name) {
                Some(own) => own.data_type = own.data_type.take().or(column.data_type.clone()),
                None => child.columns.insert(0, column.clone()),
            }
        }
    }
}

/// Columns that a child lists as well change with the parent's. A NOT NULL of the parent's is not the child's own.
pub fn pass_on(model: &mut Model, parent: &ObjectKey, before: &[Column]) {
    let after = model.get(parent).and_then(|object| object.as_table()).map(|table| table.columns.clone());
    let changed = after.iter().flat_map(|columns| columns.iter()).filter_map(|new| {
        let old = before.iter().find(|old| old.name == new.name).filter(|old| *old != new)?;
        Some((old.clone(), new.clone()))
    });
    let changed: Vec<(Column, Column)> = changed.collect();
    if !changed.is_empty() {
        pass_on_below(model, &parent.name, &changed);
    }
}

fn pass_on_below(model: &mut Model, parent: &Name, changed: &[(Column, Column)]) {
    for key in children(model, parent) {
        let Some(child) = table_of(model, &key) else { continue };
        for (old, new) in changed {
            let own = child.columns.iter_mut().find(|own| own.name == new.name && own.data_type.is_some());
            let Some(own) = own else { continue };
            if old.data_type != new.data_type || old.collation != new.collation {
                own.data_type.clone_from(&new.data_type);
                own.collation.clone_from(&new.collation);
            }
            if old.default != new.default {
                own.default.clone_from(&new.default);
            }
            for clause in ["storage", "compression"] {
                match new.clauses.get(clause) {
                    value if value == old.clauses.get(clause) => {}
                    Some(value) => own.clauses.set(clause, value.clone()),
                    None => drop(own.clauses.remove(clause)),
                }
            }
        }
        if let Some(object) = model.get_mut(&key) {
            object.text.clear();
        }
        pass_on_below(model, &key.name, changed);
    }
}

/// What a partition said itself and then shared with its parent goes with the parent's constraint.
pub fn drop_in_partitions(model: &mut Model, parent: &ObjectKey, constraint: &Name) {
    let Some(table) = model.get(parent).and_then(|object| object.as_table()).cloned() else { return };
    if !table.clauses.has("partition by") {
        return;
    }
    let keys = || table.primary_key.iter().chain(table.unique_keys.iter()).filter(|key| key.name == *constraint);
    for part in partitions(model, &parent.name) {
        let Some(own) = table_of(model, &part) else { continue };
        own.primary_key.take_if(|key| keys().any(|parents| parents.says_what(key)));
        own.unique_keys.retain(|key| !keys().any(|parents| parents.says_what(key)));
        let mut foreign_keys = table.foreign_keys.iter().filter(|key| key.name == *constraint);
        if let Some(parents) = foreign_keys.next()
            && let Some(place) = own.foreign_keys.iter().position(|key| parents.says_what(key))
        {
            own.foreign_keys.remove(place);
        }
        let named = |check: &Check| check.name.as_ref() == Some(constraint);
        if table.checks.iter().any(named) {
            own.checks.retain(|check| !named(check));
        }
        drop_in_partitions(model, &part, constraint);
    }
}

fn partitions(model: &Model, parent: &Name) -> Vec<ObjectKey> {
    let is_part = |(_, table): &(&Name, &Table)| table.clauses.value("partition of") == Some(parent.canonical());
    model.tables().filter(is_part).map(|(name, _)| ObjectKey::new(Kind::Table, name.clone())).collect()
}

fn table_of<'m>(model: &'m mut Model, key: &ObjectKey) -> Option<&'m mut Table> {
    match &mut model.get_mut(key)?.definition {
        Definition::Table(table) => Some(table),
        _ => None,
    }
}

fn children(model: &Model, parent: &Name) -> Vec<ObjectKey> {
    let inherits = |(_, table): &(&Name, &Table)| {
        let listed = table.clauses.value("inherits").map(listed_names).unwrap_or_default();
        listed.iter().any(|name| same(name, parent))
    };
    model.tables().filter(inherits).map(|(name, _)| ObjectKey::new(Kind::Table, name.clone())).collect()
}
