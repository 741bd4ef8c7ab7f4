//! New names in texts: only what refers to the renamed thing gets one, and everything around it stays as the person wrote it.

use wevrun_core::compare::compare;
use wevrun_core::model::{Definition, Kind, Model};
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::make_script;

use crate::{VERSION, model, object, postgres, same};

/// The query of view `v` after an ALTER.
fn query(before: &str, alter: &str) -> (String, bool) {
    let model = model(&format!("{before}; {alter};"));
    match &object(&model, "view public.v").definition {
        Definition::View(view) => (view.query.written().to_owned(), view.query.is_sure()),
        other => panic!("{other:?}"),
    }
}

const TABLES: &str = "CREATE TABLE kg (id integer PRIMARY KEY, kind text, weight integer);
    CREATE TABLE other (id integer, kg integer, mass integer)";

#[test]
fn layout_comments_literals_and_aliases_stay() {
    for (view, alter, wanted) in [
        (
            "SELECT o.kg, a.kind /* kg */ AS \"kg \" -- kg\n  FROM kg a JOIN other o ON o.id = a.id WHERE a.kind <> 'kg'",
            "ALTER TABLE kg RENAME TO mass",
            "SELECT o.kg, a.kind /* kg */ AS \"kg \" -- kg\n  FROM mass a JOIN other o ON o.id = a.id WHERE a.kind <> 'kg'",
        ),
        (
            "SELECT kind,\n       'weight' AS w, weight::text -- in kg\n  FROM kg",
            "ALTER TABLE kg RENAME COLUMN weight TO mass",
            "SELECT kind,\n       'weight' AS w, mass::text AS weight -- in kg\n  FROM kg",
        ),
        (
            "SELECT * FROM kg",
            "ALTER TABLE kg RENAME COLUMN weight TO mass",
            "SELECT kg.id, kg.kind, kg.mass AS weight FROM kg",
        ),
        (
            "WITH kg AS (SELECT weight FROM kg) SELECT kg.weight FROM kg",
            "ALTER TABLE kg RENAME COLUMN weight TO mass",
            "WITH kg AS (SELECT kg.mass AS weight FROM kg) SELECT kg.weight FROM kg",
        ),
        (
            "SELECT mass FROM other WHERE EXISTS (SELECT FROM kg WHERE kg.id = mass)",
            "ALTER TABLE kg RENAME COLUMN weight TO mass",
            "SELECT other.mass FROM other WHERE EXISTS (SELECT FROM kg WHERE kg.id = other.mass)",
        ),
        (
            "SELECT kind AS mass FROM kg ORDER BY weight",
            "ALTER TABLE kg RENAME COLUMN weight TO mass",
            "SELECT kind AS mass FROM kg ORDER BY kg.mass",
        ),
        (
            "SELECT mass.*, count(mass.*) OVER (), count(mass) OVER () AS n FROM kg mass",
            "ALTER TABLE kg RENAME COLUMN weight TO mass",
            "SELECT mass.id, mass.kind, mass.mass AS weight, count(mass.*) OVER (), count(mass.*) OVER () AS n FROM kg mass",
        ),
        (
            "SELECT kind FROM kg WHERE EXISTS (SELECT FROM other mass WHERE mass.id = kg.id AND mass.kg > 1)",
            "ALTER TABLE kg RENAME TO mass",
            "SELECT kind FROM mass WHERE EXISTS (SELECT FROM other mass_1 WHERE mass_1.id = mass.id AND mass_1.kg > 1)",
        ),
        (
            "SELECT x.n, x.weight FROM kg AS x(n)",
            "ALTER TABLE kg RENAME COLUMN weight TO mass",
            "SELECT x.n, x.mass AS weight FROM kg AS x(n)",
        ),
    ] {
        assert_eq!(query(&format!("{TABLES}; CREATE VIEW v AS {view}"), alter), (wanted.to_owned(), true), "{view}");
    }
}

/// As the server does it: the table's columns keep their names in the query.
#[test]
fn a_join_stays_over_the_same_columns() {
    for (view, wanted) in [
        (
            "SELECT kind FROM kg JOIN other USING (id)",
            "SELECT kind FROM kg AS kg(id, kind, weight) JOIN other USING (id)",
        ),
        ("SELECT kind FROM kg k NATURAL JOIN other", "SELECT kind FROM kg k(id, kind, weight) NATURAL JOIN other"),
    ] {
        let before = format!("{TABLES}; CREATE VIEW v AS {view}");
        let found = query(&before, "ALTER TABLE kg RENAME COLUMN id TO number");
        assert_eq!(found, (wanted.to_owned(), true));
    }
}

#[test]
fn a_views_own_column_gets_its_name_in_the_list() {
    for (view, wanted) in [
        ("SELECT kind AS a /* a */, 'a' AS b FROM kg", "SELECT kind AS z /* a */, 'a' AS b FROM kg"),
        (
            "WITH a AS (SELECT kind AS a FROM kg) SELECT a FROM a",
            "WITH a AS (SELECT kind AS a FROM kg) SELECT a AS z FROM a",
        ),
    ] {
        let before = format!("{TABLES}; CREATE VIEW v AS {view}");
        assert_eq!(query(&before, "ALTER VIEW v RENAME COLUMN a TO z").0, wanted);
    }
}

#[test]
fn arguments_that_are_called_as_their_type_keep_their_names() {
    let model = model(
        "CREATE TYPE kind AS ENUM ('a'); CREATE FUNCTION f(kind kind, other text) RETURNS kind LANGUAGE sql AS 'SELECT kind';
         ALTER TYPE kind RENAME TO sort;",
    );
    let found = object(&model, "function public.f(public.sort, text)");
    assert!(
        postgres().source_text(found).contains("f(kind public.sort, other text)"),
        "{}",
        postgres().source_text(found)
    );
}

fn parts(have: &Model, want: &Model) -> usize {
    let comparison = compare(postgres(), have, want);
    let (plan_options, evidence) = (PlanOptions::default(), Evidence::default());
    make_script(postgres(), "honey", (have, want), &comparison, plan_options, VERSION, &evidence).plan.parts.len()
}

#[test]
fn a_new_label_costs_the_single_transaction_only_where_it_is_used() {
    let source = |labels: &str, default: &str| {
        let column = format!("kind kind, note text{default}");
        model(&format!("CREATE TYPE kind AS ENUM ({labels}); CREATE TABLE t (id integer, {column});"))
    };
    let have = source("'old'", "");
    assert_eq!(parts(&have, &source("'old', 'new'", " DEFAULT 'new'")), 1);
    assert_eq!(parts(&have, &source("'old', 'new'", ", other kind DEFAULT 'new'")), 2);
}

/// A name after WITH, or a column and an alias, is no other view.
#[test]
fn views_do_not_read_what_only_shares_a_name() {
    let model = model(
        "CREATE TABLE t (a integer, b integer); CREATE VIEW a AS SELECT b FROM t ORDER BY b;
         CREATE VIEW b AS WITH a AS (SELECT a AS b FROM t) SELECT b FROM a;",
    );
    for view in model.of_kind(Kind::View) {
        let uses: Vec<&str> = view.uses.iter().map(|name| name.canonical()).collect();
        assert_eq!(uses, ["public.t"], "{}", view.name);
    }
}

#[test]
fn a_publication_has_the_new_names_of_its_table() {
    let publication = |table: &str, column: &str| {
        format!("CREATE PUBLICATION p FOR TABLE {table} (id, {column}) WHERE (id > 1 AND {column} <> 'weight');")
    };
    let renamed = "ALTER TABLE kg RENAME COLUMN weight TO mass; ALTER TABLE kg RENAME TO hives;";
    let table = |name: &str, column: &str| format!("CREATE TABLE {name} (id integer, {column} text);");
    same(
        &format!("{} {} {renamed}", table("kg", "weight"), publication("kg", "weight")),
        &format!("{} {}", table("hives", "mass"), publication("hives", "mass")),
    );
}

#[test]
fn labels_in_arrays_get_the_new_name() {
    let source = |label: &str, after: &str| {
        format!(
            "CREATE TYPE kind AS ENUM ('{label}', 'old');
             CREATE TABLE t (a kind[] DEFAULT '{{{label},old}}', b text[] DEFAULT '{{new}}', CHECK (a <> '{{{label}}}'::kind[]));{after}"
        )
    };
    same(&source("new", "ALTER TYPE kind RENAME VALUE 'new' TO 'fresh';"), &source("fresh", ""));
}

#[test]
fn an_attribute_gets_its_new_name_where_it_is_taken_from_a_value() {
    let source = |name: &str, after: &str| {
        format!(
            "CREATE TYPE pair AS ({name} integer, b text); {after}
             CREATE TABLE u (p pair, weight integer, CHECK ((p).{name} > 0 AND (p).b <> 'weight' AND weight > 1));
             CREATE VIEW v AS SELECT (u.p).{name} AS x, weight FROM u WHERE ((p).{name}) > 1;"
        )
    };
    let renamed = "ALTER TYPE pair RENAME ATTRIBUTE weight TO mass;";
    same(&format!("{}{renamed}", source("weight", "")), &source("mass", ""));
}

#[test]
fn what_a_view_has_for_its_columns_follows_them() {
    let source = |column: &str, after: &str| {
        format!(
            "CREATE TABLE t (id integer); CREATE VIEW v AS SELECT id AS {column} FROM t;
             ALTER VIEW v ALTER COLUMN {column} SET DEFAULT 3; COMMENT ON COLUMN v.{column} IS 'a';{after}"
        )
    };
    same(&source("a", "ALTER VIEW v RENAME COLUMN a TO z;"), &source("z", ""));
}
