//! Owners, privileges and labels, as a comparison sees them.

use std::collections::BTreeMap;

use wevrun_core::compare::Privileges;
use wevrun_core::model::Object;

use crate::{Postgres, access};

impl Privileges for Postgres {
    fn access_facts(&self, object: &Object) -> BTreeMap<String, String> {
        access::facts(object)
    }

    fn may_be_those_of(&self, nameless: &Object, other: &Object) -> bool {
        access::may_be_those_of(nameless, other)
    }
}
