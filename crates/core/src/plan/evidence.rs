//! What is known of the rows in a live database.

use std::collections::BTreeMap;

use crate::model::Name;

/// A yes-or-no question about rows. Names are those in have.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Probe {
    /// Does the table hold any row?
    HasRows(Name),
    /// Does the column hold any value that is not NULL?
    HasValues(Name, Name),
    /// Does the column hold any NULL?
    HasNulls(Name, Name),
}

/// Answers to probes. A side that is not live has none.
#[derive(Debug, Clone, Default)]
pub struct Evidence {
    answers: BTreeMap<Probe, bool>,
}

impl Evidence {
    /// From a database's answers.
    pub fn new(answers: impl IntoIterator<Item = (Probe, bool)>) -> Evidence {
        Evidence { answers: answers.into_iter().collect() }
    }

    /// The answer, if it is known.
    pub fn answer(&self, probe: &Probe) -> Option<bool> {
        self.answers.get(probe).copied()
    }
}
