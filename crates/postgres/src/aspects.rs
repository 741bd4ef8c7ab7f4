//! To which aspect of an object each clause belongs.

use crate::clause;
use wevrun_core::compare::Aspect;
use wevrun_core::model::{ClauseFamily, Expression, Kind};

/// Clauses by their whole names.
#[rustfmt::skip]
const NAMES: &[(&str, Aspect)] = &[
    ("as", Aspect::Body),
    ("body", Aspect::Body),
    ("cluster on", Aspect::Clustering),
    ("comment", Aspect::Comment),
    ("compression", Aspect::Storage),
    ("enabled", Aspect::Enabled),
    ("force row security", Aspect::RowSecurity),
    ("identity", Aspect::Identity),
    ("index comment", Aspect::Comment),
    ("not null not valid", Aspect::Validity),
    ("not valid", Aspect::Validity),
    ("replica identity", Aspect::ReplicaIdentity),
    ("row security", Aspect::RowSecurity),
    ("statistics", Aspect::Statistics),
    ("storage", Aspect::Storage),
    ("tablespace", Aspect::Tablespace),
    ("unlogged", Aspect::Persistence),
];

const FAMILIES: &[(ClauseFamily<Expression>, Aspect)] = &[
    (clause::COMMENT_ON, Aspect::Comment),
    (clause::IDENTITY_OPTION, Aspect::Identity),
    (clause::NOT_VALID_CHECK, Aspect::Validity),
    (clause::STATISTICS_OF, Aspect::Statistics),
    (clause::TRIGGER, Aspect::Enabled),
];

/// The aspect of a clause of an object of a kind, or of a part of it.
pub fn aspect_of(kind: Kind, clause: &str) -> Aspect {
    let keeps_rows = matches!(kind, Kind::Table | Kind::Index | Kind::MaterializedView);
    let by_name = match clause {
        // A sequence's type, and what a type stores, are defined so.
        "as" | "body" if !matches!(kind, Kind::Function | Kind::Procedure) => Some(Aspect::Definition),
        "storage" if !keeps_rows => Some(Aspect::Definition),
        "start" if kind == Kind::Sequence => Some(Aspect::IdentityStart),
        name if clause::IDENTITY_OPTION.of("start").is(name) => Some(Aspect::IdentityStart),
        name if clause::WITH.has(name) => Some(if keeps_rows { Aspect::Storage } else { Aspect::Definition }),
        name => NAMES.iter().find(|(own, _)| *own == name).map(|(_, aspect)| *aspect),
    };
    let by_family = || FAMILIES.iter().find(|(family, _)| family.has(clause)).map(|(_, aspect)| *aspect);
    by_name.or_else(by_family).unwrap_or(Aspect::Definition)
}
