//! The names at which an engine looks before it makes one up.

use std::collections::HashMap;

use crate::model::QualifiedName;

/// The names that one object holds: its own, and those of its constraints and of what belongs to these.
#[derive(Debug, Default)]
pub struct Held {
    /// Names of tables, indexes, sequences and whatever else shares names with them.
    pub relations: Vec<QualifiedName>,
    /// Names of constraints.
    pub constraints: Vec<QualifiedName>,
    /// Names of statistics.
    pub statistics: Vec<QualifiedName>,
}

/// The names that all objects hold.
#[derive(Debug, Default)]
pub struct Taken {
    relations: HashMap<QualifiedName, usize>,
    constraints: HashMap<QualifiedName, usize>,
    statistics: HashMap<QualifiedName, usize>,
}

impl Taken {
    /// Whether a table, index, sequence or the like is called so.
    pub fn is_relation(&self, name: &QualifiedName) -> bool {
        self.relations.contains_key(name)
    }

    /// Whether a constraint is called so.
    pub fn is_constraint(&self, name: &QualifiedName) -> bool {
        self.constraints.contains_key(name)
    }

    /// Whether statistics are called so.
    pub fn is_statistics(&self, name: &QualifiedName) -> bool {
        self.statistics.contains_key(name)
    }

    /// Counts what an object holds.
    pub fn add(&mut self, held: Held) {
        held.relations.into_iter().for_each(|name| *self.relations.entry(name).or_default() += 1);
        held.constraints.into_iter().for_each(|name| *self.constraints.entry(name).or_default() += 1);
        held.statistics.into_iter().for_each(|name| *self.statistics.entry(name).or_default() += 1);
    }

    pub(super) fn remove(&mut self, held: Held) {
        held.relations.iter().for_each(|name| let_go(&mut self.relations, name));
        held.constraints.iter().for_each(|name| let_go(&mut self.constraints, name));
        held.statistics.iter().for_each(|name| let_go(&mut self.statistics, name));
    }
}

fn let_go(names: &mut HashMap<QualifiedName, usize>, name: &QualifiedName) {
    if let Some(count) = names.get_mut(name) {
        *count -= 1;
        if *count == 0 {
            names.remove(name);
        }
    }
}
