//! The changes of an object that PostgreSQL knows, as data (<https://www.postgresql.org/docs/current/sql-commands.html>).

mod children;
mod column;
mod constraints;
mod forget;
mod granted;
mod object;
mod privileges;
mod rename;
mod replace;
mod sequence;
mod table;

pub use children::inherit_present;
pub use column::ColumnChange;
pub use constraints::{NewConstraints, NotNull};
pub use forget::{forget, forget_index};
pub use granted::{GrantOnAll, GrantedOnly};
pub use object::{AttributeChange, MemberChange, ObjectChange, Place, take_usual_of_publication};
pub use privileges::{AccessChange, Privileges};
pub use rename::{Rename, rename_multirange};
pub use replace::keep_replaced;
pub use sequence::{SequenceChange, set_identity_options, take_usual};
pub use table::{TableChange, drop_column};

use wevrun_core::change::{EngineChange, Outcome};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Model, Name, Object, ObjectKey, QualifiedName};

use super::{canonical, cascade};

/// A change of one object.
#[derive(Debug, Clone)]
pub enum Change {
    /// RENAME TO and SET SCHEMA.
    Rename(Rename),
    /// RENAME CONSTRAINT of a table, with its index or the index's name in the partitions.
    RenameConstraint {
        /// The present name.
        from: Name,
        /// The new name.
        to: Name,
    },
    /// RENAME COLUMN.
    RenameColumn {
        /// The present name.
        from: Name,
        /// The new name.
        to: Name,
    },
    /// RENAME VALUE of an enum; both as text constants.
    RenameLabel {
        /// The present label.
        from: String,
        /// The new label.
        to: String,
    },
    /// Makes a partition a table of its own.
    Detach,
    /// NOT OF: a table keeps the columns of its type as its own.
    LeaveType,
    /// NO INHERIT: a table keeps the columns of its parent as its own.
    LeaveParent(QualifiedName),
    /// Drops what depends on a key that the next change drops.
    DropDependentsOfConstraint(Name),
    /// Drops what depends on a column that the next change drops: all that does, or what the server drops without CASCADE.
    DropDependentsOfColumn {
        /// The column.
        column: Name,
        /// CASCADE.
        cascade: bool,
    },
    /// Drops a constraint in the partitions that share it.
    DropInPartitions(Name),
    /// The actions of one ALTER TABLE.
    Table {
        /// The actions in order.
        changes: Vec<TableChange>,
        /// ONLY: the children keep what they had from the table.
        only: bool,
    },
    /// What else is redefined about an object.
    Object(ObjectChange),
    /// Its owner, privileges and security labels.
    Access(AccessChange),
}

impl EngineChange for Change {
    fn apply(&self, model: &mut Model, key: &ObjectKey) -> Outcome {
        match self {
            Change::Rename(rename) => rename.apply(model, key),
            Change::RenameConstraint { from, to } => super::rename::constraint_or_part(model, key, from, to),
            Change::RenameColumn { from, to } => rename::column(model, key, from, to),
            Change::RenameLabel { from, to } => {
                if let Some(object) = model.get_mut(key) {
                    object::rename_label(object, from, to);
                }
                crate::rename::label(model, &key.name, &crate::names::simple(from), &crate::names::simple(to));
            }
            Change::Detach => model.extend(canonical::standalone(&canonical::finished(model), key).unwrap_or_default()),
            Change::LeaveType => model.extend(canonical::without_type(&canonical::finished(model), key)),
            Change::LeaveParent(parent) => {
                model.extend(canonical::without_parent(&canonical::finished(model), key, parent));
            }
            Change::DropDependentsOfConstraint(name) => cascade::drop_dependents_of_key(model, &key.name, name),
            Change::DropDependentsOfColumn { column, cascade } => {
                cascade::drop_dependents_of_column(model, key, column, *cascade);
            }
            Change::DropInPartitions(constraint) => children::drop_in_partitions(model, key, constraint),
            Change::Table { changes, only } => return table::apply(model, key, changes, *only),
            Change::Object(change) => {
                if let ObjectChange::Attributes(changes) = change {
                    for change in changes {
                        if let AttributeChange::Rename(from, to) = change {
                            crate::rename::attribute(model, &key.name, from, to);
                        }
                    }
                }
                let Some(object) = model.get_mut(key) else { return Ok(()) };
                object.text.clear();
                change.apply(object);
            }
            Change::Access(change) => model.get_mut(key).into_iter().for_each(|object| change.apply(object)),
        }
        Ok(())
    }
}

/// An unknown part of an object, as a finding.
fn missing(part: &str, object: &ObjectKey, name: &Name) -> Box<Diagnostic> {
    Box::new(Diagnostic::new(Code::WV111, format!("{object} has no {part} `{name}`")))
}

/// Sets a clause of an object, or removes it.
fn set_clause(object: &mut Object, name: &str, value: Option<&str>) {
    let Some(clauses) = object.definition.clauses_mut() else { return };
    match value {
        Some(value) => clauses.set_text_named(name, value),
        None => drop(clauses.remove_named(name)),
    }
}
