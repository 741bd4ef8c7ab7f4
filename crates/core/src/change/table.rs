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
    /// A part of the table uses the column that is to be dropped.
    ColumnInUse(Name, String),
}

/// A part of the table that prevents DROP COLUMN: one that uses the column and is not in the column's own definition
/// (<https://sqlite.org/lang_altertable.html#alter_table_drop_column>).
fn user_of_column(table: &Table, name: &Name) -> Option<String> {
    let is_own = |with: &Option<Name>| with.as_ref() == Some(name);
    if table.in_primary_key(name) {
        return Some("the primary key".to_owned());
    }
    if table.unique_keys.iter().any(|key| key.has_column(name)) {
        return Some("a UNIQUE constraint".to_owned());
    }
    if table.foreign_keys.iter().any(|key| key.columns.contains(name) && !is_own(&key.with_column)) {
        return Some("a foreign key".to_owned());
    }
    let checks = table.checks.iter().filter(|check| !is_own(&check.with_column));
    let mut using = checks.filter(|check| check.condition.uses_column(name) == Some(true));
    if let Some(check) = using.next() {
        return Some(format!("CHECK ({})", check.condition.on_one_line()));
    }
    let generated = table.columns.iter().find(|column| {
        let expression = column.generated.as_ref().map(|generated| &generated.expression);
        column.name != *name && expression.is_some_and(|expression| expression.uses_column(name) == Some(true))
    });
    generated.map(|column| format!("the generated column `{}`", column.name))
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
                if let Some(user) = user_of_column(table, name) {
                    return Err(Refused::ColumnInUse(name.clone(), user));
                }
                table.columns.remove(index);
                table.checks.retain(|check| check.with_column.as_ref() != Some(name));
                table.foreign_keys.retain(|key| key.with_column.as_ref() != Some(name));
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
