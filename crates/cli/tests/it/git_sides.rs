//! Sides that are git revisions, and snapshots of any side.

use std::process::Command;

use wevrun_testkit::project::TestProject;

use super::{APIARIES, HIVES, project};

fn git(project: &TestProject, arguments: &[&str]) {
    let mut command = Command::new("git");
    command.args(["-c", "user.name=ida", "-c", "user.email=ida@honey.example", "-c", "init.defaultBranch=main"]);
    let output = command.args(arguments).current_dir(project.path()).output().expect("git is installed");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
}

/// A project whose first commit is v1 and whose work tree has a column more.
fn two_revisions() -> TestProject {
    let project = project(&[APIARIES, HIVES]);
    git(&project, &["init", "-q"]);
    git(&project, &["add", "-A"]);
    git(&project, &["commit", "-q", "-m", "one"]);
    git(&project, &["tag", "v1"]);
    project.write(APIARIES.0, APIARIES.1.replace("UNIQUE", "UNIQUE,\n    village TEXT"));
    project
}

#[test]
fn a_revision_is_read_without_the_work_tree() {
    let project = two_revisions();
    let run = project.expect(3, &["compare", "--have", "git:v1"]);
    assert!(run.stdout.contains("column village added: TEXT"), "{}", run.stdout);
    project.expect(0, &["compare", "--have", "git:v1", "--want", "git:HEAD"]);
    // What is only in the work tree is not missed: the revision is whole.
    std::fs::remove_dir_all(project.file("schema")).expect("it was there");
    std::fs::remove_file(project.file("wevrun.toml")).expect("it was there");
    let revision = "git:v1:";
    project.expect(3, &["compare", "--have", revision, "--want", "empty"]);
    project.expect(0, &["compare", "--have", revision, "--want", "git:main:schema", "--engine", "sqlite"]);
    let file = format!("git:v1:{}", APIARIES.0);
    let run = project.expect(3, &["compare", "--have", &file, "--want", "empty", "--engine", "sqlite"]);
    assert!(run.stdout.contains("remove 1"), "{}", run.stdout);
}

#[test]
fn errors_in_a_revision_name_it_and_the_line() {
    let project = two_revisions();
    project.write(HIVES.0, "CREATE TABLE hives (id INTEGER PRIMARY KEY, apiary_id REFERENCES apiarys (id));\n");
    git(&project, &["commit", "-q", "-a", "-m", "two"]);
    let run = project.expect(1, &["compare", "--have", "git:HEAD", "--want", "empty"]);
    assert!(run.stderr.contains("git:HEAD can't be built"), "{}", run.stderr);
    assert!(run.stderr.contains(&format!("git:HEAD:{}:1:", HIVES.0)), "{}", run.stderr);
}

#[test]
fn what_git_does_not_have_is_said() {
    let project = two_revisions();
    for (side, words) in [
        ("git:v9", "git finds no commit `v9`"),
        ("git:", "names no revision"),
        ("git:v1:nothing", "revision v1 has no `nothing`"),
        ("git:v1:wevrun.toml", "is neither a folder nor a .wsnap or .sql file"),
    ] {
        let run = project.expect(2, &["compare", "--have", side]);
        assert!(run.stderr.contains(words), "{side}: {}", run.stderr);
    }
    let alone = super::project(&[APIARIES]);
    let run = alone.expect(2, &["compare", "--have", "git:main"]);
    assert!(run.stderr.contains("no git repository"), "{}", run.stderr);
}

#[cfg(unix)]
#[test]
fn links_and_included_files_of_a_revision_are_followed() {
    let project = two_revisions();
    project.write("shared/members.sql", "CREATE TABLE members (id INTEGER PRIMARY KEY);\n");
    std::os::unix::fs::symlink("../shared", project.file("schema/shared")).expect("a link");
    std::os::unix::fs::symlink("..", project.file("schema/loop")).expect("a link");
    project.write("schema/all.sql", ".read extra.txt\n");
    project.write("schema/extra.txt", "CREATE TABLE queens (id INTEGER PRIMARY KEY);\n");
    git(&project, &["add", "-A"]);
    git(&project, &["commit", "-q", "-m", "links"]);
    project.expect(0, &["compare", "--have", "git:HEAD"]);
    let run = project.expect(3, &["compare", "--have", "git:HEAD", "--want", "git:v1"]);
    assert!(run.stdout.contains("members") && run.stdout.contains("queens"), "{}", run.stdout);
}

#[test]
fn a_snapshot_is_made_of_any_side() {
    let project = two_revisions();
    project.expect(0, &["deploy", "--create", "test"]);
    let run = project.expect(0, &["snapshot", "git:v1", "--out", "v1.wsnap"]);
    assert!(run.stdout.contains("git revision "), "{}", run.stdout);
    project.expect(0, &["snapshot", "test", "--out", "base.wsnap"]);
    project.expect(0, &["compare", "--have", "v1.wsnap", "--want", "git:v1"]);
    project.expect(0, &["compare", "--have", "base.wsnap"]);
    project.expect(3, &["compare", "--have", "v1.wsnap", "--want", "base.wsnap"]);
    // The result never replaces what it is made of.
    let run = project.expect(2, &["snapshot", "test", "--out", "test.db"]);
    assert!(run.stderr.contains("is read, so nothing can be written to it"), "{}", run.stderr);
    let run = project.expect(0, &["snapshot", "v1.wsnap", "--out", "-", "--format", "text"]);
    assert!(run.stdout.starts_with('{') && run.stderr.contains("wrote -"), "{}", run.stderr);
}

#[test]
fn rows_in_an_included_file_make_no_change_to_a_commit() {
    let project = project(&[APIARIES, HIVES]);
    let rows = "INSERT INTO apiaries VALUES (1, 'Hill');\nINSERT INTO apiaries VALUES (2, 'Lake');\n";
    project.write("schema/all.sql", ".read rows.txt\n");
    project.write("schema/rows.txt", rows);
    git(&project, &["init", "-q"]);
    git(&project, &["add", "-A"]);
    git(&project, &["commit", "-q", "-m", "one"]);
    let run = project.expect(0, &["build"]);
    assert!(run.stdout.contains("git revision ") && !run.stdout.contains("not committed"), "{}", run.stdout);
}
