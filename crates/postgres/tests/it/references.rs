//! What a source names must be there.

use wevrun_core::build::build;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

use crate::VERSION;

/// The errors of a source, each as its code and message, with the text that it points at.
fn errors(text: &str) -> Vec<String> {
    let built = build(&Postgres, VERSION, &[Source::new("a.sql", text)]);
    let errors = built.diagnostics.iter().filter(|found| found.is_error());
    let shown = errors.map(|found| {
        let at = found
            .primary
            .as_ref()
            .map_or("", |label| &text[label.location.start as usize..label.location.end as usize]);
        format!("{} {} @ {at}", found.code, found.message)
    });
    shown.collect()
}

const HIVES: &str =
    "CREATE TYPE mood AS ENUM ('calm', 'busy'); CREATE TABLE hives (id integer PRIMARY KEY, site integer, label text);";

#[test]
fn what_is_not_there_is_an_error() {
    let mut wrong = Vec::new();
    for (statement, wanted) in [
        ("CREATE TABLE t (a intger)", "WV114 table public.t uses type `intger`, which does not exist @ intger"),
        (
            "CREATE TABLE t (a public.moood)",
            "WV114 table public.t uses type `public.moood`, which does not exist @ moood",
        ),
        (
            "CREATE DOMAIN d AS nummeric(5)",
            "WV114 domain public.d uses type `nummeric`, which does not exist @ nummeric",
        ),
        (
            "CREATE FUNCTION f(a tekst) RETURNS integer LANGUAGE sql AS 'SELECT 1'",
            "WV114 function public.f(public.tekst) uses type `tekst`, which does not exist @ tekst",
        ),
        (
            "CREATE TABLE t (a integer, CHECK (b > 0))",
            "WV111 table public.t names column `b`, which nothing there has @ b",
        ),
        (
            "CREATE TABLE t (a integer, g integer GENERATED ALWAYS AS (b * 2) STORED)",
            "WV111 table public.t names column `b`, which nothing there has @ b",
        ),
        (
            "CREATE INDEX i ON hives (lower(lable))",
            "WV111 index public.i names column `lable`, which nothing there has @ lable",
        ),
        (
            "CREATE INDEX i ON hives (lable)",
            "WV111 index public.i names column `lable`, which table public.hives does not have @ lable",
        ),
        (
            "CREATE FUNCTION f() RETURNS integer LANGUAGE plpgsql AS $$ BEGIN IF true THEN RETURN 1; END $$",
            "WV115 the body of function public.f(): `END` is found before the END IF of this IF @ IF",
        ),
        (
            "CREATE INDEX i ON hives (id) WHERE sites > 1",
            "WV111 index public.i names column `sites`, which nothing there has @ sites",
        ),
        (
            "CREATE VIEW v AS SELECT h.idd FROM hives h",
            "WV111 view public.v names column `h.idd`, which nothing there has @ idd",
        ),
        (
            "CREATE VIEW v AS SELECT idd FROM hives",
            "WV111 view public.v names column `idd`, which nothing there has @ idd",
        ),
        (
            "CREATE VIEW v AS SELECT id FROM hifes",
            "WV110 view public.v uses table or view `hifes`, which is not defined @ hifes",
        ),
        (
            "CREATE VIEW v AS SELECT lowwer(label) FROM hives",
            "WV114 view public.v uses function `lowwer`, which does not exist @ lowwer",
        ),
        (
            "CREATE POLICY p ON hives USING (owner = current_user)",
            "WV111 policy p ON public.hives names column `owner`, which nothing there has @ owner",
        ),
        (
            "CREATE VIEW v AS SELECT array_shuffle(ARRAY[1]) AS a",
            "WV130 view public.v calls array_shuffle(), which PostgreSQL has since 16 or later @ v",
        ),
        (
            "CREATE TRIGGER g BEFORE INSERT ON hives FOR EACH ROW EXECUTE FUNCTION touch()",
            "WV114 trigger g ON public.hives uses function `touch`, which does not exist @ touch",
        ),
        (
            "CREATE FUNCTION touch() RETURNS integer LANGUAGE sql AS 'SELECT 1';
             CREATE TRIGGER g BEFORE INSERT ON hives FOR EACH ROW EXECUTE FUNCTION touch()",
            "WV114 trigger g ON public.hives calls function public.touch(), which returns no trigger @ g",
        ),
        (
            "CREATE TABLE t (m mood DEFAULT 'angry')",
            "WV114 the default of column public.t.m is 'angry', which type public.mood does not have @ m",
        ),
        (
            "CREATE TABLE t (h text REFERENCES hives)",
            "WV114 foreign key t_h_fkey of public.t compares text with integer, which the server can't @ h",
        ),
        (
            "CREATE TABLE elsewhere.t (a integer)",
            "WV114 table elsewhere.t uses schema `elsewhere`, which does not exist @ elsewhere",
        ),
    ] {
        let found = errors(&format!("{HIVES} {statement};"));
        if found != [wanted] {
            wrong.push(format!("{statement}\n  found:  {found:?}\n  wanted: {wanted}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn what_may_be_there_is_none() {
    for statement in [
        "CREATE EXTENSION postgis; CREATE TABLE t (a geometry, CHECK (st_isvalid(a)))",
        "DO $$ BEGIN EXECUTE 'CREATE TABLE sites (id integer)'; END $$; CREATE VIEW v AS SELECT id FROM sites",
        "CREATE TABLE t (a integer, b text DEFAULT current_user, c double precision[], d interval day to second, e \"char\", CHECK (t.a > 0))",
        "CREATE VIEW v AS SELECT DISTINCT ON (x) id AS x, label FROM hives ORDER BY x, ctid",
        "CREATE VIEW v AS WITH RECURSIVE q(n) AS (VALUES (1) UNION ALL SELECT n + 1 FROM q) SELECT n, q FROM q",
        "CREATE VIEW v AS SELECT h, h.*, s FROM hives h, generate_series(1, h.id) s, LATERAL (SELECT s + h.id AS t) l WHERE l.t > 1",
        "CREATE VIEW v AS SELECT key, value FROM hives, jsonb_each(to_jsonb(hives)) WHERE key = 'x'",
        "CREATE VIEW v AS SELECT relname, t.typname FROM pg_class JOIN pg_catalog.pg_type t ON t.oid = reltype",
        "CREATE FUNCTION first(a anyarray) RETURNS anyelement LANGUAGE sql AS 'SELECT a[1]'; CREATE VIEW v AS SELECT first(ARRAY[id]) AS f FROM hives",
        "CREATE DOMAIN grams AS integer CHECK (VALUE >= 0); CREATE TABLE t (a grams DEFAULT 0, b grams[])",
        "CREATE RULE r AS ON INSERT TO hives DO ALSO UPDATE hives SET label = NEW.label WHERE id = NEW.id",
        "CREATE TABLE t (a hives, b mood DEFAULT 'calm', c varchar(5) REFERENCES names); CREATE TABLE names (n text PRIMARY KEY)",
        "CREATE TRIGGER g BEFORE UPDATE ON hives FOR EACH ROW EXECUTE FUNCTION suppress_redundant_updates_trigger()",
        "CREATE SCHEMA yard; CREATE TABLE yard.t (a integer)",
        "CREATE TYPE span AS RANGE (subtype = integer); CREATE TABLE t (a span, b span_multirange, c hives[])",
    ] {
        let found = errors(&format!("{HIVES} {statement};"));
        assert!(found.is_empty(), "{statement}: {found:?}");
    }
}

/// Every source that a server has accepted, and every pattern of one, is read without a word of what is missing.
#[test]
fn what_a_server_takes_is_right() {
    for text in [
        include_str!("../../../engines/tests/postgres/respellings/constants.sql").to_owned(),
        include_str!("../../../engines/tests/postgres/respellings/shop.sql").to_owned(),
        concat!(
            include_str!("../../../engines/tests/postgres/respellings/schema.sql"),
            include_str!("../../../engines/tests/postgres/respellings/patterns.sql")
        )
        .to_owned(),
    ] {
        let built =
            build(&Postgres, wevrun_core::EngineVersion { major: 18, minor: 0 }, &[Source::new("a.sql", &text)]);
        let errors: Vec<&str> =
            built.diagnostics.iter().filter(|found| found.is_error()).map(|found| found.message.as_str()).collect();
        assert_eq!(errors, [""; 0]);
    }
}

/// What is said of an object later does not move the place of what is wrong in its CREATE, and each use has its own.
#[test]
fn errors_point_at_the_statement_that_is_wrong() {
    let text = "CREATE TABLE t (\n  a integer REFERENCES nowhere,\n  b integer REFERENCES nowhere\n);\n\
                COMMENT ON TABLE t IS 'x';\nALTER TABLE t ADD COLUMN c integer;\n";
    let built = build(&Postgres, VERSION, &[Source::new("a.sql", text)]);
    let places = built.diagnostics.iter().filter(|found| found.is_error()).map(|found| {
        let location = found.primary.as_ref().expect("a place").location;
        (text[..location.start as usize].lines().count(), &text[location.start as usize..location.end as usize])
    });
    let mut places: Vec<_> = places.collect();
    places.sort_unstable();
    assert_eq!(places, [(2, "nowhere"), (3, "nowhere")]);
}

/// Objects that use one another and are all refused are all reported: none of them could be left out as a consequence.
#[test]
fn refusals_in_a_circle_are_all_reported() {
    use wevrun_core::check::{Refusal, independent};
    let text = "CREATE TABLE a (id int PRIMARY KEY, b int); CREATE TABLE b (id int PRIMARY KEY, a int REFERENCES a);
         ALTER TABLE a ADD FOREIGN KEY (b) REFERENCES b; CREATE VIEW v AS SELECT id FROM a;";
    let version = wevrun_core::EngineVersion { major: 15, minor: 0 };
    let source = wevrun_core::source::Source::new("a.sql", text);
    let model = wevrun_core::build::build(&Postgres, version, &[source]).model;
    let refused = |names: &[&str]| {
        let objects = model.objects().filter(|object| names.contains(&object.name.canonical()));
        let refusals = objects.map(|object| Refusal {
            key: object.key(),
            message: String::new(),
            offset: None,
            culprit: None,
            lacks: false,
        });
        independent(&model, refusals.collect()).len()
    };
    assert_eq!(refused(&["public.a", "public.b"]), 2);
    assert_eq!(refused(&["public.a", "public.v"]), 1);
}
