//! Temporary objects are no part of a schema, and neither are later statements about them.

use std::collections::BTreeSet;

use super::StatementKind;
use crate::model::QualifiedName;

/// The temporary objects that there are by now in a source.
#[derive(Default)]
pub(super) struct Temporary(BTreeSet<QualifiedName>);

impl Temporary {
    /// Keeps account of them, and tells whether a statement is about something else.
    pub fn is_other(&mut self, kind: &StatementKind) -> bool {
        match kind {
            StatementKind::Aside { temporary, .. } => {
                self.0.extend(temporary.clone());
                true
            }
            StatementKind::Create { object, .. } => {
                let stands_on_one = object.definition.owner().is_some_and(|owner| self.0.contains(owner));
                if stands_on_one {
                    self.0.insert(object.name.clone());
                } else {
                    // Another one of its name went with the transaction or the session that made it.
                    self.0.remove(&object.name);
                }
                !stands_on_one
            }
            StatementKind::Drop { name, .. } => !self.0.remove(name),
            StatementKind::Alter(alter) => self.is_other_than(&alter.name, alter.new_name.as_ref()),
            StatementKind::IfMissing(kind) => self.is_other(kind),
            StatementKind::Grant(_) | StatementKind::Session => true,
        }
    }

    fn is_other_than(&mut self, name: &QualifiedName, new_name: Option<&QualifiedName>) -> bool {
        if !self.0.contains(name) {
            return true;
        }
        if let Some(new) = new_name {
            self.0.remove(name);
            self.0.insert(new.clone());
        }
        false
    }
}
