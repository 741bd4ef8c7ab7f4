//! Changes that the server refuses because of other objects: each is released over rows, and reverted.

use wevrun_core::compare::compare;
use wevrun_core::plan::{Clearance, PlanOptions};
use wevrun_testkit::postgres::AGES;

use crate::data::{number, planned};
use crate::{connect, made, model, postgres, read, release, version};
use wevrun_core::script::make_undo;
use wevrun_engines::Access;

/// A title, the schema before and after, rows, and a query that must give 1 afterwards.
const CHANGES: &[(&str, &str, &str, &str, &str)] = &[
    (
        "a type under a generated column of a partitioned table",
        "CREATE TABLE p (id int, a int, g bigint GENERATED ALWAYS AS (a * 2) STORED) PARTITION BY RANGE (id);
         CREATE TABLE p1 PARTITION OF p FOR VALUES FROM (0) TO (10); CREATE INDEX ON p (g);",
        "CREATE TABLE p (id int, a bigint, g bigint GENERATED ALWAYS AS (a * 2) STORED) PARTITION BY RANGE (id);
         CREATE TABLE p1 PARTITION OF p FOR VALUES FROM (0) TO (10); CREATE INDEX ON p (g);",
        "INSERT INTO p (id, a) VALUES (1, 2)",
        "SELECT count(*) FROM p WHERE g = 4",
    ),
    (
        "the expression of a generated column of a parent",
        "CREATE TABLE p (id int, a int, g bigint GENERATED ALWAYS AS (a * 2) STORED); CREATE TABLE c (z int) INHERITS (p);",
        "CREATE TABLE p (id int, a int, g bigint GENERATED ALWAYS AS (a * 3) STORED); CREATE TABLE c (z int) INHERITS (p);",
        "INSERT INTO c (id, a) VALUES (1, 2)",
        "SELECT count(*) FROM c WHERE g = 6",
    ),
    (
        "text that becomes an enum under a generated column of a partition",
        "CREATE TYPE m AS ENUM ('x', 'y');
         CREATE TABLE p (id int, a text, g text GENERATED ALWAYS AS (a || '1') STORED) PARTITION BY RANGE (id);
         CREATE TABLE p1 PARTITION OF p FOR VALUES FROM (0) TO (10);",
        "CREATE TYPE m AS ENUM ('x', 'y');
         CREATE TABLE p (id int, a m, g text GENERATED ALWAYS AS (CASE a WHEN 'x' THEN 'one' ELSE 'two' END) STORED) PARTITION BY RANGE (id);
         CREATE TABLE p1 PARTITION OF p FOR VALUES FROM (0) TO (10);",
        "INSERT INTO p (id, a) VALUES (1, 'x')",
        "SELECT count(*) FROM p WHERE g = 'one'",
    ),
    (
        "text that becomes an enum under an exclusion constraint",
        "CREATE TYPE m AS ENUM ('x', 'y'); CREATE TABLE t (r int4range, s text, EXCLUDE USING gist (r WITH &&) WHERE (s = 'x'));",
        "CREATE TYPE m AS ENUM ('x', 'y'); CREATE TABLE t (r int4range, s m, EXCLUDE USING gist (r WITH &&) WHERE (s = 'x'));",
        "INSERT INTO t VALUES ('[1,2)', 'x')",
        "SELECT count(*) FROM t WHERE s = 'x'",
    ),
    (
        "a key and what refers to it become text",
        "CREATE TABLE a (id int PRIMARY KEY); CREATE TABLE b (a_id int REFERENCES a);",
        "CREATE TABLE a (id text PRIMARY KEY); CREATE TABLE b (a_id text REFERENCES a);",
        "INSERT INTO a VALUES (1); INSERT INTO b VALUES (1)",
        "SELECT count(*) FROM b JOIN a ON a.id = b.a_id",
    ),
    (
        "a key and what refers to it become numeric",
        "CREATE TABLE a (id int PRIMARY KEY); CREATE TABLE b (a_id int REFERENCES a);",
        "CREATE TABLE a (id numeric PRIMARY KEY); CREATE TABLE b (a_id numeric REFERENCES a);",
        "INSERT INTO a VALUES (1); INSERT INTO b VALUES (1)",
        "SELECT count(*) FROM b",
    ),
    (
        "a type that a routine takes gets another name",
        "CREATE TYPE m AS ENUM ('x'); CREATE FUNCTION f(a m, b m[]) RETURNS m LANGUAGE sql AS $$ SELECT a $$;
         CREATE VIEW v AS SELECT f('x', '{x}') AS x; COMMENT ON FUNCTION f(m, m[]) IS 'x';",
        "-- wevrun: formerly m
         CREATE TYPE m2 AS ENUM ('x'); CREATE FUNCTION f(a m2, b m2[]) RETURNS m2 LANGUAGE sql AS $$ SELECT a $$;
         CREATE VIEW v AS SELECT f('x', '{x}') AS x; COMMENT ON FUNCTION f(m2, m2[]) IS 'x';",
        "",
        "SELECT count(*) FROM v",
    ),
    (
        "a type that a routine takes moves to another schema",
        "CREATE SCHEMA s; CREATE TYPE m AS ENUM ('x'); CREATE FUNCTION f(a m) RETURNS m LANGUAGE sql AS $$ SELECT a $$;",
        "CREATE SCHEMA s;
         -- wevrun: formerly public.m
         CREATE TYPE s.m AS ENUM ('x'); CREATE FUNCTION f(a s.m) RETURNS s.m LANGUAGE sql AS $$ SELECT a $$;",
        "",
        "SELECT count(*) FROM pg_proc WHERE proname = 'f'",
    ),
    (
        "the arguments of a function that a domain's check calls",
        "CREATE FUNCTION ok(a int) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT a > 0 $$;
         CREATE DOMAIN d AS int CHECK (ok(VALUE)); CREATE TABLE t (x d);",
        "CREATE FUNCTION ok(a bigint) RETURNS boolean LANGUAGE sql IMMUTABLE AS $$ SELECT a > 0 $$;
         CREATE DOMAIN d AS int CHECK (ok(VALUE)); CREATE TABLE t (x d);",
        "INSERT INTO t VALUES (1)",
        "SELECT count(*) FROM t WHERE x = 1",
    ),
    (
        "the arguments of a function that statistics are about",
        "CREATE FUNCTION ok(a int) RETURNS int LANGUAGE sql IMMUTABLE AS $$ SELECT a $$; CREATE TABLE t (x int, y int);
         CREATE STATISTICS st ON (ok(x)), y FROM t;",
        "CREATE FUNCTION ok(a bigint) RETURNS int LANGUAGE sql IMMUTABLE AS $$ SELECT a::int $$; CREATE TABLE t (x int, y int);
         CREATE STATISTICS st ON (ok(x)), y FROM t;",
        "",
        "SELECT count(*) FROM pg_statistic_ext",
    ),
    (
        "a domain over a domain",
        "CREATE DOMAIN d1 AS varchar(10); CREATE DOMAIN d2 AS d1 CHECK (VALUE <> ''); CREATE TABLE t (x d2);",
        "CREATE DOMAIN d1 AS varchar(20); CREATE DOMAIN d2 AS d1 CHECK (VALUE <> ''); CREATE TABLE t (x d2);",
        "INSERT INTO t VALUES ('a')",
        "SELECT count(*) FROM t WHERE x = 'a'",
    ),
    (
        "a function becomes a procedure",
        "CREATE FUNCTION f(a int) RETURNS void LANGUAGE sql AS $$ SELECT 1 $$;",
        "CREATE PROCEDURE f(a int) LANGUAGE sql AS $$ SELECT 1 $$;",
        "",
        "SELECT count(*) FROM pg_proc WHERE proname = 'f'",
    ),
    (
        "an attribute in the middle of a composite type",
        "CREATE TYPE c AS (a int, b text); CREATE TABLE t (x c);",
        "CREATE TYPE c AS (a int, m int, b text); CREATE TABLE t (x c);",
        "INSERT INTO t VALUES (ROW(1, 'q'))",
        "SELECT count(*) FROM t WHERE (x).a = 1 AND (x).b = 'q' AND (x).m IS NULL",
    ),
    (
        "a partition whose rows the default partition holds",
        "CREATE TABLE p (id int, a int, PRIMARY KEY (id, a)) PARTITION BY LIST (id); CREATE TABLE pd PARTITION OF p DEFAULT;
         CREATE INDEX ON p (a);",
        "CREATE TABLE p (id int, a int, PRIMARY KEY (id, a)) PARTITION BY LIST (id); CREATE TABLE pd PARTITION OF p DEFAULT;
         CREATE INDEX ON p (a); CREATE TABLE p1 PARTITION OF p FOR VALUES IN (1, 5);",
        "INSERT INTO p VALUES (1, 2), (3, 4)",
        "SELECT (SELECT count(*) FROM p1) * (SELECT count(*) FROM pd)",
    ),
    (
        "a label of an enum gets another name",
        "CREATE TYPE m AS ENUM ('x', 'y'); CREATE TABLE t (a m DEFAULT 'y', CHECK (a IN ('x', 'y')));
         CREATE VIEW v AS SELECT a FROM t WHERE a = 'y';",
        "CREATE TYPE m AS ENUM ('x',
            'In use' -- wevrun: formerly Y
         ); CREATE TABLE t (a m DEFAULT 'In use', CHECK (a IN ('x', 'In use'))); CREATE VIEW v AS SELECT a FROM t WHERE a = 'In use';",
        "INSERT INTO t DEFAULT VALUES",
        "SELECT count(*) FROM v",
    ),
    (
        "a materialized view without its rows, and one with an index that orders it",
        "CREATE TABLE t (x int); CREATE MATERIALIZED VIEW empty AS SELECT x FROM t WITH NO DATA;
         CREATE MATERIALIZED VIEW m AS SELECT x FROM t; CREATE INDEX mi ON m (x); ALTER MATERIALIZED VIEW m CLUSTER ON mi;",
        "CREATE TABLE t (x bigint); CREATE MATERIALIZED VIEW empty AS SELECT x FROM t WITH NO DATA;
         CREATE MATERIALIZED VIEW m AS SELECT x FROM t; CREATE INDEX mi ON m (x); ALTER MATERIALIZED VIEW m CLUSTER ON mi;",
        "",
        "SELECT count(*) FROM pg_index WHERE indisclustered AND indexrelid = 'mi'::regclass",
    ),
    (
        "the statistics target of a column whose type changes",
        "CREATE TABLE t (x int); ALTER TABLE t ALTER x SET STATISTICS 500;",
        "CREATE TABLE t (x bigint); ALTER TABLE t ALTER x SET STATISTICS 500;",
        "",
        "SELECT count(*) FROM pg_attribute WHERE attrelid = 't'::regclass AND attname = 'x' AND attstattarget = 500",
    ),
    (
        "what an event trigger writes into, and how",
        "CREATE TABLE log (tag text); CREATE TABLE t (a int);
         CREATE FUNCTION note() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO log VALUES (tg_tag); END $$;
         CREATE EVENT TRIGGER note ON ddl_command_end EXECUTE FUNCTION note(); ALTER EVENT TRIGGER note ENABLE ALWAYS;",
        "CREATE TABLE log (tag text, note text CHECK (note <> '')); CREATE TABLE t (a int, b int);
         CREATE FUNCTION note() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO log VALUES (tg_tag, 'x'); END $$;
         CREATE EVENT TRIGGER note ON ddl_command_end EXECUTE FUNCTION note(); ALTER EVENT TRIGGER note ENABLE ALWAYS;",
        "DELETE FROM log",
        "SELECT count(*) FROM pg_event_trigger WHERE evtenabled = 'A' AND NOT EXISTS (SELECT FROM log WHERE note IS NULL)",
    ),
    (
        "what an event trigger reads under another name",
        "CREATE TABLE old (tag text); CREATE TABLE t (a int);
         CREATE FUNCTION note() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO old VALUES (tg_tag); END $$;
         CREATE EVENT TRIGGER note ON ddl_command_end EXECUTE FUNCTION note();",
        "-- wevrun: formerly old
         CREATE TABLE log (tag text); CREATE TABLE t (a int, b int);
         CREATE FUNCTION note() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN INSERT INTO log VALUES (tg_tag); END $$;
         CREATE EVENT TRIGGER note ON ddl_command_end EXECUTE FUNCTION note();",
        "DELETE FROM old",
        "SELECT count(*) FROM pg_event_trigger WHERE evtenabled = 'O'",
    ),
];

#[test]
fn what_stands_in_the_way_makes_room() {
    for age in AGES {
        for (what, before, after, rows, question) in CHANGES {
            let database = made(age, before);
            database.psql(rows).unwrap_or_else(|error| panic!("{what}: {error}"));
            let (have, want) = (read(&database), model(after));
            let forward = planned(&database, age, &want, PlanOptions::default());
            let renames = compare(postgres(), &have, &want).renames;
            let back = make_undo(postgres(), "honey", (&have, &want), &renames, &PlanOptions::default(), version(age));
            let impossible = forward.plan.risks().filter(|risk| risk.clearance == Clearance::Impossible).count();
            assert_eq!(impossible, 0, "{age:?}, {what}");
            let deploy = |script| connect(&database, Access::Write).deploy(script, &release(), &mut |_| {});
            let deployed = deploy(&forward).unwrap_or_else(|error| panic!("{age:?}, {what}: {error}"));
            assert!(deployed.respelled.is_empty(), "{age:?}, {what}: {:?}", deployed.respelled);
            assert_eq!(number(&database, question), 1, "{age:?}, {what}");
            let found = read(&database);
            let there = compare(postgres(), &found, &want);
            assert!(there.is_identical(), "{age:?}, {what}: {:#?}", there.differences);
            let undone = deploy(&back).unwrap_or_else(|error| panic!("{age:?}, {what}, back: {error}"));
            assert!(undone.after == have, "{age:?}, {what}");
        }
    }
}

#[test]
fn what_the_server_can_not_do_is_said() {
    for (before, after, why) in [
        (
            "CREATE TABLE p (id int, a int) PARTITION BY RANGE (id); CREATE TABLE p1 PARTITION OF p FOR VALUES FROM (0) TO (10);",
            "CREATE TABLE p (id bigint, a int) PARTITION BY RANGE (id); CREATE TABLE p1 PARTITION OF p FOR VALUES FROM (0) TO (10);",
            "that the table is partitioned by",
        ),
        (
            "CREATE TABLE a (id int, x text); CREATE TABLE b (r a);",
            "CREATE TABLE a (id bigint, x text); CREATE TABLE b (r a);",
            "as long as a column of public.b holds such rows",
        ),
    ] {
        let age = AGES[0];
        let script = planned(&made(age, before), age, &model(after), PlanOptions::default());
        let mut impossible = script.plan.risks().filter(|risk| risk.clearance == Clearance::Impossible);
        assert!(impossible.any(|risk| risk.explanation.contains(why) && !risk.ways_out.is_empty()), "{after}");
    }
}

#[test]
fn no_more_is_done_than_needed() {
    for (before, after, titles) in [
        // One rewrite for all columns.
        (
            "CREATE TABLE t (a int, b int, c int);",
            "CREATE TABLE t (a bigint, b bigint, c bigint);",
            &["change columns public.t.a, public.t.b, public.t.c"][..],
        ),
        // Views that keep their columns are replaced, and what reads them stays.
        (
            "CREATE TABLE t (a int, b int); CREATE VIEW v1 AS SELECT a, 'x' AS k FROM t; CREATE VIEW v2 AS SELECT a FROM v1;
             CREATE VIEW v3 AS SELECT a FROM v2;",
            "CREATE TABLE t (a int, b int); CREATE VIEW v1 AS SELECT a, 'x' AS k FROM t WHERE b > 1;
             CREATE VIEW v2 AS SELECT a, 1 AS one, CASE WHEN a > 1 THEN 'x' ELSE 'y' END AS z FROM v1; CREATE VIEW v3 AS SELECT a FROM v2;",
            &["change view public.v1", "change view public.v2"],
        ),
        // Types in capitals are the same types.
        (
            "CREATE TABLE t (a INTEGER, b VARCHAR(10)); CREATE FUNCTION f(q INTEGER) RETURNS INTEGER LANGUAGE sql AS $$ SELECT 1 $$;
             CREATE TYPE c AS (a INTEGER, b VARCHAR(10)); CREATE DOMAIN d AS VARCHAR(10); CREATE VIEW v AS SELECT CAST(1 AS BIGINT) AS x;
             CREATE AGGREGATE ag(INTEGER) (SFUNC = int4pl, STYPE = INTEGER);",
            "-- wevrun: formerly t
             CREATE TABLE t2 (a INTEGER, b VARCHAR(10)); CREATE FUNCTION f(q INTEGER) RETURNS INTEGER LANGUAGE sql AS $$ SELECT 1 $$;
             CREATE TYPE c AS (a INTEGER, b VARCHAR(10)); CREATE DOMAIN d AS VARCHAR(10); CREATE VIEW v AS SELECT CAST(1 AS BIGINT) AS x;
             CREATE AGGREGATE ag(INTEGER) (SFUNC = int4pl, STYPE = INTEGER);",
            &["rename table public.t to public.t2"],
        ),
        // An event trigger that has nothing to do with the change fires for it.
        (
            "CREATE TABLE t (a int); CREATE FUNCTION note() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN END $$;
             CREATE EVENT TRIGGER note ON ddl_command_end EXECUTE FUNCTION note();",
            "CREATE TABLE t (a bigint); CREATE FUNCTION note() RETURNS event_trigger LANGUAGE plpgsql AS $$ BEGIN END $$;
             CREATE EVENT TRIGGER note ON ddl_command_end EXECUTE FUNCTION note();",
            &["change column public.t.a"],
        ),
    ] {
        for age in AGES {
            let script = planned(&made(age, before), age, &model(after), PlanOptions::default());
            let found: Vec<&str> = script.plan.steps().map(|step| step.title.as_str()).collect();
            assert_eq!(found, titles, "{age:?}");
        }
    }
}

#[test]
fn a_table_that_refers_to_itself_gets_its_columns_in_order() {
    for age in AGES {
        let database = made(age, "CREATE TABLE t (b int, id int PRIMARY KEY, p int REFERENCES t);");
        database.psql("INSERT INTO t VALUES (1, 1, NULL), (1, 2, 1)").expect("rows");
        let want = model("CREATE TABLE t (id int PRIMARY KEY, b int, p int REFERENCES t);");
        let ordered = want.tables().map(|(name, _)| name.clone()).collect();
        let script = planned(&database, age, &want, PlanOptions { column_order: ordered, ..PlanOptions::default() });
        let done = connect(&database, Access::Write).deploy(&script, &release(), &mut |_| {});
        done.unwrap_or_else(|error| panic!("{age:?}: {error}"));
        assert_eq!(number(&database, "SELECT count(*) FROM t WHERE p = 1"), 1);
        let first =
            "SELECT count(*) FROM pg_attribute WHERE attrelid = 't'::regclass AND attname = 'id' AND attnum = 1";
        assert_eq!(number(&database, first), 1);
    }
}
