//! Routines, triggers, events and packages.

use wevrun_core::model::{Kind, Object, Plain};

use crate::clause;
use crate::names::{in_sql, literal};

/// The CREATE statement.
pub fn create(object: &Object, plain: &Plain, or_replace: &str) -> String {
    let clauses = &plain.clauses;
    let name = in_sql(&object.name);
    let mut text = format!("CREATE {or_replace}");
    let comment =
        || clauses.get(clause::COMMENT).map(|comment| format!(" COMMENT {}", literal(comment))).unwrap_or_default();
    let body = clauses.written(clause::BODY);
    match plain.kind {
        Kind::Trigger => {
            let word = |key| clauses.get(key).map_or(String::new(), |value: &String| value.to_uppercase());
            let table = plain.owner.as_ref().map_or(String::new(), in_sql);
            text.push_str(&format!(
                "TRIGGER {name} {} {} ON {table} FOR EACH ROW",
                word(clause::TIMING),
                word(clause::EVENT)
            ));
            let place = clauses.written(clause::PLACE);
            let space = if place.is_empty() { "" } else { " " };
            text.push_str(&format!("{space}{place}\n{body}"));
        }
        Kind::Event => {
            text.push_str(&format!("EVENT {name} ON SCHEDULE {}", clauses.written(clause::SCHEDULE)));
            if clauses.has(clause::ON_COMPLETION) {
                text.push_str(" ON COMPLETION PRESERVE");
            }
            if let Some(status) = clauses.get(clause::STATUS) {
                text.push_str(&format!(" {}", status.to_uppercase()));
            }
            text.push_str(&format!("{} DO\n{body}", comment()));
        }
        Kind::Package | Kind::PackageBody => {
            let word = if plain.kind == Kind::Package { "PACKAGE" } else { "PACKAGE BODY" };
            let security = if clauses.has(clause::SQL_SECURITY) { " SQL SECURITY INVOKER" } else { "" };
            text.push_str(&format!("{word} {name}{security}{} AS\n{body}", comment()));
        }
        kind => {
            let word = match kind {
                Kind::Procedure => "PROCEDURE",
                Kind::Aggregate => "AGGREGATE FUNCTION",
                _ => "FUNCTION",
            };
            text.push_str(&format!("{word} {name}({})", clauses.written(clause::PARAMETERS)));
            if let Some(returns) = clauses.get(clause::RETURNS) {
                text.push_str(&format!(" RETURNS {}", returns.written()));
            }
            if clauses.has(clause::DETERMINISTIC) {
                text.push_str(" DETERMINISTIC");
            }
            if let Some(access) = clauses.get(clause::DATA_ACCESS) {
                text.push_str(&format!(" {}", access.to_uppercase()));
            }
            if clauses.has(clause::SQL_SECURITY) {
                text.push_str(" SQL SECURITY INVOKER");
            }
            text.push_str(&format!("{}\n{body}", comment()));
        }
    }
    text
}
