//! SQLite: values and indexes of text after a release are what they were, or the script says why not.

use wevrun_testkit::project::TestProject;

use super::{by_hand, number, project};

/// A database that was released from these statements, with rows.
fn released(source: &str, rows: &str) -> TestProject {
    let project = project(&[("schema/a.sql", source)]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", rows);
    project
}

#[test]
fn nulls_that_would_become_row_numbers_are_named_with_their_number() {
    let project = released(
        "CREATE TABLE hives (id INT PRIMARY KEY, label TEXT);\n",
        "INSERT INTO hives VALUES (7, 'a'), (NULL, 'b'), (NULL, 'c')",
    );
    project.write("schema/a.sql", "CREATE TABLE hives (id INTEGER PRIMARY KEY, label TEXT);\n");
    let held = project.expect(4, &["script", "test"]);
    assert!(
        held.stderr.contains("changes-values on column hives.id: it becomes the row's own number: 2 rows hold NULL"),
        "{}",
        held.stderr
    );
    by_hand(&project, "test.db", "DELETE FROM hives WHERE id IS NULL");
    project.expect(0, &["script", "test", "--out", "next.sql"]);
    by_hand(&project, "test.db", "INSERT INTO hives VALUES (NULL, 'd')");
    project.expect(1, &["deploy", "next.sql", "test"]);
    by_hand(&project, "test.db", "DELETE FROM hives WHERE id IS NULL");
    project.expect(0, &["deploy", "next.sql", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT id FROM hives"), 7);
}

/// A line that begins with a dot inside a string is a part of the string; between statements it is the client's.
#[test]
fn commands_of_the_client_are_none_inside_a_text() {
    let source = ".bail on\n# a comment of the client\nCREATE TABLE t (a TEXT DEFAULT 'x;\n.y\nz', b TEXT DEFAULT \"it''s;\n.q\");\n\
                  .read more.sql\nCREATE VIEW v AS SELECT ';\n.tables\n' AS text; -- ;\n.print done\n";
    let project = project(&[("schema/a.sql", source), ("schema/more.sql", "CREATE TABLE u (x);\n")]);
    project.write("wevrun.toml", project.read("wevrun.toml").replace("schema/**/*.sql", "schema/a.sql"));
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "INSERT INTO t DEFAULT VALUES");
    assert_eq!(number(&project, "test.db", "SELECT a = 'x;' || char(10) || '.y' || char(10) || 'z' FROM t"), 1);
    assert_eq!(
        number(&project, "test.db", "SELECT count(*) FROM v WHERE text = ';' || char(10) || '.tables' || char(10)"),
        1
    );
    assert_eq!(number(&project, "test.db", "SELECT count(*) FROM u"), 0);
}

/// Each pair differs, and a release leads from one to the other.
#[test]
fn what_looks_alike_is_told_apart() {
    for (from, to) in [
        ("CREATE TABLE t (a TEXT DEFAULT Foo)", "CREATE TABLE t (a TEXT DEFAULT foo)"),
        ("CREATE TABLE t (a, CHECK (~a < 0))", "CREATE TABLE t (a, CHECK (~a > 5))"),
        ("CREATE TABLE t (a CHECK (a > 0))", "CREATE TABLE t (a CHECK (a > 0) CHECK (\"a\" > 0))"),
        ("CREATE TABLE t (a CHECK (a > 0) CHECK (\"a\" > 0))", "CREATE TABLE t (a CHECK (a > 0))"),
    ] {
        let project = released(&format!("{from};\n"), "SELECT 1");
        project.expect(0, &["compare", "test"]);
        project.write("schema/a.sql", format!("{to};\n"));
        let told = project.expect(3, &["compare", "test", "--format", "json"]);
        assert!(told.stdout.contains("\"unproven\": 0"), "{}", told.stdout);
        project.expect(0, &["deploy", "test"]);
        project.expect(0, &["compare", "test"]);
    }
    let same = released("CREATE TABLE t (a TEXT DEFAULT Foo, b DEFAULT TRUE);\n", "SELECT 1");
    same.write("schema/a.sql", "CREATE TABLE t (a TEXT DEFAULT 'Foo', b DEFAULT true);\n");
    same.expect(0, &["compare", "test"]);
}

#[test]
fn whatever_can_fail_on_rows_says_so() {
    let rows = "INSERT INTO t (a, b) VALUES ('x', 'A'), ('y', 'a')";
    for (from, to) in [
        ("CREATE TABLE t (a TEXT, b TEXT) STRICT", "CREATE TABLE t (a BLOB, b TEXT) STRICT"),
        ("CREATE TABLE t (a INT PRIMARY KEY, b TEXT)", "CREATE TABLE t (a INTEGER PRIMARY KEY, b TEXT)"),
        ("CREATE TABLE t (a TEXT, b TEXT UNIQUE)", "CREATE TABLE t (a TEXT, b TEXT COLLATE NOCASE UNIQUE)"),
        (
            "CREATE TABLE t (a TEXT, b TEXT, c AS (a) STORED UNIQUE)",
            "CREATE TABLE t (a TEXT, b TEXT, c AS (lower(b)) STORED UNIQUE)",
        ),
        (
            "CREATE TABLE t (a TEXT, b TEXT, c AS (a) STORED CHECK (c <> ''))",
            "CREATE TABLE t (a TEXT, b TEXT, c AS ('') STORED CHECK (c <> ''))",
        ),
        (
            "CREATE TABLE t (a TEXT, b TEXT, c AS (a) STORED NOT NULL)",
            "CREATE TABLE t (a TEXT, b TEXT, c AS (nullif(a, 'x')) STORED NOT NULL)",
        ),
        (
            "CREATE TABLE t (a TEXT, b TEXT); CREATE UNIQUE INDEX i ON t (b)",
            "CREATE TABLE t (a TEXT, b TEXT COLLATE NOCASE); CREATE UNIQUE INDEX i ON t (b)",
        ),
    ] {
        let project = released(&format!("{from};\n"), rows);
        project.write("schema/a.sql", format!("{to};\n"));
        project.write(
            "waivers.toml",
            "[[waiver]]\nrisk = \"changes-values\"\nobject = \"*\"\nreason = \"a test\"\nuntil = \"9999-12-31\"\n",
        );
        let script = project.expect(0, &["script", "test"]).stdout;
        assert!(script.contains("risk may-refuse-rows"), "{from} to {to}\n{script}");
        let run = project.run(&["deploy", "test"]);
        assert!(run.status == 0 || run.stderr.contains("Nothing was changed"), "{from} to {to}\n{}", run.stderr);
    }
}

#[test]
fn an_index_of_text_follows_its_table() {
    let texts = "CREATE VIRTUAL TABLE search USING fts5 (note, content = 'visits', content_rowid = 'rowid');\n";
    let project = released(
        &format!("CREATE TABLE visits (id INT PRIMARY KEY, note TEXT);\n{texts}"),
        "INSERT INTO visits VALUES (50, 'swarm'), (60, 'queen'); INSERT INTO search (search) VALUES ('rebuild')",
    );
    project.write("schema/a.sql", format!("CREATE TABLE visits (id INTEGER PRIMARY KEY, note TEXT);\n{texts}"));
    project.expect(0, &["deploy", "test"]);
    let found = "SELECT v.id FROM search s JOIN visits v ON v.rowid = s.rowid WHERE search MATCH 'queen'";
    assert_eq!(number(&project, "test.db", found), 60);
    by_hand(&project, "test.db", "INSERT INTO search (search, rank) VALUES ('integrity-check', 1)");
    // Its content is a view that comes in the same release, and then all of it is removed.
    let over_view = "CREATE VIEW notes AS SELECT id, note FROM visits;\nCREATE VIRTUAL TABLE search USING fts5 (note, content = 'notes', content_rowid = 'id');\n";
    project.write("schema/a.sql", format!("CREATE TABLE visits (id INTEGER PRIMARY KEY, note TEXT);\n{over_view}"));
    project.expect(0, &["deploy", "test"]);
    assert_eq!(number(&project, "test.db", "SELECT rowid FROM search WHERE search MATCH 'queen'"), 60);
    project.write("schema/a.sql", "CREATE TABLE visits (id INTEGER PRIMARY KEY, note TEXT);\n");
    project.expect(0, &["deploy", "test"]);
    // One whose name sorts before that of its content.
    project.write("schema/a.sql", "CREATE TABLE visits (id INTEGER PRIMARY KEY, note TEXT);\nCREATE VIRTUAL TABLE a USING fts5 (note, content = 'visits', content_rowid = 'id');\n");
    project.expect(0, &["deploy", "test"]);
    project.write("schema/a.sql", "CREATE TABLE other (x);\n");
    project.write(
        "waivers.toml",
        "[[waiver]]\nrisk = \"loses-table\"\nobject = \"*\"\nreason = \"a test\"\nuntil = \"9999-12-31\"\n",
    );
    project.expect(0, &["deploy", "test"]);
}

#[test]
fn a_new_column_does_not_take_over_a_string_in_double_quotes() {
    let check = "CHECK (state <> \"open\")";
    let view = "CREATE VIEW v AS SELECT \"open\" AS word FROM hives;\n";
    for (from, to) in [
        (
            format!("CREATE TABLE hives (state TEXT {check});\n"),
            format!("CREATE TABLE hives (state TEXT {check}, open INTEGER);\n"),
        ),
        (
            format!("CREATE TABLE hives (state TEXT);\n{view}"),
            format!("CREATE TABLE hives (state TEXT, open INTEGER);\n{view}"),
        ),
    ] {
        let project = released(&from, "INSERT INTO hives VALUES ('shut')");
        project.write("schema/a.sql", &to);
        let held = project.expect(4, &["deploy", "test"]);
        assert!(held.stderr.contains("is a string today") && held.stderr.contains("single quotes"), "{}", held.stderr);
        project.write("schema/a.sql", to.replace("\"open\"", "'open'"));
        project.expect(0, &["deploy", "test"]);
        project.expect(0, &["compare", "test"]);
    }
}

#[test]
fn the_engine_version_limits_functions_syntax_and_options() {
    let table = "CREATE TABLE t (a TEXT, b REAL);\n";
    for (minor, source) in [
        (44, "CREATE VIEW v AS SELECT group_concat(a ORDER BY a) AS x FROM t"),
        (46, "CREATE VIEW v AS SELECT 1_000 AS x"),
        (47, "CREATE TRIGGER g BEFORE INSERT ON t BEGIN SELECT RAISE(ABORT, 'x' || new.a); END"),
        (44, "CREATE VIEW v AS SELECT concat(a, b) AS x FROM t"),
        (44, "CREATE VIEW v AS SELECT concat_ws(',', a, b) AS x FROM t"),
        (44, "CREATE VIEW v AS SELECT string_agg(a, ',') AS x FROM t"),
        (43, "CREATE VIEW v AS SELECT octet_length(a) AS x FROM t"),
        (43, "CREATE VIEW v AS SELECT timediff('now', a) AS x FROM t"),
        (48, "CREATE VIEW v AS SELECT iif(a, b) AS x FROM t"),
        (48, "CREATE VIEW v AS SELECT if(a, b, 1) AS x FROM t"),
        (43, "CREATE VIRTUAL TABLE f USING fts5 (a, content = '', contentless_delete = 1)"),
        (45, "CREATE VIRTUAL TABLE f USING fts5 (a, tokendata = 1)"),
        (45, "CREATE VIEW v AS SELECT jsonb(a) AS x FROM t"),
        (46, "CREATE VIEW v AS SELECT json_pretty(a) AS x FROM t"),
        (41, "CREATE TABLE u (x TEXT CHECK (unhex(x) IS NOT NULL))"),
        (41, "CREATE INDEX i ON t (unhex(a))"),
        (42, "CREATE TABLE u (x TEXT, y AS (json_error_position(x)))"),
        (50, "CREATE VIEW v AS SELECT unistr(a) AS x FROM t"),
    ] {
        let project = project(&[("schema/a.sql", &format!("{table}{source};\n"))]);
        let run = project.expect(1, &["build"]);
        assert!(
            run.stderr.contains(&format!("needs SQLite 3.{minor}; the project is for 3.40")),
            "{source}: {}",
            run.stderr
        );
        project.write("wevrun.toml", project.read("wevrun.toml").replace("3.40", &format!("3.{minor}")));
        project.expect(0, &["build"]);
    }
    // What only looks like it.
    let fine = "CREATE VIEW v AS WITH concat (x) AS (SELECT 'right join') SELECT iif(a, b, 1) AS y, substr(a, 1) AS z, \"->\" AS s,
        (SELECT a FROM t ORDER BY a LIMIT 1) AS w, count(*) FILTER (WHERE a > 1) AS c, row_number() OVER (ORDER BY a) AS r FROM t;\n\
        CREATE TRIGGER g BEFORE INSERT ON t BEGIN SELECT RAISE(ABORT, 'no'); INSERT INTO t (a) SELECT a FROM t; END;\n";
    project(&[("schema/a.sql", &format!("{table}{fine}"))]).expect(0, &["build"]);
}

#[test]
fn a_function_that_nobody_has_is_an_error_until_it_is_declared() {
    let project = project(&[("schema/a.sql", "CREATE TABLE t (a);\nCREATE VIEW v AS SELECT grade(a) AS g FROM t;\n")]);
    let run = project.expect(1, &["build"]);
    assert!(run.stderr.contains("view v calls grade(), which SQLite does not have"), "{}", run.stderr);
    assert!(run.stderr.contains("functions = [\"grade\"]"), "{}", run.stderr);
    project
        .write("wevrun.toml", project.read("wevrun.toml").replacen("source =", "functions = [\"GRADE\"]\nsource =", 1));
    project.expect(0, &["build"]);
}

#[test]
fn the_second_opinion_knows_indexes_and_generated_columns() {
    let project = project(&[(
        "schema/a.sql",
        "CREATE TABLE t (a, b, c AS (a + b));\nCREATE UNIQUE INDEX by_both ON t (a, b);\nCREATE INDEX by_a ON t (a);\n\
         CREATE TRIGGER g AFTER DELETE ON t BEGIN INSERT INTO t (a, b) VALUES (1, 2) ON CONFLICT (a, b) DO NOTHING; END;\n\
         CREATE TRIGGER h AFTER UPDATE OF c ON t BEGIN SELECT 1; END;\nCREATE VIEW v AS SELECT a FROM t INDEXED BY by_a WHERE a > 1;\n",
    )]);
    project.expect(0, &["build"]);
}

/// The built-in engine writes 0.1 + 0.2 with other digits than the version that the project names.
#[test]
fn text_of_real_values_is_made_by_the_client_only() {
    let table = "CREATE TABLE weights (id INTEGER PRIMARY KEY, kg REAL, label TEXT, amount);\n";
    let rows = "INSERT INTO weights VALUES (1, 0.1 + 0.2, 'a', 0.1 + 0.2)";
    for (wanted, reason) in [
        (
            format!("{table}CREATE INDEX i ON weights (kg || '');\n"),
            "index i makes text of the REAL values in column weights.kg",
        ),
        (
            format!("{table}CREATE INDEX i ON weights (id) WHERE lower(amount) > 'a';\n"),
            "index i makes text of the REAL values in column weights.amount",
        ),
        (
            table.replace("amount)", "amount, shown TEXT GENERATED ALWAYS AS (kg || ' kg') STORED)"),
            "generated column weights.shown makes text of the REAL values in column weights.kg",
        ),
        (
            table.replace("amount)", "amount, shown AS (kg || ' kg') VIRTUAL);\nCREATE INDEX i ON weights (shown)"),
            "index i makes text of the REAL values in column weights.kg",
        ),
        (
            table.replace("kg REAL", "kg TEXT"),
            "the conversion of column weights.kg to TEXT makes text of the REAL values in column weights.kg",
        ),
        (
            table.replace("amount)", "amount, CHECK (length(kg) < 10))"),
            "CHECK (length(kg) < 10) of table weights makes text of the REAL values in column weights.kg",
        ),
    ] {
        let project = released(table, rows);
        project.write(
            "waivers.toml",
            "[[waiver]]\nrisk = \"changes-values\"\nobject = \"*\"\nreason = \"a test\"\nuntil = \"2099-01-01\"\n",
        );
        project.write("schema/a.sql", &wanted);
        let version = || number(&project, "test.db", "PRAGMA schema_version");
        let before = version();
        let stopped = project.expect(4, &["deploy", "test"]);
        assert!(stopped.stderr.contains(reason), "{wanted}\n{}", stopped.stderr);
        project.expect(0, &["script", "test", "--out", "next.sql"]);
        assert!(project.expect(4, &["deploy", "next.sql", "test"]).stderr.contains(reason));
        let json = project.expect(4, &["deploy", "next.sql", "test", "--format", "json"]);
        let json: serde_json::Value = serde_json::from_str(&json.stdout).expect("one document");
        assert!(json["ok"] == false && json["diagnostics"][0].to_string().contains("REAL values"), "{json}");
        assert_eq!(version(), before);
    }
    for harmless in [
        format!("{table}CREATE INDEX i ON weights (round(kg, 2), abs(amount), label || '') WHERE kg > 0.5;\n"),
        format!("{table}CREATE INDEX i ON weights (cast(kg AS INTEGER));\n"),
        table.replace("amount)", "amount, CHECK (kg > 0 AND length(label) > 0))"),
    ] {
        let project = released(table, rows);
        project.write("schema/a.sql", &harmless);
        project.expect(0, &["deploy", "test"]);
    }
    // Where no value is a REAL one, there is nothing to write.
    let project = released(table, "INSERT INTO weights (id, amount) VALUES (1, 'x')");
    project.write("schema/a.sql", format!("{table}CREATE INDEX i ON weights (amount || '', kg || '');\n"));
    project.expect(0, &["deploy", "test"]);
}
