//! `wevrun deploy`: the target's state, the proof, the ledger, and what happens when something is in the way.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use wevrun_engines::registry;

use wevrun_testkit::client;
use wevrun_testkit::project::TestProject;

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

/// An empty database and a script that fills it.
fn with_script() -> TestProject {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["script", "--have", "empty", "--out", "next.sql"]);
    by_hand(&project, "test.db", "PRAGMA user_version = 7");
    project
}

fn objects(project: &TestProject) -> i64 {
    number(project, "test.db", "SELECT count(*) FROM sqlite_schema WHERE name NOT LIKE 'wevrun%'")
}

#[test]
fn an_edited_script_needs_a_reason_which_the_ledger_keeps() {
    let project = with_script();
    let edited = project.read("next.sql").replace("-- It is one transaction", "-- Read by Ida. It is one transaction");
    project.write("next.sql", &edited);
    let refused = project.expect(1, &["deploy", "next.sql", "test"]);
    assert!(refused.stderr.contains("its hash does not fit; nothing was changed"), "{}", refused.stderr);
    assert!(refused.stderr.contains("--edited REASON"), "{}", refused.stderr);
    assert_eq!(objects(&project), 0);
    // It still must lead to what it promises.
    project.write("next.sql", edited.replace("paint_colour TEXT", "paint_colour TEXT, sneaked_in TEXT"));
    let run = project.expect(1, &["deploy", "next.sql", "test", "--edited", "one more column"]);
    assert!(run.stderr.contains("Nothing was changed"), "{}", run.stderr);
    assert_eq!(objects(&project), 0);
    project.write("next.sql", &edited);
    project.expect(0, &["deploy", "next.sql", "test", "--edited", "a comment by Ida"]);
    assert_eq!(number(&project, "test.db", "SELECT edited = 'a comment by Ida' FROM wevrun_ledger"), 1);
    project.expect(0, &["compare", "test"]);
}

#[test]
fn a_script_that_was_not_edited_takes_no_reason() {
    let project = with_script();
    let run = project.expect(2, &["deploy", "next.sql", "test", "--edited", "why not"]);
    assert!(run.stderr.contains("was not edited"), "{}", run.stderr);
}

/// Each of these was once run with "read back and proven", and nothing or half of it was committed.
#[test]
fn a_script_with_another_end_or_middle_changes_nothing() {
    let project = with_script();
    let whole = project.read("next.sql");
    let cut = |from: &str| whole[..whole.find(from).expect("it is there")].to_owned();
    for changed in [
        cut("COMMIT;"),
        cut("-- | end "),
        cut("-- | part-end"),
        whole.replace("\nCOMMIT;\n", "\n"),
        whole.replace("\nCOMMIT;\n", "\nEND;\n"),
        whole.replace("\nCOMMIT;\n", "\nCOMMIT WORK;\n"),
        whole.replace("\n-- | step 2 ", "\nCOMMIT;\n-- | step 2 "),
        whole.replace("\n-- | step 2 ", "\nCOMMIT;\nBEGIN;\n-- | step 2 "),
        whole.replace("BEGIN IMMEDIATE;", ""),
        format!("{whole}DROP TABLE hives;\n"),
        format!("{whole}-- | end sha256 {}\n", "0".repeat(64)),
        whole.replace("engine sqlite 3.40", "engine sqlite 99.1"),
        whole.replace("engine sqlite", "engine postgres"),
    ] {
        assert_ne!(changed, whole);
        project.write("next.sql", &changed);
        for arguments in [&["deploy", "next.sql", "test"][..], &["deploy", "next.sql", "test", "--edited", "a test"]] {
            let run = project.run(arguments);
            assert!(run.status != 0 && !run.stdout.contains("verified"), "{changed}\n{}{}", run.stdout, run.stderr);
            assert_eq!(objects(&project), 0, "{changed}");
        }
    }
}

#[test]
fn waivers_are_checked_again_when_a_script_is_deployed() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO apiaries VALUES (1, 'a'); INSERT INTO hives VALUES (1, 1, 'a', 'red')");
    project.write(HIVES.0, HIVES.1.replace(",\n    paint_colour TEXT", ""));
    let waiver = |until: &str| {
        format!(
            "[[waiver]]\nrisk = \"loses-column\"\nobject = \"column hives.paint_*\"\nreason = \"a test\"\nuntil = \"{until}\"\n"
        )
    };
    project.write("waivers.toml", waiver("9999-12-31"));
    project.expect(0, &["script", "test", "--out", "next.sql"]);
    let colours = || number(&project, "test.db", "SELECT count(paint_colour) FROM hives");
    // The waiver is taken back, or is over.
    for waivers in [String::new(), waiver("2001-01-01")] {
        project.write("waivers.toml", waivers);
        let run = project.expect(4, &["deploy", "next.sql", "test"]);
        assert!(run.stderr.contains("loses-column on column hives.paint_colour"), "{}", run.stderr);
        let run = project.expect(4, &["deploy", "next.sql", "test", "--format", "json"]);
        let document: serde_json::Value = serde_json::from_str(&run.stdout).expect("one document");
        assert_eq!((&document["ok"], &document["risks"][0]["risk"]), (&false.into(), &"loses-column".into()));
        assert_eq!(colours(), 1);
    }
    // Without a project, what the script says counts, as long as the day is not over.
    let script = project.read("next.sql");
    let outside = super::project(&[]);
    outside.write("next.sql", script.replace("until 9999-12-31", "until 2001-01-01"));
    std::fs::remove_file(outside.file("wevrun.toml")).expect("it is there");
    let url = format!("sqlite:{}", project.file("test.db").display());
    outside.expect(4, &["deploy", "next.sql", &url, "--edited", "a test"]);
    outside.write("next.sql", &script);
    outside.expect(0, &["deploy", "next.sql", &url]);
}

#[test]
fn a_script_of_another_project_is_refused() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    let settings = project.read("wevrun.toml");
    project.write("wevrun.toml", settings.replacen("name = \"", "name = \"another-", 1));
    project.write(HIVES.0, HIVES.1);
    project.expect(4, &["script", "test", "--out", "next.sql"]);
    let run = project.expect(4, &["deploy", "test"]);
    assert!(run.stderr.contains("add --other-project"), "{}", run.stderr);
    project.expect(0, &["script", "test", "--out", "next.sql", "--other-project"]);
    project.expect(4, &["deploy", "next.sql", "test"]);
    project.expect(0, &["deploy", "next.sql", "test", "--other-project"]);
}

/// However a script is changed, `deploy` refuses it, and with a reason given it changes nothing or leads to exactly what it
/// promises; and so does the engine's own client, as far as names of objects and columns go.
#[test]
fn a_changed_script_changes_nothing_or_leads_to_what_it_promises() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "production"]);
    by_hand(
        &project,
        "production.db",
        "INSERT INTO apiaries VALUES (1, 'a'), (2, 'b'); CREATE INDEX old_one ON apiaries (name)",
    );
    project.write(HIVES.0, HIVES.1);
    project.write(APIARIES.0, APIARIES.1.replace("UNIQUE", "UNIQUE CHECK (name <> '')"));
    let waiver = "[[waiver]]\nrisk = \"undoes-drift\"\nobject = \"*\"\nreason = \"a test\"\nuntil = \"9999-12-31\"\n";
    project.write("waivers.toml", waiver);
    project.expect(0, &["script", "production", "--out", "whole.sql"]);
    let whole = project.read("whole.sql");
    let structure = |database: &str| {
        let url = wevrun_engines::DatabaseUrl::file(registry::engines()[0], project.file(database));
        let content = wevrun_engines::open(&url, wevrun_engines::Access::Read).and_then(|mut live| live.read());
        content.expect("a readable database").model.fingerprint()
    };
    let copy = |name: &str| {
        std::fs::copy(project.file("production.db"), project.file(name)).expect("a copy");
    };
    let before = structure("production.db");
    copy("test.db");
    project.expect(0, &["deploy", "whole.sql", "test"]);
    let after = structure("test.db");
    let lines: Vec<&str> = whole.split_inclusive('\n').collect();
    for at in 0..lines.len() {
        for way in 0..3 {
            let mut lines = lines.clone();
            match way {
                0 => drop(lines.remove(at)),
                1 => lines.insert(at, lines[at]),
                _ if at + 1 < lines.len() => lines.swap(at, at + 1),
                _ => lines.truncate(at),
            }
            let changed = lines.concat();
            if changed == whole {
                continue;
            }
            project.write("next.sql", &changed);
            copy("test.db");
            // A run of the program each time takes long; the text alone says whether it is known for edited.
            match wevrun_core::script::read(&changed, &registry::find_dialect) {
                Ok(read) => assert!(read.edited, "{changed}"),
                Err(_) => continue,
            }
            let run = project.run(&["deploy", "next.sql", "test", "--edited", "a test"]);
            let found = structure("test.db");
            let (same, reached) = (found == before, found == after);
            assert!(if run.status == 0 { reached } else { same }, "line {at}, way {way}: {}\n{changed}", run.stderr);
            copy("test.db");
            client::sqlite3(&project.file("test.db"), &changed);
            let found = structure("test.db");
            assert!(found == before || found == after, "line {at}, way {way}\n{changed}");
        }
    }
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
