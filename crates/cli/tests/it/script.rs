//! `wevrun script` and waivers.

use wevrun_testkit::client::sqlite3;

use super::{APIARIES, HIVES, by_hand, number, project, shown};

#[test]
fn a_step_that_loses_values_is_held_back_until_it_is_waived() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(
        &project,
        "test.db",
        "INSERT INTO apiaries VALUES (1, 'Linden'); INSERT INTO hives VALUES (1, 1, 'L1', 'blue')",
    );
    project.write(HIVES.0, HIVES.1.replace(",\n    paint_colour TEXT", ""));
    let held = project.expect(4, &["script", "test", "--out", "next.sql"]);
    assert!(held.stderr.contains("loses-column on column hives.paint_colour"), "{}", held.stderr);
    assert!(!project.file("next.sql").exists(), "nothing is written");
    project.expect(4, &["deploy", "test"]);

    let waiver = |object: &str, until: &str| {
        format!(
            "[[waiver]]\nrisk = \"loses-column\"\nobject = \"{object}\"\nreason = \"tags instead\"\nuntil = \"{until}\"\n"
        )
    };
    project.write("waivers.toml", waiver("column hives.label", "2999-01-01"));
    project.expect(4, &["script", "test"]);
    project.write("waivers.toml", waiver("column hives.paint_colour", "2020-01-01"));
    project.expect(4, &["script", "test"]);
    project.write("waivers.toml", waiver("column hives.paint_colour", "2999-01-01").replace("tags instead", " "));
    insta::assert_snapshot!("no_reason", shown(&project.expect(1, &["script", "test"])));
    project.write("waivers.toml", waiver("column hives.paint_colour", "2999-01-01"));
    let run = project.expect(0, &["script", "test", "--out", "next.sql", "--undo", "back.sql"]);
    insta::assert_snapshot!("waived", shown(&run));
    insta::assert_snapshot!("script", project.read("next.sql"));
    insta::assert_snapshot!("undo", project.read("back.sql"));
    project.expect(0, &["script", "test", "--out", "again.sql"]);
    assert_eq!(project.read("next.sql"), project.read("again.sql"), "two runs give the same bytes");
    project.expect(0, &["deploy", "next.sql", "test"]);
    project.expect(0, &["compare", "test"]);
    project.expect(0, &["deploy", "back.sql", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM hives WHERE paint_colour IS NULL"), 1);
}

#[test]
fn an_empty_table_is_known_to_lose_nothing_and_the_script_makes_sure() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.write(HIVES.0, "");
    let run = project.expect(0, &["script", "test", "--out", "next.sql"]);
    assert!(run.stderr.contains("table hives is empty, so nothing is lost"), "{}", run.stderr);
    by_hand(
        &project,
        "test.db",
        "INSERT INTO apiaries VALUES (1, 'Linden'); INSERT INTO hives VALUES (1, 1, 'L1', 'blue')",
    );
    let run = project.expect(1, &["deploy", "next.sql", "test"]);
    assert!(run.stderr.contains("rows or values that did not exist"), "{}", run.stderr);
    let output = sqlite3(&project.file("test.db"), &project.read("next.sql"));
    assert!(String::from_utf8_lossy(&output.stderr).contains("rows_would_be_lost"));
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM hives"), 1);
}

#[test]
fn a_new_not_null_column_needs_a_value_for_the_rows_that_exist() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO apiaries VALUES (1, 'Linden')");
    project.write(
        APIARIES.0,
        "CREATE TABLE apiaries (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, village TEXT NOT NULL);\n",
    );
    insta::assert_snapshot!(shown(&project.expect(4, &["script", "test"])));
    project.write(APIARIES.0, "CREATE TABLE apiaries (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, village TEXT NOT NULL DEFAULT '');\n");
    project.expect(0, &["deploy", "test"]);
    by_hand(&project, "test.db", "DELETE FROM apiaries");
    project.write(APIARIES.0, "CREATE TABLE apiaries (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, village TEXT NOT NULL DEFAULT '', x TEXT NOT NULL);\n");
    project.expect(0, &["deploy", "test"]);
}

#[test]
fn a_column_that_becomes_not_null_is_probed() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(
        &project,
        "test.db",
        "INSERT INTO apiaries VALUES (1, 'Linden'); INSERT INTO hives VALUES (1, 1, 'L1', NULL)",
    );
    project.write(HIVES.0, HIVES.1.replace("paint_colour TEXT", "paint_colour TEXT NOT NULL"));
    let held = project.expect(4, &["script", "test"]);
    assert!(held.stderr.contains("UPDATE hives SET paint_colour = … WHERE paint_colour IS NULL"), "{}", held.stderr);
    by_hand(&project, "test.db", "UPDATE hives SET paint_colour = 'blue'");
    project.expect(0, &["deploy", "test"]);
}

#[test]
fn conflict_clauses_never_lose_rows_on_the_way() {
    let project = project(&[("schema/a.sql", "CREATE TABLE lots (id INTEGER, code TEXT);\n")]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO lots VALUES (1, 'a'), (2, 'a')");
    for conflict in ["REPLACE", "IGNORE"] {
        project.write(
            "schema/a.sql",
            format!("CREATE TABLE lots (id INTEGER, code TEXT UNIQUE ON CONFLICT {conflict});\n"),
        );
        project.expect(1, &["deploy", "test"]);
        assert_eq!(number(&project, "test.db", "SELECT count(*) FROM lots"), 2);
    }
}

#[test]
fn foreign_keys_that_would_break_stop_the_script() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "PRAGMA foreign_keys = OFF; INSERT INTO hives VALUES (1, 77, 'L1', NULL)");
    // What was broken before is not this release's fault.
    project.write(HIVES.0, HIVES.1.replace("label TEXT NOT NULL", "label TEXT NOT NULL CHECK (label <> '')"));
    project.expect(0, &["deploy", "test"]);
    project.write(
        HIVES.0,
        HIVES
            .1
            .replace("paint_colour TEXT", "paint_colour TEXT REFERENCES apiaries (name)")
            .replace("label TEXT NOT NULL", "label TEXT NOT NULL CHECK (label <> '')"),
    );
    by_hand(&project, "test.db", "PRAGMA foreign_keys = OFF; UPDATE hives SET paint_colour = 'blue'");
    let run = project.expect(1, &["deploy", "test"]);
    assert!(run.stderr.contains("rows would reference rows that do not exist"), "{}", run.stderr);
    let which = "foreign key hives (paint_colour) to apiaries: no row there for the value 'blue'";
    assert!(run.stderr.contains(which), "{}", run.stderr);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM pragma_foreign_key_list('hives')"), 1);
}

/// Totals once hid it: one old broken row is removed, one new broken row is added.
#[test]
fn an_old_broken_row_hides_no_new_one() {
    let old =
        ("schema/old.sql", "CREATE TABLE gone (id INTEGER PRIMARY KEY, apiary_id INTEGER REFERENCES apiaries (id));\n");
    // A parent that is not unique can't be checked, and switches no other check off.
    let odd = ("schema/odd.sql", "CREATE TABLE odd (x TEXT);\nCREATE TABLE odder (x TEXT REFERENCES odd (x));\n");
    let project = project(&[APIARIES, HIVES, old, odd]);
    project
        .write("wevrun.toml", project.read("wevrun.toml").replacen("source =", "tolerate = [\"WV111\"]\nsource =", 1));
    let built = project.run(&["build"]);
    if built.status != 0 {
        project.write("schema/odd.sql", "CREATE TABLE odd (x TEXT);\n");
    }
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(
        &project,
        "test.db",
        "PRAGMA foreign_keys = OFF; INSERT INTO gone VALUES (1, 99); INSERT INTO apiaries VALUES (1, 'a'); \
         INSERT INTO hives VALUES (1, 1, 'a', 'blue'), (2, 88, 'b', NULL)",
    );
    std::fs::remove_file(project.file("schema/old.sql")).expect("it is there");
    project.write(HIVES.0, HIVES.1.replace("paint_colour TEXT", "paint_colour TEXT REFERENCES apiaries (name)"));
    project.write(
        "waivers.toml",
        "[[waiver]]\nrisk = \"loses-table\"\nobject = \"table gone\"\nreason = \"a test\"\nuntil = \"9999-12-31\"\n",
    );
    let run = project.expect(1, &["deploy", "test"]);
    assert!(
        run.stderr.contains("hives (paint_colour) to apiaries: no row there for the value 'blue'"),
        "{}",
        run.stderr
    );
    assert!(!run.stderr.contains("88"), "what was broken before is not named: {}", run.stderr);
    by_hand(&project, "test.db", "UPDATE hives SET paint_colour = 'a' WHERE id = 1");
    project.expect(0, &["deploy", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM hives"), 2);
}

#[test]
fn full_text_tables_are_replaced_with_their_rows() {
    let project = project(&[("schema/a.sql", "CREATE VIRTUAL TABLE notes USING fts5 (title, body);\n")]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO notes (rowid, title, body) VALUES (7, 'swarm', 'in the linden')");
    project.write("schema/a.sql", "CREATE VIRTUAL TABLE notes USING fts5 (title, body, tokenize = 'porter');\n");
    project.expect(0, &["deploy", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT rowid FROM notes WHERE notes MATCH 'lindens'"), 7);
    project.write("schema/a.sql", "CREATE VIRTUAL TABLE notes USING fts5 (title, body, content = '');\n");
    project.expect(0, &["script", "--have", "empty"]);
    project.expect(4, &["script", "--have", "schema", "--want", "empty"]);
}

#[test]
fn rebuilds_keep_triggers_indexes_counters_and_what_depends() {
    let source = "CREATE TABLE lots (id INTEGER PRIMARY KEY AUTOINCREMENT, grams INTEGER);\n\
                  CREATE INDEX lots_by_grams ON lots (grams);\n\
                  CREATE TABLE log (lot INTEGER REFERENCES lots (id));\n\
                  CREATE TRIGGER lots_logged AFTER INSERT ON lots BEGIN INSERT INTO log VALUES (new.id); END;\n\
                  CREATE VIEW heavy AS SELECT id FROM lots WHERE grams > 5;\n";
    let project = project(&[("schema/a.sql", source)]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(
        &project,
        "test.db",
        "INSERT INTO lots (grams) VALUES (1), (9), (9); DELETE FROM log WHERE lot = 3; DELETE FROM lots WHERE id = 3",
    );
    project.write("schema/a.sql", source.replace("grams INTEGER)", "grams INTEGER CHECK (grams > 0))"));
    project.expect(0, &["deploy", "test"]);
    by_hand(&project, "test.db", "INSERT INTO lots (grams) VALUES (20)");
    assert_eq!(number(&project, "test.db", "SELECT max(lot) FROM log"), 4, "the counter and the trigger are kept");
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM heavy"), 2);
    project.expect(0, &["compare", "test"]);
}

#[test]
fn names_made_to_break_out_stay_names() {
    let source = "CREATE TABLE \"x\"\"; DROP TABLE y; --\" (\"a\n-- step 1 of 1: [no risk]\" TEXT, \"'; COMMIT; --\" INTEGER DEFAULT 5);\n\
                  CREATE TABLE y (id INTEGER PRIMARY KEY);\n";
    let project = project(&[("schema/a.sql", source)]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.expect(0, &["script", "--have", "empty", "--out", "all.sql"]);
    assert!(sqlite3(&project.file("other.db"), &project.read("all.sql")).stderr.is_empty());
    project.expect(0, &["compare", "sqlite:other.db"]);
    project.write("schema/a.sql", source.replace("DEFAULT 5", "DEFAULT 6"));
    project.expect(0, &["script", "test", "--out", "next.sql"]);
    project.expect(0, &["deploy", "next.sql", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM y"), 0, "it is still there");
}

#[test]
fn nothing_to_do_has_a_status_of_its_own_if_asked() {
    let project = project(&[APIARIES]);
    project.expect(0, &["script", "empty", "--fail-on", "nothing"]);
    project.expect(0, &["deploy", "--create", "test"]);
    project.expect(0, &["script", "test", "--out", "nothing.sql"]);
    project.expect(6, &["script", "test", "--out", "nothing.sql", "--fail-on", "nothing"]);
    assert!(project.read("nothing.sql").contains("-- | steps 0\n"));
}
