//! What a comparison of owners and privileges asks of an engine.

use std::collections::BTreeMap;

use crate::check::Rules;
use crate::model::Object;

/// An engine's owners, privileges and labels.
pub trait Privileges: Rules {
    /// An object's owner, privileges and labels: each fact by its subject.
    fn access_facts(&self, _: &Object) -> BTreeMap<String, String> {
        BTreeMap::new()
    }

    /// Whether default privileges without a role may be these, which name one.
    fn may_be_those_of(&self, _nameless: &Object, _other: &Object) -> bool {
        false
    }
}
