//! Who owns an object, who may do what with it, and how it is labelled.
//!
//! The clauses of [`Object::access`] are `owner`, `grant PRIVILEGE to ROLE` (empty, or `with grant option`), `revoke all from
//! public` and `label PROVIDER`, as GRANT, REVOKE, OWNER TO and SECURITY LABEL say them
//! (<https://www.postgresql.org/docs/current/ddl-priv.html>).

use std::collections::{BTreeMap, BTreeSet};

use super::names;
use super::tokens::literal;
use super::write;
use crate::model::{Kind, Object};

/// What ALL means for an object of the kind. MAINTAIN, which tables have since 17, is a part of all or said by itself.
fn all(kind: Kind) -> &'static [&'static str] {
    match kind {
        Kind::Sequence => &["select", "update", "usage"],
        Kind::Function | Kind::Procedure | Kind::Aggregate => &["execute"],
        Kind::Schema => &["create", "usage"],
        Kind::Table | Kind::ForeignTable | Kind::View | Kind::MaterializedView => {
            &["delete", "insert", "references", "select", "trigger", "truncate", "update"]
        }
        _ => &["usage"],
    }
}

/// What everybody may do with an object of the kind if nothing else is said.
fn usual_for_everybody(kind: Kind) -> Option<&'static str> {
    match kind {
        Kind::Function | Kind::Procedure | Kind::Aggregate => Some("execute"),
        Kind::Type | Kind::Domain | Kind::Language => Some("usage"),
        _ => None,
    }
}

const WITH_OPTION: &str = " with grant option";

/// The facts, each under what it is about: `owner`, `granted to ida`, `label of a provider`.
pub fn facts(object: &Object) -> BTreeMap<String, String> {
    let kind = object.definition.kind();
    let owner = object.access.value("owner");
    let mut facts = BTreeMap::new();
    let mut granted: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for (clause, value) in object.access.iter() {
        if clause == "owner" {
            facts.insert("owner".to_owned(), value.canonical.clone());
        } else if let Some(label) = clause.strip_prefix("label ") {
            facts.insert(format!("label of {label}"), value.canonical.clone());
        } else if let Some((privilege, role)) = clause.strip_prefix("grant ").and_then(|rest| rest.rsplit_once(" to "))
        {
            let option = if value.canonical.is_empty() { "" } else { WITH_OPTION };
            let privileges = granted.entry(role.to_owned()).or_default();
            privileges.extend(single(kind, privilege).into_iter().map(|privilege| format!("{privilege}{option}")));
        }
    }
    if let Some(usual) = usual_for_everybody(kind) {
        let everybody = granted.remove("public").unwrap_or_default();
        if !everybody.contains(usual) && object.access.has("revoke all from public") {
            facts.insert("granted to public".to_owned(), "nothing".to_owned());
        }
    }
    // What the owner may do is the owner's by right.
    for (role, mut privileges) in granted.into_iter().filter(|(role, _)| owner != Some(role)) {
        for option in ["", WITH_OPTION] {
            let every: Vec<String> = all(kind).iter().map(|privilege| format!("{privilege}{option}")).collect();
            if every.len() > 1 && every.iter().all(|privilege| privileges.contains(privilege)) {
                privileges.retain(|privilege| !every.contains(privilege));
                privileges.remove(&format!("maintain{option}"));
                privileges.insert(format!("all{option}"));
            }
        }
        let list: Vec<String> = privileges.into_iter().collect();
        facts.insert(format!("granted to {role}"), list.join(", "));
    }
    facts
}

/// `all` as what it means, `select (a, b)` column by column.
fn single(kind: Kind, privilege: &str) -> Vec<String> {
    let (word, columns) = privilege
        .split_once(" (")
        .map_or((privilege, None), |(word, rest)| (word, Some(super::split_list(rest.trim_end_matches(')')))));
    let words: Vec<&str> = match (word, &columns) {
        ("all", None) => all(kind).to_vec(),
        ("all", Some(_)) => vec!["insert", "references", "select", "update"],
        (word, _) => vec![word],
    };
    let of = |column: &Option<String>| column.as_ref().map_or_else(String::new, |column| format!(" ({column})"));
    let columns: Vec<Option<String>> =
        columns.map_or_else(|| vec![None], |columns| columns.into_iter().map(Some).collect());
    words.into_iter().flat_map(|word| columns.iter().map(move |column| format!("{word}{}", of(column)))).collect()
}

/// The statements that give an object its owner, grants and labels.
pub fn statements(object: &Object) -> Vec<String> {
    let kind = object.definition.kind();
    let what = match kind {
        Kind::View | Kind::MaterializedView | Kind::ForeignTable | Kind::Table => format!("TABLE {}", object.name),
        Kind::Function | Kind::Procedure | Kind::Aggregate => format!("ROUTINE {}", object.name),
        Kind::Type | Kind::Domain => format!("TYPE {}", object.name),
        kind => write::subject(kind, &object.name),
    };
    let subject = write::subject(kind, &object.name);
    let mut statements = Vec::new();
    if let Some(owner) = object.access.value("owner") {
        statements.push(format!("ALTER {subject} OWNER TO {owner}"));
    }
    if object.access.has("revoke all from public") {
        statements.push(format!("REVOKE ALL ON {what} FROM public"));
    }
    for (clause, value) in object.access.iter() {
        if let Some((privilege, role)) = clause.strip_prefix("grant ").and_then(|rest| rest.rsplit_once(" to ")) {
            let option = if value.canonical.is_empty() { "" } else { " WITH GRANT OPTION" };
            let (word, columns) = privilege
                .split_once('(')
                .map_or((privilege, String::new()), |(word, columns)| (word, format!("({columns}")));
            statements.push(format!("GRANT {}{columns} ON {what} TO {role}{option}", word.to_uppercase()));
        } else if let Some(label) = clause.strip_prefix("label ") {
            let (provider, column) = label.split_once(" on ").map_or((label, None), |(p, column)| (p, Some(column)));
            let on = column.map_or_else(|| subject.clone(), |column| format!("COLUMN {}.{column}", object.name));
            let provider =
                if provider.is_empty() { String::new() } else { format!(" FOR {}", names::quoted(provider)) };
            statements.push(format!("SECURITY LABEL{provider} ON {on} IS {}", literal(&value.canonical)));
        }
    }
    statements
}
