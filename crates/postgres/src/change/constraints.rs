//! Constraints that a statement adds to a table.

use wevrun_core::change;
use wevrun_core::model::{Beside, Check, Clauses, Column, Flag, Name, OnConflict, Table};

use crate::clause;

/// Everything that a list of constraints can hold.
#[derive(Debug, Default, Clone)]
pub struct NewConstraints {
    /// Keys, checks and foreign keys.
    pub constraints: change::NewConstraints,
    /// EXCLUDE constraints.
    pub exclusions: Vec<Check>,
    /// `CONSTRAINT name NOT NULL column` of a table (PostgreSQL 18).
    pub not_null: Vec<NotNull>,
}

impl NewConstraints {
    /// Adds them to a table.
    pub fn apply(&self, table: &mut Table) {
        let NewConstraints { constraints, exclusions, not_null } = self;
        table.primary_key = constraints.primary_keys.first().cloned().or(table.primary_key.take());
        table.unique_keys.extend(constraints.unique_keys.iter().cloned());
        table.checks.extend(constraints.checks.iter().cloned());
        table.foreign_keys.extend(constraints.foreign_keys.iter().cloned());
        table.exclusions.extend(exclusions.iter().cloned());
        // A column that is a parent's can have constraints of the child's own.
        if crate::has_columns_from_elsewhere(table) {
            for constraint in not_null {
                if table.column(&constraint.column).is_none() {
                    table.columns.push(Column::named(constraint.column.clone()));
                }
            }
        }
        for column in table.columns.iter_mut() {
            not_null.iter().for_each(|constraint| constraint.apply(column));
        }
    }
}

/// A NOT NULL constraint.
#[derive(Debug, Clone)]
pub struct NotNull {
    /// Of which column.
    pub column: Name,
    /// Its name, if it has been given one.
    pub name: Option<Name>,
    /// NO INHERIT and NOT VALID.
    pub attributes: Clauses,
}

impl NotNull {
    /// Sets it on the column, if it is this one (<https://www.postgresql.org/docs/current/sql-createtable.html>).
    pub fn apply(&self, column: &mut Column) {
        if self.column != column.name {
            return;
        }
        column.not_null = Some(OnConflict::Abort);
        column.not_null_name = Beside(self.name.clone());
        if self.attributes.has(clause::NO_INHERIT) {
            column.clauses.set(clause::NOT_NULL_NO_INHERIT, Flag);
        }
        if self.attributes.has(clause::NOT_VALID) {
            column.clauses.set(clause::NOT_NULL_NOT_VALID, Flag);
        }
    }
}
