//! The actions of ALTER TABLE (<https://www.postgresql.org/docs/current/sql-altertable.html>).

use wevrun_core::change::{ClauseChanges, Outcome};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Column, Definition, Flag, Model, Name, Object, ObjectKey, QualifiedName, Table};

use super::{ColumnChange, NewConstraints, children, missing};
use crate::{canonical, clause, own_columns, rename, using_index};

/// One action of ALTER TABLE.
#[derive(Debug, Clone)]
pub enum TableChange {
    /// ADD of table constraints.
    AddConstraints(NewConstraints),
    /// ADD COLUMN.
    AddColumn {
        /// The column.
        column: Box<Column>,
        /// The constraints that are written with it.
        constraints: NewConstraints,
        /// IF NOT EXISTS.
        if_not_exists: bool,
    },
    /// DROP CONSTRAINT.
    DropConstraint {
        /// The constraint.
        name: Name,
        /// IF EXISTS.
        if_exists: bool,
    },
    /// DROP COLUMN.
    DropColumn {
        /// The column.
        name: Name,
        /// IF EXISTS.
        if_exists: bool,
    },
    /// ALTER CONSTRAINT.
    AlterConstraint {
        /// The constraint.
        name: Name,
        /// INHERIT.
        inherit: bool,
        /// DEFERRABLE, ENFORCED, NO INHERIT, …
        attributes: Clauses,
    },
    /// VALIDATE CONSTRAINT.
    ValidateConstraint(Name),
    /// ALTER COLUMN.
    Column {
        /// The column.
        name: Name,
        /// The changes.
        change: ColumnChange,
    },
    /// INHERIT.
    AddParent(QualifiedName),
    /// Storage parameters, tablespace, row security and other clauses.
    Clauses(ClauseChanges),
}

/// Makes the changes of one statement, and what they mean for the children.
pub(super) fn apply(model: &mut Model, key: &ObjectKey, changes: &[TableChange], only: bool) -> Outcome {
    let Some(object) = model.get_mut(key) else { return Ok(()) };
    object.text.clear();
    let of_columns = |change: &TableChange| {
        use TableChange::{AlterConstraint, Column, DropColumn, DropConstraint};
        matches!(change, AlterConstraint { .. } | Column { .. } | DropColumn { .. } | DropConstraint { .. })
    };
    let of_columns = changes.iter().any(of_columns);
    let before = object.as_table().filter(|_| of_columns).map(|table| table.columns.clone());
    let outcome = changes.iter().try_for_each(|change| change.apply(object));
    // What a column was called may be the name of a new one.
    if let Definition::Table(table) = &object.definition {
        object.formerly.columns.retain(|(_, former)| table.column(former).is_none());
    }
    match before {
        Some(before) if only => children::keep(model, key, &before),
        Some(before) => children::pass_on(model, key, &before),
        None => {}
    }
    outcome.and_then(|()| using_index::take_over(model, key))
}

impl TableChange {
    fn apply(&self, object: &mut Object) -> Outcome {
        let key = object.key();
        match self {
            TableChange::Column { name, change } => return change.apply_to(object, name),
            TableChange::Clauses(changes) => {
                object.definition.clauses_mut().into_iter().for_each(|clauses| changes.apply(clauses));
                return Ok(());
            }
            _ => {}
        }
        let Definition::Table(table) = &mut object.definition else { return Ok(()) };
        match self {
            TableChange::AddConstraints(constraints) => constraints.apply(table),
            TableChange::AddColumn { column, constraints, if_not_exists } => {
                if table.column(&column.name).is_none() {
                    table.columns.push(Column::clone(column));
                    constraints.apply(table);
                } else if !if_not_exists {
                    let twice = format!("{key} has a column `{}` already", column.name);
                    return Err(Box::new(Diagnostic::new(Code::WV102, twice)));
                }
            }
            TableChange::DropConstraint { name, if_exists } => {
                let called = canonical::not_null_names::called(&key.name, table, name);
                let is_not_null = called.map(canonical::not_null_names::take_from).count() > 0;
                if !is_not_null && !rename::drop_constraint(table, name) && !if_exists {
                    return Err(missing("constraint", &key, name));
                }
            }
            TableChange::DropColumn { name, if_exists } => {
                if table.column(name).is_some() {
                    drop_column(table, name);
                } else if !if_exists {
                    return Err(missing("column", &key, name));
                }
            }
            TableChange::AlterConstraint { name, inherit, attributes } => {
                for column in canonical::not_null_names::called(&key.name, table, name) {
                    if *inherit {
                        column.clauses.remove(clause::NOT_NULL_NO_INHERIT);
                    } else if attributes.has(clause::NO_INHERIT) {
                        column.clauses.set(clause::NOT_NULL_NO_INHERIT, Flag);
                    }
                }
                for foreign_key in table.foreign_keys.iter_mut().filter(|other| other.name == *name) {
                    foreign_key.clauses.remove(clause::DEFERRABLE);
                    foreign_key.clauses.extend(attributes);
                }
            }
            TableChange::ValidateConstraint(name) => validate(&key.name, table, name),
            TableChange::AddParent(parent) => {
                let mut parents = table.clauses.remove(clause::INHERITS).unwrap_or_default();
                parents.push(parent.clone());
                table.clauses.set(clause::INHERITS, parents);
            }
            TableChange::Column { .. } | TableChange::Clauses(_) => {}
        }
        Ok(())
    }
}

fn validate(table_name: &QualifiedName, table: &mut Table, name: &Name) {
    for check in table.checks.iter_mut().filter(|check| check.name.as_ref() == Some(name)) {
        check.clauses.remove(clause::NOT_VALID);
    }
    for key in table.foreign_keys.iter_mut().filter(|key| key.name == *name) {
        key.clauses.remove(clause::NOT_VALID);
    }
    for column in canonical::not_null_names::called(table_name, table, name) {
        column.clauses.remove(clause::NOT_NULL_NOT_VALID);
    }
}

/// Removes a column, with the constraints and clauses that can't be without it, as the server does.
pub fn drop_column(table: &mut Table, column: &Name) {
    table.checks.retain(|check| !own_columns::uses(&check.condition, column));
    table.exclusions.retain(|exclusion| !own_columns::excludes(exclusion, column));
    table.columns.retain(|other| other.name != *column);
    table.unique_keys.retain(|key| !key.has_column(column));
    table.foreign_keys.retain(|key| !key.columns.contains(column));
    if table.primary_key.as_ref().is_some_and(|key| key.has_column(column)) {
        table.primary_key = None;
    }
}
