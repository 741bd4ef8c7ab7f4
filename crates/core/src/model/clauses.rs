//! The clauses of an object: values by their names.

use std::collections::BTreeMap;
use std::fmt;
use std::marker::PhantomData;

use schemars::JsonSchema;
use serde::de::{MapAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use smol_str::{SmolStr, format_smolstr};

use super::{Beside, ClauseType, Expression, QualifiedName, Value};

/// The clauses that decide the kind of object.
pub mod is {
    use super::Clause;
    use crate::model::{Expression, QualifiedName};

    /// A view whose rows are kept.
    pub const MATERIALIZED: Clause<'static, Expression> = Clause::new("materialized");
    /// A table whose rows another server has: the server.
    pub const SERVER: Clause<'static, QualifiedName> = Clause::new("server");
}

/// The key of a clause whose value has the type `V`. Each engine has one table of them.
///
/// The name is the keyword of the engine's own grammar in lower case; an option of a list has the list's prefix.
pub struct Clause<'k, V> {
    prefix: &'static str,
    name: &'k str,
    value: PhantomData<fn() -> V>,
}

impl<V> Clone for Clause<'_, V> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<V> Copy for Clause<'_, V> {}

impl<'k, V> Clause<'k, V> {
    /// The key of this name.
    pub const fn new(name: &'k str) -> Clause<'k, V> {
        Clause { prefix: "", name, value: PhantomData }
    }

    /// Whether a clause of this name is the one.
    pub fn is(self, name: &str) -> bool {
        name.strip_prefix(self.prefix) == Some(self.name)
    }

    /// The clause's name.
    pub fn name(self) -> SmolStr {
        if self.prefix.is_empty() { self.name.into() } else { format_smolstr!("{}{}", self.prefix, self.name) }
    }
}

/// The keys of a list of options, or of clauses of the same meaning for different things: `with.fillfactor`, `check NAME`.
pub struct ClauseFamily<V> {
    prefix: &'static str,
    value: PhantomData<fn() -> V>,
}

impl<V> Clone for ClauseFamily<V> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<V> Copy for ClauseFamily<V> {}

impl<V> ClauseFamily<V> {
    /// The family of this prefix.
    pub const fn new(prefix: &'static str) -> ClauseFamily<V> {
        ClauseFamily { prefix, value: PhantomData }
    }

    /// The key of one of them.
    pub const fn of(self, name: &str) -> Clause<'_, V> {
        Clause { prefix: self.prefix, name, value: PhantomData }
    }

    /// The part of a clause's name after the prefix, if it is a member.
    pub fn member(self, name: &str) -> Option<&str> {
        name.strip_prefix(self.prefix)
    }

    /// Whether a clause of this name is one of them.
    pub fn has(self, name: &str) -> bool {
        name.starts_with(self.prefix)
    }
}

/// Clauses by their name. A clause that is not there has the engine's default. Options of a list (`with.fillfactor`) keep the
/// order in which they were written, for scripts; it is not compared.
#[derive(Debug, Clone, Default, PartialEq, Eq, PartialOrd, Ord, JsonSchema)]
#[schemars(transparent)]
pub struct Clauses {
    #[schemars(with = "BTreeMap<String, Value>")]
    values: BTreeMap<SmolStr, Value>,
    #[schemars(skip)]
    order: Beside<Vec<SmolStr>>,
}

/// The lists whose options keep their order.
const LISTS: [&str; 5] = ["with.", "set.", "options.", "range.", "base."];

impl Clauses {
    /// Whether there are no clauses.
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    fn find<V>(&self, key: Clause<'_, V>) -> Option<&Value> {
        if key.prefix.is_empty() { self.values.get(key.name) } else { self.values.get(&key.name()) }
    }

    /// Whether the clause is there.
    pub fn has<V>(&self, key: Clause<'_, V>) -> bool {
        self.find(key).is_some()
    }

    /// The clause's value.
    pub fn get<V: ClauseType>(&self, key: Clause<'_, V>) -> Option<&V> {
        let value = self.find(key)?;
        let typed = V::of(value);
        debug_assert!(typed.is_some(), "the clause `{}` is {value:?}", key.name());
        typed
    }

    /// The canonical form of a clause that is an expression.
    pub fn value(&self, key: Clause<'_, Expression>) -> Option<&str> {
        self.get(key).map(|value| value.canonical.as_str())
    }

    /// A clause that is an expression as it was written; nothing if it is not there.
    pub fn written(&self, key: Clause<'_, Expression>) -> &str {
        self.get(key).map_or("", Expression::written)
    }

    /// Sets the clause.
    pub fn set<V: ClauseType>(&mut self, key: Clause<'_, V>, value: V) {
        self.set_named(&key.name(), value.into_value());
    }

    /// Sets a clause that is an expression, in canonical form.
    pub fn set_text(&mut self, key: Clause<'_, Expression>, value: impl Into<String>) {
        self.set(key, Expression::plain(value));
    }

    /// Removes the clause.
    pub fn remove<V: ClauseType>(&mut self, key: Clause<'_, V>) -> Option<V> {
        V::from_value(self.remove_named(&key.name())?)
    }

    /// Whether there is a clause of this name.
    pub fn has_named(&self, name: &str) -> bool {
        self.values.contains_key(name)
    }

    /// The value of the clause of this name.
    pub fn get_named(&self, name: &str) -> Option<&Value> {
        self.values.get(name)
    }

    /// The clause of this name, if it is an expression.
    pub fn expression_named(&self, name: &str) -> Option<&Expression> {
        self.values.get(name)?.expression()
    }

    /// The canonical form of the clause of this name, if it is no list; of a flag an empty text.
    pub fn value_named(&self, name: &str) -> Option<&str> {
        match self.values.get(name)? {
            Value::Flag => Some(""),
            Value::Text(text) => Some(text),
            Value::Identifier(name) => Some(name.canonical()),
            Value::Object(name) => Some(name.canonical()),
            Value::Expression(expression) => Some(&expression.canonical),
            Value::Identifiers(_) | Value::Objects(_) | Value::List(_) => None,
        }
    }

    /// The clause of this name as it was written, if it is an expression; else nothing.
    pub fn written_named(&self, name: &str) -> &str {
        self.expression_named(name).map_or("", Expression::written)
    }

    /// Sets the clause of this name.
    pub fn set_named(&mut self, name: &str, value: impl Into<Value>) {
        if LISTS.iter().any(|list| name.starts_with(list)) && !self.values.contains_key(name) {
            self.order.0.push(name.into());
        }
        self.values.insert(name.into(), value.into());
    }

    /// Sets the clause of this name to an expression in canonical form.
    pub fn set_text_named(&mut self, name: &str, value: impl Into<String>) {
        self.set_named(name, Expression::plain(value));
    }

    /// Removes the clause of this name.
    pub fn remove_named(&mut self, name: &str) -> Option<Value> {
        self.order.0.retain(|other| other != name);
        self.values.remove(name)
    }

    /// Keeps the clauses for which `keep` is true.
    pub fn retain(&mut self, keep: impl Fn(&str, &Value) -> bool) {
        self.values.retain(|name, value| keep(name, value));
        self.order.0.retain(|name| self.values.contains_key(name));
    }

    /// All of them, ordered by name.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &Value)> {
        self.values.iter().map(|(name, value)| (name.as_str(), value))
    }

    /// All of them: the options of lists in their order, after the others.
    pub fn in_order(&self) -> impl Iterator<Item = (&str, &Value)> {
        let others = self.values.keys().filter(|name| !self.order.contains(name));
        others.chain(self.order.iter()).map(|name| (name.as_str(), &self.values[name]))
    }

    /// All of them, to change their values.
    pub fn iter_mut(&mut self) -> impl Iterator<Item = (&str, &mut Value)> {
        self.values.iter_mut().map(|(name, value)| (name.as_str(), value))
    }

    /// Sets all clauses of another set.
    pub fn extend(&mut self, other: &Clauses) {
        other.iter().for_each(|(name, value)| self.set_named(name, value.clone()));
    }

    /// The options of a list by their names, in the order in which they were written.
    pub fn listed<V: ClauseType + 'static>(&self, family: ClauseFamily<V>) -> impl Iterator<Item = (&str, &V)> {
        self.order.iter().filter_map(move |name| Some((family.member(name)?, V::of(self.values.get(name)?)?)))
    }

    /// The clauses of a family by the part of their names after the prefix, ordered.
    pub fn members<V: ClauseType + 'static>(&self, family: ClauseFamily<V>) -> impl Iterator<Item = (&str, &V)> {
        self.values.iter().filter_map(move |(name, value)| Some((family.member(name)?, V::of(value)?)))
    }

    /// All values, ordered by the names of their clauses.
    pub fn values(&self) -> impl Iterator<Item = &Value> {
        self.values.values()
    }

    /// The same, to change them.
    pub fn values_mut(&mut self) -> impl Iterator<Item = &mut Value> {
        self.values.values_mut()
    }

    /// The clauses that are expressions, with their names.
    pub fn expressions(&self) -> impl Iterator<Item = (&str, &Expression)> {
        self.values.iter().filter_map(|(name, value)| Some((name.as_str(), value.expression()?)))
    }

    /// The same, to change them.
    pub fn expressions_mut(&mut self) -> impl Iterator<Item = (&str, &mut Expression)> {
        self.values.iter_mut().filter_map(|(name, value)| Some((name.as_str(), value.expression_mut()?)))
    }

    /// The names of objects in all clauses.
    pub fn objects(&self) -> impl Iterator<Item = &QualifiedName> {
        self.values.values().flat_map(Value::objects)
    }

    /// The same, to change them.
    pub fn objects_mut(&mut self) -> impl Iterator<Item = &mut QualifiedName> {
        self.values.values_mut().flat_map(Value::objects_mut)
    }

    /// The names of the clauses that differ, ordered.
    pub fn differing<'c>(&'c self, other: &'c Clauses) -> Vec<&'c str> {
        let mut names: Vec<&str> = self.values.keys().chain(other.values.keys()).map(SmolStr::as_str).collect();
        names.sort_unstable();
        names.dedup();
        names.retain(|name| self.values.get(*name) != other.values.get(*name));
        names
    }
}

impl<S: AsRef<str>, V: Into<Value>> FromIterator<(S, V)> for Clauses {
    fn from_iter<I: IntoIterator<Item = (S, V)>>(clauses: I) -> Clauses {
        let mut all = Clauses::default();
        clauses.into_iter().for_each(|(name, value)| all.set_named(name.as_ref(), value));
        all
    }
}

/// As a map: where people read it, the options of lists keep their order.
impl Serialize for Clauses {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if !serializer.is_human_readable() || self.order.is_sorted() {
            return self.values.serialize(serializer);
        }
        serializer.collect_map(self.in_order())
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
                while let Some((name, value)) = map.next_entry::<SmolStr, Value>()? {
                    clauses.set_named(&name, value);
                }
                Ok(clauses)
            }
        }
        deserializer.deserialize_map(InOrder)
    }
}
