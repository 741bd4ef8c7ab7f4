//! Owners, grants and labels, where they are asked for. They are no part of the structure.

use super::{Change, Comparison, Difference, Property};
use crate::dialects::Dialect;
use crate::model::{Model, Object};

/// Adds what differs in owners, grants and labels of the objects that both models have.
///
/// An owner that want does not name is no difference: it is whoever makes the object.
pub fn add_access<'m>(dialect: &dyn Dialect, comparison: &mut Comparison<'m>, have: &'m Model, want: &'m Model) {
    for wanted in want.objects() {
        let key = wanted.key();
        let have_name = comparison.renames.key_in_have(&key).name;
        let Some(present) = have.find(key.kind, &have_name) else { continue };
        let found = access_properties(dialect, present, wanted);
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
    comparison.differences.sort_by(|a, b| a.key.cmp(&b.key));
}

/// What differs in the owner, the grants and the labels of an object.
pub fn access_properties(dialect: &dyn Dialect, have: &Object, want: &Object) -> Vec<Property> {
    let (have, want) = (dialect.access_facts(have), dialect.access_facts(want));
    let owners = [have.get("owner"), want.get("owner")];
    let is_owners = |fact: &str| {
        fact.strip_prefix("granted to ").is_some_and(|role| owners.iter().flatten().any(|owner| *owner == role))
    };
    let mut names: Vec<&String> = have.keys().chain(want.keys()).collect();
    names.sort();
    names.dedup();
    names
        .into_iter()
        .filter(|name| !is_owners(name) && (*name != "owner" || want.contains_key("owner")))
        .map(|name| Property { name: name.clone(), have: have.get(name).cloned(), want: want.get(name).cloned() })
        .filter(|property| property.have != property.want)
        .collect()
}
