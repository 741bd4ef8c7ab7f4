//! When two constraints say the same.

use crate::clause;
use wevrun_core::model::{Check, Clauses, ForeignKey, Key, Name};

/// A constraint without what does not decide what it says.
pub trait Constraint: Sized + PartialEq {
    /// Without the comments on it and on its index.
    fn uncommented(&self) -> Self;

    /// Without the comments and what else can be changed as it stands: the settings of its index.
    fn lasting(&self) -> Self;

    /// Without its name and comments.
    fn bare(&self) -> Self;

    /// Whether the other says the same, under whatever name.
    fn is_same_as(&self, other: &Self) -> bool {
        self.bare() == other.bare()
    }
}

fn without_comments(clauses: &Clauses) -> Clauses {
    let mut clauses = clauses.clone();
    clauses.remove(clause::COMMENT);
    clauses.remove(clause::INDEX_COMMENT);
    clauses
}

/// Whether the clause of an index, or of a constraint that has one, is a storage parameter or the tablespace.
pub fn is_setting_of_index(clause: &str) -> bool {
    clause == "tablespace" || clause::WITH.has(clause)
}

impl Constraint for Key {
    fn uncommented(&self) -> Key {
        Key { clauses: without_comments(&self.clauses), ..self.clone() }
    }

    fn lasting(&self) -> Key {
        let mut lasting = self.uncommented();
        lasting.clauses.retain(|clause, _| !is_setting_of_index(clause));
        lasting
    }

    fn bare(&self) -> Key {
        Key { name: Name::none(), ..self.uncommented() }
    }
}

impl Constraint for ForeignKey {
    fn uncommented(&self) -> ForeignKey {
        ForeignKey { clauses: without_comments(&self.clauses), ..self.clone() }
    }

    fn lasting(&self) -> ForeignKey {
        self.uncommented()
    }

    fn bare(&self) -> ForeignKey {
        ForeignKey { name: Name::none(), ..self.uncommented() }
    }
}

impl Constraint for Check {
    fn uncommented(&self) -> Check {
        Check { clauses: without_comments(&self.clauses), ..self.clone() }
    }

    fn lasting(&self) -> Check {
        let mut lasting = self.uncommented();
        lasting.clauses.retain(|clause, _| !is_setting_of_index(clause));
        lasting
    }

    fn bare(&self) -> Check {
        Check { name: None, ..self.uncommented() }
    }
}
