//! When two constraints say the same.

use crate::model::{Check, Clauses, ForeignKey, Key, Name};

/// A constraint without what does not decide what it says.
pub trait Constraint: Sized + PartialEq {
    /// Without the comments on it and on its index.
    fn uncommented(&self) -> Self;

    /// Without its name and comments.
    fn bare(&self) -> Self;

    /// Whether the other says the same, under whatever name.
    fn says_what(&self, other: &Self) -> bool {
        self.bare() == other.bare()
    }
}

fn without_comments(clauses: &Clauses) -> Clauses {
    let mut clauses = clauses.clone();
    clauses.remove("comment");
    clauses.remove("index comment");
    clauses
}

impl Constraint for Key {
    fn uncommented(&self) -> Key {
        Key { clauses: without_comments(&self.clauses), ..self.clone() }
    }

    fn bare(&self) -> Key {
        Key { name: Name::none(), ..self.uncommented() }
    }
}

impl Constraint for ForeignKey {
    fn uncommented(&self) -> ForeignKey {
        ForeignKey { clauses: without_comments(&self.clauses), ..self.clone() }
    }

    fn bare(&self) -> ForeignKey {
        ForeignKey { name: Name::none(), ..self.uncommented() }
    }
}

impl Constraint for Check {
    fn uncommented(&self) -> Check {
        Check { clauses: without_comments(&self.clauses), ..self.clone() }
    }

    fn bare(&self) -> Check {
        Check { name: None, ..self.uncommented() }
    }
}
