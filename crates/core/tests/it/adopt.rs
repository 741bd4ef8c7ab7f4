//! A model as source files.

use wevrun_core::adopt::files;

use super::{built, model, sqlite};

fn paths(text: &str) -> Vec<String> {
    files(sqlite(), &model(text)).into_iter().map(|file| file.path).collect()
}

#[test]
fn one_file_an_object_with_what_belongs_to_it() {
    let text = "CREATE TABLE hives (id INTEGER); CREATE INDEX i ON hives (id); CREATE VIEW v AS SELECT 1 AS x; \
                CREATE TRIGGER t INSTEAD OF DELETE ON v BEGIN SELECT 1; END; CREATE VIRTUAL TABLE s USING fts5 (a)";
    let files = files(sqlite(), &model(text));
    let paths: Vec<&str> = files.iter().map(|file| file.path.as_str()).collect();
    assert_eq!(paths, ["tables/hives.sql", "views/v.sql", "virtual-tables/s.sql"]);
    assert!(files[0].text.contains("CREATE INDEX i") && files[1].text.contains("CREATE TRIGGER t"));
}

#[test]
fn no_file_is_lost_to_a_file_system() {
    assert_eq!(
        paths("CREATE TABLE \"a/b\" (x); CREATE TABLE \"A?B\" (x); CREATE TABLE \"\" (x); CREATE TABLE \"..\" (x)"),
        ["tables/A_B-2.sql", "tables/_.sql", "tables/__.sql", "tables/a_b.sql"]
            .map(str::to_owned)
            .into_iter()
            .collect::<Vec<_>>()
            .as_slice()
    );
}

#[test]
fn a_persons_comments_are_kept_and_everything_else_has_one_layout() {
    let text = files(sqlite(), &model("create table a(x integer primary key,y text not null default 'z'  unique)"))[0]
        .text
        .clone();
    assert_eq!(text, "CREATE TABLE a (\n    x integer PRIMARY KEY,\n    y text NOT NULL DEFAULT 'z' UNIQUE\n);\n");
    let commented = "CREATE TABLE a (x, -- why\n  y)";
    assert_eq!(files(sqlite(), &model(commented))[0].text, format!("{commented};\n"));
}

#[test]
fn writing_what_was_written_changes_nothing() {
    let text = "CREATE TABLE a (x INTEGER PRIMARY KEY DESC, y DECIMAL(3,1) COLLATE NOCASE CHECK (y > 0), z AS (y) STORED, \
                FOREIGN KEY (x, y) REFERENCES b (p, q) ON DELETE CASCADE DEFERRABLE INITIALLY DEFERRED, UNIQUE (y COLLATE RTRIM)); \
                CREATE TABLE b (p, q, r DEFAULT (1 + 1), s DEFAULT -2, PRIMARY KEY (p, q DESC)) WITHOUT ROWID; \
                CREATE UNIQUE INDEX i ON a (lower(y), x DESC) WHERE x > 1; CREATE VIEW v (one) AS SELECT 1";
    let once: Vec<String> = files(sqlite(), &model(text)).into_iter().map(|file| file.text).collect();
    let build = built(&once.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(build.model == model(text));
    let twice: Vec<String> = files(sqlite(), &build.model).into_iter().map(|file| file.text).collect();
    assert_eq!(once, twice);
}
