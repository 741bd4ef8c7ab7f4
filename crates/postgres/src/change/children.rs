//! What a change of a parent's columns means for its children, with ONLY and without
//! (<https://www.postgresql.org/docs/current/ddl-inherit.html>). A model's child lists only what it says of a column itself.

use super::super::sameness::Constraint;
use super::super::{canonical, parents_of, write};
use crate::{clause, names};
use wevrun_core::model::{
    Beside, Clause, Column, Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table,
};

/// What the children keep that the parent alone has lost: a default, a NOT NULL, a column.
pub fn keep(model: &mut Model, parent: &ObjectKey, before: &[Column]) {
    let Some(table) = model.table_mut(parent) else { return };
    for column in table.columns.iter_mut() {
        let Some(old) = before.iter().find(|old| old.name == column.name) else { continue };
        if old.default != column.default && !column.clauses.has(clause::DEFAULT_OF_CHILDREN) {
            let kept = old.default.clone().unwrap_or_else(|| Expression::plain("NULL"));
            column.clauses.set(clause::DEFAULT_OF_CHILDREN, kept);
        }
    }
    let kept: Vec<Column> = before
        .iter()
        .filter(|old| old.not_null.is_some() && !old.clauses.has(clause::NOT_NULL_NO_INHERIT))
        .filter(|old| table.column(&old.name).is_some_and(|column| column.not_null.is_none()))
        .cloned()
        .collect();
    let gone: Vec<&Column> = before.iter().filter(|old| table.column(&old.name).is_none()).collect();
    let gone: Vec<Column> = gone.into_iter().cloned().collect();
    for child in if kept.is_empty() { Vec::new() } else { below(model, &parent.name) } {
        let Some(child) = model.table_mut(&child) else { continue };
        for column in &kept {
            if child.column(&column.name).is_none() {
                child.columns.push(Column::named(column.name.clone()));
            }
            let own = child.columns.iter_mut().find(|own| own.name == column.name).expect("it is there by now");
            if own.not_null.is_none() {
                own.not_null.clone_from(&column.not_null);
                own.not_null_name = Beside(Some(write::not_null_name(&parent.name, column)));
            }
        }
    }
    if gone.is_empty() {
        return;
    }
    for child in children(model, &parent.name) {
        let Some(child) = model.table_mut(&child) else { continue };
        // It stood before what is the child's alone.
        for column in gone.iter().rev() {
            match child.columns.iter_mut().find(|own| own.name == column.name) {
                Some(own) => own.data_type = own.data_type.take().or(column.data_type.clone()),
                None => child.columns.insert(0, column.clone()),
            }
        }
    }
}

/// Gives a table that is created the defaults that its parents have now, where their other children keep older ones.
pub fn inherit_present(model: &Model, object: &mut Object) {
    let source = object.location.map(|location| location.source);
    let Definition::Table(table) = &mut object.definition else { return };
    for parent in parents_of(table) {
        let found =
            model.find(Kind::Table, &parent).filter(|parent| parent.location.map(|place| place.source) == source);
        let Some(parent) = found.and_then(|object| object.as_table()) else { continue };
        for column in parent.columns.iter().filter(|column| column.clauses.has(clause::DEFAULT_OF_CHILDREN)) {
            if table.column(&column.name).is_none() {
                table.columns.push(Column::named(column.name.clone()));
            }
            let own = table.columns.iter_mut().find(|own| own.name == column.name).expect("it is there by now");
            if own.default.is_none() && own.generated.is_none() {
                own.default = Some(column.default.clone().unwrap_or_else(|| Expression::plain("NULL")));
            }
        }
    }
}

/// Columns that a child lists as well change with the parent's. A NOT NULL of the parent's is not the child's own.
pub fn pass_on(model: &mut Model, parent: &ObjectKey, before: &[Column]) {
    let after = model.get(parent).and_then(|object| object.as_table()).map(|table| table.columns.clone());
    let changed = after.iter().flat_map(|columns| columns.iter()).filter_map(|new| {
        let old = before.iter().find(|old| old.name == new.name).filter(|old| is_passed_on(old, new))?;
        Some((old.clone(), new.clone()))
    });
    let changed: Vec<(Column, Column)> = changed.collect();
    if !changed.is_empty() {
        pass_on_below(model, &parent.name, &changed);
    }
}

/// Whether a change of a column is one of its children's columns too.
fn is_passed_on(old: &Column, new: &Column) -> bool {
    old.data_type != new.data_type
        || old.collation != new.collation
        || old.default != new.default
        || old.generated != new.generated
        || PASSED_ON.iter().any(|clause| old.clauses.get(*clause) != new.clauses.get(*clause))
}

/// The clauses of a column that its children's columns have too.
const PASSED_ON: [Clause<'static, Expression>; 2] = [clause::STORAGE, clause::COMPRESSION];

fn pass_on_below(model: &mut Model, parent: &QualifiedName, changed: &[(Column, Column)]) {
    for key in below(model, parent) {
        let Some(child) = model.table_mut(&key) else { continue };
        let partition = child.clauses.has(clause::PARTITION_OF);
        for (old, new) in changed {
            let says = |own: &&mut Column| own.name == new.name && (partition || own.data_type.is_some());
            let own = child.columns.iter_mut().find(says);
            let Some(own) = own else { continue };
            if !partition && (old.data_type != new.data_type || old.collation != new.collation) {
                own.data_type.clone_from(&new.data_type);
                own.collation.clone_from(&new.collation);
            }
            if old.default != new.default {
                own.default.clone_from(&new.default);
            }
            if old.generated != new.generated {
                own.generated.clone_from(&new.generated);
            }
            for clause in PASSED_ON {
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
    let named = |name: &Name| name == constraint;
    let key = table.primary_key.iter().chain(table.unique_keys.iter()).find(|key| named(&key.name));
    let foreign_key = table.foreign_keys.iter().find(|key| named(&key.name));
    let check = table.checks.iter().find(|check| check.name.as_ref().is_some_and(named));
    let partitions: Vec<ObjectKey> =
        canonical::partitions(model, &parent.name).into_iter().map(|(partition, _)| partition.key()).collect();
    for own in &partitions {
        let Some(own) = model.table_mut(own) else { continue };
        if let Some(key) = key {
            own.primary_key.take_if(|other| key.is_same_as(other));
            own.unique_keys.retain(|other| !key.is_same_as(other));
        }
        if let Some(place) =
            own.foreign_keys.iter().position(|other| foreign_key.is_some_and(|key| key.is_same_as(other)))
        {
            own.foreign_keys.remove(place);
        }
        own.checks.retain(|other| check.is_none_or(|check| check.name != other.name));
    }
}

/// The tables that inherit from one, and its partitions.
fn below(model: &Model, parent: &QualifiedName) -> Vec<ObjectKey> {
    let is_part = |(_, table): &(&QualifiedName, &Table)| {
        table.clauses.get(clause::PARTITION_OF).is_some_and(|own| names::is_same(own, parent))
    };
    let parts = model.tables().filter(is_part).map(|(name, _)| ObjectKey::new(Kind::Table, name.clone()));
    children(model, parent).into_iter().chain(parts).collect()
}

fn children(model: &Model, parent: &QualifiedName) -> Vec<ObjectKey> {
    let inherits = |(_, table): &(&QualifiedName, &Table)| {
        table.clauses.get(clause::INHERITS).is_some_and(|listed| listed.iter().any(|name| names::is_same(name, parent)))
    };
    model.tables().filter(inherits).map(|(name, _)| ObjectKey::new(Kind::Table, name.clone())).collect()
}
