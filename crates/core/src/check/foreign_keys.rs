//! Foreign keys point at something that exists and is unique.

use super::Checks;
use crate::diagnostics::{Code, Diagnostic};
use crate::model::{ForeignKey, Name, Object, Table};

pub(super) fn check(checks: &mut Checks<'_>, object: &Object, table: &Table) {
    for key in table.foreign_keys.iter() {
        for column in key.columns.iter().filter(|column| table.column(column).is_none()) {
            checks.unknown_column(object, object, table, column, "a foreign key");
        }
        let Some(parent) = checks.model.relation(&key.parent) else {
            // What is in another database is not known.
            if checks.dialect.is_built_in(&key.parent) {
                continue;
            }
            checks.unknown_relation(object, &key.parent, Some("REFERENCES"), "table");
            continue;
        };
        let Some(parent_table) = parent.as_table() else {
            let kind = parent.definition.kind().title();
            checks.add(
                Diagnostic::new(Code::WV133, format!("a foreign key of table {} points at a {kind}", object.name))
                    .at(checks.locate(object, key.parent.identifier(), Some("REFERENCES")), "not a table")
                    .and_at(checks.definition_of(parent), format!("a {kind}, defined here")),
            );
            continue;
        };
        point_at(checks, object, key, parent, parent_table);
    }
}

/// The key's far end: its columns exist, are as many, and are unique.
fn point_at(checks: &mut Checks<'_>, object: &Object, key: &ForeignKey, parent: &Object, table: &Table) {
    let at = |checks: &Checks<'_>| checks.locate(object, key.parent.identifier(), Some("REFERENCES"));
    let missing: Vec<&Name> = key.parent_columns.iter().filter(|column| table.column(column).is_none()).collect();
    if !missing.is_empty() {
        for column in missing {
            let what = format!("a foreign key of table {}", object.name);
            checks.unknown_column(object, parent, table, column, &what);
        }
        return;
    }
    let referenced = key.referenced_columns(table);
    if referenced.is_empty() {
        checks.add(
            Diagnostic::new(
                Code::WV112,
                format!("a foreign key points at table {}, which has no primary key", parent.name),
            )
            .at(at(checks), "names no columns, so it means the primary key")
            .and_at(checks.definition_of(parent), "has no primary key")
            .help(format!(
                "give {} a PRIMARY KEY, or name unique columns: REFERENCES {} (column)",
                parent.name, parent.name
            )),
        );
    } else if referenced.len() != key.columns.len() {
        checks.add(
            Diagnostic::new(
                Code::WV113,
                format!(
                    "{} of table {} refer to {}",
                    columns(key.columns.len()),
                    object.name,
                    columns(referenced.len())
                ),
            )
            .at(at(checks), format!("refers to ({})", list(&referenced)))
            .and_at(checks.definition_of(parent), "the parent table is defined here")
            .help("name as many columns on both sides"),
        );
    } else if !checks.dialect.can_be_referenced(
        table,
        &referenced,
        checks.by_owner.get(&parent.name).map_or(&[], Vec::as_slice),
    ) {
        checks.add(
            Diagnostic::new(
                Code::WV112,
                format!("a foreign key points at {} ({}), which is not unique", parent.name, list(&referenced)),
            )
            .at(at(checks), "must point at unique columns")
            .and_at(checks.definition_of(parent), "the parent table is defined here")
            .help(format!(
                "add UNIQUE ({}) to table {}, or point at its primary key",
                list(&referenced),
                parent.name
            )),
        );
    }
}

fn columns(count: usize) -> String {
    if count == 1 { "1 column".to_owned() } else { format!("{count} columns") }
}

fn list(names: &[Name]) -> String {
    names.iter().map(Name::written).collect::<Vec<_>>().join(", ")
}
