//! What a person writes and what the server makes of it: both must read as the same.

use wevrun_core::compare::compare;
use wevrun_testkit::mariadb::Database;

use crate::{difference, made, maria, model, read};

/// Lines of a file that are neither empty nor comments.
fn lines(file: &str) -> Vec<String> {
    let path = format!("{}/tests/mariadb/{file}", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(&path).unwrap_or_else(|error| panic!("{path}: {error}"));
    let counts = |line: &&str| !line.is_empty() && !line.starts_with("--");
    text.lines().map(str::trim).filter(counts).map(str::to_owned).collect()
}

/// Each is compared by itself, so that one that is read otherwise hides no other.
fn judge(what: &str, statements: impl Iterator<Item = (String, String)>) {
    judge_after("", what, statements);
}

/// The same, after these statements.
fn judge_after(before: &str, what: &str, statements: impl Iterator<Item = (String, String)>) {
    let all: Vec<(String, String)> = statements.collect();
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

/// The columns that expressions name.
const COLUMNS: &str = "a int, b int, c int unsigned, s varchar(50), t text, d date, dt datetime, ts timestamp null, f double, \
     n decimal(10,2), j json, bi bigint, ti time, y year, bl blob";

#[test]
fn expressions_of_checks() {
    let expressions = lines("expressions.txt");
    judge(
        "expressions",
        expressions.iter().enumerate().map(|(index, expression)| {
            ((*expression).to_owned(), format!("CREATE TABLE t{index} ({COLUMNS}, CONSTRAINT x CHECK ({expression}))"))
        }),
    );
}

#[test]
fn columns() {
    let columns = lines("columns.txt");
    judge(
        "columns",
        columns
            .iter()
            .enumerate()
            .map(|(index, column)| ((*column).to_owned(), format!("CREATE TABLE t{index} (x {column}, y int)"))),
    );
}

#[test]
fn tables() {
    let tables = lines("tables.txt");
    judge(
        "tables",
        tables.iter().enumerate().map(|(index, table)| {
            ((*table).to_owned(), format!("CREATE TABLE t{index} {}", table.replace("SELF", &format!("t{index}"))))
        }),
    );
}

#[test]
fn views() {
    let views = lines("views.txt");
    let tables = "create table a (id int primary key, x int, s varchar(20), d date);
        create table b (id int primary key, a_id int, y int, s varchar(20));
        create table c (id int, z int);
        create function f(i int) returns int deterministic return i+1;
        create view v1 as select * from a;";
    let view = |(index, view): (usize, &String)| (view.clone(), format!("CREATE VIEW t{index} {view}"));
    judge_after(tables, "views", views.iter().enumerate().map(view));
}

#[test]
fn alterations() {
    let changes = lines("alterations.txt");
    judge(
        "alterations",
        changes.iter().enumerate().map(|(index, change)| {
            let name = format!(" t{index} ");
            (
                change.clone(),
                format!("{change} ").replace(" T ", &name).replace(" T;", &format!("{};", name.trim_end())),
            )
        }),
    );
}
