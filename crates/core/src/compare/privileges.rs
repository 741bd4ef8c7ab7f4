//! The trait of comparison: owners and privileges.

use std::collections::BTreeMap;

use super::Aspect;
use crate::check::Rules;
use crate::model::{Kind, Object};

/// One fact about who owns an object, and who may do something with it: the aspect, and the role or label that it is about. The
/// privileges of PUBLIC whose default depends on the engine's version have no role.
pub type Fact = (Aspect, String);

/// The parts of a body that are not compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BodyOptions {
    /// White space and comments.
    pub without_layout: bool,
    /// Letter case of words that are not in quotes.
    pub without_case: bool,
}

/// An engine's owners, privileges and labels.
pub trait Privileges: Rules {
    /// An object's owner, privileges and labels.
    fn access_facts(&self, _: &Object) -> BTreeMap<Fact, String> {
        BTreeMap::new()
    }

    /// The aspect to which a clause of an object of a kind, or of a part of it, belongs.
    fn aspect_of(&self, _: Kind, _clause: &str) -> Aspect {
        Aspect::Definition
    }

    /// The aspect to which a clause of [`Object::access`] belongs.
    fn access_aspect(&self, _clause: &str) -> Aspect {
        Aspect::Privileges
    }

    /// The text of a routine's body without what the options leave out; none if its language is not one in which that means nothing.
    fn plain_body(&self, _: &Object, _body: &str, _: BodyOptions) -> Option<String> {
        None
    }

    /// Whether default privileges without a role may be these, which name one.
    fn may_be_those_of(&self, _nameless: &Object, _other: &Object) -> bool {
        false
    }
}
