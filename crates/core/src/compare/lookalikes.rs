//! A drop and an add that look like a rename: the hint that saves the rows.

use super::{Change, Comparison};
use crate::check::{locate, locate_definition};
use crate::diagnostics::{Code, Diagnostic};
use crate::model::{Column, Object, Table};
use crate::parse::Grammar;

/// A hint for every removed and added column (of the same type in the same place) and table (of the same columns).
pub fn lookalikes(dialect: &dyn Grammar, comparison: &Comparison<'_>) -> Vec<Diagnostic> {
    let mut hints = Vec::new();
    let (mut removed, mut created): (Vec<&Object>, Vec<&Object>) = (Vec::new(), Vec::new());
    for difference in &comparison.differences {
        match &difference.change {
            Change::Create(object) => created.push(object),
            Change::Remove(object) => removed.push(object),
            Change::Change { have, want, .. } => {
                if let (Some(have), Some(table)) = (have.as_table(), want.as_table()) {
                    columns(dialect, &mut hints, want, have, table, comparison);
                }
            }
        }
    }
    for old in removed {
        let Some(table) = old.as_table() else { continue };
        let alike = |object: &&&Object| object.as_table().is_some_and(|other| other.columns == table.columns);
        if let Some(new) = created.iter().find(alike) {
            hints.push(
                Diagnostic::new(
                    Code::WV300,
                    format!("table {} is removed and table {} is added, with the same columns", old.name, new.name),
                )
                .at(locate_definition(dialect, new), "the same table under a new name?")
                .help(format!(
                    "if so, write this line before it: -- wevrun: formerly {}",
                    dialect.quoted(old.name.written())
                )),
            );
        }
    }
    hints
}

fn columns(
    dialect: &dyn Grammar,
    hints: &mut Vec<Diagnostic>,
    want: &Object,
    have: &Table,
    table: &Table,
    comparison: &Comparison<'_>,
) {
    let renamed = comparison.renames.columns_of(&want.name);
    let gone =
        |column: &Column| table.column(&column.name).is_none() && !renamed.iter().any(|(old, _)| *old == column.name);
    let come =
        |column: &Column| have.column(&column.name).is_none() && !renamed.iter().any(|(_, new)| *new == column.name);
    for (place, old) in have.columns.iter().enumerate().filter(|(_, column)| gone(column)) {
        let Some(new) = table.columns.get(place).filter(|column| come(column)) else { continue };
        if new.data_type == old.data_type && new.generated.is_none() && old.generated.is_none() {
            let message = format!(
                "column {}.{} is removed and column {} is added in its place, with the same type",
                want.name, old.name, new.name
            );
            let comment = format!("-- wevrun: formerly {}", dialect.quoted(old.name.written()));
            hints.push(
                Diagnostic::new(Code::WV300, message)
                    .at(locate(dialect, want, new.name.written()), "the same column under a new name?")
                    .help(format!("if so, write this comment on its line: {comment}")),
            );
        }
    }
}
