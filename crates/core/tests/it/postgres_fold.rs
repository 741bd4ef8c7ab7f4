//! What a PostgreSQL source means in which statements come one after the other.

use wevrun_core::Engine;
use wevrun_core::build::{Build, build};
use wevrun_core::diagnostics::Severity;
use wevrun_core::model::Model;
use wevrun_core::source::Source;

use crate::postgres::{VERSION, model, object};

fn built(texts: &[&str]) -> Build {
    let sources: Vec<Source> =
        texts.iter().enumerate().map(|(number, text)| Source::new(format!("{number}.sql"), *text)).collect();
    build(Engine::Postgres, VERSION, &sources)
}

/// The names of a table's constraints.
fn constraint_names(model: &Model, key: &str) -> Vec<String> {
    let table = object(model, key).as_table().expect("a table");
    let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| key.name.to_string());
    let checks = table.checks.iter().filter_map(|check| check.name.as_ref()).map(ToString::to_string);
    keys.chain(checks).chain(table.foreign_keys.iter().map(|key| key.name.to_string())).collect()
}

#[test]
fn a_made_up_name_is_one_that_the_schema_does_not_have() {
    let model = model(
        "CREATE TABLE hive (id integer PRIMARY KEY, lot_user integer UNIQUE CHECK (lot_user > 0) REFERENCES hive);
         CREATE INDEX ON hive (lot_user);
         CREATE TABLE hive_lot (id serial PRIMARY KEY, \"user\" integer UNIQUE CHECK (\"user\" > 0) REFERENCES hive);
         CREATE INDEX ON hive_lot (\"user\");
         ALTER TABLE hive_lot RENAME TO old;
         CREATE TABLE hive_lot (id serial PRIMARY KEY);
         CREATE SCHEMA other; SET search_path = other;
         CREATE TABLE hive_lot (id serial PRIMARY KEY);",
    );
    assert_eq!(
        constraint_names(&model, "table public.old"),
        ["hive_lot_pkey", "hive_lot_user_key1", "hive_lot_user_check1", "hive_lot_user_fkey1"]
    );
    assert_eq!(constraint_names(&model, "table public.hive_lot"), ["hive_lot_pkey1"]);
    assert_eq!(constraint_names(&model, "table other.hive_lot"), ["hive_lot_pkey"]);
    for key in ["index public.hive_lot_user_idx", "index public.hive_lot_user_idx1", "sequence public.hive_lot_id_seq1"]
    {
        object(&model, key);
    }
    let table = object(&model, "table public.hive_lot");
    assert!(
        table.text.contains("nextval('public.hive_lot_id_seq1'") || table.text.contains("serial"),
        "{}",
        table.text
    );
    assert_eq!(table.formerly.table, None);
    assert_eq!(object(&model, "table public.old").formerly.table, None, "the name is another's now");
}

#[test]
fn a_later_file_may_drop_and_create_again() {
    let sources = [
        "CREATE TABLE t (id integer); CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS 'SELECT 1'; CREATE VIEW v AS SELECT 1 AS one;",
        "ALTER TABLE t ADD COLUMN gone integer;",
        "DROP TABLE t; CREATE TABLE t (name text); DROP FUNCTION IF EXISTS f; CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS 'SELECT 2';
         DROP VIEW IF EXISTS v, later; CREATE VIEW v AS SELECT 2 AS two;",
        "CREATE VIEW later AS SELECT 3 AS three;",
    ];
    let folder = built(&sources).model;
    let whole = model(
        "CREATE TABLE t (name text); CREATE FUNCTION f() RETURNS integer LANGUAGE sql AS 'SELECT 2';
         CREATE VIEW v AS SELECT 2 AS two; CREATE VIEW later AS SELECT 3 AS three;",
    );
    assert!(folder == whole);
}

#[test]
fn a_language_without_a_handler_is_its_extension() {
    let text = "CREATE TRUSTED PROCEDURAL LANGUAGE plpgsql; CREATE OR REPLACE LANGUAGE plperl; COMMENT ON LANGUAGE plpgsql IS 'x';";
    assert!(model(text) == model("CREATE EXTENSION IF NOT EXISTS plperl"));
    object(&model("CREATE LANGUAGE own HANDLER own_handler"), "language own");
}

#[test]
fn a_second_definition_that_says_if_not_exists_is_skipped() {
    let build = built(&["CREATE TABLE IF NOT EXISTS t (id integer);", "CREATE TABLE IF NOT EXISTS t (id bigint);"]);
    assert!(!build.has_errors());
    let [found] = &build.diagnostics[..] else { panic!("{:?}", build.diagnostics) };
    assert_eq!(found.severity, Severity::Warning);
    assert!(found.message.contains("not in the same way"), "{}", found.message);
    assert!(build.model == model("CREATE TABLE t (id integer)"));
    assert!(built(&["CREATE TABLE t (id int);", "CREATE TABLE IF NOT EXISTS t (id integer);"]).diagnostics.is_empty());
}
