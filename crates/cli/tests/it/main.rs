//! The built program, driven on files in a temporary folder.

mod adopt;
mod bad_input;
mod build;
mod choices;
mod compare;
mod demo;
mod deploy;
mod drift;
mod formats;
mod fuzz;
mod git_sides;
mod habits;
mod kill;
mod mapping;
mod mariadb;
mod outputs;
mod ownership;
mod pick;
mod pieces;
mod pipelines;
mod postgres;
mod project;
mod renames;
mod report;
mod script;
mod snapshot;
mod tour;
mod values;

use wevrun_testkit::project::{Run, TestProject};

/// A project with these source files.
fn project(files: &[(&str, &str)]) -> TestProject {
    TestProject::new(env!("CARGO_BIN_EXE_wevrun"), files)
}

/// What was printed, with what differs from run to run replaced.
fn shown(run: &Run) -> String {
    let text = format!("status {}\n--- stdout\n{}--- stderr\n{}", run.status, run.stdout, run.stderr);
    let mut out = String::new();
    for line in text.lines() {
        let words: Vec<String> = line.split(' ').map(steady).collect();
        let mut line = words.join(" ");
        if line.starts_with("done ") || line.starts_with("step ") || line.starts_with("built ") {
            let mut words: Vec<&str> = line.split(' ').collect();
            for at in 1..words.len() {
                if words[at].starts_with("ms") {
                    words[at - 1] = "N";
                }
            }
            line = words.join(" ");
        }
        out += &line;
        out.push('\n');
    }
    out
}

/// Times of release and names of users become words.
fn steady(word: &str) -> String {
    let is_time = word.len() == 20 && word.ends_with('Z') && word.as_bytes()[10] == b'T';
    if is_time { "TIME".to_owned() } else { word.to_owned() }
}

const APIARIES: (&str, &str) = (
    "schema/tables/apiaries.sql",
    "CREATE TABLE apiaries (\n    id INTEGER PRIMARY KEY,\n    name TEXT NOT NULL UNIQUE\n);\n",
);

const HIVES: (&str, &str) = (
    "schema/tables/hives.sql",
    "CREATE TABLE hives (\n    id INTEGER PRIMARY KEY,\n    apiary_id INTEGER NOT NULL REFERENCES apiaries (id),\n    \
     label TEXT NOT NULL,\n    paint_colour TEXT\n);\nCREATE INDEX hives_by_apiary ON hives (apiary_id);\n",
);

/// Runs SQL on a database of the project, as a person would.
fn by_hand(project: &TestProject, database: &str, sql: &str) {
    let connection = rusqlite::Connection::open(project.file(database)).expect("a database");
    connection.execute_batch(sql).unwrap_or_else(|error| panic!("{error}: {sql}"));
}

/// One number from a database.
fn number(project: &TestProject, database: &str, sql: &str) -> i64 {
    let connection = rusqlite::Connection::open(project.file(database)).expect("a database");
    connection.query_row(sql, [], |row| row.get(0)).unwrap_or_else(|error| panic!("{error}: {sql}"))
}
