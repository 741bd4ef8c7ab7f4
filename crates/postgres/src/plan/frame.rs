//! What stands around the steps of every script.

use crate::canonical::USUAL_PATH;
use wevrun_core::plan::Mode;
use wevrun_core::script::Frame;

/// Settings of servers, databases and roles that change what a statement means, or end it early, as scripts need them
/// (<https://www.postgresql.org/docs/current/runtime-config-client.html>).
const SETTINGS: [(&str, &str); 16] = [
    // First, so that it ends none of the others.
    ("statement_timeout", "0"),
    ("standard_conforming_strings", "on"),
    ("client_encoding", "'UTF8'"),
    ("search_path", USUAL_PATH),
    // Constants of time mean the same wherever the script runs.
    ("timezone", "'UTC'"),
    ("DateStyle", "'ISO, MDY'"),
    ("IntervalStyle", "'postgres'"),
    ("bytea_output", "'hex'"),
    ("extra_float_digits", "1"),
    ("xmloption", "content"),
    // A policy must never hide a row from a guard: the server raises an error instead.
    ("row_security", "off"),
    // Bodies may name what is created later in the script.
    ("check_function_bodies", "off"),
    ("idle_in_transaction_session_timeout", "0"),
    ("lock_timeout", "'10s'"),
    ("default_tablespace", "''"),
    ("client_min_messages", "warning"),
];

/// What stands around the steps of a part.
pub fn frame(mode: Mode) -> Frame {
    let set = |scope: &str| SETTINGS.iter().map(|(name, value)| format!("SET {scope}{name} = {value}")).collect();
    match mode {
        Mode::Transaction => Frame {
            // As of after a lock, a guard must see what others have committed.
            begin: Some("BEGIN ISOLATION LEVEL READ COMMITTED".to_owned()),
            settings: set("LOCAL "),
            commit: Some("COMMIT".to_owned()),
            ..Frame::default()
        },
        Mode::EachStatement => Frame {
            settings: set(""),
            after: SETTINGS.iter().map(|(name, _)| format!("RESET {name}")).collect(),
            ..Frame::default()
        },
    }
}
