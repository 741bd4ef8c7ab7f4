//! Statements before and after the steps: the transaction, and the checks that stop it before anything is lost.
//!
//! Plain SQL has no IF. A check is an INSERT into a temporary table whose CHECK constraints have speaking names: where the
//! check fails, the client stops with `CHECK constraint failed: rows_would_be_lost`, and the transaction is rolled back.

use super::super::names::quoted;
use super::structure;
use wevrun_core::model::Name;
use wevrun_core::plan::{Mode, Probe};
use wevrun_core::script::Frame;

/// Statements before and after the steps of every script.
pub fn frame(mode: Mode) -> Frame {
    let in_transaction = mode == Mode::Transaction;
    Frame {
        before: vec!["PRAGMA foreign_keys = OFF".to_owned(), "PRAGMA legacy_alter_table = ON".to_owned()],
        begin: in_transaction.then(|| "BEGIN IMMEDIATE".to_owned()),
        settings: vec![GUARD.to_owned(), structure::view()],
        clean_up: vec!["DROP VIEW temp.wevrun_objects".to_owned(), "DROP TABLE temp.wevrun_guard".to_owned()],
        commit: in_transaction.then(|| "COMMIT".to_owned()),
        after: vec!["PRAGMA legacy_alter_table = OFF".to_owned()],
    }
}

/// The table whose constraints stop a script.
const GUARD: &str = "CREATE TEMP TABLE wevrun_guard (
    what TEXT NOT NULL,
    value INTEGER,
    CONSTRAINT structure_is_another CHECK (what <> 'objects that are not as the script expects' OR value = 0),
    CONSTRAINT rows_would_be_lost CHECK (what <> 'rows that would be lost' OR value = 0),
    CONSTRAINT foreign_keys_would_break CHECK (what <> 'broken foreign keys, new' OR value = 0)
)";

/// After the last step: no foreign key has a value without a parent that it did not have before. See `foreign_keys.rs`.
pub fn no_new_broken_values() -> String {
    "INSERT INTO temp.wevrun_guard SELECT 'broken foreign keys, new', count(*) FROM temp.wevrun_broken WHERE moment = 'after'"
        .to_owned()
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
        Probe::HasReals(table, column) => {
            format!("{} WHERE typeof({}) = 'real'", rows(table), quoted(column.written()))
        }
    }
}
