//! `wevrun drift`.

use super::{APIARIES, HIVES, by_hand, project, shown};

fn without_names(text: String) -> String {
    text.lines().map(|line| line.split(" by ").next().unwrap_or_default()).collect::<Vec<_>>().join("\n")
}

#[test]
fn what_was_changed_behind_the_releases_back_is_drift() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "production"]);
    insta::assert_snapshot!("none", without_names(shown(&project.expect(0, &["drift", "production"]))));
    // What is not released yet is no drift.
    project.write("schema/more.sql", "CREATE TABLE members (id INTEGER PRIMARY KEY);\n");
    project.expect(0, &["drift", "production"]);
    by_hand(
        &project,
        "production.db",
        "CREATE INDEX by_hand ON hives (label); DROP INDEX hives_by_apiary; ALTER TABLE hives ADD COLUMN frames INTEGER",
    );
    insta::assert_snapshot!("drift", without_names(shown(&project.expect(3, &["drift", "production"]))));
    let json = project.expect(3, &["drift", "production", "--format", "json"]).stdout;
    let document: serde_json::Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!(document["identical"], false);
    assert_eq!(
        document["counts"],
        serde_json::json!({ "added": 1, "removed": 1, "changed": 1, "unproven": 0, "same": 1 })
    );
    assert_eq!(document["released"]["side"].as_str().map(|side| side.starts_with("released ")), Some(true));
    assert_eq!(document["changes"][0]["change"], "changed");
    assert_eq!(document["changes"][0]["properties"][0]["live"], "INTEGER");
}

#[test]
fn without_a_ledger_a_side_must_be_named() {
    let project = project(&[APIARIES]);
    by_hand(&project, "production.db", APIARIES.1);
    let run = project.expect(1, &["drift", "production"]);
    assert!(run.stderr.contains("--against SIDE"), "{}", run.stderr);
    project.expect(0, &["build"]);
    project.expect(0, &["drift", "production", "--against", "honey.wsnap"]);
    project.expect(3, &["drift", "production", "--against", "empty"]);
}
