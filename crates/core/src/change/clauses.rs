//! Changes of clauses.

use smol_str::SmolStr;

use crate::model::{Clause, ClauseType, Clauses, Expression, Value};

/// Clauses to set and to remove, in the order in which a statement lists them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ClauseChanges {
    changes: Vec<(SmolStr, Option<Value>)>,
}

impl ClauseChanges {
    /// Whether nothing changes.
    pub fn is_empty(&self) -> bool {
        self.changes.is_empty()
    }

    /// Sets a clause.
    pub fn set<V: ClauseType>(&mut self, key: Clause<'_, V>, value: V) {
        self.set_named(&key.name(), value.into_value());
    }

    /// Sets a clause that is an expression, in canonical form.
    pub fn set_text(&mut self, key: Clause<'_, Expression>, value: impl Into<String>) {
        self.set(key, Expression::plain(value));
    }

    /// Removes a clause, so that the engine's default holds.
    pub fn remove<V>(&mut self, key: Clause<'_, V>) {
        self.remove_named(&key.name());
    }

    /// Sets a clause, or removes it if there is no value.
    pub fn change<V: ClauseType>(&mut self, key: Clause<'_, V>, value: Option<V>) {
        self.changes.push((key.name(), value.map(ClauseType::into_value)));
    }

    /// Sets the clause of this name.
    pub fn set_named(&mut self, name: &str, value: impl Into<Value>) {
        self.changes.push((name.into(), Some(value.into())));
    }

    /// Sets the clause of this name to an expression in canonical form.
    pub fn set_text_named(&mut self, name: &str, value: impl Into<String>) {
        self.set_named(name, Expression::plain(value));
    }

    /// Removes the clause of this name.
    pub fn remove_named(&mut self, name: &str) {
        self.changes.push((name.into(), None));
    }

    /// The clause's value after the changes, if they set it.
    pub fn get<V: ClauseType>(&self, key: Clause<'_, V>) -> Option<&V> {
        let (_, value) = self.changes.iter().rev().find(|(name, _)| key.is(name))?;
        V::of(value.as_ref()?)
    }

    /// Takes the changes of one clause out; returns the last: its value, or that it is removed.
    pub fn take<V: ClauseType>(&mut self, key: Clause<'_, V>) -> Option<Option<V>> {
        let mut last = None;
        self.changes.retain_mut(|(name, value)| {
            let is_it = key.is(name);
            if is_it {
                last = Some(value.take().and_then(V::from_value));
            }
            !is_it
        });
        last
    }

    /// The changes in order: the clause's name, and its value unless it is removed.
    pub fn iter(&self) -> impl Iterator<Item = (&str, Option<&Value>)> {
        self.changes.iter().map(|(name, value)| (name.as_str(), value.as_ref()))
    }

    /// Makes the changes.
    pub fn apply(&self, clauses: &mut Clauses) {
        for (name, value) in &self.changes {
            match value {
                Some(value) => clauses.set_named(name, value.clone()),
                None => drop(clauses.remove_named(name)),
            }
        }
    }

    /// The changes of the clauses for whose names `keep` is true.
    pub fn filter(mut self, keep: impl Fn(&str) -> bool) -> ClauseChanges {
        self.changes.retain(|(name, _)| keep(name));
        self
    }

    /// The clauses of a new object.
    pub fn into_clauses(self) -> Clauses {
        let mut clauses = Clauses::default();
        self.apply(&mut clauses);
        clauses
    }

    /// The inverse of these changes for the clauses.
    pub fn inverse(&self, before: &Clauses) -> ClauseChanges {
        let old = self.changes.iter().map(|(name, _)| (name.clone(), before.get_named(name).cloned()));
        ClauseChanges { changes: old.collect() }
    }
}

impl From<&Clauses> for ClauseChanges {
    fn from(clauses: &Clauses) -> ClauseChanges {
        let changes = clauses.iter().map(|(name, value)| (name.into(), Some(value.clone())));
        ClauseChanges { changes: changes.collect() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{ClauseFamily, Flag};

    const CACHE: Clause<'static, Expression> = Clause::new("cache");
    const CYCLE: Clause<'static, Flag> = Clause::new("cycle");
    const OPTIONS: ClauseFamily<Expression> = ClauseFamily::new("with.");

    #[test]
    fn changes_are_made_in_order_and_can_be_undone() {
        let mut before = Clauses::default();
        before.set_text(CACHE, "5");
        before.set(CYCLE, Flag);
        let mut changes = ClauseChanges::default();
        changes.set_text(CACHE, "7");
        changes.remove(CYCLE);
        changes.set_text(OPTIONS.of("fillfactor"), "70");
        changes.set_text(CACHE, "9");
        assert_eq!(changes.get(CACHE).map(|value| value.canonical.as_str()), Some("9"));
        let mut after = before.clone();
        changes.apply(&mut after);
        assert_eq!(after.value(CACHE), Some("9"));
        assert!(!after.has(CYCLE) && after.has(OPTIONS.of("fillfactor")));
        changes.inverse(&before).apply(&mut after);
        assert_eq!(after, before);
    }

    #[test]
    fn a_clause_that_is_removed_is_not_one_that_nobody_speaks_of() {
        let mut changes = ClauseChanges::default();
        assert_eq!(changes.take(CYCLE), None);
        changes.set(CYCLE, Flag);
        changes.remove(CYCLE);
        assert_eq!(changes.take(CYCLE), Some(None));
        assert!(changes.is_empty());
    }
}
