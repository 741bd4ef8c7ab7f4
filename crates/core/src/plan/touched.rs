//! The objects that a script touches, with all their dependents.

use std::collections::{BTreeMap, BTreeSet};

use crate::compare::{Change, Comparison};
use crate::model::{Model, Object, QualifiedName};

/// The names of relations and of other objects that are on no relation, as in have: what the script creates, changes or
/// removes, what these are on, and what depends on them.
pub fn touched(have: &Model, comparison: &Comparison<'_>) -> BTreeSet<QualifiedName> {
    let mut names = BTreeSet::new();
    for difference in &comparison.differences {
        match &difference.change {
            Change::Create(object) | Change::Remove(object) => names.insert(touched_relation(object)),
            Change::Change { have, want, .. } => {
                names.insert(touched_relation(have)) | names.insert(touched_relation(want))
            }
        };
    }
    let mut dependents: BTreeMap<&QualifiedName, Vec<&Object>> = BTreeMap::new();
    for object in have.objects() {
        object.uses.iter().for_each(|used| dependents.entry(used).or_default().push(object));
    }
    let mut open: Vec<QualifiedName> = names.iter().cloned().collect();
    while let Some(name) = open.pop() {
        for object in dependents.get(&name).into_iter().flatten() {
            let touched_relation = touched_relation(object);
            if names.insert(touched_relation.clone()) {
                open.push(touched_relation);
            }
        }
    }
    names
}

/// The object itself, or the table or view that it is on.
fn touched_relation(object: &Object) -> QualifiedName {
    object.definition.owner().unwrap_or(&object.name).clone()
}
