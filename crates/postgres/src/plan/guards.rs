//! Questions about rows, and statements that stop a script before anything is lost.

use super::super::names::quoted;
use super::super::tokens::{dollar_quoted, literal};
use wevrun_core::plan::Probe;

/// Statements that stop the script if the answer to the probe is yes. They lock the table first, so that no other session can
/// change the answer before the step is done. That isolation must be READ COMMITTED, so that the answer is as of after the lock.
pub fn must_not_hold(probe: &Probe) -> Vec<String> {
    let (Probe::HasRows(table) | Probe::HasValues(table, _) | Probe::HasNulls(table, _) | Probe::HasReals(table, _)) =
        probe;
    let lock = format!("LOCK TABLE {table} IN ACCESS EXCLUSIVE MODE");
    let message = match probe {
        Probe::HasRows(table) => format!("rows would be lost: {table} is not empty any more"),
        Probe::HasValues(table, column) => {
            format!("values would be lost: column {column} of {table} is not empty any more")
        }
        Probe::HasNulls(table, column) => format!("column {column} of {table} holds NULL"),
        Probe::HasReals(..) => unreachable!("only SQLite's columns hold values of several types"),
    };
    vec![lock, stop_if(&format!("EXISTS ({})", probe_query(probe)), &message)]
}

/// A statement that stops the script if the condition holds.
pub fn stop_if(condition: &str, message: &str) -> String {
    let body = format!(
        "BEGIN\n    IF {condition} THEN\n        RAISE EXCEPTION USING MESSAGE = {}, ERRCODE = 'WV001';\n    END IF;\nEND",
        literal(&format!("wevrun: {message}"))
    );
    format!("DO {}", dollar_quoted(&body, "wevrun"))
}

/// A query that gives a row exactly if the answer to the probe is yes.
pub fn probe_query(probe: &Probe) -> String {
    match probe {
        Probe::HasRows(table) => format!("SELECT 1 FROM {table}"),
        Probe::HasValues(table, column) => {
            format!("SELECT 1 FROM {table} WHERE {} IS NOT NULL", quoted(column.canonical()))
        }
        Probe::HasNulls(table, column) => format!("SELECT 1 FROM {table} WHERE {} IS NULL", quoted(column.canonical())),
        Probe::HasReals(..) => unreachable!("only SQLite's columns hold values of several types"),
    }
}
