//! The pipelines of the documentation, as far as a shell can run them.

use std::fs;
use std::path::PathBuf;
use std::process::Command;

use super::{APIARIES, HIVES, by_hand, project};
use wevrun_testkit::project::{Run, TestProject};

fn folder() -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs/pipelines")
}

/// Runs a step in the project's folder; what `release/` has is all that it gets from the steps before.
fn step(project: &TestProject, words: &[&str]) -> Run {
    let mut command = Command::new("sh");
    command.arg(folder().join("pipeline.sh")).args(words).current_dir(project.path());
    command.env("WEVRUN", env!("CARGO_BIN_EXE_wevrun"));
    project.run_command(command)
}

fn expect(project: &TestProject, status: i32, words: &[&str]) -> Run {
    let run = step(project, words);
    assert_eq!(run.status, status, "{words:?}\n{}\n{}", run.stdout, run.stderr);
    run
}

#[test]
fn one_artefact_goes_from_test_to_production() {
    let project = project(&[APIARIES]);
    for database in ["test.db", "production.db"] {
        by_hand(&project, database, "PRAGMA user_version = 1");
    }
    expect(&project, 0, &["build"]);
    let built = project.read("release/schema.wsnap");
    for target in ["test", "production"] {
        expect(&project, 0, &["package", target]);
        expect(&project, 0, &["deploy", target]);
        expect(&project, 0, &["drift", target]);
    }
    assert_eq!(project.read("release/schema.wsnap"), built);

    // A pull request.
    project.write(HIVES.0, HIVES.1);
    expect(&project, 0, &["build"]);
    expect(&project, 0, &["compare", "production"]);
    assert!(project.read("release/production.md").contains("create table hives"));
    assert!(project.read("release/production.html").contains("<title>"));
    // It is approved for production as it was then.
    expect(&project, 0, &["package", "production"]);
    by_hand(&project, "production.db", "CREATE TABLE by_hand (a)");
    expect(&project, 5, &["deploy", "production"]);
    expect(&project, 3, &["drift", "production"]);
    assert!(project.read("release/drift-production.xml").contains("by_hand"));
    // Nothing to do is no failure.
    expect(&project, 0, &["package", "test"]);
    expect(&project, 0, &["deploy", "test"]);
    expect(&project, 0, &["package", "test"]);
    expect(&project, 0, &["deploy", "test"]);

    project.write("schema/bad.sql", "CREATE VIEW v AS SELECT 1 FROM nowhere;");
    expect(&project, 1, &["build"]);
    assert!(project.read("release/build.xml").contains("<failure"));
    expect(&project, 2, &["release"]);
}

/// Every command of the files is a step that there is.
#[test]
fn the_files_call_steps_that_there_are() {
    for (name, prefix) in [("github-actions.yml", "run: "), ("gitlab-ci.yml", "- ")] {
        let text = fs::read_to_string(folder().join(name)).expect("it is there");
        let calls: Vec<&str> = text
            .lines()
            .filter_map(|line| line.trim().trim_start_matches("- ").strip_prefix(prefix.trim_start_matches("- ")))
            .filter_map(|line| line.strip_prefix("docs/pipelines/pipeline.sh "))
            .collect();
        let steps: Vec<&str> = calls.iter().filter_map(|call| call.split(' ').next()).collect();
        for step in ["build", "compare", "package", "deploy", "drift"] {
            assert!(steps.contains(&step), "{name} has no {step}: {calls:?}");
        }
        let deployed: Vec<&&str> = calls.iter().filter(|call| call.starts_with("deploy ")).collect();
        assert_eq!(deployed, [&"deploy test", &"deploy staging", &"deploy production"], "{name}");
    }
}
