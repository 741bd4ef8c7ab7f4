//! What PostgreSQL means by what a person writes, without a server.

mod access;
mod blocks;
mod copies;
mod extensions;
mod fold;
mod followed;
mod inherits;
mod mapping;
mod names;
mod parts;
mod plan;
mod reads;
mod references;
mod rows;
mod spellings;

use wevrun_core::Dialect;
use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::diagnostics::Code;
use wevrun_core::model::{Model, Object};
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{self, Client, make_script};
use wevrun_core::source::Source;
use wevrun_core::spelling::take_over;
use wevrun_postgres::Postgres;

const VERSION: EngineVersion = EngineVersion { major: 13, minor: 0 };

fn postgres() -> &'static dyn Dialect {
    &Postgres
}

fn model(text: &str) -> Model {
    let built = build(&Postgres, VERSION, &[Source::new("a.sql", text)]);
    let errors: Vec<_> =
        built.diagnostics.iter().filter(|found| found.is_error() && found.code != Code::WV114).collect();
    assert!(errors.is_empty(), "{errors:#?}");
    built.model
}

fn object<'m>(model: &'m Model, key: &str) -> &'m Object {
    model.objects().find(|object| object.key().to_string() == key).unwrap_or_else(|| {
        let keys: Vec<String> = model.objects().map(|object| object.key().to_string()).collect();
        panic!("there is no {key} among {keys:?}")
    })
}

fn same(one: &str, other: &str) {
    let (one, other) = (model(one), model(other));
    let comparison = compare(postgres(), &one, &other);
    assert!(one == other, "{:#?}", comparison.differences);
}

fn different(one: &str, other: &str) {
    assert!(model(one) != model(other), "{one} / {other}");
}

#[test]
fn a_default_of_null_counts_where_the_server_keeps_it() {
    same("CREATE TABLE t (a integer DEFAULT NULL, b text DEFAULT NULL)", "CREATE TABLE t (a integer, b text)");
    different("CREATE TABLE t (a varchar(5) DEFAULT NULL)", "CREATE TABLE t (a varchar(5))");
    different(
        "CREATE DOMAIN d AS text; CREATE TABLE t (a d DEFAULT NULL)",
        "CREATE DOMAIN d AS text; CREATE TABLE t (a d)",
    );
}

#[test]
fn keys_of_one_statement_that_say_the_same_are_one() {
    same("CREATE TABLE t (a integer PRIMARY KEY UNIQUE)", "CREATE TABLE t (a integer PRIMARY KEY)");
    same(
        "CREATE TABLE t (a integer UNIQUE, CONSTRAINT named UNIQUE (a))",
        "CREATE TABLE t (a integer, CONSTRAINT named UNIQUE (a))",
    );
    different(
        "CREATE TABLE t (a integer UNIQUE); ALTER TABLE t ADD CONSTRAINT named UNIQUE (a)",
        "CREATE TABLE t (a integer UNIQUE)",
    );
}

#[test]
fn a_check_is_named_after_the_column_wherever_that_comes_from() {
    let parent = "CREATE TABLE notes (id integer, kind integer);";
    same(
        &format!("{parent} CREATE TABLE own (CHECK (kind = 1), CHECK (id > kind)) INHERITS (notes)"),
        &format!(
            "{parent} CREATE TABLE own (CONSTRAINT own_kind_check CHECK (kind = 1), CONSTRAINT own_check CHECK (id > kind)) INHERITS (notes)"
        ),
    );
}

#[test]
fn lengths_are_no_part_of_a_signature() {
    same(
        "CREATE FUNCTION f(a varchar(20), b numeric(5, 2)[]) RETURNS char(3) LANGUAGE sql AS ''",
        "CREATE FUNCTION f(a varchar, b numeric[]) RETURNS character LANGUAGE sql AS ''",
    );
}

#[test]
fn the_old_form_of_an_aggregate_is_the_new_one() {
    let options = "SFUNC = textcat, STYPE = text";
    same(
        &format!("CREATE AGGREGATE joined (BASETYPE = text, {options})"),
        &format!("CREATE AGGREGATE joined(text) ({options})"),
    );
}

#[test]
fn a_type_is_announced_once_and_defined_once() {
    let functions = "CREATE FUNCTION i(cstring) RETURNS jar LANGUAGE internal AS 'int4in';
        CREATE FUNCTION o(jar) RETURNS cstring LANGUAGE internal AS 'int4out';";
    let defined = "CREATE TYPE jar (input = i, output = o);";
    same(&format!("CREATE TYPE jar; {functions} {defined}"), &format!("{functions} {defined}"));
    let twice = format!("{functions} {defined} {defined}");
    let built = build(&Postgres, VERSION, &[Source::new("a.sql", twice.as_str())]);
    assert!(built.has_errors(), "twice defined");
}

#[test]
fn settings_say_what_a_statement_leaves_out() {
    same(
        "SET default_tablespace = fast; CREATE TABLE t (a integer); SET default_tablespace = ''; CREATE TABLE u (a integer)",
        "CREATE TABLE t (a integer) TABLESPACE fast; CREATE TABLE u (a integer)",
    );
}

#[test]
fn the_index_of_a_key_can_be_spoken_of() {
    let table = "CREATE TABLE t (a integer CONSTRAINT k PRIMARY KEY);";
    same(
        &format!("{table} ALTER INDEX k RENAME TO other; ALTER INDEX other SET (fillfactor = 50)"),
        "CREATE TABLE t (a integer, CONSTRAINT other PRIMARY KEY (a) WITH (fillfactor = 50))",
    );
    let commented = model(&format!("{table} COMMENT ON INDEX k IS 'kept in memory'"));
    let text = postgres().source_text(object(&commented, "table public.t"));
    assert!(text.ends_with("COMMENT ON INDEX public.k IS 'kept in memory'"), "{text}");
    assert!(model(&text) == commented);
}

#[test]
fn names_of_not_null_constraints_are_kept_and_not_compared() {
    let named = "CREATE TABLE t (a integer CONSTRAINT must NOT NULL, b integer CONSTRAINT t_b_not_null NOT NULL)";
    same(named, "CREATE TABLE t (a integer NOT NULL, b integer NOT NULL)");
    let model = model(named);
    assert_eq!(
        model.fingerprint(),
        self::model("CREATE TABLE t (a integer NOT NULL, b integer NOT NULL)").fingerprint()
    );
    let text = postgres().create_statement(object(&model, "table public.t"));
    assert!(text.contains("a integer CONSTRAINT must NOT NULL"), "{text}");
    assert!(text.contains("b integer NOT NULL"), "its usual name needs no words: {text}");
}

const UNSURE: &str = "CREATE TABLE a (id integer, x integer); CREATE TABLE b (id integer, x integer);
    CREATE VIEW v AS SELECT ab.id FROM (a JOIN b USING (id)) AS ab WHERE ab.id > 1;";

/// What a server might make of it.
const SURE: &str = "CREATE TABLE a (id integer, x integer); CREATE TABLE b (id integer, x integer);
    CREATE VIEW v AS SELECT a.id FROM a JOIN b USING (id) WHERE a.id > 1;";

#[test]
fn what_can_not_be_told_is_unproven() {
    let have = model(SURE);
    let want = model(UNSURE);
    for (have, want) in [(&have, &want), (&want, &have)] {
        let comparison = compare(postgres(), have, want);
        assert!(comparison.is_identical());
        assert_eq!(comparison.unproven.iter().map(ToString::to_string).collect::<Vec<_>>(), ["view public.v"]);
        assert_eq!(comparison.same, 2);
    }
    // What differs beside it differs.
    let other = model(&UNSURE.replace("CREATE VIEW v AS", "CREATE VIEW v WITH (security_barrier) AS"));
    assert!(!compare(postgres(), &have, &other).is_identical());
    // The same text is the same.
    assert!(compare(postgres(), &want, &model(UNSURE)).unproven.is_empty());
}

#[test]
fn a_script_says_what_it_does_not_prove() {
    let (have, want) = (model("CREATE TABLE a (id integer, x integer)"), model(UNSURE));
    let comparison = compare(postgres(), &have, &want);
    let script = make_script(
        postgres(),
        "honey",
        (&have, &want),
        &comparison,
        PlanOptions::default(),
        VERSION,
        &Evidence::default(),
    );
    assert_eq!(script.unproven, ["view public.v"]);
    let text = script::write(postgres(), &script);
    assert!(text.contains("-- | unproven \"view public.v\"\n"), "{text}");
    let read = script::read(&text, &|_| Ok(postgres() as &dyn Client)).expect("a script").script;
    assert_eq!((&read.unproven, &read.proven, &read.want), (&script.unproven, &script.proven, &script.want));
    let spelled = model(SURE);
    assert!(read.leads_to(postgres(), &want) && read.leads_to(postgres(), &spelled));
    assert!(!read.leads_to(postgres(), &have), "the rest must be there");
    // Without doubts it is the whole structure.
    let sure = compare(postgres(), &have, &spelled);
    let script = make_script(
        postgres(),
        "honey",
        (&have, &spelled),
        &sure,
        PlanOptions::default(),
        VERSION,
        &Evidence::default(),
    );
    assert!(script.unproven.is_empty() && script.leads_to(postgres(), &spelled) && !script.leads_to(postgres(), &want));
}

#[test]
fn a_servers_spelling_is_taken_over() {
    let mut want = model(UNSURE);
    let spelled = model(SURE);
    assert_eq!(want.unsure().len(), 1);
    assert_eq!(take_over(&mut want, &spelled), 1);
    assert!(want.unsure().is_empty() && want == spelled);
    assert!(object(&want, "view public.v").text.contains("AS ab WHERE"), "the person's text stays");
}

#[test]
fn included_files_are_found_outside_texts_and_rows() {
    let text = "\\i one.sql\nSELECT '\n\\i no.sql\n';\n\\ir 'two files.sql'\nCOPY t FROM stdin;\n\\i neither.sql\n\\.\n\\include three.sql\n\\echo x\n";
    let found: Vec<String> = postgres().included_files(text).into_iter().map(|(_, file)| file).collect();
    assert_eq!(found, ["one.sql", "two files.sql", "three.sql"]);
}

/// Nonsense is answered, not followed for ever.
#[test]
fn partitions_in_a_circle_end() {
    let text = "CREATE TABLE a PARTITION OF b DEFAULT PARTITION BY LIST (id);
        CREATE TABLE b PARTITION OF a DEFAULT PARTITION BY LIST (id); CREATE TABLE c PARTITION OF c DEFAULT;
        CREATE INDEX ON a (id); CREATE INDEX ON b (id); CREATE INDEX ON c (id);";
    let source = Source::new("a.sql", text);
    let built = build(&Postgres, VERSION, std::slice::from_ref(&source));
    assert_eq!(built.model.tables().count(), 3);
}

#[test]
fn a_condition_may_be_as_long_as_real_ones_are() {
    let conditions = |count: usize| (0..count).map(|number| format!("a = {number}")).collect::<Vec<_>>().join(" OR ");
    let view = |count: usize| {
        format!("CREATE TABLE t (a integer); CREATE VIEW v AS SELECT a FROM t WHERE {}", conditions(count))
    };
    same(&view(3000), &view(3000).replace("a =", "t.a ="));
    different(&view(3000), &view(2999));
    // What no stack is long enough for is compared by its tokens, and is not sure.
    let sums = format!("CREATE VIEW v AS SELECT {}", "1+".repeat(250_000) + "1");
    assert_eq!(model(&sums).unsure().len(), 1);
}

#[test]
fn operators_that_stand_close_are_read() {
    let table = "CREATE TABLE t (a box, b box);";
    same(
        &format!("{table} CREATE VIEW v AS SELECT a&>(b) AS x FROM t"),
        &format!("{table} CREATE VIEW v AS SELECT t.a &> t.b AS x FROM t"),
    );
    same(
        &format!("{table} CREATE VIEW v AS SELECT a OPERATOR(public.&>) b AS x FROM t"),
        &format!("{table} CREATE VIEW v AS SELECT a &> b AS x FROM t"),
    );
    same(
        "CREATE TABLE t (d date, y integer GENERATED ALWAYS AS (EXTRACT(\"YEAR\" FROM d)) STORED)",
        "CREATE TABLE t (d date, y integer GENERATED ALWAYS AS (EXTRACT(YEAR FROM d)) STORED)",
    );
}

#[test]
fn a_routine_is_named_without_its_arguments_if_it_is_the_only_one() {
    same(
        "CREATE FUNCTION f(a integer) RETURNS integer LANGUAGE sql AS 'SELECT 1'; DROP FUNCTION f;
         CREATE FUNCTION f(b integer) RETURNS integer LANGUAGE sql AS 'SELECT 2'; ALTER FUNCTION f STABLE;",
        "CREATE FUNCTION f(b integer) RETURNS integer STABLE LANGUAGE sql AS 'SELECT 2';",
    );
}

#[test]
fn modifiers_of_types_are_no_types() {
    same(
        "CREATE TABLE t (place geometry(MultiPolygon, 4269)); CREATE TABLE multipolygon (a integer)",
        "CREATE TABLE t (place public.geometry(multipolygon,4269)); CREATE TABLE multipolygon (a integer)",
    );
}

#[test]
fn constants_of_types_that_spell_themselves_are_unproven() {
    let place = |text: &str| format!("CREATE TABLE t (place geometry DEFAULT '{text}'::geometry)");
    let (have, want) = (model(&place("0101000000")), model(&place("POINT(0 0)")));
    let comparison = compare(postgres(), &have, &want);
    assert_eq!((comparison.differences.len(), comparison.unproven.len()), (0, 1));
    different(&place("a"), &place("b"));
}

#[test]
fn an_identity_sequence_keeps_its_name_when_its_table_gets_another() {
    same(
        "CREATE TABLE old (id integer GENERATED ALWAYS AS IDENTITY); ALTER TABLE old RENAME TO new; ALTER TABLE new RENAME id TO number",
        "CREATE TABLE new (number integer GENERATED ALWAYS AS IDENTITY (SEQUENCE NAME old_id_seq))",
    );
}

/// The server decides which members of a class are loose, by rules of its own.
#[test]
fn members_are_the_classes_or_the_familys_whoever_names_them() {
    let made = "CREATE FUNCTION compress(internal) RETURNS internal LANGUAGE internal AS 'gist_box_union';
        CREATE FUNCTION same(box, box, internal) RETURNS internal LANGUAGE internal AS 'gist_box_same';";
    same(
        &format!("{made} CREATE OPERATOR CLASS boxes FOR TYPE box USING gist AS OPERATOR 1 <<, FUNCTION 3 compress, FUNCTION 7 same(box, box, internal)"),
        &format!(
            "{made} CREATE OPERATOR FAMILY public.boxes USING gist;
             CREATE OPERATOR CLASS public.boxes FOR TYPE box USING gist FAMILY public.boxes AS FUNCTION 7 (box, box) public.same(box,box,internal);
             ALTER OPERATOR FAMILY public.boxes USING gist ADD FUNCTION 3 (box, box) public.compress(internal), OPERATOR 1 <<(box,box)"
        ),
    );
}

#[test]
fn members_of_a_family_of_the_engine_stay_with_the_class() {
    let class = "CREATE FUNCTION compared(integer, bigint) RETURNS integer LANGUAGE internal AS 'btint48cmp';
        CREATE OPERATOR CLASS own FOR TYPE integer USING btree FAMILY integer_ops AS";
    let built = model(&format!("{class} OPERATOR 1 < (integer, bigint), FUNCTION 1 compared(integer, bigint)"));
    let statement = &object(&built, "operator class public.own USING btree").text;
    assert!(statement.contains("OPERATOR 1 <"), "{statement}");
    different(&format!("{class} OPERATOR 1 < (integer, bigint), OPERATOR 2 <="), &format!("{class} OPERATOR 2 <="));
    same(
        &format!("{class} OPERATOR 2 <="),
        &format!("{class} OPERATOR 2 <= (integer, integer)").replace("integer_ops", "pg_catalog.integer_ops"),
    );
}

#[test]
fn array_types_have_names_of_their_own() {
    let takes = |types: &str| {
        format!("CREATE TYPE mood AS ENUM ('a'); CREATE FUNCTION f({types}) RETURNS integer LANGUAGE sql AS 'SELECT 1'")
    };
    same(
        &takes("_int4, _timestamptz, _bpchar, _char, _varchar, _mood, _text"),
        &takes(
            "integer[], timestamp with time zone[], character[], \"char\"[], character varying[], public.mood[], text[]",
        ),
    );
}

#[test]
fn a_composite_type_can_be_copied() {
    same(
        "CREATE TYPE reading AS (at date, value numeric); CREATE TABLE r (id integer, LIKE reading)",
        "CREATE TYPE reading AS (at date, value numeric); CREATE TABLE r (id integer, at date, value numeric)",
    );
}

#[test]
fn conditions_of_publications_have_one_form() {
    let with =
        |condition: &str| format!("CREATE TABLE t (id integer); CREATE PUBLICATION p FOR TABLE t WHERE ({condition})");
    same(&with("id > 5"), &with("(id > 5)"));
    same(&with("id IN (1, 2)"), &with("(id = ANY (ARRAY[1, 2]))"));
    different(&with("id > 5"), &with("id > 6"));
}

#[test]
fn an_obsolete_index_method_is_the_one_that_the_server_takes() {
    let index = |method: &str| format!("CREATE TABLE t (place box); CREATE INDEX i ON t USING {method} (place)");
    same(&index("rtree"), &index("gist"));
}

#[test]
fn adopted_operators_have_files_that_say_which() {
    let text = "CREATE TYPE money_of AS (amount numeric);
        CREATE FUNCTION f(money_of, money_of) RETURNS boolean LANGUAGE sql AS 'SELECT true';
        CREATE OPERATOR <= (FUNCTION = f, LEFTARG = money_of, RIGHTARG = money_of)";
    let files = wevrun_core::adopt::files(postgres(), &model(text), false);
    assert!(files.iter().any(|file| file.path == "public/operators/less-equal.sql"), "{files:#?}");
}

#[test]
fn any_number_of_arguments_is_one_list() {
    let source = "CREATE TYPE kind AS ENUM ('a', 'b'); CREATE FUNCTION is_any(id text, VARIADIC kinds kind[]) RETURNS boolean LANGUAGE sql AS 'SELECT true';";
    let check = |call: &str| format!("{source} CREATE TABLE t (id text, CHECK ({call}));");
    same(&check("is_any(id, 'a', 'b')"), &check("is_any(id, VARIADIC ARRAY['a'::kind, 'b'::kind])"));
    different(&check("is_any(id, 'a', 'b')"), &check("is_any(id, VARIADIC ARRAY['a'::kind])"));
    // Each has the type that the list is of.
    let most = "CREATE FUNCTION most(VARIADIC numbers numeric[]) RETURNS numeric LANGUAGE sql AS 'SELECT 1';";
    let check = |call: &str| format!("{most} CREATE TABLE t (a integer, b smallint, CHECK ({call} > 5));");
    same(&check("most(a, b, 3)"), &check("most(VARIADIC ARRAY[(a)::numeric, (b)::numeric, (3)::numeric])"));
}

#[test]
fn a_constant_that_only_a_server_spells_is_unproven() {
    let view = |condition: &str| {
        format!("CREATE TABLE t (j jsonb, ts tsvector, x text); CREATE VIEW v AS SELECT j FROM t WHERE {condition};")
    };
    for (person, server) in [
        ("j @? '$.a ? (@ > 1)'", "(t.j @? '$.\"a\"?(@ > 1)'::jsonpath)"),
        ("j @@ '$.a > 1'", "(t.j @@ '($.\"a\" > 1)'::jsonpath)"),
        ("jsonb_path_exists(j, 'lax $.a')", "jsonb_path_exists(t.j, '$.\"a\"'::jsonpath)"),
        ("ts @@ 'a & !b'", "(t.ts @@ '''a'' & !''b'''::tsquery)"),
        ("ts = 'fat:1 cat'::tsvector", "(t.ts = '''cat'' ''fat'':1'::tsvector)"),
    ] {
        let (want, have) = (model(&view(person)), model(&view(server)));
        let comparison = compare(postgres(), &have, &want);
        assert!(comparison.is_identical() && comparison.unproven.len() == 1, "{person}: {:#?}", comparison.differences);
    }
    // Plain ones are told, and so is what reads them.
    same(&view("j @? '$.a[*].b'"), &view("(t.j @? '$.\"a\"[*].\"b\"'::jsonpath)"));
    same(&view("ts @@ 'a & b'"), &view("(t.ts @@ '''a'' & ''b'''::tsquery)"));
    same(&view("ts = 'fat cat'::tsvector"), &view("(t.ts = '''cat'' ''fat'''::tsvector)"));
    same(
        &view("ts @@ to_tsquery('english', 'a & b')"),
        &view("(t.ts @@ to_tsquery('english'::regconfig, 'a & b'::text))"),
    );
}

#[test]
fn what_a_table_can_have_once_is_said_once() {
    for (text, why) in [
        ("CREATE TABLE t (a integer PRIMARY KEY, b integer PRIMARY KEY)", "more than one primary key"),
        ("CREATE TABLE t (a integer, b text, a text)", "more than one column `a`"),
        (
            "CREATE TABLE t (a integer CONSTRAINT x CHECK (a > 0), b integer CONSTRAINT x UNIQUE)",
            "more than one constraint `x`",
        ),
    ] {
        let built = wevrun_core::build::build(&Postgres, VERSION, &[Source::new("a.sql", text)]);
        let errors: Vec<_> = built.diagnostics.iter().filter(|found| found.is_error()).collect();
        assert!(errors.len() == 1 && errors[0].message.contains(why), "{text}: {errors:?}");
    }
}

#[test]
fn tables_without_oids_are_like_all_others() {
    let plain = model("CREATE TABLE t (a integer)");
    for options in ["WITH (OIDS=FALSE)", "WITHOUT OIDS", "WITH (oids = off)"] {
        assert!(model(&format!("CREATE TABLE t (a integer) {options}")) == plain, "{options}");
    }
}
