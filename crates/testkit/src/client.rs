//! The engine's own client, as an installed program.

use std::io::Write;
use std::path::Path;
use std::process::{Command, Output, Stdio};

/// Runs a script in the `sqlite3` client. Panics, with the command that mends it, if there is no client.
pub fn sqlite3(database: &Path, script: &str) -> Output {
    let child = Command::new("sqlite3")
        .arg(database)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn();
    let mut child = child
        .unwrap_or_else(|error| panic!("the sqlite3 client is missing ({error}); install it: apt-get install sqlite3"));
    child.stdin.take().expect("it is piped").write_all(script.as_bytes()).ok();
    child.wait_with_output().expect("the client ends")
}
