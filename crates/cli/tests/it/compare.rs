//! `wevrun compare`.

use wevrun_testkit::project::TestProject;

use super::{APIARIES, HIVES, by_hand, number, project, shown};

#[test]
fn what_differs_is_grouped_and_told_property_by_property() {
    let project = project(&[APIARIES, HIVES]);
    project.expect(0, &["deploy", "--create", "test"]);
    by_hand(&project, "test.db", "CREATE TABLE old_lots (id INTEGER PRIMARY KEY)");
    project.write(
        HIVES.0,
        "CREATE TABLE hives (\n    id INTEGER PRIMARY KEY,\n    apiary_id INTEGER NOT NULL REFERENCES apiaries (id) ON DELETE CASCADE,\n    \
         label VARCHAR(20) NOT NULL DEFAULT 'new',\n    weight_g INTEGER NOT NULL DEFAULT 0,\n    CHECK (weight_g >= 0)\n);\n\
         CREATE UNIQUE INDEX hives_by_apiary ON hives (apiary_id, label DESC) WHERE label <> '';\n\
         CREATE VIEW heavy AS SELECT * FROM hives WHERE weight_g > 40000;\n",
    );
    insta::assert_snapshot!("text", shown(&project.expect(3, &["compare", "test"])));
    insta::assert_snapshot!("details", shown(&project.expect(3, &["compare", "test", "--details"])));
    insta::assert_snapshot!("json", shown(&project.expect(3, &["compare", "test", "--format", "json"])));
    project.expect(3, &["compare", "--have", "schema", "--want", "empty"]);
    project.expect(0, &["compare", "--have", "empty", "--want", "empty"]);
}

#[test]
fn colour_is_for_terminals_or_when_asked() {
    let project = project(&[APIARIES]);
    let plain = project.expect(3, &["compare", "empty"]).stdout;
    assert!(!plain.contains('\u{1b}'));
    assert!(project.expect(3, &["--color", "always", "compare", "empty"]).stdout.contains('\u{1b}'));
}

#[test]
fn the_order_of_columns_counts_only_when_asked() {
    let project = project(&[APIARIES]);
    by_hand(&project, "test.db", "CREATE TABLE apiaries (name TEXT NOT NULL UNIQUE, id INTEGER PRIMARY KEY)");
    insta::assert_snapshot!(shown(&project.expect(0, &["compare", "test"])));
    project.expect(3, &["compare", "test", "--mind", "column-order"]);
}

#[test]
fn a_drop_and_an_add_that_look_alike_draw_a_hint() {
    let project = project(&[("schema/a.sql", "CREATE TABLE hives (id INTEGER PRIMARY KEY, weight_g INTEGER);\n")]);
    by_hand(&project, "test.db", "CREATE TABLE hives (id INTEGER PRIMARY KEY, weight INTEGER)");
    let run = project.expect(3, &["compare", "test"]);
    assert!(run.stdout.contains("-- wevrun: formerly weight"), "{}", run.stdout);
    project.write(
        "schema/a.sql",
        "CREATE TABLE hives (id INTEGER PRIMARY KEY, weight_g INTEGER -- wevrun: formerly weight\n);\n",
    );
    let run = project.expect(3, &["compare", "test"]);
    assert!(run.stdout.contains("column weight_g: renamed from weight"), "{}", run.stdout);
}

#[test]
fn packed_dumps_are_sides() {
    use std::io::Write;
    let project = project(&[APIARIES]);
    let file = std::fs::File::create(project.file("dump.sql.gz")).expect("a file");
    let mut packer = flate2::write::GzEncoder::new(file, flate2::Compression::fast());
    packer.write_all(APIARIES.1.as_bytes()).expect("it is written");
    packer.finish().expect("it is written");
    project.expect(0, &["compare", "--have", "dump.sql.gz"]);
    project.write("broken.sql.zst", "no such thing");
    project.expect(1, &["compare", "--have", "broken.sql.zst"]);
}

#[test]
fn reading_leaves_the_database_alone() {
    let project = project(&[APIARIES]);
    project.expect(0, &["deploy", "--create", "test"]);
    let before = std::fs::read(project.file("test.db")).expect("a file");
    project.expect(0, &["compare", "test"]);
    project.expect(0, &["drift", "test"]);
    assert_eq!(before, std::fs::read(project.file("test.db")).expect("a file"));
    let run = project.expect(1, &["compare", "--have", "sqlite:nowhere.db"]);
    assert!(run.stderr.contains("there is no database at nowhere.db"), "{}", run.stderr);
    assert!(!project.file("nowhere.db").exists());
}

/// Without a project and without `--engine`: the database beside a file says for which engine it is.
#[test]
fn a_file_is_for_the_engine_of_the_database_beside_it() {
    let folder = TestProject::empty(env!("CARGO_BIN_EXE_wevrun"));
    folder.write("hives.sql", "CREATE TABLE hives (id INTEGER PRIMARY KEY);\n");
    by_hand(&folder, "test.db", "CREATE TABLE lots (id INTEGER PRIMARY KEY)");
    for sides in
        [["--have", "sqlite:test.db", "--want", "hives.sql"], ["--have", "hives.sql", "--want", "sqlite:test.db"]]
    {
        folder.expect(3, &[&["compare"], &sides[..]].concat());
        let other = folder.expect(2, &[&["compare", "--engine", "postgres"], &sides[..]].concat()).stderr;
        assert!(other.contains("postgres") && other.contains("sqlite"), "{other}");
    }
    let alone = folder.expect(2, &["compare", "--have", "empty", "--want", "hives.sql"]).stderr;
    assert!(alone.contains("add --engine"), "{alone}");
    by_hand(&folder, "test.db", "DROP TABLE lots");
    folder.expect(0, &["deploy", "sqlite:test.db", "--want", "hives.sql"]);
    assert_eq!(number(&folder, "test.db", "SELECT count(*) FROM sqlite_schema WHERE name = 'hives'"), 1);
    folder.expect(0, &["compare", "sqlite:test.db", "--want", "hives.sql"]);
}

/// Equal lines are not marked, however differently they are spelled.
#[test]
fn details_mark_what_differs_only() {
    let project = project(&[]);
    project.write("have.sql", "CREATE TABLE hives (id integer, label VARCHAR(20) DEFAULT 'x'::character varying, CONSTRAINT c CHECK ((id > 0)), weight INT4);");
    project.write("want.sql", "CREATE TABLE hives (weight integer, id int NOT NULL, label varchar(20) default 'x', constraint c check (id > 0));");
    let run = project
        .expect(3, &["compare", "--engine", "postgres", "--have", "have.sql", "--want", "want.sql", "--details"]);
    let marked: Vec<&str> =
        run.stdout.lines().filter(|line| line.contains("have │") || line.contains("want │")).collect();
    assert_eq!(marked.len(), 2, "{}", run.stdout);
    assert!(marked.iter().all(|line| line.contains("id ")), "{}", run.stdout);
}

#[test]
fn rows_of_a_dump_are_not_read_and_places_after_them_are_right() {
    let project = project(&[]);
    let rows: String = (0..2000).map(|at| format!("{at}\tCREATE TABLE it's {at}\n")).collect();
    let dump = format!(
        "CREATE TABLE public.a (b integer, c text);\nCOPY public.a (b, c) FROM stdin;\n{rows}\\.\n\nCREATE VIEW public.v AS SELECT 1 AS one;\n"
    );
    project.write("dump.sql", &dump);
    let sides = ["compare", "--engine", "postgres", "--want", "empty", "--have", "dump.sql"];
    let run = project.expect(3, &sides);
    assert!(run.stdout.contains("remove 2"), "{}", run.stdout);
    project.write("dump.sql", dump.replace("CREATE VIEW", "CREATE VIEWS"));
    let run = project.expect(1, &sides);
    assert!(run.stderr.contains("dump.sql:2005:"), "{}", run.stderr);
    // A dump that is cut off among its rows is no dump of less.
    project.write("dump.sql", &dump[..dump.len() / 2]);
    let run = project.expect(1, &sides);
    assert!(run.stderr.contains("dump.sql:2: the rows of this COPY do not end"), "{}", run.stderr);
}
