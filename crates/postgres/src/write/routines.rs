//! Functions and procedures.

use super::super::names::{self, quoted};
use super::super::split_list;
use super::super::tokens::{dollar_quoted, literal};
use super::keywords;
use crate::clause;
use wevrun_core::model::{Clauses, Kind, Plain, QualifiedName};

pub fn create_routine(name: &QualifiedName, plain: &Plain, replace: bool) -> String {
    let clauses = &plain.clauses;
    let base = names::without_signature(name);
    let arguments = with_defaults(clauses);
    let mut out =
        format!("CREATE {}{} {base}({arguments})", if replace { "OR REPLACE " } else { "" }, keywords(plain.kind));
    if let Some(returns) = clauses.get(clause::RETURNS) {
        out += &format!("\n    RETURNS {}", returns.canonical);
    }
    if let Some(language) = clauses.value(clause::LANGUAGE) {
        out += &format!("\n    LANGUAGE {}", quoted(language));
    }
    if let Some(types) = clauses.value(clause::TRANSFORM) {
        out += &format!(" TRANSFORM {}", types.replace("for type", "FOR TYPE"));
    }
    for (clause, words) in [
        ("window", ""),
        ("volatility", ""),
        ("leakproof", ""),
        ("strict", ""),
        ("security", "SECURITY "),
        ("parallel", "PARALLEL "),
    ] {
        if let Some(value) = clauses.value_named(clause) {
            out += &format!(" {words}{}", value.to_uppercase());
        }
    }
    for (clause, word) in [(clause::COST, "COST"), (clause::ROWS, "ROWS"), (clause::SUPPORT, "SUPPORT")] {
        if let Some(value) = clauses.value(clause) {
            out += &format!(" {word} {value}");
        }
    }
    for (setting, value) in clauses.listed(clause::SET) {
        out += &format!("\n    SET {setting} TO {}", setting_value(setting, &value.canonical));
    }
    if let Some(body) = clauses.get(clause::BODY) {
        out += &format!("\n{}", body.written());
    } else if let Some(text) = clauses.get(clause::AS) {
        match clauses.value(clause::SYMBOL) {
            Some(symbol) => out += &format!("\nAS {}, {}", literal(&text.canonical), literal(symbol)),
            None => {
                out += &format!(
                    "\nAS {}",
                    dollar_quoted(
                        &text.canonical,
                        if plain.kind == Kind::Procedure { "procedure" } else { "function" }
                    )
                )
            }
        }
    }
    out
}

/// A setting's value: lists of names stay lists.
fn setting_value(setting: &str, value: &str) -> String {
    let list = ["search_path", "temp_tablespaces", "session_preload_libraries", "local_preload_libraries"];
    if list.contains(&setting) {
        value
            .split(", ")
            .map(|item| if item.is_empty() || item.len() > names::LONGEST { literal(item) } else { quoted(item) })
            .collect::<Vec<_>>()
            .join(", ")
    } else {
        literal(value)
    }
}

/// The arguments with their defaults, which are kept as clauses of their own.
fn with_defaults(clauses: &Clauses) -> String {
    let mut number = 0;
    let arguments = split_list(clauses.value(clause::ARGUMENTS).unwrap_or_default());
    let words: Vec<String> = arguments
        .into_iter()
        .map(|argument| {
            if argument.starts_with("OUT ") {
                return argument;
            }
            number += 1;
            match clauses.get(clause::DEFAULT_OF.of(&number.to_string())) {
                Some(default) => format!("{argument} DEFAULT {}", default.written()),
                None => argument,
            }
        })
        .collect();
    words.join(", ")
}
