//! What is said of an object, clause by clause.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use smol_str::SmolStr;

use super::Expression;

/// The names of clauses that decide the kind of object.
pub mod is {
    /// A view whose rows are kept.
    pub const MATERIALIZED: &str = "materialized";
    /// A table whose rows another server has: the server.
    pub const SERVER: &str = "server";
}

/// Clauses by their name, which is the keyword of the engine's own grammar in lower case. A clause that is not there has
/// the engine's default; one that is just present has an empty value.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
#[schemars(transparent)]
pub struct Clauses(#[schemars(with = "BTreeMap<String, Expression>")] BTreeMap<SmolStr, Expression>);

impl Clauses {
    /// Whether nothing is said.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// Whether the clause is there.
    pub fn has(&self, name: &str) -> bool {
        self.0.contains_key(name)
    }

    /// The clause.
    pub fn get(&self, name: &str) -> Option<&Expression> {
        self.0.get(name)
    }

    /// The clause's canonical form.
    pub fn value(&self, name: &str) -> Option<&str> {
        self.0.get(name).map(|value| value.canonical.as_str())
    }

    /// The clause as it was written; nothing if it is not there.
    pub fn written(&self, name: &str) -> &str {
        self.0.get(name).map_or("", Expression::written)
    }

    /// Whether every value has a canonical form.
    pub fn is_sure(&self) -> bool {
        self.0.values().all(Expression::is_sure)
    }

    /// Says it.
    pub fn set(&mut self, name: &str, value: Expression) {
        self.0.insert(name.into(), value);
    }

    /// Says it in canonical form.
    pub fn say(&mut self, name: &str, value: impl Into<String>) {
        self.set(name, Expression::plain(value));
    }

    /// Says no more of it.
    pub fn remove(&mut self, name: &str) -> Option<Expression> {
        self.0.remove(name)
    }

    /// All of them, ordered by name.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &Expression)> {
        self.0.iter().map(|(name, value)| (name.as_str(), value))
    }

    /// All of them, to change their values.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (&str, &mut Expression)> {
        self.0.iter_mut().map(|(name, value)| (name.as_str(), value))
    }

    /// The names of the clauses that differ, ordered.
    pub fn differing<'c>(&'c self, other: &'c Clauses) -> Vec<&'c str> {
        let mut names: Vec<&str> = self.0.keys().chain(other.0.keys()).map(SmolStr::as_str).collect();
        names.sort_unstable();
        names.dedup();
        names.retain(|name| self.get(name) != other.get(name));
        names
    }
}

impl<const N: usize> From<[(&str, &str); N]> for Clauses {
    fn from(clauses: [(&str, &str); N]) -> Clauses {
        Clauses(clauses.into_iter().map(|(name, value)| (name.into(), Expression::plain(value))).collect())
    }
}
