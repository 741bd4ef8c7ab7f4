//! Owners, grants and labels, where they are asked for. They are no part of the structure.

use super::privileges::Fact;
use super::{Aspect, Change, Comparison, Difference, Privileges, Property};
use crate::model::{Kind, Model, Object};

/// Adds what differs in owners, grants and labels of the objects that both models have.
///
/// An owner that one of them does not name is no difference: it is the role that creates the object. Nor are the default privileges of PUBLIC in a
/// schema that every database has.
pub fn add_access<'m>(dialect: &dyn Privileges, comparison: &mut Comparison<'m>, have: &'m Model, want: &'m Model) {
    for wanted in want.objects() {
        let key = wanted.key();
        let have_name = comparison.renames.key_in_have(&key).name;
        let Some(present) = have.find(key.kind, &have_name) else { continue };
        let found = told_by_both(access_properties(dialect, present, wanted));
        if found.is_empty() {
            continue;
        }
        let known = comparison.differences.iter_mut().find(|difference| difference.key == key);
        if let Some(Difference { change: Change::Change { properties, .. }, .. }) = known {
            properties.extend(found);
            continue;
        }
        if !comparison.unproven.contains(&key) {
            comparison.same -= 1;
        }
        let change =
            Change::Change { have: Box::new(present.clone()), want: wanted, formerly: None, properties: found };
        comparison.differences.push(Difference { key, change });
    }
    for (have, want) in granted_only(dialect, have, want) {
        let (key, change) = match (have, want) {
            (Some(have), Some(want)) => {
                let properties = told_by_both(access_properties(dialect, have, want));
                if properties.is_empty() {
                    continue;
                }
                (want.key(), Change::Change { have: Box::new(have.clone()), want, formerly: None, properties })
            }
            (None, Some(want)) if want.definition.kind() == Kind::DefaultPrivileges => {
                (want.key(), Change::Create(want))
            }
            (Some(have), None) => (have.key(), Change::Remove(have)),
            (None, _) => continue,
        };
        comparison.differences.push(Difference { key, change });
    }
    comparison.differences.sort_by(|a, b| a.key.cmp(&b.key));
}

/// Without what one side leaves open: a release does not differ from what it was made of.
fn told_by_both(properties: Vec<Property>) -> Vec<Property> {
    let is_told = |property: &Property| property.have.is_some() || !holds_by_itself(property.aspect, &property.detail);
    properties.into_iter().filter(is_told).collect()
}

/// Whether a fact is the default, so counts only if it is written.
fn holds_by_itself(aspect: Aspect, detail: &str) -> bool {
    aspect == Aspect::Owner || aspect == Aspect::Privileges && detail.is_empty()
}

/// The objects that are only granted on, in have and in want, side by side. Default privileges without a role are those of the role that creates
/// the objects: of a role that the other side names and this one does not. Of a schema that every database has, nothing counts
/// if want has none.
pub fn granted_only<'m>(
    dialect: &dyn Privileges,
    have: &'m Model,
    want: &'m Model,
) -> Vec<(Option<&'m Object>, Option<&'m Object>)> {
    let alone = |one: &Object, there: &Model| there.find_granted_only(&one.key()).is_none();
    let mut left: Vec<&Object> = have.granted_only().filter(|object| alone(object, want)).collect();
    let mut pairs = Vec::new();
    for wanted in want.granted_only() {
        let mut found = have.find_granted_only(&wanted.key());
        if found.is_none() {
            let may_be =
                |other: &Object| dialect.may_be_those_of(wanted, other) || dialect.may_be_those_of(other, wanted);
            let mut candidates: Vec<&Object> = left.iter().copied().filter(|other| may_be(other)).collect();
            candidates.sort_by_key(|other| !access_properties(dialect, other, wanted).is_empty());
            found = candidates.first().copied();
            left.retain(|other| found.is_none_or(|found| found.name != other.name));
        }
        pairs.push((found, Some(wanted)));
    }
    let counts = left.into_iter().filter(|object| object.definition.kind() == Kind::DefaultPrivileges);
    pairs.extend(counts.map(|object| (Some(object), None)));
    pairs
}

/// The differences in the owner, the grants and the labels of an object.
pub fn access_properties(dialect: &dyn Privileges, have: &Object, want: &Object) -> Vec<Property> {
    let (have, want) = (dialect.access_facts(have), dialect.access_facts(want));
    let owner = (Aspect::Owner, String::new());
    let owners = [have.get(&owner), want.get(&owner)];
    let is_owners =
        |(aspect, role): &Fact| *aspect == Aspect::Privileges && owners.iter().flatten().any(|owner| *owner == role);
    let mut facts: Vec<&Fact> = have.keys().chain(want.keys()).collect();
    facts.sort();
    facts.dedup();
    facts
        .into_iter()
        .filter(|fact| !is_owners(fact) && (!holds_by_itself(fact.0, &fact.1) || want.contains_key(*fact)))
        .map(|fact| Property::of_object(fact.0, fact.1.as_str(), have.get(fact).cloned(), want.get(fact).cloned()))
        .filter(|property| property.have != property.want)
        .collect()
}
