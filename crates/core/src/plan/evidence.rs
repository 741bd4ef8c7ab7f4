//! Evidence about a live database beside its structure: its rows, and the server's free space.

use std::collections::BTreeMap;

use super::Provenance;
use crate::model::{Name, QualifiedName};

/// A yes-or-no question about rows. Names are those in have.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Probe {
    /// Does the table hold any row?
    HasRows(QualifiedName),
    /// Does the column hold any value that is not NULL?
    HasValues(QualifiedName, Name),
    /// Does the column hold any NULL?
    HasNulls(QualifiedName, Name),
    /// Does the column hold any number that is no integer, as SQLite stores values?
    HasReals(QualifiedName, Name),
}

/// Answers to probes. A side that is not live has none.
#[derive(Debug, Clone, Default)]
pub struct Evidence {
    answers: BTreeMap<Probe, u64>,
    lock_room: Option<usize>,
    /// Where the database's objects are from.
    pub provenance: Provenance,
}

impl Evidence {
    /// From a database's answers.
    pub fn new(answers: impl IntoIterator<Item = (Probe, bool)>) -> Evidence {
        Evidence::counted(answers.into_iter().map(|(probe, answer)| (probe, u64::from(answer))))
    }

    /// From a database's answers, as numbers of rows: of [`Probe::HasNulls`] all, of the others whether there is one.
    pub fn counted(answers: impl IntoIterator<Item = (Probe, u64)>) -> Evidence {
        Evidence { answers: answers.into_iter().collect(), ..Evidence::default() }
    }

    /// The answer, if it is known.
    pub fn answer(&self, probe: &Probe) -> Option<bool> {
        self.answers.get(probe).map(|rows| *rows > 0)
    }

    /// How many rows there are, of [`Probe::HasNulls`]; if it is known.
    pub fn count(&self, probe: &Probe) -> Option<u64> {
        self.answers.get(probe).copied()
    }

    /// With the number of locks that the server has room for, where it has a limit that all transactions share.
    pub fn with_lock_room(self, locks: usize) -> Evidence {
        Evidence { lock_room: Some(locks), ..self }
    }

    /// The number of locks that the server has room for, if it is known.
    pub fn lock_room(&self) -> Option<usize> {
        self.lock_room
    }
}
