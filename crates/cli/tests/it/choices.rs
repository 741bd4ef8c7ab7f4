//! Choosing differences, and the aspects that count.

use super::{APIARIES, HIVES, by_hand, project};
use wevrun_testkit::project::TestProject;

const SCALES: (&str, &str) = (
    "schema/scales.sql",
    "CREATE TABLE scales (id INTEGER PRIMARY KEY, hive_id INTEGER REFERENCES hives (id));\n\
     CREATE VIEW weighed AS SELECT id FROM scales;\nCREATE VIEW unused AS SELECT 1 AS one;\n",
);

/// A database with the apiaries and hives of a project whose source has scales as well.
fn with_scales() -> TestProject {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write(SCALES.0, SCALES.1);
    project
}

/// A number at a place of a document.
fn json_number(document: &str, place: &str) -> u64 {
    let document: serde_json::Value = serde_json::from_str(document).expect("one document");
    document.pointer(place).and_then(serde_json::Value::as_u64).unwrap_or_else(|| panic!("{place} in {document}"))
}

#[test]
fn a_choice_includes_what_it_needs_and_says_why() {
    let project = with_scales();
    let run = project.expect(3, &["compare", "test", "--only", "view:weighed"]);
    assert!(run.stdout.contains("included because view weighed needs this"), "{}", run.stdout);
    assert!(run.stdout.contains("2 chosen: create 2.\nNot chosen: 1 difference."), "{}", run.stdout);
    let run = project.expect(4, &["deploy", "test", "--only", "view:weighed", "--strict"]);
    assert!(run.stderr.contains("table scales is not chosen: view weighed needs this"), "{}", run.stderr);
    project.expect(0, &["deploy", "test", "--only", "view:weighed"]);
    let run = project.expect(3, &["compare", "test"]);
    assert!(run.stdout.contains("1 differs from want: create 1;"), "{}", run.stdout);
    project.expect(0, &["drift", "test"]);
}

#[test]
fn what_was_left_alone_is_still_drift() {
    let project = with_scales();
    by_hand(&project, "test.db", "CREATE VIEW by_hand AS SELECT 1 AS one; ALTER TABLE hives ADD COLUMN note TEXT");
    project.expect(0, &["deploy", "test", "--only", "table:scales"]);
    let run = project.expect(3, &["drift", "test"]);
    assert!(run.stdout.contains("by_hand") && run.stdout.contains("column note added"), "{}", run.stdout);
    // So the next release does not remove it unseen.
    let run = project.expect(4, &["deploy", "test"]);
    assert!(run.stderr.contains("undoes-drift on view by_hand"), "{}", run.stderr);
    // A script that is carried there does the same.
    project.expect(0, &["script", "test", "--only", "view:unused", "--out", "one.sql"]);
    project.expect(0, &["deploy", "one.sql", "test"]);
    let run = project.expect(3, &["drift", "test"]);
    assert!(run.stdout.contains("by_hand") && run.stdout.contains("column note added"), "{}", run.stdout);
    assert!(!run.stdout.contains("unused"), "{}", run.stdout);
}

#[test]
fn a_column_is_chosen_without_the_rest_of_its_table() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write(
        APIARIES.0,
        "CREATE TABLE apiaries (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, village TEXT CHECK (village <> ''), grams INTEGER);\n\
         CREATE INDEX by_village ON apiaries (village);\n",
    );
    project.expect(0, &["deploy", "test", "--only", "column:apiaries.village"]);
    let run = project.expect(3, &["compare", "test"]);
    assert!(run.stdout.contains("column grams added") && run.stdout.contains("by_village"), "{}", run.stdout);
    // A check that is on nothing but the column was written with it.
    assert!(!run.stdout.contains("village added") && !run.stdout.contains("check"), "{}", run.stdout);
    project.expect(0, &["deploy", "test", "--only", "table:apiaries", "--except", "index:*"]);
    let run = project.expect(3, &["compare", "test"]);
    assert!(run.stdout.contains("1 differs from want: create 1;"), "{}", run.stdout);
}

#[test]
fn selections_have_names() {
    let project = with_scales();
    let settings = project.read("wevrun.toml");
    project.write(
        "wevrun.toml",
        format!("{settings}\n[selections.scales]\nonly = [\"table:scales\"]\n\n[selections.views]\nonly = [\"view:*\"]\nexcept = [\"view:unused\"]\n"),
    );
    let counts = |arguments: &[&str]| {
        let run = project.expect(3, &[&["compare", "test", "--format", "json"], arguments].concat());
        json_number(&run.stdout, "/counts/create")
    };
    assert_eq!(counts(&["--selection", "scales"]), 1);
    assert_eq!(counts(&["--selection", "scales", "--selection", "views"]), 2);
    assert_eq!(counts(&["--change", "create"]), 3);
    let run = project.expect(0, &["compare", "test", "--selection", "views", "--except", "view:weighed"]);
    assert!(run.stdout.contains("No chosen difference.\nNot chosen: 3 differences."), "{}", run.stdout);
    let run = project.expect(2, &["compare", "test", "--selection", "scale"]);
    assert!(run.stderr.contains("did you mean `scales`?"), "{}", run.stderr);
    let run = project.expect(2, &["compare", "test", "--only", "weighed"]);
    assert!(run.stderr.contains("names no kind"), "{}", run.stderr);
    let run = project.expect(0, &["compare", "test", "--only", "view:weihged"]);
    assert!(run.stderr.contains("no object of either side matches `view:weihged`"), "{}", run.stderr);
}

#[test]
fn ignored_aspects_reach_no_script() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write(
        APIARIES.0,
        APIARIES.1.replace("name TEXT NOT NULL UNIQUE", "name TEXT UNIQUE, village TEXT DEFAULT 'x'"),
    );
    let run = project.expect(3, &["compare", "test", "--ignore", "not-null"]);
    assert!(run.stdout.contains("Ignored: not-null 1.") && !run.stdout.contains("not null"), "{}", run.stdout);
    project.expect(0, &["deploy", "test", "--ignore", "not-null"]);
    let run = project.expect(3, &["compare", "test"]);
    assert!(run.stdout.contains("column name not null removed"), "{}", run.stdout);
    // The settings hold for all commands; an option overrides them.
    let settings = project.read("wevrun.toml");
    project.write("wevrun.toml", format!("{settings}\n[compare]\nignore = [\"not-null\"]\n"));
    let run = project.expect(0, &["compare", "test"]);
    assert!(run.stdout.contains("No difference found: 3 objects match want.\nIgnored: not-null 1."), "{}", run.stdout);
    project.expect(3, &["compare", "test", "--mind", "not-null"]);
    let run = project.expect(0, &["compare", "test", "--format", "json"]);
    assert_eq!(json_number(&run.stdout, "/choice/ignored/not-null"), 1);
    let run = project.expect(2, &["compare", "test", "--ignore", "type"]);
    assert!(run.stderr.contains("is always compared"), "{}", run.stderr);
    project.write("wevrun.toml", format!("{settings}\n[compare]\nignore = [\"not-nul\"]\n"));
    let run = project.expect(1, &["compare", "test"]);
    assert!(run.stderr.contains("did you mean `not-null`?") && run.stderr.contains("wevrun.toml"), "{}", run.stderr);
}

#[test]
fn a_name_that_differs_alone_can_be_ignored() {
    let project = project(&[APIARIES, HIVES]);
    project.write("schema/i.sql", "CREATE INDEX by_label ON hives (label);\n");
    project.expect(0, &["deploy", "--create", "test"]);
    project.write("schema/i.sql", "CREATE INDEX hives_label ON hives (label);\n");
    project.expect(3, &["compare", "test"]);
    let run = project.expect(0, &["compare", "test", "--ignore", "index-name"]);
    assert!(run.stdout.contains("Ignored: index-name 1."), "{}", run.stdout);
}

#[test]
fn a_folder_is_adopted_in_part() {
    let project = with_scales();
    project.expect(0, &["deploy", "test"]);
    let run = project.expect(0, &["adopt", "test", "--into", "part", "--only", "view:weighed"]);
    assert!(run.stderr.contains("table scales is included: view weighed needs this"), "{}", run.stderr);
    assert!(
        project.file("part/schema/tables/hives.sql").is_file()
            && !project.file("part/schema/views/unused.sql").exists()
    );
}
