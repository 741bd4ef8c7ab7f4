//! What is said of an object, clause by clause.

use std::collections::BTreeMap;
use std::fmt;

use schemars::JsonSchema;
use serde::de::{MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use smol_str::SmolStr;

use super::{Beside, Expression};

/// The names of clauses that decide the kind of object.
pub mod is {
    /// A view whose rows are kept.
    pub const MATERIALIZED: &str = "materialized";
    /// A table whose rows another server has: the server.
    pub const SERVER: &str = "server";
}

/// Clauses by their name, which is the keyword of the engine's own grammar in lower case. A clause that is not there has
/// the engine's default; one that is just present has an empty value. Options of a list (`with.fillfactor`) keep the order in which
/// they were said, for scripts; it is not compared.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, JsonSchema)]
#[schemars(transparent)]
pub struct Clauses {
    #[schemars(with = "BTreeMap<String, Expression>")]
    values: BTreeMap<SmolStr, Expression>,
    #[schemars(skip)]
    order: Beside<Vec<SmolStr>>,
}

/// The lists whose options keep their order.
const LISTS: [&str; 5] = ["with.", "set.", "options.", "range.", "base."];

impl Clauses {
    /// Whether nothing is said.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// Whether the clause is there.
    pub fn has(&self, name: &str) -> bool {
        self.values.contains_key(name)
    }

    /// The clause.
    pub fn get(&self, name: &str) -> Option<&Expression> {
        self.values.get(name)
    }

    /// The clause's canonical form.
    pub fn value(&self, name: &str) -> Option<&str> {
        self.values.get(name).map(|value| value.canonical.as_str())
    }

    /// The clause as it was written; nothing if it is not there.
    pub fn written(&self, name: &str) -> &str {
        self.values.get(name).map_or("", Expression::written)
    }

    /// Whether every value has a canonical form.
    pub fn is_sure(&self) -> bool {
        self.values.values().all(Expression::is_sure)
    }

    /// Says it.
    pub fn set(&mut self, name: &str, value: Expression) {
        if LISTS.iter().any(|list| name.starts_with(list)) && !self.values.contains_key(name) {
            self.order.0.push(name.into());
        }
        self.values.insert(name.into(), value);
    }

    /// Says it in canonical form.
    pub fn say(&mut self, name: &str, value: impl Into<String>) {
        self.set(name, Expression::plain(value));
    }

    /// Says no more of it.
    pub fn remove(&mut self, name: &str) -> Option<Expression> {
        self.order.0.retain(|other| other != name);
        self.values.remove(name)
    }

    /// Says no more of those that are not to be kept.
    pub fn retain(&mut self, keep: impl Fn(&str, &Expression) -> bool) {
        self.values.retain(|name, value| keep(name, value));
        self.order.0.retain(|name| self.values.contains_key(name));
    }

    /// All of them, ordered by name.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &Expression)> {
        self.values.iter().map(|(name, value)| (name.as_str(), value))
    }

    /// The options of a list without its prefix, in the order in which they were said.
    pub fn listed<'c>(&'c self, prefix: &'c str) -> impl Iterator<Item = (&'c str, &'c Expression)> {
        self.order.iter().filter_map(move |name| Some((name.strip_prefix(prefix)?, self.values.get(name)?)))
    }

    /// All of them, to change their values.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (&str, &mut Expression)> {
        self.values.iter_mut().map(|(name, value)| (name.as_str(), value))
    }

    /// The names of the clauses that differ, ordered.
    pub fn differing<'c>(&'c self, other: &'c Clauses) -> Vec<&'c str> {
        let mut names: Vec<&str> = self.values.keys().chain(other.values.keys()).map(SmolStr::as_str).collect();
        names.sort_unstable();
        names.dedup();
        names.retain(|name| self.get(name) != other.get(name));
        names
    }
}

impl<const N: usize> From<[(&str, &str); N]> for Clauses {
    fn from(clauses: [(&str, &str); N]) -> Clauses {
        clauses.into_iter().map(|(name, value)| (name, Expression::plain(value))).collect()
    }
}

impl<S: AsRef<str>> FromIterator<(S, Expression)> for Clauses {
    fn from_iter<I: IntoIterator<Item = (S, Expression)>>(clauses: I) -> Clauses {
        let mut all = Clauses::default();
        clauses.into_iter().for_each(|(name, value)| all.set(name.as_ref(), value));
        all
    }
}

/// As a map: where people read it, the options of lists stand in their order.
impl Serialize for Clauses {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if !serializer.is_human_readable() || self.order.is_sorted() {
            return self.values.serialize(serializer);
        }
        let others = self.values.keys().filter(|name| !self.order.contains(name));
        serializer.collect_map(others.chain(self.order.iter()).map(|name| (name, &self.values[name])))
    }
}

impl<'de> Deserialize<'de> for Clauses {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct InOrder;
        impl<'de> Visitor<'de> for InOrder {
            type Value = Clauses;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("clauses by name")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Clauses, A::Error> {
                let mut clauses = Clauses::default();
                while let Some((name, value)) = map.next_entry::<SmolStr, Expression>()? {
                    clauses.set(&name, value);
                }
                Ok(clauses)
            }
        }
        deserializer.deserialize_map(InOrder)
    }
}
