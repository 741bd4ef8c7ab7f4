//! Owners, privileges and labels, and to which aspect clauses belong.

use std::collections::BTreeMap;

use wevrun_core::compare::{Aspect, BodyOptions, Fact, Privileges};
use wevrun_core::model::{Kind, Object};

use crate::{Postgres, access, aspects, bodies};

impl Privileges for Postgres {
    fn access_facts(&self, object: &Object) -> BTreeMap<Fact, String> {
        access::facts(object)
    }

    fn aspect_of(&self, kind: Kind, clause: &str) -> Aspect {
        aspects::aspect_of(kind, clause)
    }

    fn access_aspect(&self, clause: &str) -> Aspect {
        access::aspect_of(clause)
    }

    fn plain_body(&self, routine: &Object, body: &str, options: BodyOptions) -> Option<String> {
        bodies::plain(routine, body, options)
    }

    fn may_be_those_of(&self, nameless: &Object, other: &Object) -> bool {
        access::may_be_those_of(nameless, other)
    }
}
