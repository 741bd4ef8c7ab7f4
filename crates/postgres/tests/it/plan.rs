//! How PostgreSQL is brought from one structure to another, without a server.

use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::model::Model;
use wevrun_core::plan::{Clearance, Evidence, PlanOptions};
use wevrun_core::script::make_script;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

pub fn model(text: &str) -> Model {
    let newest = EngineVersion { major: 18, minor: 0 };
    let built = build(&Postgres, newest, &[Source::new("a.sql", text)]);
    let errors: Vec<_> = built.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}");
    built.model
}

/// The statements from one source to the other, each on one line, for this version.
pub fn statements_for(major: u32, have: &str, want: &str) -> Vec<String> {
    let (have, want, postgres) = (model(have), model(want), &Postgres);
    let comparison = compare(postgres, &have, &want);
    let version = EngineVersion { major, minor: 0 };
    let evidence = Evidence::default();
    let script =
        make_script(postgres, "honey", (&have, &want), &comparison, PlanOptions::default(), version, &evidence);
    let steps = script.plan.parts.iter().flat_map(|part| &part.steps);
    let statements = steps.flat_map(|step| &step.statements);
    statements.map(|statement| statement.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
}

pub fn statements(have: &str, want: &str) -> Vec<String> {
    statements_for(15, have, want)
}

#[test]
fn a_partitions_columns_follow_the_parents() {
    let lots = |weight: &str| {
        format!(
            "CREATE TABLE lots (kind text, weight {weight}) PARTITION BY LIST (kind);
             CREATE TABLE lots_wax PARTITION OF lots FOR VALUES IN ('wax');"
        )
    };
    assert_eq!(
        statements(&lots("integer"), &lots("bigint")),
        ["ALTER TABLE public.lots ALTER COLUMN weight SET DATA TYPE bigint"]
    );
    assert_eq!(
        statements(&lots("integer"), &lots("integer DEFAULT 5")),
        ["ALTER TABLE public.lots ALTER COLUMN weight SET DEFAULT 5"]
    );
}

#[test]
fn a_default_that_children_do_not_share_is_the_tables_alone() {
    let animals = |default: &str| {
        format!(
            "CREATE TABLE animals (name text{default}); CREATE TABLE bees (name text DEFAULT 'bee') INHERITS (animals);"
        )
    };
    assert_eq!(
        statements(&animals(""), &animals(" DEFAULT 'nobody'")),
        ["ALTER TABLE ONLY public.animals ALTER COLUMN name SET DEFAULT 'nobody'"]
    );
    // In a source, ONLY leaves to the children what they had.
    let only = "CREATE TABLE animals (name text); CREATE TABLE bees () INHERITS (animals);
        ALTER TABLE ONLY animals ALTER COLUMN name SET DEFAULT 'nobody';";
    let named = "CREATE TABLE animals (name text DEFAULT 'nobody'); CREATE TABLE bees () INHERITS (animals);
        ALTER TABLE bees ALTER COLUMN name DROP DEFAULT;";
    assert!(model(only) == model(named));
}

#[test]
fn what_calls_a_routine_that_changes_is_detached() {
    let source = |argument: &str| {
        format!(
            "CREATE FUNCTION twice(a {argument}) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT 1';
             CREATE TABLE used (a integer DEFAULT twice(2), CONSTRAINT above CHECK (twice(a) > 0));"
        )
    };
    let found = statements(&source("bigint"), &source("integer"));
    assert_eq!(
        found[..2],
        ["ALTER TABLE ONLY public.used ALTER COLUMN a DROP DEFAULT", "ALTER TABLE public.used DROP CONSTRAINT above"]
    );
    assert_eq!(found[2], "DROP FUNCTION public.twice(bigint)");
    assert!(found[3].starts_with("CREATE FUNCTION public.twice(a integer)"));
    assert_eq!(
        found[4..],
        [
            "ALTER TABLE public.used ALTER COLUMN a SET DEFAULT twice(2)",
            "ALTER TABLE public.used ADD CONSTRAINT above CHECK (twice(a) > 0)"
        ]
    );
}

#[test]
fn types_on_types_that_step_aside_do_so_too() {
    let source = |labels: &str| {
        format!(
            "CREATE TYPE mood AS ENUM ({labels}); CREATE DOMAIN main_mood AS mood;
             CREATE TABLE hives (mood mood DEFAULT 'calm', main main_mood);"
        )
    };
    let found = statements(&source("'calm', 'busy'"), &source("'calm'"));
    let at = |what: &str| {
        found.iter().position(|statement| statement == what).unwrap_or_else(|| panic!("{what}: {found:#?}"))
    };
    let order = [
        at("ALTER TYPE public.mood RENAME TO wevrun_old_mood"),
        at("CREATE DOMAIN public.main_mood AS public.mood"),
        at("DROP TYPE public.wevrun_old_mood"),
    ];
    assert!(order.is_sorted(), "{found:#?}");
    assert!(at("DROP DOMAIN public.wevrun_old_main_mood") < order[2], "{found:#?}");
}

#[test]
fn a_ranges_functions_step_aside_with_it() {
    let source = |subtype: &str| {
        format!("CREATE TYPE weights AS RANGE (subtype = {subtype}); CREATE TABLE classes (fits weights);")
    };
    let found = statements(&source("integer"), &source("bigint"));
    for aside in [
        "ALTER FUNCTION public.weights(integer, integer) RENAME TO wevrun_old_weights",
        "ALTER FUNCTION public.weights_multirange() RENAME TO wevrun_old_weights_multirange",
        "ALTER TYPE public.weights_multirange RENAME TO wevrun_old_weights_multirange",
    ] {
        assert!(found.iter().any(|statement| statement == aside), "{aside}: {found:#?}");
    }
}

#[test]
fn a_collation_steps_aside_under_its_columns() {
    let source = |locale: &str| {
        format!("CREATE COLLATION plainly (locale = '{locale}'); CREATE TABLE names (name text COLLATE plainly);")
    };
    assert_eq!(
        statements(&source("C"), &source("POSIX")),
        [
            "ALTER COLLATION public.plainly RENAME TO wevrun_old_plainly",
            "CREATE COLLATION public.plainly (locale = 'POSIX')",
            "ALTER TABLE public.names ALTER COLUMN name SET DATA TYPE text COLLATE public.plainly",
            "DROP COLLATION public.wevrun_old_plainly"
        ]
    );
}

#[test]
fn what_goes_with_a_computed_column_comes_again() {
    let source = |area: &str| {
        format!(
            "CREATE TABLE frames (wide integer, area integer GENERATED ALWAYS AS ({area}) STORED, CONSTRAINT once UNIQUE (area));
             CREATE INDEX by_area ON frames (area); COMMENT ON CONSTRAINT once ON frames IS 'each area once';"
        )
    };
    let (have, want) = (source("wide"), source("wide + 1"));
    let found = statements(&have, &want);
    for statement in [
        "DROP INDEX public.by_area",
        "CREATE INDEX by_area ON public.frames (area)",
        "ALTER TABLE public.frames ADD CONSTRAINT once UNIQUE (area)",
    ] {
        assert!(found.iter().any(|other| other == statement), "{statement}: {found:#?}");
    }
    let comments = found.iter().filter(|statement| statement.starts_with("COMMENT ON CONSTRAINT once"));
    assert_eq!(comments.count(), 1, "{found:#?}");
    // Since 17 the expression can be changed where it is.
    assert_eq!(
        statements_for(17, &have, &want),
        ["ALTER TABLE public.frames ALTER COLUMN area SET EXPRESSION AS (wide + 1)"]
    );
}

#[test]
fn options_of_what_is_foreign_change_in_place() {
    let source = |options: &str| {
        format!("CREATE FOREIGN DATA WRAPPER elsewhere; CREATE SERVER far FOREIGN DATA WRAPPER elsewhere{options};")
    };
    assert_eq!(
        statements(&source(" OPTIONS (host 'a', port '1')"), &source(" OPTIONS (host 'b''; DROP', dbname 'c')")),
        ["ALTER SERVER far OPTIONS (ADD dbname 'c', SET host 'b''; DROP', DROP port)"]
    );
    assert_eq!(
        statements(
            &format!("{} CREATE USER MAPPING FOR PUBLIC SERVER far;", source("")),
            &format!(
                "{} CREATE USER MAPPING FOR PUBLIC SERVER far;",
                source("").replace("far FOREIGN", "far TYPE 'x' FOREIGN")
            )
        ),
        [
            "DROP USER MAPPING FOR public SERVER far",
            "DROP SERVER far",
            "CREATE SERVER far TYPE 'x' FOREIGN DATA WRAPPER elsewhere",
            "CREATE USER MAPPING FOR public SERVER far"
        ]
    );
}

#[test]
fn wrappers_and_servers_change_in_place() {
    let functions = "CREATE FUNCTION handle() RETURNS fdw_handler LANGUAGE c AS 'scales', 'handle';
        CREATE FUNCTION validate(text[], oid) RETURNS void LANGUAGE c AS 'scales', 'validate';";
    let source = |wrapper: &str, server: &str| {
        format!(
            "{functions} CREATE FOREIGN DATA WRAPPER scales{wrapper};
             CREATE SERVER yard{server} FOREIGN DATA WRAPPER scales; CREATE FOREIGN TABLE readings (kg numeric) SERVER yard;"
        )
    };
    assert_eq!(
        statements(
            &source(" HANDLER handle OPTIONS (encoding 'utf8')", " VERSION '1'"),
            &source(" VALIDATOR validate OPTIONS (encoding 'latin1')", "")
        ),
        [
            "ALTER FOREIGN DATA WRAPPER scales NO HANDLER VALIDATOR public.validate",
            "ALTER FOREIGN DATA WRAPPER scales OPTIONS (SET encoding 'latin1')",
            "ALTER SERVER yard VERSION NULL"
        ]
    );
    assert_eq!(
        statements(&source(" NO HANDLER NO VALIDATOR", ""), &source("", " VERSION 'it''s'")),
        ["ALTER SERVER yard VERSION 'it''s'"]
    );
}

/// An event trigger would fire for what the rest of the script does.
#[test]
fn event_triggers_come_last_and_go_before_tables() {
    let function = "CREATE FUNCTION guard() RETURNS event_trigger LANGUAGE plpgsql AS 'BEGIN END';";
    let guarded = format!(
        "{function} CREATE TABLE hives (id int PRIMARY KEY); CREATE TABLE weights (hive int REFERENCES hives);
         CREATE EVENT TRIGGER guards ON ddl_command_end EXECUTE FUNCTION guard();"
    );
    let made = statements(function, &guarded);
    assert_eq!(made.last().unwrap(), "CREATE EVENT TRIGGER guards ON ddl_command_end EXECUTE FUNCTION public.guard()");
    let gone = statements(&guarded, function);
    let place = |statement: &str| gone.iter().position(|other| other == statement).expect("it goes");
    assert!(place("DROP EVENT TRIGGER guards") < place("DROP TABLE public.weights"), "{gone:#?}");
}

#[test]
fn bounds_are_values_of_the_keys_type() {
    let source = |key: &str, bound: &str| {
        format!(
            "CREATE TABLE lots (id {key}) PARTITION BY LIST (id);
             CREATE TABLE lots_some PARTITION OF lots FOR VALUES IN ({bound});"
        )
    };
    for (key, one, same, other) in [
        ("numeric(8,2)", "10.50", "'10.5'", "105"),
        ("bigint", "-5", "'-5'", "5"),
        ("boolean", "true", "'yes'", "false"),
        ("char(3)", "'a'", "'a  '", "'A'"),
        ("date", "'2020-01-05'", "date '20200105'", "'2020-01-06'"),
        ("timestamptz", "'2020-01-01 01:00+01'", "'2020-01-01'", "'2020-01-01 01:00'"),
        ("varchar(5)", "'a'::text", "'a'", "'a '"),
        ("text", "NULL", "null", "'null'"),
        ("text", "'2020-01-01'", "'2020-01-01'::text", "'2020-01-01 00:00:00'"),
        ("text", "'5'", "'5'", "'05'"),
    ] {
        let changes = |bound: &str| statements(&source(key, one), &source(key, bound));
        assert_eq!(changes(same), Vec::<String>::new(), "{key}: {one}, {same}");
        assert_ne!(changes(other), Vec::<String>::new(), "{key}: {one}, {other}");
    }
}

#[test]
fn a_sequence_is_brought_within_its_limits() {
    let found = statements("CREATE SEQUENCE lots MINVALUE -5", "CREATE SEQUENCE lots MINVALUE 10");
    assert_eq!(
        found,
        [
            "SELECT setval('public.lots', 10, false) FROM public.lots WHERE last_value < 10",
            "ALTER SEQUENCE public.lots MINVALUE 10 START WITH 10"
        ]
    );
    assert_eq!(
        statements("CREATE SEQUENCE lots MINVALUE 1 START 5", "CREATE SEQUENCE lots MINVALUE -1 START 5"),
        ["ALTER SEQUENCE public.lots MINVALUE -1 START WITH 5"]
    );
}

#[test]
fn what_is_said_of_an_index_is_said_again_when_it_comes_anew() {
    let source = |key: &str| {
        format!(
            "CREATE TABLE members (id integer NOT NULL, part integer NOT NULL, PRIMARY KEY ({key}));
             ALTER TABLE members CLUSTER ON members_pkey; ALTER TABLE members REPLICA IDENTITY USING INDEX members_pkey;"
        )
    };
    let found = statements(&source("id"), &source("id, part"));
    assert!(found.contains(&"ALTER TABLE public.members CLUSTER ON members_pkey".to_owned()), "{found:#?}");
    assert!(
        found.contains(&"ALTER TABLE public.members REPLICA IDENTITY USING INDEX members_pkey".to_owned()),
        "{found:#?}"
    );
}

#[test]
fn storage_goes_back_to_the_types_own() {
    let (have, want) = (
        "CREATE TABLE t (a text, b numeric); ALTER TABLE t ALTER a SET STORAGE MAIN, ALTER b SET STORAGE EXTERNAL",
        "CREATE TABLE t (a text, b numeric)",
    );
    let of_column = |column: &str, mode: &str| format!("ALTER TABLE public.t ALTER COLUMN {column} SET STORAGE {mode}");
    assert_eq!(statements_for(15, have, want), [of_column("a", "EXTENDED"), of_column("b", "MAIN")]);
    assert_eq!(statements_for(16, have, want), [of_column("a", "DEFAULT"), of_column("b", "DEFAULT")]);
}

#[test]
fn the_attributes_of_a_type_change_for_tables_of_it() {
    let source = |more: &str| format!("CREATE TYPE reading AS (at date{more}); CREATE TABLE readings OF reading;");
    assert_eq!(
        statements(&source(""), &source(", value numeric")),
        ["ALTER TYPE public.reading ADD ATTRIBUTE value numeric CASCADE"]
    );
}

#[test]
fn a_column_that_is_computed_no_more_keeps_its_values() {
    let source = |argument: &str, column: &str| {
        format!(
            "CREATE FUNCTION twice(a {argument}) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT 1';
             CREATE TABLE used (a integer, b integer{column});"
        )
    };
    let found = statements(&source("bigint", " GENERATED ALWAYS AS (twice(a)) STORED"), &source("integer", ""));
    assert_eq!(found[0], "ALTER TABLE public.used ALTER COLUMN b DROP EXPRESSION");
    assert!(!found.iter().any(|statement| statement.contains("COLUMN b ") && statement.contains("DROP COLUMN")));
    // One that is computed by the new function comes again, with what stands on it.
    let computed = " GENERATED ALWAYS AS (twice(a)) STORED); CREATE INDEX by_b ON used (b";
    let found = statements(&source("bigint", computed), &source("integer", computed));
    let has = |what: &str| assert!(found.iter().any(|statement| statement.starts_with(what)), "{what}: {found:#?}");
    has("ALTER TABLE public.used DROP COLUMN b");
    assert_eq!(found[0], "DROP INDEX public.by_b", "it would be gone with its column");
    assert_eq!(found.iter().filter(|statement| statement.starts_with("DROP INDEX")).count(), 1);
    has("ALTER TABLE public.used ADD COLUMN b");
    has("CREATE INDEX by_b");
}

#[test]
fn a_column_keeps_its_values_when_what_it_was_computed_from_changes() {
    let found = statements(
        "CREATE TABLE lots (kg integer, grams integer GENERATED ALWAYS AS (kg * 1000) STORED)",
        "CREATE TABLE lots (kg bigint, grams integer)",
    );
    assert_eq!(
        found,
        [
            "ALTER TABLE public.lots ALTER COLUMN grams DROP EXPRESSION",
            "ALTER TABLE public.lots ALTER COLUMN kg SET DATA TYPE bigint"
        ]
    );
}

#[test]
fn what_stands_on_a_detached_column_goes_before_it() {
    let source = |argument: &str| {
        format!(
            "CREATE FUNCTION thrice(a {argument}) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT 1';
             CREATE TABLE computed (a integer, b integer GENERATED ALWAYS AS (thrice(a)) STORED);
             CREATE VIEW shown AS SELECT b FROM computed;
             CREATE VIEW all_shown AS SELECT * FROM shown;
             CREATE STATISTICS counts ON a, b FROM computed;"
        )
    };
    let found = statements(&source("bigint"), &source("integer"));
    let at = |text: &str| found.iter().position(|statement| statement.starts_with(text)).expect(text);
    let order = [
        "DROP VIEW public.all_shown",
        "DROP VIEW public.shown",
        "ALTER TABLE public.computed DROP COLUMN b",
        "DROP FUNCTION public.thrice(bigint)",
        "CREATE FUNCTION public.thrice",
        "ALTER TABLE public.computed ADD COLUMN b",
        "CREATE VIEW public.shown",
        "CREATE VIEW public.all_shown",
    ];
    let places: Vec<usize> = order.into_iter().map(at).collect();
    assert!(places.is_sorted(), "{found:#?}");
    assert!(at("DROP STATISTICS") < at("CREATE STATISTICS"));
}

/// What holds a script back.
fn obstacles(have: &str, want: &str) -> Vec<String> {
    let (have, want, postgres) = (model(have), model(want), &Postgres);
    let comparison = compare(postgres, &have, &want);
    let (version, evidence) = (EngineVersion { major: 15, minor: 0 }, Evidence::default());
    let script =
        make_script(postgres, "honey", (&have, &want), &comparison, PlanOptions::default(), version, &evidence);
    let risks = script.plan.steps().flat_map(|step| &step.risks).filter(|risk| risk.clearance == Clearance::Impossible);
    risks.map(|risk| format!("{}: {}", risk.object, risk.explanation)).collect()
}

#[test]
fn what_the_server_can_never_do_holds_the_script_back() {
    let own_type = |length: &str, table: &str| {
        format!(
            "CREATE TYPE public.strength;
             CREATE FUNCTION public.strength_in(cstring) RETURNS public.strength LANGUAGE internal IMMUTABLE STRICT AS 'int4in';
             CREATE FUNCTION public.strength_out(public.strength) RETURNS cstring LANGUAGE internal IMMUTABLE STRICT AS 'int4out';
             CREATE TYPE public.strength (INPUT = public.strength_in, OUTPUT = public.strength_out, INTERNALLENGTH = {length}, PASSEDBYVALUE);
             {table}"
        )
    };
    let table = "CREATE TABLE meads (strength public.strength);";
    assert_eq!(
        obstacles(&own_type("4", table), &own_type("2", table)),
        ["type public.strength: the server can't change a base type while columns have it"]
    );
    assert!(obstacles(&own_type("4", ""), &own_type("2", "")).is_empty());

    let class = |members: &str, key: &str| {
        format!(
            "CREATE TYPE public.proof AS (percent integer);
             CREATE FUNCTION public.compare(public.proof, public.proof) RETURNS integer LANGUAGE sql IMMUTABLE AS 'SELECT 0';
             CREATE FUNCTION public.less(public.proof, public.proof) RETURNS boolean LANGUAGE sql IMMUTABLE AS 'SELECT true';
             CREATE OPERATOR public.<< (FUNCTION = public.less, LEFTARG = public.proof, RIGHTARG = public.proof);
             CREATE OPERATOR CLASS public.by_proof DEFAULT FOR TYPE public.proof USING btree AS {members}
                 FUNCTION 1 public.compare(public.proof, public.proof);
             CREATE TABLE meads (name text, proof public.proof{key}); CREATE INDEX strongest ON meads (proof);"
        )
    };
    let (all, fewer) = ("OPERATOR 1 public.<<,", "");
    assert_eq!(
        obstacles(&class(all, " PRIMARY KEY"), &class(fewer, " PRIMARY KEY")),
        [
            "table public.meads: keys of it are ordered by operator class public.by_proof USING btree, and the server can't drop that under them"
        ]
    );
    // Indexes are rebuilt.
    assert!(obstacles(&class(all, ""), &class(fewer, "")).is_empty());
    let found = statements(&class(all, ""), &class(fewer, ""));
    assert!(found.iter().any(|statement| statement == "DROP INDEX public.strongest"), "{found:#?}");
    assert!(found.iter().any(|statement| statement.starts_with("CREATE INDEX strongest")), "{found:#?}");
}

#[test]
fn names_are_looked_for_where_the_session_looks() {
    let source = "CREATE SCHEMA shop; CREATE SCHEMA api; SET search_path = shop;
        CREATE TABLE orders (id integer); CREATE VIEW api.orders AS SELECT id FROM orders;";
    let said = "CREATE SCHEMA shop; CREATE SCHEMA api;
        CREATE TABLE shop.orders (id integer); CREATE VIEW api.orders AS SELECT orders.id FROM shop.orders;";
    assert!(model(source) == model(said));
    // And the script looks there too.
    let found = statements("", source);
    let view = found.iter().position(|statement| statement.starts_with("CREATE VIEW")).expect("a view");
    let path = found[..view].iter().rfind(|statement| statement.starts_with("SET LOCAL search_path"));
    assert_eq!(path.map(String::as_str), Some("SET LOCAL search_path = shop, public"));
}

#[test]
fn an_index_built_while_others_write_is_read_where_it_was_written_for() {
    let tables = "CREATE SCHEMA shop; CREATE SCHEMA archive; CREATE TABLE archive.orders (id integer, note text);
        CREATE FUNCTION shop.short(text) RETURNS text LANGUAGE sql IMMUTABLE AS 'SELECT $1';";
    let (have, want) = (
        model(tables),
        model(&format!("{tables} SET search_path = shop; CREATE INDEX by_note ON archive.orders (short(note));")),
    );
    let (postgres, version) = (&Postgres, EngineVersion { major: 15, minor: 0 });
    let comparison = compare(postgres, &have, &want);
    let plan_options = PlanOptions { concurrent_indexes: true, ..PlanOptions::default() };
    let evidence = Evidence::default();
    let script = make_script(postgres, "honey", (&have, &want), &comparison, plan_options, version, &evidence);
    let statements: Vec<&String> = script.plan.steps().flat_map(|step| &step.statements).collect();
    assert_eq!(
        statements.first().map(|first| first.as_str()),
        Some("SET search_path = shop, public"),
        "{statements:#?}"
    );
}

#[test]
fn a_condition_that_is_a_query_keeps_its_parentheses() {
    let table = "CREATE TABLE hives (id integer, level integer);";
    let found = statements(table, &format!("{table} CREATE POLICY own ON hives USING ((SELECT level > 1));"));
    assert_eq!(found, ["CREATE POLICY own ON public.hives USING ((SELECT level > 1))"]);
}

#[test]
fn options_keep_their_order() {
    let table = "CREATE TABLE hives (id integer) WITH (fillfactor = 80, autovacuum_enabled = off);";
    let other = "CREATE TABLE hives (id integer) WITH (autovacuum_enabled = false, fillfactor = 80);";
    assert!(model(table) == model(other));
    let found = statements("", table);
    assert!(found.iter().any(|s| s.ends_with("WITH (fillfactor = 80, autovacuum_enabled = off)")), "{found:#?}");
}

#[test]
fn a_sequence_that_stays_is_let_go_before_its_column_goes() {
    let position = |list: &[String], start: &str| list.iter().position(|statement| statement.starts_with(start));
    let release = "ALTER SEQUENCE public.old_id_seq OWNED BY NONE";
    // Another table takes the numbers.
    let another = statements(
        "CREATE TABLE old (id serial);",
        "CREATE SEQUENCE old_id_seq AS integer; CREATE TABLE new (id integer NOT NULL DEFAULT nextval('old_id_seq'));
         ALTER SEQUENCE old_id_seq OWNED BY new.id;",
    );
    assert!(position(&another, release) < position(&another, "DROP TABLE public.old"), "{another:#?}");
    assert!(another.contains(&"ALTER SEQUENCE public.old_id_seq OWNED BY public.new.id".to_owned()), "{another:#?}");
    // The table is recreated.
    let recreated =
        statements("CREATE TABLE old (id serial);", "CREATE TABLE old (id serial) PARTITION BY RANGE (id);");
    assert!(
        position(&recreated, release).is_some_and(|at| Some(at) < position(&recreated, "DROP TABLE public.old")),
        "{recreated:#?}"
    );
    assert_eq!(recreated.last().map(String::as_str), Some("ALTER SEQUENCE public.old_id_seq OWNED BY public.old.id"));
    // The column goes, the sequence stays.
    let alone = statements(
        "CREATE TABLE old (id serial, n integer);",
        "CREATE SEQUENCE old_id_seq AS integer; CREATE TABLE old (n integer);",
    );
    assert!(
        position(&alone, release).is_some_and(|at| Some(at) < position(&alone, "ALTER TABLE public.old DROP")),
        "{alone:#?}"
    );
}

#[test]
fn a_table_that_is_made_anew_is_made_with_the_new_type() {
    let source = |labels: &str, partitioned: &str| {
        format!(
            "CREATE TYPE mood AS ENUM ({labels}); CREATE TABLE a (m mood); CREATE TABLE b (m mood, n integer){partitioned};"
        )
    };
    let found = statements(&source("'calm', 'busy'", ""), &source("'calm'", " PARTITION BY LIST (n)"));
    let altered: Vec<&String> = found.iter().filter(|statement| statement.contains("SET DATA TYPE")).collect();
    assert_eq!(altered, ["ALTER TABLE public.a ALTER COLUMN m SET DATA TYPE public.mood USING m::text::public.mood"]);
}

#[test]
fn what_moves_along_with_a_table_is_not_moved_again() {
    let source = |schema: &str, former: &str| {
        format!(
            "CREATE SCHEMA one; CREATE SCHEMA two;
             {former}
             CREATE TABLE {schema}.t (id serial PRIMARY KEY, n integer GENERATED ALWAYS AS IDENTITY, code text);
             CREATE INDEX by_code ON {schema}.t (code);"
        )
    };
    let found = statements(&source("one", ""), &source("two", "-- wevrun: formerly one.t"));
    assert_eq!(found, ["ALTER TABLE one.t SET SCHEMA two"]);
}

#[test]
fn a_schema_is_there_before_what_moves_into_it() {
    let want = "CREATE SCHEMA bees;
        -- wevrun: formerly public.queens
        CREATE TABLE bees.queens (id integer);";
    let statements = statements("CREATE TABLE queens (id integer);", want);
    assert_eq!(statements, ["CREATE SCHEMA bees", "ALTER TABLE public.queens SET SCHEMA bees"]);
}

/// A foreign key that needs the key, and what the key guards, stay; the settings of a partitioned index can't be changed.
#[test]
fn settings_and_comments_of_a_key_change_as_it_stands() {
    let hives = |key: &str, more: &str| {
        format!(
            "CREATE TABLE hives (id integer PRIMARY KEY {key}, name text UNIQUE); {more}
             CREATE TABLE frames (hive integer REFERENCES hives);"
        )
    };
    let plain = hives("", "");
    let full = hives("WITH (fillfactor = 90)", "COMMENT ON CONSTRAINT hives_name_key ON hives IS 'painted';");
    assert_eq!(
        statements(&plain, &full),
        [
            "ALTER INDEX public.hives_pkey SET (fillfactor = 90)",
            "COMMENT ON CONSTRAINT hives_name_key ON public.hives IS 'painted'"
        ]
    );
    let moved = hives("USING INDEX TABLESPACE fast", "");
    assert_eq!(statements(&plain, &moved), ["ALTER INDEX public.hives_pkey SET TABLESPACE fast"]);
    assert_eq!(statements(&moved, &plain), ["ALTER INDEX public.hives_pkey SET TABLESPACE pg_default"]);
    let lots =
        "CREATE TABLE lots (id integer, PRIMARY KEY (id)) PARTITION BY LIST (id); CREATE INDEX by_id ON lots (id)";
    let found = statements(&format!("{lots};"), &format!("{lots} WITH (fillfactor = 90);"));
    assert_eq!(found, ["DROP INDEX public.by_id", "CREATE INDEX by_id ON public.lots (id) WITH (fillfactor = 90)"],);
    let exclusion = "CREATE TABLE visits (at tsrange, CONSTRAINT apart EXCLUDE USING gist (at WITH &&)";
    let found = statements("", &format!("{exclusion} WITH (fillfactor = 90) USING INDEX TABLESPACE fast);"));
    assert!(found.iter().any(|s| s.contains("WITH (fillfactor = 90) USING INDEX TABLESPACE fast")), "{found:#?}");
}
