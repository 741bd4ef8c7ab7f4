//! Changes of owners, privileges and security labels (<https://www.postgresql.org/docs/current/ddl-priv.html>).

use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Clauses, Definition, Kind, Object};

use crate::access::{EVERYBODY_STARTS_WITH_NOTHING, all, kind_granted_on, usual_for_everybody};
use crate::clause;

/// A change of who owns an object and of privileges on it, which are no part of its text.
#[derive(Debug, Clone)]
pub enum AccessChange {
    /// The owner, and security labels.
    Clauses(ClauseChanges),
    /// GRANT and REVOKE.
    Privileges(Privileges),
}

impl AccessChange {
    pub(super) fn apply(&self, object: &mut Object) {
        match self {
            AccessChange::Clauses(changes) => changes.apply(&mut object.access),
            AccessChange::Privileges(privileges) => privileges.apply(object),
        }
    }
}

/// A GRANT or a REVOKE, without the objects.
#[derive(Debug, Clone)]
pub struct Privileges {
    /// GRANT; else REVOKE.
    pub grants: bool,
    /// GRANT OPTION FOR.
    pub option_only: bool,
    /// `select`, `update (a, b)`, `all`.
    pub privileges: Vec<String>,
    /// The roles, as in SQL.
    pub roles: Vec<String>,
    /// WITH GRANT OPTION.
    pub with_option: bool,
}

impl Privileges {
    /// Changes the privileges on one object, or the default privileges.
    pub fn apply(&self, object: &mut Object) {
        let kind = kind_granted_on(object);
        let about_everybody = self.roles.iter().any(|role| role == "public");
        let is_public_schema = kind == Kind::Schema && object.name.canonical() == "public";
        if about_everybody && is_public_schema && !object.access.has_named(EVERYBODY_STARTS_WITH_NOTHING) {
            // What everybody may do there by itself; CREATE only before version 15.
            object.access.set_text_named(EVERYBODY_STARTS_WITH_NOTHING, "");
            all(kind).iter().for_each(|one| object.access.set_text(clause::GRANT.of(&format!("{one} to public")), ""));
        }
        self.apply_to_clauses(kind, &mut object.access);
        if is_public_schema && !object.access.has(clause::GRANT_USAGE_TO_PUBLIC) {
            object.access.remove(clause::GRANT_CREATE_TO_PUBLIC);
        }
        let in_schema = matches!(&object.definition, Definition::Plain(plain) if plain.kind == Kind::DefaultPrivileges && plain.clauses.has(clause::SCHEMA));
        if in_schema {
            // In a schema they add to what holds everywhere.
            object.access.remove_named(EVERYBODY_STARTS_WITH_NOTHING);
        }
    }

    /// Changes the privileges on an object of a kind.
    pub(super) fn apply_to_clauses(&self, kind: Kind, access: &mut Clauses) {
        for role in &self.roles {
            for privilege in &self.privileges {
                let clause = format!("grant {privilege} to {role}");
                if self.grants {
                    if self.with_option || !access.has_named(&clause) {
                        access.set_text_named(&clause, if self.with_option { "with grant option" } else { "" });
                    }
                } else {
                    self.revoke(privilege, role, kind, access);
                }
            }
        }
    }

    fn revoke(&self, privilege: &str, role: &str, kind: Kind, access: &mut Clauses) {
        let every = format!("grant all to {role}");
        if privilege != "all"
            && let Some(granted) = access.remove_named(&every)
        {
            // What is left of all.
            all(kind).iter().for_each(|one| {
                access.set_named(&clause::GRANT.of(&format!("{one} to {role}")).name(), granted.clone())
            });
        }
        let to = format!(" to {role}");
        let is_meant = |clause: &str| match privilege {
            "all" => clause.starts_with("grant ") && clause.ends_with(&to),
            one => clause.strip_prefix("grant ").and_then(|rest| rest.strip_suffix(&to)) == Some(one),
        };
        let meant: Vec<String> =
            access.iter().map(|(clause, _)| clause.to_owned()).filter(|clause| is_meant(clause)).collect();
        for clause in meant {
            if self.option_only {
                access.set_text_named(&clause, "");
            } else {
                access.remove_named(&clause);
            }
        }
        let usual = usual_for_everybody(kind);
        if role == "public" && !self.option_only && (privilege == "all" || usual == Some(privilege)) && usual.is_some()
        {
            access.set_text_named(EVERYBODY_STARTS_WITH_NOTHING, "");
        }
    }
}
