//! The released part of a release of chosen differences: without what was left alone.

use std::collections::{BTreeMap, BTreeSet};

use super::element::all_elements;
use super::{ElementPart, resolved};
use crate::compare::{Privileges, Renames, compare_with};
use crate::model::{Model, ObjectKey};

/// The structure that a ledger keeps: what was found after the release, except for the elements that the choice left out, which are as
/// the release before knows them. `left` are elements in words, as scripts have them.
pub fn released(dialect: &dyn Privileges, found: Model, before: Option<&Model>, left: &[String]) -> Model {
    if left.is_empty() {
        return found;
    }
    let nothing = Model::empty();
    let before = before.unwrap_or(&nothing);
    let comparison = compare_with(dialect, &found, before, Renames::default());
    let left: BTreeSet<&str> = left.iter().map(String::as_str).collect();
    let mut all: BTreeMap<ObjectKey, BTreeSet<ElementPart>> = BTreeMap::new();
    let mut taken = BTreeSet::new();
    for element in all_elements(&comparison, &found) {
        all.entry(element.object.clone()).or_default().insert(element.part.clone());
        if left.contains(element.to_string().as_str()) {
            taken.insert(element);
        }
    }
    resolved((&found, before), &all, &taken)
}
