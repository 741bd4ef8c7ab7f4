//! Scripts in several files.

use std::process::Command;

use super::{APIARIES, HIVES, project};

#[test]
fn the_client_and_deploy_run_the_files_as_the_whole_script() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["script", "--have", "empty", "--out-dir", "release"]);
    project.expect(0, &["script", "--have", "empty", "--out", "whole.sql"]);
    assert!(project.read("release/run.sql").contains("\n.read tables/01-2-steps.sql\n"));
    assert!(project.file("release/indexes/02-create-index-hives_by_apiary-on-hives.sql").is_file());

    let run = std::fs::File::open(project.file("release/run.sql")).expect("it was written");
    let client = Command::new("sqlite3").arg("../client.db").current_dir(project.file("release")).stdin(run).output();
    let output = client.expect("the sqlite3 client; install it: apt-get install sqlite3");
    assert!(output.status.success() && output.stderr.is_empty(), "{output:?}");
    project.expect(0, &["compare", "--have", "sqlite:client.db"]);

    project.expect(0, &["deploy", "release", "test", "--create"]);
    project.expect(0, &["compare", "test"]);
    // The ledger does not know how many files there were.
    project.expect(0, &["deploy", "whole.sql", "--create", "sqlite:other.db"]);
    let hash = |database: &str| -> String {
        let connection = rusqlite::Connection::open(project.file(database)).expect("a database");
        let query = "SELECT script_hash FROM wevrun_ledger";
        connection.query_row(query, [], |row| row.get(0)).expect("one release")
    };
    assert_eq!(hash("test.db"), hash("other.db"));
}

#[test]
fn files_that_are_not_the_script_are_refused() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["script", "--have", "empty", "--out-dir", "release"]);
    let run = project.expect(1, &["script", "--have", "empty", "--out-dir", "release"]);
    assert!(run.stderr.contains("release is not an empty folder; nothing was written"), "{}", run.stderr);

    let refused = |problem: &str| {
        let run = project.expect(1, &["deploy", "release", "test", "--create"]);
        assert!(run.stderr.contains(problem), "{}", run.stderr);
        assert!(!project.file("test.db").exists());
    };
    let manifest = project.read("release/manifest.json");
    let table = "release/tables/01-2-steps.sql";
    let text = project.read(table);
    project.write(table, text.clone() + "-- looks fine\n");
    refused("tables/01-2-steps.sql was edited after it was written");
    std::fs::remove_file(project.file(table)).expect("it was there");
    refused("01-2-steps.sql can't be read");
    project.write(table, text);
    project.write("release/manifest.json", manifest.replace("tables/01", "../tables/01"));
    refused("which is not in the folder");
    project.write("release/manifest.json", manifest.replace("\"format\": 1", "\"format\": 9"));
    refused("has the format 9");
    project.write("release/manifest.json", manifest.replace("\"sqlite\"", "\"oracle\""));
    refused("there is no engine `oracle`");
    std::fs::remove_file(project.file("release/manifest.json")).expect("it was there");
    refused("there is no manifest.json");
}
