//! What is foreign: the options that everything of it has, the clauses of wrappers and servers.

use super::{literal, quoted};
use crate::clause;
use wevrun_core::model::Clauses;

/// Changes of the options of what is foreign (<https://www.postgresql.org/docs/current/sql-alterserver.html>).
pub fn option_changes(what: &str, have: &Clauses, want: &Clauses, differing: &mut Vec<&str>) -> Option<String> {
    let mut options = Vec::new();
    differing.retain(|clause| {
        let Some(name) = clause::OPTIONS.member(clause).map(quoted) else { return true };
        options.push(match want.value_named(clause) {
            Some(value) => {
                let how = if have.has_named(clause) { "SET" } else { "ADD" };
                format!("{how} {name} {}", literal(value))
            }
            None => format!("DROP {name}"),
        });
        false
    });
    (!options.is_empty()).then(|| format!("ALTER {what} OPTIONS ({})", options.join(", ")))
}

/// ` OPTIONS (…)`, or nothing.
pub fn options(clauses: &Clauses) -> String {
    let listed = clauses.listed(crate::clause::OPTIONS);
    let options: Vec<String> =
        listed.map(|(name, value)| format!("{} {}", quoted(name), literal(&value.canonical))).collect();
    if options.is_empty() { String::new() } else { format!(" OPTIONS ({})", options.join(", ")) }
}

/// The clauses of foreign-data wrappers and servers beside their options, in the order of their grammar, and what takes one away:
/// nothing if ALTER can't change it
/// (<https://www.postgresql.org/docs/current/sql-alterforeigndatawrapper.html>, <https://www.postgresql.org/docs/current/sql-alterserver.html>).
pub const CLAUSES: [(&str, Option<&str>); 5] = [
    ("handler", Some("NO HANDLER")),
    ("validator", Some("NO VALIDATOR")),
    ("type", None),
    ("version", Some("VERSION NULL")),
    ("wrapper", None),
];

/// One of them as it is written.
pub fn clause(which: &str, value: &str) -> String {
    match which {
        "wrapper" => format!("FOREIGN DATA WRAPPER {value}"),
        "type" | "version" => format!("{} {}", which.to_uppercase(), literal(value)),
        _ => format!("{} {value}", which.to_uppercase()),
    }
}
