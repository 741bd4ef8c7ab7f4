//! What stands around the steps: the transaction, and the checks that stop it before anything is lost.
//!
//! Plain SQL has no IF. A check is an INSERT into a temporary table whose CHECK constraints have speaking names: where the
//! check fails, the client stops with `CHECK constraint failed: rows_would_be_lost`, and the transaction is gone.

use super::super::names::quoted;
use crate::model::{Kind, Model, Name};
use crate::plan::Probe;

/// Everything before the first step.
pub fn opening(count_violations: bool) -> Vec<String> {
    let mut statements = vec![
        ".bail on".to_owned(),
        "PRAGMA foreign_keys = OFF".to_owned(),
        "PRAGMA legacy_alter_table = ON".to_owned(),
        "BEGIN IMMEDIATE".to_owned(),
        "CREATE TEMP TABLE wevrun_guard (\n    what TEXT NOT NULL,\n    value INTEGER,\n    \
         CONSTRAINT rows_would_be_lost CHECK (what <> 'rows that would be lost' OR value = 0),\n    \
         CONSTRAINT foreign_keys_would_break CHECK (what <> 'broken foreign keys, new' OR value <= 0)\n)"
            .to_owned(),
    ];
    if count_violations {
        statements.push(
            "INSERT INTO temp.wevrun_guard SELECT 'broken foreign keys, before', count(*) FROM pragma_foreign_key_check".to_owned(),
        );
    }
    statements
}

/// Everything after the last step.
pub fn closing(check_foreign_keys: bool) -> Vec<String> {
    let mut statements = Vec::new();
    if check_foreign_keys {
        statements.push(
            "INSERT INTO temp.wevrun_guard SELECT 'broken foreign keys, new',\n    \
             (SELECT count(*) FROM pragma_foreign_key_check)\n    \
             - coalesce((SELECT value FROM temp.wevrun_guard WHERE what = 'broken foreign keys, before'), 0)"
                .to_owned(),
        );
    }
    statements.extend([
        "DROP TABLE temp.wevrun_guard".to_owned(),
        "COMMIT".to_owned(),
        "PRAGMA legacy_alter_table = OFF".to_owned(),
    ]);
    statements
}

/// A statement that fails if the answer to the probe is yes.
pub fn must_not_hold(probe: &Probe) -> String {
    format!("INSERT INTO temp.wevrun_guard SELECT 'rows that would be lost', EXISTS ({})", probe_query(probe))
}

/// A query that gives a row exactly if the answer to the probe is yes.
pub fn probe_query(probe: &Probe) -> String {
    let rows = |table: &Name| format!("SELECT 1 FROM {}", quoted(table.written()));
    match probe {
        Probe::HasRows(table) => rows(table),
        Probe::HasValues(table, column) => format!("{} WHERE {} IS NOT NULL", rows(table), quoted(column.written())),
        Probe::HasNulls(table, column) => format!("{} WHERE {} IS NULL", rows(table), quoted(column.written())),
    }
}

/// Whether the engine can check the foreign keys at all: it stops at one that points at columns without a unique key.
pub fn foreign_keys_are_valid(model: &Model) -> bool {
    let by_owner = model.by_owner();
    model.tables().flat_map(|(_, table)| table.foreign_keys.iter()).all(|key| {
        // A parent that does not exist is no mismatch: all its children count as broken.
        let Some(parent) = model.find(Kind::Table, &key.parent) else { return true };
        let Some(table) = parent.as_table() else { return true };
        let columns = key.referenced_columns(table);
        columns.len() == key.columns.len()
            && !columns.is_empty()
            && table.is_unique(&columns, by_owner.get(&parent.name).map_or(&[], Vec::as_slice))
    })
}
