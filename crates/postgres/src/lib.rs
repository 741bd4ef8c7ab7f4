//! The PostgreSQL dialect: values in, values out. It may use the core, and no driver.
//!
//! Each trait of the core's stages is implemented in a file of its own: `identifiers`, `writing`, `grammar`, `semantics`, `rules`,
//! `privileges`, `mapping`, `planning`, `client`.

mod access;
mod aspects;
mod bodies;
mod body_names;
mod canonical;
mod cascade;
mod change;
mod clause;
mod client;
mod engine;
mod functions;
mod grammar;
mod identifiers;
mod mapping;
mod members;
mod names;
mod own_columns;
mod parse;
mod plan;
mod planning;
mod plpgsql;
mod privileges;
mod qualified;
mod references;
mod rename;
mod rename_schema;
mod rules;
mod sameness;
mod semantics;
mod settle;
mod tokens;
mod types;
mod unfolded;
mod using_index;
mod write;
mod writing;

pub use engine::POSTGRES;
pub use parse::rows;
use std::ops::Range;

use wevrun_core::model::{Clauses, QualifiedName, Table};

/// The PostgreSQL dialect.
pub struct Postgres;

/// The schema in a target in which Wevrun keeps its own record.
pub const LEDGER_SCHEMA: &str = "wevrun";

/// The labels of an enum, each as a text constant, in order.
pub(crate) fn enum_labels(clauses: &Clauses) -> Vec<String> {
    split_list(clauses.value(clause::ENUM).unwrap_or_default())
}

/// The attributes of a composite type: the name as in SQL, and the rest.
pub(crate) fn attributes(clauses: &Clauses) -> Vec<(String, String)> {
    split_list(clauses.value(clause::ATTRIBUTES).unwrap_or_default())
        .into_iter()
        .map(|attribute| {
            let end = if let Some(inner) = attribute.strip_prefix('"') {
                let mut at = 0;
                while let Some(quote) = inner[at..].find('"') {
                    at += quote + 1;
                    if !inner[at..].starts_with('"') {
                        break;
                    }
                    at += 1;
                }
                at + 1
            } else {
                attribute.find(' ').unwrap_or(attribute.len())
            };
            (attribute[..end].to_owned(), attribute[end..].trim_start().to_owned())
        })
        .collect()
}

/// The names of the tables, or of the type, that a table has columns from.
fn parents_of(table: &Table) -> Vec<QualifiedName> {
    let inherited = table.clauses.get(clause::INHERITS).into_iter().flatten();
    let others = [clause::PARTITION_OF, clause::OF].into_iter().filter_map(|key| table.clauses.get(key));
    inherited.chain(others).cloned().collect()
}

/// Whether a table has columns from other tables, or from a type.
fn has_columns_from_elsewhere(table: &Table) -> bool {
    let clauses = &table.clauses;
    clauses.has(clause::INHERITS) || clauses.has(clause::PARTITION_OF) || clauses.has(clause::OF)
}

/// The items between commas outside parentheses and quotes.
pub(crate) fn split_list(text: &str) -> Vec<String> {
    split_places(text).into_iter().map(|item| text[item].to_owned()).collect()
}

/// The places of the items of such a list.
pub(crate) fn split_places(text: &str) -> Vec<Range<usize>> {
    let trimmed = |from: usize, to: usize| {
        let item = &text[from..to];
        let start = from + item.len() - item.trim_start().len();
        start..start + item.trim().len()
    };
    let mut items = Vec::new();
    let (mut depth, mut quote, mut start) = (0i32, None, 0);
    for (index, ch) in text.char_indices() {
        match (quote, ch) {
            (Some(mark), _) if ch == mark => quote = None,
            (Some(_), _) => {}
            (None, '\'' | '"') => quote = Some(ch),
            (None, '(' | '[') => depth += 1,
            (None, ')' | ']') => depth -= 1,
            (None, ',') if depth == 0 => {
                items.push(trimmed(start, index));
                start = index + 1;
            }
            _ => {}
        }
    }
    let last = trimmed(start, text.len());
    if !last.is_empty() {
        items.push(last);
    }
    items
}
