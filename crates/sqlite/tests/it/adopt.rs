//! A model as source files.

use wevrun_core::adopt::files;

use super::{built, model, sqlite};

fn paths(text: &str) -> Vec<String> {
    files(sqlite(), &model(text), false).into_iter().map(|file| file.path).collect()
}

#[test]
fn one_file_an_object_with_what_belongs_to_it() {
    let text = "CREATE TABLE hives (id INTEGER); CREATE INDEX i ON hives (id); CREATE VIEW v AS SELECT 1 AS x; \
                CREATE TRIGGER t INSTEAD OF DELETE ON v BEGIN SELECT 1; END; CREATE VIRTUAL TABLE s USING fts5 (a)";
    let files = files(sqlite(), &model(text), false);
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
fn a_persons_comments_are_kept_and_tables_have_one_layout() {
    let first = |text: &str| files(sqlite(), &model(text), false)[0].text.clone();
    assert_eq!(
        first("create  table a(x varchar( 3 ) primary key,y text not null default ( 1+2 )  unique\n, check(x in(1,2)), unique (x, y))strict_".replace("strict_", "").as_str()),
        "create table a (\n    x varchar(3) primary key,\n    y text not null default (1+2) unique,\n    check(x in(1, 2)),\n    unique (x, y)\n);\n"
    );
    assert_eq!(first("CREATE TABLE a(x ANY) STRICT"), "CREATE TABLE a (\n    x ANY\n) STRICT;\n");
    let commented = "CREATE TABLE a (x, -- why\n  y)";
    assert_eq!(first(commented), format!("{commented};\n"));
}

#[test]
fn writing_what_was_written_changes_nothing() {
    let text = "CREATE TABLE a (x INTEGER PRIMARY KEY DESC, y DECIMAL(3,1) COLLATE NOCASE CHECK (y > 0), z AS (y) STORED, \
                FOREIGN KEY (x, y) REFERENCES b (p, q) ON DELETE CASCADE DEFERRABLE INITIALLY DEFERRED, UNIQUE (y COLLATE RTRIM)); \
                CREATE TABLE b (p, q, r DEFAULT (1 + 1), s DEFAULT -2, PRIMARY KEY (p, q DESC)) WITHOUT ROWID; \
                CREATE UNIQUE INDEX i ON a (lower(y), x DESC) WHERE x > 1; CREATE VIEW v (one) AS SELECT 1";
    let once: Vec<String> = files(sqlite(), &model(text), false).into_iter().map(|file| file.text).collect();
    let build = built(&once.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(build.model == model(text));
    let twice: Vec<String> = files(sqlite(), &build.model, false).into_iter().map(|file| file.text).collect();
    assert_eq!(once, twice);
}
