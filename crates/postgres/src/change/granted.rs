//! Changes of privileges on objects that a statement does not name one by one.

use wevrun_core::change::{PrivilegeChange, Scope};
use wevrun_core::model::{Kind, Model, Object};

use super::{AccessChange, Privileges};
use crate::names;

/// GRANT and REVOKE ON ALL … IN SCHEMA.
#[derive(Debug, Clone)]
pub struct GrantOnAll {
    /// The kinds of object.
    pub kinds: &'static [Kind],
    /// The schemas.
    pub schemas: Vec<String>,
    /// What is granted or revoked.
    pub privileges: Privileges,
}

impl PrivilegeChange for GrantOnAll {
    fn apply(&self, model: &mut Model, scope: Scope) {
        for object in model.objects_mut() {
            let kind = object.definition.kind();
            let is_in_schema = || names::schema(&object.name).is_some_and(|schema| self.schemas.contains(&schema));
            if self.kinds.contains(&kind) && scope.has(object) && is_in_schema() {
                self.privileges.apply_to_clauses(kind, &mut object.access);
            }
        }
    }
}

/// A change of what is kept only for the privileges on it: default privileges, the schema that every database has.
#[derive(Debug, Clone)]
pub struct GrantedOnly {
    /// The object as it is if no statement before has been about it.
    pub object: Object,
    /// The changes.
    pub change: AccessChange,
}

impl PrivilegeChange for GrantedOnly {
    fn apply(&self, model: &mut Model, _: Scope) {
        let known = model.remove_granted_only(&self.object.key());
        let mut object = known.unwrap_or_else(|| self.object.clone());
        self.change.apply(&mut object);
        if !object.access.is_empty() {
            model.insert_granted_only(object);
        }
    }
}
