//! `wevrun new`, wevrun.toml and `wevrun explain`.

use wevrun_testkit::project::TestProject;

use super::{APIARIES, project, shown};

#[test]
fn a_new_project_builds_and_is_never_overwritten() {
    let folder = TestProject::empty(env!("CARGO_BIN_EXE_wevrun"));
    folder.expect(0, &["new", "honey"]);
    folder.expect(0, &["-C", "honey", "build"]);
    assert!(folder.file("honey/honey.wsnap").is_file());
    let before = folder.read("honey/wevrun.toml");
    insta::assert_snapshot!(shown(&folder.expect(1, &["new", "honey"])));
    assert_eq!(folder.read("honey/wevrun.toml"), before);
}

#[test]
fn a_misspelled_key_is_shown_at_its_place() {
    let project = project(&[APIARIES]);
    project.write("wevrun.toml", "[project]\nname = \"honey\"\nengine = \"sqlite\"\nengine-verson = \"3.40\"\n");
    insta::assert_snapshot!(shown(&project.expect(1, &["build"])));
}

#[test]
fn a_wrong_type_and_an_unknown_engine_are_shown_at_their_place() {
    let project = project(&[APIARIES]);
    project.write("wevrun.toml", "[project]\nname = 7\nengine = \"sqlite\"\n");
    insta::assert_snapshot!("wrong_type", shown(&project.expect(1, &["build"])));
    project.write("wevrun.toml", "[project]\nname = \"honey\"\nengine = \"sqlight\"\n");
    insta::assert_snapshot!("unknown_engine", shown(&project.expect(1, &["build"])));
}

#[test]
fn a_missing_variable_is_named_and_its_value_is_never_printed() {
    let project = project(&[APIARIES]);
    project.write(
        "wevrun.toml",
        "[project]\nname = \"honey\"\nengine = \"sqlite\"\n\n[targets.production]\nurl = \"sqlite:${HIVES_TEST_UNSET_DB}\"\n",
    );
    insta::assert_snapshot!(shown(&project.expect(1, &["drift", "production"])));
}

#[test]
fn an_unknown_target_draws_the_nearest_one() {
    let run = project(&[APIARIES]).expect(2, &["drift", "prodution"]);
    assert!(run.stderr.contains("did you mean the target `production`?"), "{}", run.stderr);
}

#[test]
fn outside_a_project_the_way_in_is_named() {
    let run = TestProject::empty(env!("CARGO_BIN_EXE_wevrun")).expect(2, &["build"]);
    assert!(run.stderr.contains("wevrun new DIR"), "{}", run.stderr);
}

#[test]
fn every_code_is_explained() {
    let folder = TestProject::empty(env!("CARGO_BIN_EXE_wevrun"));
    let list = folder.expect(0, &["explain"]).stdout;
    assert!(list.lines().count() > 20);
    for line in list.lines() {
        let code = line.split(' ').next().expect("a code");
        let text = folder.expect(0, &["explain", &code.to_lowercase()]).stdout;
        assert!(text.lines().count() > 2, "{code} is hardly explained");
    }
    folder.expect(2, &["explain", "WV999"]);
}

/// The shipped JSON Schemas are what the code says. Regenerate them with WEVRUN_WRITE_DOCS=1 (see `schemas` in the program).
#[test]
fn the_shipped_schema_accepts_what_the_program_accepts() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/schema/project.schema.json");
    let schema: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(path).expect("it is shipped")).expect("JSON");
    let validator = jsonschema::validator_for(&schema).expect("a schema");
    let project = project(&[APIARIES]);
    for (text, good) in [
        (project.read("wevrun.toml"), true),
        ("[project]\nname = \"x\"\nengine = \"sqlite\"\nengin = 1\n".to_owned(), false),
        ("[project]\nname = \"x\"\nengine = \"honeydb\"\n".to_owned(), false),
        ("[project]\nname = \"x\"\nengine = \"sqlite\"\n[targets.a]\nurl = \"sqlite:a.db\"\n".to_owned(), true),
        ("[project]\nengine = \"sqlite\"\n".to_owned(), false),
    ] {
        let value: serde_json::Value = toml::from_str(&text).expect("TOML");
        assert_eq!(validator.is_valid(&value), good, "{text}");
        project.write("wevrun.toml", &text);
        assert_eq!(project.run(&["build"]).status == 0, good, "{text}");
    }
}

#[test]
fn a_new_project_is_the_engines_own() {
    let folder = TestProject::empty(env!("CARGO_BIN_EXE_wevrun"));
    folder.expect(0, &["new", "yard", "--engine", "postgres"]);
    folder.expect(0, &["-C", "yard", "build"]);
    let (table, ignored) = (folder.read("yard/schema/tables/apiaries.sql"), folder.read("yard/.gitignore"));
    assert!(table.contains("GENERATED ALWAYS AS IDENTITY") && table.contains("founded_on date"), "{table}");
    assert!(!ignored.contains("*.db") && ignored.contains(".pgpass"), "{ignored}");
}
