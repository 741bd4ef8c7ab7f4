//! The order in which objects can come and go.

use crate::clause;
use std::collections::{BTreeMap, BTreeSet};

use wevrun_core::model::{Check, Definition, Kind, Model, Object, ObjectKey, QualifiedName, Table};

/// Where a kind stands if nothing else decides, and in a circle.
fn rank(kind: Kind) -> u8 {
    match kind {
        Kind::Schema => 0,
        Kind::AccessMethod | Kind::Extension => 1,
        Kind::Language | Kind::ForeignDataWrapper => 2,
        Kind::Collation | Kind::Server => 3,
        Kind::Type | Kind::Domain | Kind::UserMapping => 4,
        Kind::Sequence => 5,
        Kind::Function | Kind::Procedure => 6,
        Kind::Aggregate => 7,
        Kind::Operator => 8,
        Kind::OperatorFamily => 9,
        Kind::OperatorClass => 10,
        Kind::Cast | Kind::Conversion | Kind::Transform => 11,
        Kind::TextSearchParser | Kind::TextSearchTemplate => 12,
        Kind::TextSearchDictionary => 13,
        Kind::TextSearchConfiguration => 14,
        Kind::Table | Kind::ForeignTable => 15,
        Kind::View | Kind::MaterializedView => 16,
        Kind::Index => 17,
        Kind::Statistics => 18,
        Kind::Rule => 19,
        Kind::Policy => 20,
        Kind::Trigger => 21,
        Kind::EventTrigger => 24,
        // What other engines have comes with the last.
        _ => 22,
    }
}

/// The keys among these that an object needs.
fn needs(model: &Model, keys: &BTreeMap<&QualifiedName, Vec<&ObjectKey>>, key: &ObjectKey) -> Vec<ObjectKey> {
    let Some(object) = model.get(key) else { return Vec::new() };
    let mut found: Vec<ObjectKey> = object
        .uses
        .iter()
        .filter_map(|name| keys.get(name))
        .flatten()
        .filter(|other| ***other != *key)
        .map(|other| (*other).clone())
        .collect();
    if let Definition::Plain(plain) = &object.definition
        && plain.kind == Kind::Sequence
    {
        found.retain(|other| Some(&other.name) != plain.owner.as_ref());
    }
    // What a cast's function gives may have to be cast once more, without a function.
    if clause_of(model, key, "with function") {
        let casts = keys.values().flatten().filter(|other| other.kind == Kind::Cast);
        let plain =
            casts.filter(|other| !clause_of(model, other, "with function") && !clause_of(model, other, "with inout"));
        found.extend(plain.map(|cast| (*cast).clone()));
    }
    // A class may have its family's name, and needs it, never the other way round.
    if key.kind == Kind::OperatorClass {
        let same = keys.get(&key.name).into_iter().flatten();
        found.extend(same.filter(|other| other.kind == Kind::OperatorFamily).map(|family| (*family).clone()));
    }
    if key.kind == Kind::OperatorFamily {
        found.retain(|other| other.kind != Kind::OperatorClass);
    }
    // A sequence goes with the table that owns it, so other users of the sequence are dropped before that table.
    let owners: Vec<ObjectKey> = object
        .uses
        .iter()
        .filter_map(|used| model.find(Kind::Sequence, used)?.definition.owner())
        .filter(|owner| **owner != key.name && key.kind != Kind::Sequence)
        .flat_map(|owner| keys.get(owner).into_iter().flatten().map(|table| (*table).clone()))
        .collect();
    found.extend(owners);
    // What an operator's function does with operators is not looked at before it runs.
    if key.kind == Kind::Function {
        found.retain(|other| {
            other.kind != Kind::Operator || !model.get(other).is_some_and(|object| object.uses.contains(&key.name))
        });
    }
    // The functions of a base type come before it: they need no more than its shell.
    if key.kind == Kind::Function {
        found.retain(|other| {
            !model.get(other).is_some_and(|object| object.uses.contains(&key.name) && is_base_type(object))
        });
    }
    // A routine that takes the table's rows comes after it; what names the routine is added to the table then.
    if let Some(table) = object.as_table() {
        found.retain(|other| {
            model
                .get(other)
                .is_none_or(|routine| !takes_rows(routine, &key.name) || checks_with(table, routine).is_empty())
        });
    }
    found
}

fn clause_of(model: &Model, cast: &ObjectKey, clause: &str) -> bool {
    let object = model.get(cast).filter(|_| cast.kind == Kind::Cast);
    matches!(object.map(|object| &object.definition), Some(Definition::Plain(plain)) if plain.clauses.has_named(clause))
}

/// Whether the object is a routine that uses the table.
pub fn takes_rows(object: &Object, table: &QualifiedName) -> bool {
    object.definition.kind() == Kind::Function && object.uses.contains(table)
}

/// The checks of a table that call the routine.
pub fn checks_with<'t>(table: &'t Table, routine: &Object) -> Vec<&'t Check> {
    table.checks.iter().filter(|check| check.condition.may_use_object(&routine.name)).collect()
}

/// Whether the object is a type that functions of its own read and write.
pub fn is_base_type(object: &Object) -> bool {
    let Definition::Plain(plain) = &object.definition else { return false };
    plain.kind == Kind::Type && plain.clauses.iter().any(|(clause, _)| clause::BASE.has(clause))
}

/// Each after what it uses. Kahn's algorithm, by rank and name where nothing decides.
pub fn used_first(model: &Model, keys: &[ObjectKey]) -> Vec<ObjectKey> {
    let mut by_name: BTreeMap<&QualifiedName, Vec<&ObjectKey>> = BTreeMap::new();
    for key in keys {
        by_name.entry(&key.name).or_default().push(key);
    }
    let mut waits: BTreeMap<&ObjectKey, usize> = BTreeMap::new();
    let mut used_by: BTreeMap<ObjectKey, Vec<&ObjectKey>> = BTreeMap::new();
    for key in keys {
        let needed: BTreeSet<ObjectKey> = needs(model, &by_name, key).into_iter().collect();
        waits.insert(key, needed.len());
        for other in needed {
            used_by.entry(other).or_default().push(key);
        }
    }
    let mut ready: BTreeSet<(u8, &ObjectKey)> =
        waits.iter().filter(|(_, count)| **count == 0).map(|(key, _)| (rank(key.kind), *key)).collect();
    let mut left: BTreeSet<(u8, &ObjectKey)> = keys.iter().map(|key| (rank(key.kind), key)).collect();
    let mut order = Vec::with_capacity(keys.len());
    while let Some(next) = ready.pop_first().or_else(|| left.first().copied()) {
        // If nothing is ready, a circle: its first goes on without what it waits for.
        if !left.remove(&next) {
            continue;
        }
        order.push(next.1.clone());
        for user in used_by.get(next.1).into_iter().flatten() {
            if let Some(count) = waits.get_mut(user) {
                *count = count.saturating_sub(1);
                if *count == 0 && left.contains(&(rank(user.kind), *user)) {
                    ready.insert((rank(user.kind), *user));
                }
            }
        }
    }
    order
}

/// Each before what it uses.
pub fn users_first(model: &Model, keys: &[ObjectKey]) -> Vec<ObjectKey> {
    let mut order = used_first(model, keys);
    order.reverse();
    order
}
