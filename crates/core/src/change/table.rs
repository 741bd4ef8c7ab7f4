//! Changes of one table that every engine has.

use super::NewConstraints;
use crate::model::{Check, Column, Name, OnConflict, Table};

/// A change of one table.
#[derive(Debug, Clone)]
pub enum TableChange {
    /// ADD COLUMN, with the constraints that were written with the column.
    AddColumn {
        /// The column.
        column: Box<Column>,
        /// Constraints of the column that the model keeps with the table.
        constraints: NewConstraints,
    },
    /// DROP COLUMN.
    DropColumn(Name),
    /// ALTER COLUMN … SET NOT NULL.
    SetNotNull(Name, OnConflict),
    /// ALTER COLUMN … DROP NOT NULL.
    DropNotNull(Name),
    /// ADD CHECK.
    AddCheck(Check),
    /// DROP CONSTRAINT.
    DropConstraint(Name),
}

/// Why a table can't be changed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Refused {
    /// It has no such column.
    NoColumn(Name),
    /// It has such a column already.
    ColumnExists(Name),
    /// It has no such constraint.
    NoConstraint(Name),
}

impl TableChange {
    /// Makes the change. The table is as it was if that is refused.
    pub fn apply(&self, table: &mut Table) -> Result<(), Refused> {
        let found = |table: &Table, name: &Name| {
            table.columns.iter().position(|column| column.name == *name).ok_or_else(|| Refused::NoColumn(name.clone()))
        };
        match self {
            TableChange::AddColumn { column, constraints } => {
                if table.column(&column.name).is_some() {
                    return Err(Refused::ColumnExists(column.name.clone()));
                }
                table.columns.push((**column).clone());
                table.unique_keys.extend(constraints.unique_keys.iter().cloned());
                table.checks.extend(constraints.checks.iter().cloned());
                table.foreign_keys.extend(constraints.foreign_keys.iter().cloned());
            }
            TableChange::DropColumn(name) => {
                let index = found(table, name)?;
                table.columns.remove(index);
                // The engine refuses to drop a column that the table's own constraints use; those of the column go with it.
                table.checks.retain(|check| !check.condition.mentions(name));
                table.foreign_keys.retain(|key| !(key.columns.len() == 1 && key.columns[0] == *name));
            }
            TableChange::SetNotNull(name, on_conflict) => {
                let index = found(table, name)?;
                table.columns[index].not_null = Some(*on_conflict);
            }
            TableChange::DropNotNull(name) => {
                let index = found(table, name)?;
                table.columns[index].not_null = None;
            }
            TableChange::AddCheck(check) => table.checks.push(check.clone()),
            TableChange::DropConstraint(name) => {
                let before = table.checks.len();
                table.checks.retain(|check| check.name.as_ref() != Some(name));
                if table.checks.len() == before {
                    return Err(Refused::NoConstraint(name.clone()));
                }
            }
        }
        Ok(())
    }
}
