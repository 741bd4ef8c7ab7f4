//! `wevrun deploy`: the target's state, the proof, the ledger, and what happens when something is in the way.

use std::fs;
use std::os::unix::fs::PermissionsExt;

use super::{APIARIES, HIVES, by_hand, number, project, shown};

#[test]
fn each_step_is_shown_and_the_outcome_proven() {
    let project = project(&[APIARIES, HIVES]);
    insta::assert_snapshot!("first", shown(&project.expect(0, &["deploy", "--create", "test"])));
    insta::assert_snapshot!("nothing_to_do", shown(&project.expect(0, &["deploy", "test"])));
    assert_eq!(
        number(&project, "test.db", "SELECT count(*) FROM wevrun_ledger WHERE script_hash <> '' AND released_by <> ''"),
        2
    );
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM wevrun_ledger WHERE snapshot IS NOT NULL"), 1);
}

#[test]
fn a_deployment_for_machines() {
    let project = project(&[APIARIES, HIVES]);
    let run = project.expect(0, &["deploy", "--create", "--format", "json", "test"]);
    let document: serde_json::Value = serde_json::from_str(&run.stdout).expect("one document");
    assert_eq!(document["ok"], true);
    assert_eq!(document["steps"][2]["title"], "create index hives_by_apiary on hives");
    assert_eq!(document["steps"].as_array().map(Vec::len), Some(3));
}

#[test]
fn a_target_that_changed_since_is_left_alone() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write(HIVES.0, HIVES.1);
    project.expect(0, &["script", "test", "--out", "next.sql"]);
    by_hand(&project, "test.db", "CREATE INDEX by_hand ON apiaries (name DESC)");
    let run = project.expect(5, &["deploy", "next.sql", "test"]);
    insta::assert_snapshot!(shown(&run).lines().filter(|line| !line.contains("TIME")).collect::<Vec<_>>().join("\n"));
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM sqlite_schema WHERE name = 'hives'"), 0);
}

#[test]
fn an_edited_script_is_found_out_before_it_is_committed() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["script", "--have", "empty", "--out", "next.sql"]);
    let edited = project.read("next.sql").replace("paint_colour TEXT", "paint_colour TEXT, sneaked_in TEXT");
    project.write("next.sql", edited);
    by_hand(&project, "test.db", "PRAGMA user_version = 7");
    let run = project.expect(1, &["deploy", "next.sql", "test"]);
    assert!(run.stderr.contains("Nothing was changed"), "{}", run.stderr);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM sqlite_schema"), 0);
    project.write("next.sql", project.read("next.sql").lines().take(20).collect::<Vec<_>>().join("\n"));
    let run = project.expect(1, &["deploy", "next.sql", "test"]);
    assert!(run.stderr.contains("cut off or edited"), "{}", run.stderr);
}

#[test]
fn a_script_that_commits_by_itself_is_stopped() {
    let project = project(&[APIARIES]);
    project.expect(0, &["script", "--have", "empty", "--out", "next.sql"]);
    project.write("next.sql", project.read("next.sql").replace("BEGIN IMMEDIATE;", ""));
    by_hand(&project, "test.db", "PRAGMA user_version = 7");
    project.expect(1, &["deploy", "next.sql", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM sqlite_schema"), 0);
}

#[test]
fn a_locked_database_is_left_alone() {
    let project = project(&[APIARIES]);
    by_hand(&project, "test.db", "PRAGMA user_version = 7");
    let other = rusqlite::Connection::open(project.file("test.db")).expect("a database");
    other.execute_batch("BEGIN IMMEDIATE").expect("a lock");
    let run = project.expect(1, &["deploy", "test"]);
    assert!(run.stderr.contains("the database is locked"), "{}", run.stderr);
    assert!(run.stderr.contains("Nothing was changed"), "{}", run.stderr);
    other.execute_batch("ROLLBACK").expect("the lock ends");
    project.expect(0, &["deploy", "test"]);
}

#[test]
fn a_full_disk_leaves_the_database_as_it_was() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(
        &project,
        "test.db",
        "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) INSERT INTO apiaries SELECT i, 'Apiary ' || i FROM n",
    );
    project.write(APIARIES.0, APIARIES.1.replace("UNIQUE", "UNIQUE CHECK (name <> '')"));
    let before = fs::read(project.file("test.db")).expect("a file");
    // No file may grow beyond what the database has now.
    let blocks = before.len() / 1024 + 8;
    let program = env!("CARGO_BIN_EXE_wevrun");
    let limited = format!("ulimit -f {blocks}; trap '' XFSZ; exec {program} deploy test");
    let run = std::process::Command::new("bash")
        .args(["-c", &limited])
        .current_dir(project.path())
        .output()
        .expect("bash runs");
    let said = String::from_utf8_lossy(&run.stderr).into_owned();
    assert_eq!(run.status.code(), Some(1), "{said}");
    assert!(said.contains("disk is full") && said.contains("Nothing was changed"), "{said}");
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM apiaries"), 20000);
    project.expect(0, &["deploy", "test"]);
}

#[test]
fn a_file_that_may_not_be_written_is_named() {
    let project = project(&[APIARIES]);
    by_hand(&project, "test.db", "PRAGMA user_version = 7");
    let path = project.file("test.db");
    fs::set_permissions(&path, fs::Permissions::from_mode(0o444)).expect("a mode");
    let writable = fs::OpenOptions::new().append(true).open(&path).is_ok();
    let run = project.run(&["deploy", "test"]);
    // A superuser may write all the same; for everybody else the words must be right.
    if !writable {
        assert_eq!(run.status, 1);
        assert!(run.stderr.contains("can't be written to"), "{}", run.stderr);
    }
    assert_eq!(run.status == 0, writable);
}

#[test]
fn a_deployment_that_comes_to_nothing_leaves_no_new_file() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write(HIVES.0, HIVES.1);
    project.expect(0, &["script", "test", "--out", "next.sql"]);
    project.expect(5, &["deploy", "--create", "next.sql", "production"]);
    assert!(!project.file("production.db").exists());
}

#[test]
fn other_files_are_no_scripts() {
    let project = project(&[APIARIES]);
    by_hand(&project, "test.db", "PRAGMA user_version = 7");
    project.write("other.sql", "DROP TABLE apiaries;\n");
    let run = project.expect(1, &["deploy", "other.sql", "test"]);
    assert!(run.stderr.contains("not a Wevrun script"), "{}", run.stderr);
    project.expect(1, &["deploy", "nowhere.sql", "test"]);
    project.expect(1, &["deploy", "sqlite:nowhere.db"]);
}
