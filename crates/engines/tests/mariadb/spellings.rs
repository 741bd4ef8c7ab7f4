//! What a person writes and what the server makes of it: both must read as the same.

use wevrun_core::compare::compare;
use wevrun_testkit::mariadb::Database;

use crate::{difference, made, maria, model, read, statements};

/// Each is compared by itself, so that one that is read otherwise hides no other.
fn judge(what: &str, statements: Vec<(String, String)>) {
    judge_after("", what, statements);
}

/// The same, after these statements.
fn judge_after(before: &str, what: &str, all: Vec<(String, String)>) {
    let text: String =
        std::iter::once(before.to_owned()).chain(all.iter().map(|(_, statement)| format!("{statement};\n"))).collect();
    let database = made(&text);
    if std::env::var_os("WEVRUN_WRITE_SPELLINGS").is_some() {
        record(what, &database, all.len());
    }
    let (have, want) = (read(&database), model(&text));
    let comparison = compare(maria(), &have, &want);
    assert!(comparison.differences.is_empty(), "{what}: {}", difference(&have, &want));
    let unsure: Vec<String> = comparison.unproven.iter().map(|key| key.to_string()).collect();
    let unsure: Vec<&str> = all
        .iter()
        .enumerate()
        .filter(|(index, _)| unsure.iter().any(|key| key.ends_with(&format!(" t{index}"))))
        .map(|(_, (spelling, _))| spelling.as_str())
        .collect();
    assert!(unsure.len() * 20 <= all.len(), "{what}: {} of {} are not sure: {unsure:#?}", unsure.len(), all.len());
}

/// Writes down how the server spells the tables and views, for tests without a server.
fn record(what: &str, database: &Database, count: usize) {
    const MARK: &str = "@@@@";
    let shows: String = (0..count).map(|index| format!("SELECT '{MARK}'; SHOW CREATE TABLE t{index};\n")).collect();
    let shown = database.client(&shows).expect("all can be shown");
    let statement = |shown: &str| {
        let (_, text) = shown.trim().split_once('\t').expect("the name, then the statement");
        // Of tables that have nothing but a CHECK of their own, its line is enough.
        if let Some((_, check)) = text.split_once("CONSTRAINT `x` CHECK (").filter(|_| what == "expressions") {
            return format!("{}\n", check.split(")\n) ENGINE").next().unwrap_or(check));
        }
        // Views have the character set and collation of the client after it.
        format!("{};\n", text.split("\tutf8mb4\t").next().unwrap_or(text))
    };
    let text: String = shown.split(MARK).filter(|shown| !shown.trim().is_empty()).map(statement).collect();
    let path = format!("{}/tests/mariadb/spelled/{what}.sql", env!("CARGO_MANIFEST_DIR"));
    std::fs::write(&path, text).unwrap_or_else(|error| panic!("{path}: {error}"));
}

#[test]
fn expressions_of_checks() {
    judge("expressions", statements::expressions());
}

#[test]
fn columns() {
    judge("columns", statements::columns());
}

#[test]
fn tables() {
    judge("tables", statements::tables());
}

#[test]
fn views() {
    judge_after(statements::READ_BY_VIEWS, "views", statements::views());
}

#[test]
fn alterations() {
    judge("alterations", statements::alterations());
}
