//! Statements before and after the steps of every script, and the statements that stop it.

use wevrun_core::plan::{Mode, Probe};
use wevrun_core::script::Frame;

use crate::names::{in_sql, quoted};

/// Settings of servers and users that change what a statement means, or end it early, as scripts need them
/// (<https://mariadb.com/kb/en/server-system-variables/>). The mode is the server's own default: it is strict, and programs keep it.
const SETTINGS: [(&str, &str); 12] = [
    ("sql_mode", "'STRICT_TRANS_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_AUTO_CREATE_USER,NO_ENGINE_SUBSTITUTION'"),
    ("time_zone", "'+00:00'"),
    ("max_statement_time", "0"),
    ("foreign_key_checks", "1"),
    ("unique_checks", "1"),
    ("check_constraint_checks", "1"),
    ("innodb_strict_mode", "1"),
    // Nobody waits behind a step that waits for a lock.
    ("lock_wait_timeout", "10"),
    ("innodb_lock_wait_timeout", "10"),
    ("system_versioning_alter_history", "keep"),
    ("default_storage_engine", "InnoDB"),
    ("autocommit", "1"),
];

/// Statements before and after the steps of a part.
pub fn frame(mode: Mode) -> Frame {
    let settings: Vec<String> = SETTINGS.iter().map(|(name, value)| format!("SET SESSION {name} = {value}")).collect();
    let before = [vec!["SET NAMES utf8mb4".to_owned()], settings].concat();
    match mode {
        // Only the ledger is written in one.
        Mode::Transaction => Frame {
            before,
            begin: Some("START TRANSACTION".to_owned()),
            commit: Some("COMMIT".to_owned()),
            ..Frame::default()
        },
        Mode::EachStatement => Frame { before, ..Frame::default() },
    }
}

/// The message of a guard that stops a script because rows would be lost.
pub const ROWS_WOULD_BE_LOST: &str = "wevrun: rows that did not exist when the script was made would be lost";

/// A statement that stops the script if the answer to the probe is yes.
pub fn must_not_hold(probe: &Probe) -> String {
    format!(
        "IF EXISTS ({}) THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{ROWS_WOULD_BE_LOST}'; END IF",
        probe_query(probe)
    )
}

/// A query that gives a row exactly if the answer to the probe is yes.
pub fn probe_query(probe: &Probe) -> String {
    match probe {
        Probe::HasRows(table) => format!("SELECT 1 FROM {}", in_sql(table)),
        Probe::HasValues(table, column) => {
            format!("SELECT 1 FROM {} WHERE {} IS NOT NULL", in_sql(table), quoted(column.written()))
        }
        Probe::HasNulls(table, column) => {
            format!("SELECT 1 FROM {} WHERE {} IS NULL", in_sql(table), quoted(column.written()))
        }
        // Every value of a column has its type here.
        Probe::HasReals(table, _) => format!("SELECT 1 FROM {} WHERE FALSE", in_sql(table)),
    }
}
