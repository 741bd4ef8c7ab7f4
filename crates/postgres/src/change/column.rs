//! Changes of columns (`ALTER TABLE … ALTER COLUMN`).

use wevrun_core::change::{ClauseChanges, Outcome};
use wevrun_core::model::{Column, Definition, Expression, Flag, Name, Object, OnConflict, QualifiedName};

use super::sequence::{change_identity, take_identity};
use crate::{canonical, clause, names};

/// A change of one column.
#[derive(Debug, Clone)]
pub enum ColumnChange {
    /// SET DEFAULT.
    SetDefault(Expression),
    /// DROP DEFAULT.
    DropDefault,
    /// SET NOT NULL.
    SetNotNull,
    /// DROP NOT NULL.
    DropNotNull,
    /// SET DATA TYPE.
    SetType {
        /// The new type.
        data_type: Expression,
        /// COLLATE, unless it is the database's own.
        collation: Option<QualifiedName>,
    },
    /// SET EXPRESSION of a generated column.
    SetExpression(Expression),
    /// DROP EXPRESSION.
    DropExpression,
    /// ADD GENERATED … AS IDENTITY: the clauses of the column.
    AddIdentity(ClauseChanges),
    /// SET GENERATED, and options of the sequence.
    AlterIdentity(ClauseChanges),
    /// DROP IDENTITY.
    DropIdentity,
    /// Statistics target, storage, compression, options.
    Clauses(ClauseChanges),
}

impl ColumnChange {
    pub(super) fn apply(&self, column: &mut Column) {
        match self {
            ColumnChange::SetDefault(default) => {
                column.default = Some(default.clone());
                column.clauses.remove(clause::NO_DEFAULT);
            }
            // Of a column that is its parent's, that it has none of the parent's.
            ColumnChange::DropDefault => {
                column.default = column.data_type.is_none().then(|| Expression::plain("NULL"));
            }
            ColumnChange::SetNotNull => {
                column.not_null = Some(OnConflict::Abort);
                column.clauses.remove(clause::NOT_NULL_NOT_VALID);
            }
            ColumnChange::DropNotNull => canonical::not_null_names::take_from(column),
            ColumnChange::SetType { data_type, collation } => {
                column.data_type = Some(data_type.clone());
                column.collation.clone_from(collation);
            }
            ColumnChange::SetExpression(expression) => {
                if let Some(generated) = &mut column.generated {
                    generated.expression = expression.clone();
                }
            }
            ColumnChange::DropExpression => column.generated = None,
            ColumnChange::AddIdentity(clauses) => {
                clauses.apply(&mut column.clauses);
                column.not_null = Some(OnConflict::Abort);
            }
            ColumnChange::AlterIdentity(options) => change_identity(column, options),
            ColumnChange::DropIdentity => drop(take_identity(column)),
            ColumnChange::Clauses(changes) => changes.apply(&mut column.clauses),
        }
    }

    /// Changes the column of this name of a table or a view.
    pub(super) fn apply_to(&self, object: &mut Object, name: &Name) -> Outcome {
        let key = object.key();
        match &mut object.definition {
            Definition::Table(table) => match table.columns.iter().position(|column| column.name == *name) {
                Some(place) => {
                    self.apply(&mut table.columns[place]);
                    // Nor has it the default of a parent's column of this name.
                    if matches!(self, ColumnChange::DropDefault) && table.clauses.has(clause::INHERITS) {
                        table.columns[place].clauses.set(clause::NO_DEFAULT, Flag);
                    }
                }
                // It may be one of the parent's: then this is an override.
                None if crate::has_columns_from_elsewhere(table) => {
                    let mut column = Column::named(name.clone());
                    self.apply(&mut column);
                    table.columns.push(column);
                }
                None => return Err(super::missing("column", &key, name)),
            },
            Definition::View(view) => {
                // Views have defaults of their own for their columns.
                let own = names::quoted(name.canonical());
                match self {
                    ColumnChange::SetDefault(default) => view.clauses.set(clause::DEFAULT_OF.of(&own), default.clone()),
                    ColumnChange::DropDefault => drop(view.clauses.remove(clause::DEFAULT_OF.of(&own))),
                    ColumnChange::Clauses(changes) => {
                        for (clause, value) in changes.iter() {
                            let clause = format!("{clause} {own}");
                            match value {
                                Some(value) => view.clauses.set_named(&clause, value.clone()),
                                None => drop(view.clauses.remove_named(&clause)),
                            }
                        }
                    }
                    _ => {}
                }
            }
            _ => {}
        }
        Ok(())
    }
}
