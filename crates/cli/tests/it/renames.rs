//! SQLite: former names are followed wherever the target still has them.

use wevrun_testkit::project::TestProject;

use super::{by_hand, number, project};

/// A database that was released from the one source, with rows, in a project that wants the other.
fn between(source: &str, rows: &str, wanted: &str) -> TestProject {
    let project = project(&[("schema/a.sql", source)]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", rows);
    project.write("schema/a.sql", wanted);
    project
}

/// Deploys, and again, which must find nothing to do; and a new database is made from the same source.
fn deployed(project: &TestProject) {
    project.expect(0, &["deploy", "test"]);
    let again = project.expect(0, &["deploy", "test"]);
    assert!(again.stdout.contains("is up to date"), "{}", again.stdout);
    project.expect(0, &["deploy", "--create", "production"]);
}

#[test]
fn a_new_object_may_take_the_old_name() {
    let project = between(
        "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER);\nCREATE VIEW v AS SELECT id FROM lots;\n",
        "INSERT INTO lots VALUES (1, 500)",
        "-- wevrun: formerly lots\nCREATE TABLE harvest_lots (id INTEGER PRIMARY KEY,\n    weight INTEGER, -- wevrun: formerly GRAMS\n    \
         grams TEXT);\nCREATE TABLE Lots (id INTEGER PRIMARY KEY);\nCREATE VIEW v AS SELECT id FROM lots;\n",
    );
    deployed(&project);
    assert_eq!(number(&project, "test.db", "SELECT weight FROM harvest_lots WHERE grams IS NULL"), 500);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM lots"), 0);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM v"), 0, "the view reads the new table");
}

#[test]
fn chains_of_names_are_followed_from_their_end() {
    let table = |name: &str, former: &str| format!("{former}CREATE TABLE {name} (id INTEGER PRIMARY KEY);\n");
    let project = between(
        &[table("a", ""), table("b", ""), table("c", "")].concat(),
        "INSERT INTO a VALUES (1); INSERT INTO b VALUES (2); INSERT INTO c VALUES (3)",
        &[
            table("b", "-- wevrun: formerly a\n"),
            table("c", "-- wevrun: formerly b\n"),
            table("d", "-- wevrun: formerly C\n"),
            table("a", ""),
        ]
        .concat(),
    );
    deployed(&project);
    for (name, rows) in [("b", 1), ("c", 2), ("d", 3)] {
        assert_eq!(number(&project, "test.db", &format!("SELECT id FROM {name}")), rows);
    }
    let project = between(
        "CREATE TABLE t (a, b, c);\n",
        "INSERT INTO t VALUES (1, 2, 3)",
        "CREATE TABLE t (\n  b, -- wevrun: formerly a\n  c, -- wevrun: formerly b\n  d -- wevrun: formerly c\n);\n",
    );
    deployed(&project);
    assert_eq!(number(&project, "test.db", "SELECT b * 100 + c * 10 + d FROM t"), 123);
}

#[test]
fn what_can_not_be_followed_stops_the_script() {
    let swapped = "CREATE TABLE t (\n  a, -- wevrun: formerly b\n  b -- wevrun: formerly a\n);\n";
    for (source, wanted, why) in [
        ("CREATE TABLE t (a, b);\n", swapped, "column t.a was formerly `b`: the names are exchanged"),
        (
            "CREATE TABLE a (x);\n",
            "-- wevrun: formerly a\nCREATE TABLE b (x);\n-- wevrun: formerly a\nCREATE TABLE c (x);\n",
            "table c was formerly `a`: something else claims that name, too",
        ),
        (
            "CREATE VIEW a AS SELECT 1 AS x;\n",
            "-- wevrun: formerly a\nCREATE TABLE b (x);\n",
            "table b was formerly `a`: have's object of that name is of another kind",
        ),
    ] {
        let project = between(source, "", wanted);
        for command in [&["script", "test"][..], &["deploy", "test"]] {
            let stopped = project.expect(1, command);
            assert!(stopped.stderr.contains(why), "{wanted}\n{}", stopped.stderr);
        }
    }
    let project = between(
        "CREATE TABLE t (a INTEGER, b TEXT);\n",
        "",
        "CREATE TABLE t (\n  rowid INTEGER, -- wevrun: formerly a\n  b TEXT\n);\n",
    );
    let held = project.expect(4, &["deploy", "test"]);
    assert!(
        held.stderr.contains("SQLite can't rename a column to a name of the row number (rowid)"),
        "{}",
        held.stderr
    );
    // Other types tell which is which, before and after.
    let project = between(
        "CREATE TABLE t (a INTEGER, b TEXT);\n",
        "INSERT INTO t VALUES (1, 'x')",
        "CREATE TABLE t (\n  a INTEGER, -- wevrun: formerly b\n  b TEXT -- wevrun: formerly a\n);\n",
    );
    project.expect(0, &["deploy", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT a = 1 AND b = 'x' FROM t"), 1, "it is done already");
}

#[test]
fn columns_of_an_index_of_text_keep_their_words() {
    let project = between(
        "CREATE VIRTUAL TABLE notes USING fts5 (title, body);\n",
        "INSERT INTO notes (rowid, title, body) VALUES (7, 'hive', 'calm bees')",
        "CREATE VIRTUAL TABLE notes USING fts5 (\n  title,\n  content_text, -- wevrun: formerly Body\n  author\n);\n",
    );
    deployed(&project);
    assert_eq!(number(&project, "test.db", "SELECT rowid FROM notes WHERE content_text MATCH 'bees'"), 7);
}

/// An alias or a literal that equals the name of a column is no use of it, also where want is a snapshot.
#[test]
fn an_alias_in_double_quotes_prevents_no_change_of_a_column() {
    let table = |columns: &str| {
        format!("CREATE TABLE hives (id INTEGER PRIMARY KEY, label TEXT CHECK (label <> 'weight'){columns});\n")
    };
    let view = "CREATE VIEW tags AS SELECT label AS \"weight\", 'weight' AS \"mass\" FROM hives;\n";
    for (from, to) in [
        (", weight INT", ""),
        (", weight INT", ",\n mass INT -- wevrun: formerly weight\n"),
        ("", ", weight INT"),
        (", mass INT", ", mass INT, weight INT"),
    ] {
        let project = super::project(&[("schema/a.sql", &format!("{}{view}", table(from)))]);
        project.expect(0, &["deploy", "--create", "test"]);
        project.write("schema/a.sql", format!("{}{view}", table(to)));
        project.expect(0, &["build"]);
        project.expect(0, &["script", "test", "--want", "honey.wsnap", "--out", "next.sql"]);
        let script = project.read("next.sql");
        assert!(
            script.contains("ALTER TABLE hives ") && !script.contains("INSERT INTO hives"),
            "{from} → {to}\n{script}"
        );
        project.expect(0, &["deploy", "next.sql", "test"]);
        project.expect(0, &["compare", "test"]);
    }
}
