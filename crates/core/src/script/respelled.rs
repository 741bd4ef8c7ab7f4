//! What a script promises of objects that the engine may spell in its own way: enough to tell an object that is another one from an
//! object whose expressions only have another spelling than expected.

use std::collections::{BTreeMap, BTreeSet};

use crate::model::{Fingerprint, Model, Object, ObjectKey};
use crate::plan::{Outcome, Planner};

/// The objects with expressions that a script makes or changes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Respelled {
    /// The hash of the structure without these objects, and without what is unproven in any case.
    pub rest: Fingerprint,
    /// The hash of these objects without their expressions.
    pub shape: Fingerprint,
    /// Each of these objects as it is expected.
    pub objects: Vec<Outcome>,
}

impl Respelled {
    /// The promises for the way from `have` to `want`, which hold nothing unproven or not managed. `recreated` objects are the
    /// same in both, but pass through the engine, too.
    pub fn new(dialect: &dyn Planner, have: &Model, want: &Model, recreated: &[ObjectKey]) -> Option<Respelled> {
        let recreated: BTreeSet<&ObjectKey> = recreated.iter().collect();
        let mut shapes = Model::empty();
        let mut objects = Vec::new();
        for object in want.objects() {
            let key = object.key();
            let stays = have.get(&key).is_some_and(|before| before.definition == object.definition);
            if stays && !recreated.contains(&key) {
                continue;
            }
            if let Some(shape) = shape(dialect, object) {
                objects.push(Outcome { object: key.to_string(), fingerprint: Some(alone(object)) });
                shapes.insert(shape);
            }
        }
        if objects.is_empty() {
            return None;
        }
        let listed: Vec<String> = objects.iter().map(|outcome| outcome.object.clone()).collect();
        Some(Respelled { rest: want.without(&listed).fingerprint(), shape: shapes.fingerprint(), objects })
    }

    /// The objects that have another spelling; none if something else differs.
    pub(super) fn differing(&self, dialect: &dyn Planner, found: &Model) -> Option<Vec<String>> {
        let listed: Vec<String> = self.objects.iter().map(|outcome| outcome.object.clone()).collect();
        if found.without(&listed).fingerprint() != self.rest {
            return None;
        }
        let names: BTreeSet<&str> = listed.iter().map(String::as_str).collect();
        let by_name: BTreeMap<String, &Object> = found
            .objects()
            .map(|object| (object.key().to_string(), object))
            .filter(|(name, _)| names.contains(name.as_str()))
            .collect();
        let shapes: Model = by_name.values().filter_map(|object| shape(dialect, object)).collect();
        if shapes.len() != self.objects.len() || shapes.fingerprint() != self.shape {
            return None;
        }
        let differs =
            |outcome: &&Outcome| outcome.fingerprint != by_name.get(&outcome.object).map(|found| alone(found));
        Some(self.objects.iter().filter(differs).map(|outcome| outcome.object.clone()).collect())
    }
}

fn alone(object: &Object) -> Fingerprint {
    Model::from_iter([object.clone()]).fingerprint()
}

/// The object without its expressions; none if it has none.
fn shape(dialect: &dyn Planner, object: &Object) -> Option<Object> {
    let mut object = object.clone();
    dialect.take_respelled(&mut object.definition).then_some(object)
}
