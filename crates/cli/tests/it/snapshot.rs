//! The snapshot file: the same bytes for the same input, and nothing else is taken for it.

use std::process::Command;

use super::{APIARIES, HIVES, project};

#[test]
fn the_same_input_gives_the_same_bytes() {
    let (one, other) = (project(&[APIARIES, HIVES]), project(&[HIVES, APIARIES]));
    one.expect(0, &["build"]);
    let mut command = other.command(&["build"]);
    assert!(command.env("RAYON_NUM_THREADS", "1").output().expect("it runs").status.success());
    assert_eq!(one.read("honey.wsnap"), other.read("honey.wsnap"));
}

#[test]
fn layout_and_file_names_do_not_change_the_fingerprint() {
    let (one, other) = (
        project(&[APIARIES]),
        project(&[(
            "schema/x.sql",
            "create table \"APIARIES\"(ID integer primary key,/* why */[name] text not null,unique(Name))",
        )]),
    );
    let fingerprint =
        |run: String| run.lines().find(|line| line.starts_with("fingerprint")).expect("a line").to_owned();
    assert_eq!(fingerprint(one.expect(0, &["build"]).stdout), fingerprint(other.expect(0, &["build"]).stdout));
}

#[test]
fn what_was_altered_damaged_or_is_newer_is_refused_by_name() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["build"]);
    let text = project.read("honey.wsnap");
    let cases = [
        (text.replace("paint_colour", "paint_color"), "altered"),
        (text.replace("\"tool\": \"", "\"tool\": \"9"), "altered"),
        (text[..text.len() / 2].to_owned(), "damaged"),
        (text.replace("\"wevrun-snapshot\": 3", "\"wevrun-snapshot\": 4"), "format 4"),
        (text.replace("\"wevrun-snapshot\": 3", "\"wevrun-snapshot\": 2"), "build it again"),
        ("{\"a\": 1}".to_owned(), "not a Wevrun snapshot"),
        ("SQLite format 3".to_owned(), "not a Wevrun snapshot"),
        (String::new(), "not a Wevrun snapshot"),
    ];
    for (text, word) in cases {
        project.write("other.wsnap", text);
        let run = project.expect(1, &["compare", "--have", "other.wsnap"]);
        assert!(run.stderr.contains(word), "wanted `{word}`: {}", run.stderr);
    }
    project.write("other.wsnap", [0xff, 0x00, 0xfe]);
    project.expect(1, &["compare", "--have", "other.wsnap"]);
}

#[test]
fn it_fits_its_json_schema() {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/schema/snapshot.schema.json");
    let schema: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string(path).expect("it is shipped")).expect("JSON");
    let validator = jsonschema::validator_for(&schema).expect("a schema");
    let project = project(&[]);
    project.expect(0, &["demo", "demo"]);
    let snapshot: serde_json::Value =
        serde_json::from_str(&project.read("demo/honey-cooperative.wsnap")).expect("JSON");
    let errors: Vec<String> = validator.iter_errors(&snapshot).map(|error| error.to_string()).collect();
    assert_eq!(errors, Vec::<String>::new());
    let mut other = snapshot.clone();
    other["objects"][0]["definition"] = serde_json::json!({ "table": { "columns": 7 } });
    assert!(!validator.is_valid(&other));
}

#[test]
fn the_git_revision_is_in_it() {
    let project = project(&[APIARIES, ("schema/tables/queens.sql", "CREATE TABLE queens (id INTEGER PRIMARY KEY);\n")]);
    let git = |arguments: &[&str]| {
        let run = Command::new("git").args(arguments).current_dir(project.path()).output().expect("git is installed");
        assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
        String::from_utf8_lossy(&run.stdout).trim().to_owned()
    };
    git(&["init", "-q"]);
    git(&["-c", "user.name=Ida", "-c", "user.email=ida@example.invalid", "add", "."]);
    git(&["-c", "user.name=Ida", "-c", "user.email=ida@example.invalid", "commit", "-qm", "Begin"]);
    let revision = git(&["rev-parse", "HEAD"]);
    let is_modified = |folder: &str| {
        project.expect(0, &["-C", folder, "build"]);
        let snapshot = project.read(&format!("{folder}/honey.wsnap"));
        assert!(snapshot.contains(&format!("\"git\": {{\"revision\":\"{revision}\",")), "{snapshot}");
        snapshot.contains("\"modified\":true")
    };
    assert!(!is_modified("."));
    git(&["worktree", "add", "-q", "beside", "HEAD"]);
    assert!(!is_modified("beside"));
    project.write(APIARIES.0, format!("{}-- changed\n", APIARIES.1));
    assert!(is_modified("."));
    git(&["checkout", "-q", "."]);
    assert!(!is_modified("."));
    project.write("schema/new.sql", "-- new\n");
    assert!(is_modified("."));
    std::fs::remove_file(project.file("schema/new.sql")).expect("it is there");
    std::fs::remove_file(project.file("schema/tables/queens.sql")).expect("it is there");
    assert!(is_modified("."));
    assert!(!is_modified("beside"));
}

#[test]
fn a_backup_file_of_sqlite_is_a_database() {
    let project = super::project(&[super::APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    std::fs::copy(project.file("test.db"), project.file("monday.bak")).expect("a copy");
    project.expect(0, &["compare", "--have", "monday.bak"]);
    project.write("monday.txt", "not one");
    let run = project.expect(2, &["compare", "--have", "monday.txt"]);
    assert!(run.stderr.contains("neither a folder nor"), "{}", run.stderr);
}
