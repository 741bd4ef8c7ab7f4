//! `wevrun adopt`.

use std::fs;

use super::{by_hand, project};

#[test]
fn a_live_database_becomes_a_project_that_builds_to_the_same() {
    let project = project(&[]);
    by_hand(
        &project,
        "production.db",
        "CREATE TABLE \"Hives\" (id INTEGER PRIMARY KEY, -- the tag's number\n  label TEXT);
         ALTER TABLE \"Hives\" ADD COLUMN \"two words\" TEXT DEFAULT 'x';
         CREATE TABLE lots (a INTEGER,b TEXT NOT NULL,PRIMARY KEY(a,b)) WITHOUT ROWID;
         CREATE INDEX lots_by_b ON lots(b);
         CREATE TABLE \"a/b\" (x); CREATE TABLE \"A?B\" (y); CREATE TABLE \"..\" (z);
         CREATE VIEW v AS SELECT 1;
         CREATE TRIGGER lots_kept BEFORE DELETE ON lots BEGIN SELECT RAISE(ABORT, 'kept'); END;
         CREATE VIRTUAL TABLE search USING fts5(title)",
    );
    project.expect(0, &["adopt", "production", "--into", "adopted"]);
    project.expect(0, &["compare", "production", "--want", "adopted"]);
    assert!(project.read("adopted/schema/tables/Hives.sql").contains("-- the tag's number"), "comments are kept");
    insta::assert_snapshot!(project.read("adopted/schema/tables/lots.sql"));
    let tables = fs::read_dir(project.file("adopted/schema/tables")).expect("a folder").count();
    assert_eq!(tables, 5, "no name is lost to the file system");
    project.expect(0, &["-C", "adopted", "build"]);
    project.expect(1, &["adopt", "production", "--into", "adopted"]);
}
