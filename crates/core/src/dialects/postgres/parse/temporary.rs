//! What is temporary is no part of a schema, and neither is what its source says of it afterwards.

use crate::model::Name;
use crate::parse::{Session, StatementKind};

/// Takes out of what a statement says what is about temporary objects, and keeps account of which there are.
pub fn step_over(said: &mut Vec<StatementKind>, session: &mut Session) {
    if session.temporary.is_empty() {
        return;
    }
    said.retain(|kind| match kind {
        StatementKind::Create { object, .. } => {
            let on_one = object.definition.owner().is_some_and(|owner| session.temporary.contains(owner));
            if on_one {
                session.temporary.insert(object.name.clone());
            } else {
                // It went with the transaction or the session that made it.
                session.temporary.remove(&object.name);
            }
            !on_one
        }
        StatementKind::Drop { name, .. } => !session.temporary.remove(name),
        StatementKind::Amend(amendment) => !session.temporary.contains(&amendment.name),
        _ => true,
    });
}

/// Remembers that there is a temporary object of this name.
pub fn remember(name: &Name, session: &mut Session) {
    session.temporary.insert(name.clone());
}
