//! What is renamed stays the same thing: nothing of it is dropped and recreated.

use crate::write;
use wevrun_engines::Access;
use wevrun_testkit::postgres::{AGES, Age, structure_difference};

use crate::{connect, made, model, read, release, script_for, version};

/// An object of each kind under its old name: what it needs, then the statement with `{}` for the name.
const KINDS: &[(&str, &str, &str)] = &[
    ("empty schema", "", "CREATE SCHEMA {}"),
    (
        "schema",
        "",
        "CREATE SCHEMA {}
            CREATE SEQUENCE numbers
            CREATE TABLE t (id integer PRIMARY KEY DEFAULT nextval('{}.numbers'), note text)
            CREATE VIEW v AS SELECT id FROM {}.t;
         CREATE TYPE {}.mood AS ENUM ('calm', 'angry');
         CREATE FUNCTION {}.f({}.t) RETURNS {}.mood LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
         CREATE TABLE u (id integer REFERENCES {}.t, mood {}.mood DEFAULT 'calm');
         CREATE INDEX ON {}.t (note);
         COMMENT ON TABLE {}.t IS 'in old_one.t'",
    ),
    ("table", "CREATE TABLE other (id integer PRIMARY KEY)", "CREATE TABLE {} (id integer REFERENCES other)"),
    ("view", "CREATE TABLE t (id integer)", "CREATE VIEW {} AS SELECT id FROM t"),
    ("materialized view", "CREATE TABLE t (id integer)", "CREATE MATERIALIZED VIEW {} AS SELECT id FROM t"),
    ("index", "CREATE TABLE t (id integer)", "CREATE INDEX {} ON t (id)"),
    ("sequence", "", "CREATE SEQUENCE {} INCREMENT BY 3"),
    ("enum", "", "CREATE TYPE {} AS ENUM ('a', 'b')"),
    ("composite type", "", "CREATE TYPE {} AS (a integer, b text)"),
    ("range", "", "CREATE TYPE {} AS RANGE (subtype = integer, multirange_type_name = many_of_them)"),
    ("domain", "", "CREATE DOMAIN {} AS integer CONSTRAINT small CHECK (VALUE < 9)"),
    ("function", "", "CREATE FUNCTION {}(a integer) RETURNS integer LANGUAGE sql AS 'SELECT a'"),
    ("procedure", "", "CREATE PROCEDURE {}(a integer) LANGUAGE sql AS 'SELECT a'"),
    ("aggregate", "", "CREATE AGGREGATE {}(integer) (SFUNC = int4pl, STYPE = integer)"),
    (
        "trigger",
        "CREATE TABLE t (id integer); CREATE FUNCTION f() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'",
        "CREATE TRIGGER {} BEFORE INSERT ON t FOR EACH ROW EXECUTE FUNCTION f()",
    ),
    ("rule", "CREATE TABLE t (id integer)", "CREATE RULE {} AS ON DELETE TO t DO INSTEAD NOTHING"),
    ("policy", "CREATE TABLE t (id integer)", "CREATE POLICY {} ON t USING (id > 0)"),
    ("statistics", "CREATE TABLE t (a integer, b integer)", "CREATE STATISTICS {} ON a, b FROM t"),
    ("collation", "", "CREATE COLLATION {} (locale = 'C')"),
    ("conversion", "", "CREATE CONVERSION {} FOR 'LATIN1' TO 'UTF8' FROM iso8859_1_to_utf8"),
    ("text search dictionary", "", "CREATE TEXT SEARCH DICTIONARY {} (TEMPLATE = simple)"),
    ("text search configuration", "", "CREATE TEXT SEARCH CONFIGURATION {} (PARSER = \"default\")"),
    ("publication", "CREATE TABLE t (id integer PRIMARY KEY)", "CREATE PUBLICATION {} FOR TABLE t"),
    (
        "event trigger",
        "CREATE FUNCTION f() RETURNS event_trigger LANGUAGE plpgsql AS 'BEGIN END'",
        "CREATE EVENT TRIGGER {} ON ddl_command_end EXECUTE FUNCTION f()",
    ),
    ("foreign-data wrapper", "", "CREATE FOREIGN DATA WRAPPER {}"),
    ("server", "CREATE FOREIGN DATA WRAPPER w", "CREATE SERVER {} FOREIGN DATA WRAPPER w"),
    (
        "foreign table",
        "CREATE FOREIGN DATA WRAPPER w; CREATE SERVER s FOREIGN DATA WRAPPER w",
        "CREATE FOREIGN TABLE {} (id integer) SERVER s",
    ),
    ("subscription", "", "CREATE SUBSCRIPTION {} CONNECTION '' PUBLICATION p WITH (connect = false, slot_name = s)"),
    ("operator family", "", "CREATE OPERATOR FAMILY {} USING btree"),
    ("language", "", "CREATE TRUSTED LANGUAGE {} HANDLER plpgsql_call_handler"),
];

#[test]
fn every_kind_keeps_what_it_is_under_another_name() {
    let all = |age: Age| {
        for (kind, needs, statement) in KINDS {
            // Types of ranges make functions of their names, and languages can't be dropped while others begin: one database each.
            let with = |name: &str, comment: &str| format!("{needs};\n{comment}{};\n", statement.replace("{}", name));
            let (before, after) = (with("old_one", ""), with("\"New One\"", "-- wevrun: formerly old_one\n"));
            let (database, other) = (made(age, &before), made(age, &after));
            let script = script_for(version(age), &read(&database), &model(&after));
            let written = write(&script);
            let statements: Vec<&String> = script.plan.steps().flat_map(|step| &step.statements).collect();
            // The names of constraints are made of their table's.
            let only_names = statements.iter().all(|statement| statement.contains("RENAME"));
            assert!(only_names && !statements.is_empty(), "{age:?}, {kind}: {statements:#?}");
            connect(&database, Access::Write)
                .deploy(&script, &release(), &mut |_| {})
                .unwrap_or_else(|error| panic!("{age:?}, {kind}: {error}\n{written}"));
            let structure: Vec<String> =
                database.structure().into_iter().filter(|statement| !statement.contains("wevrun")).collect();
            let found = structure_difference(&structure, &other.structure());
            assert!(found.is_empty(), "{age:?}, {kind}: {found}\n{written}");
        }
    };
    std::thread::scope(|scope| {
        AGES.map(|age| scope.spawn(move || all(age)))
            .into_iter()
            .for_each(|each| each.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    });
}

/// A column under another name is the same column to whatever reads it: one statement is all there is to do, and it is undone by one.
#[test]
fn what_reads_a_column_keeps_reading_it() {
    let source = include_str!("renamed_column.sql");
    let (before, _) = source.split_once("ALTER TABLE members RENAME COLUMN").expect("it is there");
    for age in AGES {
        let (database, other) = (made(age, before), made(age, before));
        other.psql("ALTER TABLE members RENAME COLUMN name TO full_name").expect("renamed");
        let dumped = other.dump();
        let after = dumped.replace("    full_name text,", "    -- wevrun: formerly name\n    full_name text,");
        assert_ne!(after, dumped);
        let script = script_for(version(age), &read(&database), &model(&after));
        let statements: Vec<&String> = script.plan.steps().flat_map(|step| &step.statements).collect();
        assert_eq!(statements, ["ALTER TABLE public.members RENAME COLUMN name TO full_name"], "{age:?}");
        connect(&database, Access::Write).deploy(&script, &release(), &mut |_| {}).expect("it runs");
        let left = structure_difference(&database.structure(), &other.structure());
        let left: Vec<&str> = left.lines().filter(|line| !line.contains("wevrun")).collect();
        assert!(left.is_empty(), "{age:?}: {left:?}");
    }
}

/// A view's own column follows its table's only if the source says so: then the view is recreated.
#[test]
fn views_say_what_their_columns_are_called() {
    let before = "CREATE TABLE members (id int PRIMARY KEY, name text);
        CREATE VIEW names AS SELECT id, name FROM members;
        CREATE VIEW short_names AS SELECT n.name FROM names n WHERE length(n.name) < 9;";
    let after = "CREATE TABLE members (id int PRIMARY KEY,
            -- wevrun: formerly name
            full_name text);
        CREATE VIEW names AS SELECT id, full_name FROM members;
        CREATE VIEW short_names AS SELECT n.full_name FROM names n WHERE length(n.full_name) < 9;";
    for age in AGES {
        let database = made(age, before);
        database.psql("INSERT INTO members VALUES (1, 'ida')").expect("a row");
        let script = script_for(version(age), &read(&database), &model(after));
        connect(&database, Access::Write)
            .deploy(&script, &release(), &mut |_| {})
            .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", write(&script)));
        assert!(read(&database) == model(after), "{age:?}");
        assert_eq!(database.psql("SELECT full_name FROM short_names").expect("a row").trim(), "ida");
    }
}
