//! What is temporary is no part of a schema, and neither is what its source says of it afterwards.

use std::collections::BTreeSet;

use super::StatementKind;
use crate::model::Name;

/// The temporary objects that there are by now in a source.
#[derive(Default)]
pub(super) struct Temporary(BTreeSet<Name>);

impl Temporary {
    /// Keeps account of them, and tells whether what a statement says is about something else.
    pub fn is_other(&mut self, kind: &StatementKind) -> bool {
        match kind {
            StatementKind::Aside { temporary, .. } => {
                self.0.extend(temporary.clone());
                true
            }
            StatementKind::Create { object, .. } => {
                let stands_on_one = object.definition.owner().is_some_and(|owner| self.0.contains(owner));
                // Another one of its name went with the transaction or the session that made it.
                self.0.remove(&object.name);
                !stands_on_one
            }
            StatementKind::Drop { name, .. } => !self.0.remove(name),
            StatementKind::Alter { table, .. } => !self.0.contains(table),
            StatementKind::Amend(amendment) => !self.0.contains(&amendment.name),
            StatementKind::Grant(_) | StatementKind::Session => true,
        }
    }
}
