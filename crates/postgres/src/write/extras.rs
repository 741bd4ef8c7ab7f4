//! What must be said after CREATE.

use super::super::members;
use super::super::names::{self, quoted};
use super::super::tokens::literal;
use super::{clauses, keywords, subject, table_extras};
use crate::clause;
use wevrun_core::model::{Definition, Kind, Object, Plain, QualifiedName, View, is};

/// What must be said after CREATE: settings that only ALTER can make, and comments.
pub fn extras(object: &Object) -> Vec<String> {
    let mut out = Vec::new();
    let kind = object.definition.kind();
    let name = &object.name;
    match &object.definition {
        Definition::Table(table) => table_extras(&mut out, name, table),
        Definition::Index(index) => {
            if let Some(parent) = index.clauses.get(clause::ATTACHED_TO) {
                out.push(format!("ALTER INDEX {parent} ATTACH PARTITION {name}"));
            }
            for (clause, value) in index.clauses.expressions() {
                if let Some(number) = clause::STATISTICS_OF.member(clause) {
                    out.push(format!("ALTER INDEX {name} ALTER COLUMN {number} SET STATISTICS {}", value.canonical));
                }
            }
        }
        Definition::View(view) => view_extras(&mut out, name, view),
        Definition::Plain(plain) => plain_extras(&mut out, name, plain),
        Definition::VirtualTable(_) | Definition::Trigger(_) => {}
    }
    let clauses = clauses(object);
    if let Some(comment) = clauses.value(clause::COMMENT) {
        out.push(comment_on(&subject(kind, name), Some(comment)));
    }
    for (clause, value) in clauses.expressions() {
        let Some(on) = clause::COMMENT_ON.member(clause) else { continue };
        let what = match (kind, on.strip_prefix("constraint ")) {
            (Kind::Domain, _) => format!("CONSTRAINT {on} ON DOMAIN {name}"),
            (_, Some(constraint)) => format!("CONSTRAINT {constraint} ON {name}"),
            _ => format!("COLUMN {name}.{on}"),
        };
        out.push(comment_on(&what, Some(&value.canonical)));
    }
    out
}

/// COMMENT ON; none takes the comment away.
pub fn comment_on(what: &str, text: Option<&str>) -> String {
    format!("COMMENT ON {what} IS {}", text.map_or_else(|| "NULL".to_owned(), literal))
}

fn view_extras(out: &mut Vec<String>, name: &QualifiedName, view: &View) {
    let what = if view.clauses.has(is::MATERIALIZED) { "MATERIALIZED VIEW" } else { "VIEW" };
    for (clause, value) in view.clauses.expressions() {
        if let Some(column) = clause::DEFAULT_OF.member(clause) {
            out.push(format!("ALTER {what} {name} ALTER COLUMN {column} SET DEFAULT {}", value.written()));
        }
        for setting in ["statistics", "storage", "compression"] {
            if let Some(column) = clause.strip_prefix(setting).and_then(|rest| rest.strip_prefix(' ')) {
                let setting = setting.to_uppercase();
                out.push(format!("ALTER {what} {name} ALTER COLUMN {column} SET {setting} {}", value.canonical));
            }
        }
    }
}

fn plain_extras(out: &mut Vec<String>, name: &QualifiedName, plain: &Plain) {
    let clauses = &plain.clauses;
    match plain.kind {
        Kind::Domain => {
            for (clause, condition) in clauses.expressions() {
                if let Some(check) =
                    clause::CHECK.member(clause).filter(|check| clauses.has(clause::NOT_VALID_CHECK.of(check)))
                {
                    out.push(format!(
                        "ALTER DOMAIN {name} ADD CONSTRAINT {} CHECK ({}) NOT VALID",
                        quoted(check),
                        condition.written()
                    ));
                }
            }
        }
        Kind::Trigger | Kind::Rule => {
            if let (Some(state), Some(owner)) = (clauses.value(clause::ENABLED), &plain.owner) {
                let own = names::quoted(name.identifier());
                out.push(format!("ALTER TABLE {owner} {} {} {own}", enabled(Some(state)), keywords(plain.kind)));
            }
        }
        Kind::EventTrigger => {
            if let Some(state) = clauses.value(clause::ENABLED) {
                out.push(format!("ALTER EVENT TRIGGER {name} {}", enabled(Some(state))));
            }
        }
        Kind::Statistics => {
            if let Some(target) = clauses.value(clause::STATISTICS) {
                out.push(format!("ALTER STATISTICS {name} SET STATISTICS {target}"));
            }
        }
        Kind::TextSearchConfiguration => {
            for (clause, dictionaries) in clauses.expressions() {
                if let Some(token) = clause::MAPPING.member(clause) {
                    out.push(format!(
                        "ALTER TEXT SEARCH CONFIGURATION {name} ADD MAPPING FOR {} WITH {}",
                        quoted(token),
                        dictionaries.canonical
                    ));
                }
            }
        }
        Kind::OperatorFamily => {
            let members = members::listed(clauses);
            if !members.is_empty() {
                out.push(format!("ALTER OPERATOR FAMILY {name} ADD {}", members.join(", ")));
            }
        }
        _ => {}
    }
}

/// ENABLE, ENABLE ALWAYS, ENABLE REPLICA or DISABLE.
pub fn enabled(state: Option<&str>) -> &'static str {
    match state {
        Some("disabled") => "DISABLE",
        Some("replica") => "ENABLE REPLICA",
        Some("always") => "ENABLE ALWAYS",
        _ => "ENABLE",
    }
}
