//! `wevrun build`: what it takes, and what it says of what it does not take.

use super::{APIARIES, HIVES, project, shown};

#[test]
fn a_good_project_is_built() {
    insta::assert_snapshot!(shown(&project(&[APIARIES, HIVES]).expect(0, &["build"])));
}

#[test]
fn all_independent_errors_come_in_one_run() {
    let project = project(&[
        APIARIES,
        (
            "schema/broken.sql",
            "CREATE TABLE hives (id INTEGER PRIMARY KEY, apiary_id INTEGER REFERENCES apiarys (id));\n\
             CREATE TABLE queens (id INTEGER PRIMARY KEY, apiary TEXT REFERENCES apiaries (label));\n\
             CREATE INDEX hives_by_labl ON hives (labl);\n\
             CREATE VIEW totals AS SELECT count(*) FROM hive;\n\
             CREATE TABLE order (id INTEGER);\n\
             CREATE TABLE lots (id INTEGER, grams INTEGER CHECK (grams > 0);\n\
             CREATE TABLE members (id INTEGER PRIMARY KEY, id TEXT);\n\
             CREATE VIEW a AS SELECT * FROM b;\nCREATE VIEW b AS SELECT * FROM a;\n\
             CREATE VIEW names AS SELECT nam FROM apiaries;\n\
             SELCT 1;\nCREATE TABLE apiaries (id INTEGER);\n",
        ),
    ]);
    insta::assert_snapshot!(shown(&project.expect(1, &["build"])));
    assert!(!project.file("honey.wsnap").exists(), "nothing is written");
}

#[test]
fn errors_for_machines() {
    let project = project(&[("schema/a.sql", "CREATE TABLE hives (id INTEGER REFERENCES apiaries (id));\n")]);
    let run = project.expect(1, &["build", "--format", "json"]);
    insta::assert_snapshot!(shown(&run));
}

#[test]
fn the_engine_has_the_second_word() {
    let project = project(&[
        APIARIES,
        (
            "schema/b.sql",
            "CREATE TABLE hives (id INTEGER PRIMARY KEY, label TEXT CHECK (length(lable) > 1));\n\
             CREATE VIEW by_function AS SELECT honey_grade(name) FROM apiaries;\n\
             CREATE TRIGGER t AFTER INSERT ON apiaries BEGIN\n    UPDATE apiaries SET nam = 'x';\nEND;\n",
        ),
    ]);
    insta::assert_snapshot!(shown(&project.expect(1, &["build"])));
    project.expect(0, &["build", "--no-second-opinion"]);
}

#[test]
fn the_version_limits_what_may_be_used() {
    let project = project(&[("schema/a.sql", "CREATE TABLE lots (grams INTEGER) STRICT;\n")]);
    let settings = project.read("wevrun.toml").replace("3.40", "3.36");
    project.write("wevrun.toml", settings);
    insta::assert_snapshot!(shown(&project.expect(1, &["build"])));
}

/// All of the grammar that the engine's manual has, which the engine compiles as a second opinion.
#[test]
fn all_of_the_grammar_is_read() {
    let project = project(&[(
        "schema/all.sql",
        r#"
-- Every column and table constraint
CREATE TABLE IF NOT EXISTS main.apiaries (
    id INTEGER CONSTRAINT pk PRIMARY KEY ASC ON CONFLICT ABORT AUTOINCREMENT,
    'name' VARCHAR ( 40 ) NOT NULL ON CONFLICT FAIL UNIQUE ON CONFLICT IGNORE COLLATE NOCASE DEFAULT 'x''y',
    [two words] DECIMAL(10, -2) NULL DEFAULT -1.5e3 CONSTRAINT named CHECK ([two words] IS NOT 5),
    `key` DEFAULT CURRENT_TIMESTAMP, blob_ BLOB DEFAULT x'00ff', d DEFAULT (1 + abs(-2)), e DEFAULT true, f DEFAULT +7,
    "größe" double  precision GENERATED ALWAYS AS (id * 2) STORED, h AS (upper(name)), i REAL AS (1) VIRTUAL
);
CREATE TABLE hives (
    a INT, b TEXT, c INTEGER REFERENCES apiaries ON DELETE SET NULL ON UPDATE CASCADE NOT DEFERRABLE INITIALLY IMMEDIATE,
    d INTEGER REFERENCES apiaries(id) MATCH SIMPLE DEFERRABLE INITIALLY DEFERRED,
    CONSTRAINT pk PRIMARY KEY (a DESC, b COLLATE RTRIM) ON CONFLICT ROLLBACK,
    UNIQUE (b, c) ON CONFLICT REPLACE CHECK (a > 0) CONSTRAINT fk FOREIGN KEY (c) REFERENCES apiaries (id) ON DELETE RESTRICT
) WITHOUT ROWID;
CREATE TABLE lots (id INTEGER PRIMARY KEY, v ANY, t TEXT) STRICT;
CREATE TABLE payouts (a, b, PRIMARY KEY (a, b)) STRICT_, WITHOUT ROWID;
"#
        .replace("(a, b, PRIMARY KEY (a, b)) STRICT_, WITHOUT ROWID", "(a ANY, b ANY, PRIMARY KEY (a, b)) STRICT, WITHOUT ROWID")
        .leak(),
    ), (
        "schema/more.sql",
        r#"
CREATE UNIQUE INDEX IF NOT EXISTS i1 ON apiaries (name COLLATE NOCASE DESC, lower("two words") ASC) WHERE id > 5 AND h IS NOT NULL;
CREATE VIEW v1 (x, "y z") AS WITH RECURSIVE up (n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM up WHERE n < 5)
    SELECT n, name FROM up JOIN apiaries ON apiaries.id = up.n WHERE n IS NOT DISTINCT FROM 3 OR n IN (VALUES (1), (2));
CREATE VIEW v2 AS SELECT sum(x) OVER (PARTITION BY "y z" ORDER BY x ROWS BETWEEN 1 PRECEDING AND CURRENT ROW) AS s,
    json_extract('{"a":1}', '$.a'), '{"a":1}' ->> 'a' FROM v1 LEFT JOIN lots ON lots.id = x;
CREATE TRIGGER t1 BEFORE UPDATE OF name, "two words" ON apiaries FOR EACH ROW WHEN new.name <> CASE WHEN old.id > 1 THEN 'x' ELSE 'y' END
BEGIN
    SELECT RAISE(ROLLBACK, 'no;');
    INSERT OR REPLACE INTO lots (id, v) VALUES (1, 2) ON CONFLICT (id) DO UPDATE SET v = excluded.v;
    DELETE FROM lots WHERE id IN (SELECT id FROM apiaries);
    UPDATE lots SET v = (SELECT CASE WHEN 1 THEN 2 END) WHERE t = 'end;';
END;
CREATE TRIGGER t2 INSTEAD OF DELETE ON v1 BEGIN SELECT 1; END;
CREATE VIRTUAL TABLE search USING fts5 (title, body, tokenize = 'porter unicode61', prefix = '2 3');
CREATE VIRTUAL TABLE boxes USING rtree (id, min_x, max_x, +label TEXT);
CREATE VIRTUAL TABLE old_search USING fts4 (title, tokenize=porter);
ALTER TABLE lots ADD COLUMN added TEXT DEFAULT 'later' CHECK (added <> 'never');
ALTER TABLE lots RENAME COLUMN t TO note;
DROP VIEW IF EXISTS nothing_of_the_sort;
PRAGMA foreign_keys = ON;
.mode box
.print it's not SQL
CREATE TABLE "weird ""name"" [x]" ("select" TEXT, `from` TEXT, [where] TEXT);
"#,
    )]);
    let run = project.expect(0, &["build"]);
    assert!(run.stderr.is_empty(), "{}", run.stderr);
    project.expect(0, &["deploy", "--create", "test"]);
    project.expect(0, &["compare", "test"]);
    project.expect(0, &["adopt", "test", "--into", "adopted"]);
    project.expect(0, &["compare", "test", "--want", "adopted"]);
}

#[test]
fn a_dump_of_the_engines_client_is_a_source() {
    let project = project(&[APIARIES]);
    by_hand_dump(&project);
}

fn by_hand_dump(project: &wevrun_testkit::project::TestProject) {
    super::by_hand(
        project,
        "test.db",
        "CREATE TABLE apiaries (id INTEGER PRIMARY KEY AUTOINCREMENT, name TEXT NOT NULL UNIQUE);
         INSERT INTO apiaries (name) VALUES ('Linden''s; Slope');
         CREATE VIRTUAL TABLE search USING fts5 (title, body);
         CREATE VIEW names AS SELECT name FROM apiaries;
         CREATE TRIGGER t AFTER INSERT ON apiaries BEGIN SELECT 1; END;",
    );
    let dump = wevrun_testkit::client::sqlite3(&project.file("test.db"), ".dump\n");
    project.write("dump.sql", dump.stdout);
    let run = project.expect(0, &["compare", "test", "--want", "dump.sql"]);
    assert!(run.stdout.contains("Identical: 4 objects match want"), "{}", run.stdout);
}

#[test]
fn renames_that_cannot_be_followed_are_named() {
    let project = project(&[(
        "schema/a.sql",
        "-- wevrun: formerly lots\nCREATE TABLE harvest_lots (id INTEGER PRIMARY KEY,\n    grams INTEGER, -- wevrun: formerly weight\n    \
         kilos REAL, -- wevrun: formerly weight\n    weight INTEGER -- wevrun: once was\n);\nCREATE TABLE lots (id INTEGER);\n",
    )]);
    insta::assert_snapshot!(shown(&project.expect(1, &["build"])));
}

#[test]
fn a_check_writes_nothing() {
    let project = project(&[APIARIES, HIVES]);
    let run = project.expect(0, &["build", "--check"]);
    assert!(run.stdout.starts_with("checked: 2 tables, 1 index from 2 files in "), "{}", run.stdout);
    assert!(!project.file("honey.wsnap").exists());
    project.expect(2, &["build", "--check", "--out", "a.wsnap"]);
    project.write(HIVES.0, "CREATE TABLE hives (id INTEGER PRIMARY KEY, apiary_id REFERENCES apiarys (id));\n");
    project.expect(1, &["build", "--check"]);
}
