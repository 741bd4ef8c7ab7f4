//! What a PostgreSQL source means in which statements come one after the other.

use wevrun_core::build::{Build, build};
use wevrun_core::diagnostics::Severity;
use wevrun_core::model::Model;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

use crate::{VERSION, model, object, postgres, same};

pub fn built(texts: &[&str]) -> Build {
    let sources: Vec<Source> =
        texts.iter().enumerate().map(|(number, text)| Source::new(format!("{number}.sql"), text)).collect();
    build(&Postgres, VERSION, &sources)
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

#[test]
fn the_not_null_of_a_partition_keeps_a_name_that_is_not_its_parents() {
    let text = "CREATE TABLE p (a integer NOT NULL, b integer NOT NULL) PARTITION BY RANGE (a);
        CREATE TABLE p1 (a integer CONSTRAINT p_a_not_null NOT NULL, b integer CONSTRAINT own NOT NULL);
        ALTER TABLE p ATTACH PARTITION p1 FOR VALUES FROM (1) TO (2);
        CREATE TABLE p2 PARTITION OF p FOR VALUES FROM (2) TO (3) PARTITION BY RANGE (a);
        CREATE TABLE p21 PARTITION OF p2 (b CONSTRAINT p_b_not_null NOT NULL) FOR VALUES FROM (2) TO (3);";
    let model = model(text);
    let text = |key: &str| postgres().create_statement(object(&model, key));
    assert!(text("table public.p1").contains("PARTITION OF public.p (\n    b CONSTRAINT own NOT NULL\n)"));
    for key in ["table public.p2", "table public.p21"] {
        assert!(!text(key).contains("NOT NULL"), "{}", text(key));
    }
}

#[test]
fn what_moves_along_with_a_table_is_followed() {
    same(
        "CREATE SCHEMA one; CREATE SCHEMA two;
         CREATE TABLE one.t (id serial PRIMARY KEY, n integer GENERATED ALWAYS AS IDENTITY);
         CREATE INDEX by_id ON one.t (id);
         CREATE FUNCTION one.f() RETURNS trigger LANGUAGE plpgsql AS 'begin return new; end';
         CREATE FUNCTION one.f(integer) RETURNS integer LANGUAGE sql AS 'SELECT 1';
         CREATE TRIGGER tr BEFORE UPDATE ON one.t FOR EACH ROW EXECUTE FUNCTION one.f();
         ALTER TABLE one.t SET SCHEMA two;
         ALTER FUNCTION one.f(integer) RENAME TO g;
         ALTER FUNCTION one.f() SET SCHEMA two;",
        "CREATE SCHEMA one; CREATE SCHEMA two;
         CREATE TABLE two.t (id serial PRIMARY KEY, n integer GENERATED ALWAYS AS IDENTITY);
         CREATE INDEX by_id ON two.t (id);
         CREATE FUNCTION two.f() RETURNS trigger LANGUAGE plpgsql AS 'begin return new; end';
         CREATE FUNCTION one.g(integer) RETURNS integer LANGUAGE sql AS 'SELECT 1';
         CREATE TRIGGER tr BEFORE UPDATE ON two.t FOR EACH ROW EXECUTE FUNCTION two.f();",
    );
}

#[test]
fn a_name_of_several_routines_is_not_that_of_one_to_come() {
    let folder = built(&[
        "CREATE FUNCTION f(integer) RETURNS integer LANGUAGE sql AS 'SELECT 1';",
        "CREATE FUNCTION f(text) RETURNS integer LANGUAGE sql AS 'SELECT 2';",
        "DROP FUNCTION IF EXISTS f(integer); DROP FUNCTION IF EXISTS f;",
    ]);
    assert!(!folder.has_errors() && folder.model.is_empty());
}

#[test]
fn what_depends_on_something_goes_with_it() {
    let source = "CREATE TYPE kind AS ENUM ('a'); CREATE SCHEMA gone; CREATE TABLE gone.sites (id integer PRIMARY KEY);
        CREATE FUNCTION f(integer) RETURNS integer IMMUTABLE LANGUAGE sql AS 'SELECT 1';
        CREATE FUNCTION of_kind(kind) RETURNS integer LANGUAGE sql AS 'SELECT 1';
        CREATE TABLE t (id serial, f integer, kind kind, site integer REFERENCES gone.sites, n integer DEFAULT f(1), CHECK (f(id) > 0));
        CREATE INDEX calls ON t (f(id)); CREATE INDEX names ON t (f); CREATE INDEX kinds ON t (kind); CREATE VIEW kinds_seen AS SELECT kind FROM t;
        CREATE VIEW v AS SELECT f FROM t; CREATE VIEW vv AS SELECT f FROM v; CREATE VIEW sites AS SELECT id FROM gone.sites;";
    let after = |change: &str, left: &str| {
        let (left, made) = (model(left), model(&format!("{source} {change};")));
        let names = |model: &Model| model.objects().map(|object| object.key().to_string()).collect::<Vec<_>>();
        assert!(made == left, "{change}: {:?}", names(&made));
    };
    let without = |words: &[&str]| {
        words.iter().fold(source.to_owned(), |text, word| {
            assert!(text.contains(word), "{word}");
            text.replacen(word, "", 1)
        })
    };
    let view = "CREATE VIEW v AS SELECT f FROM t; CREATE VIEW vv AS SELECT f FROM v;";
    after("DROP VIEW v CASCADE", &without(&[view]));
    after("ALTER TABLE t DROP f CASCADE", &without(&[" f integer,", "CREATE INDEX names ON t (f);", view]));
    after(
        "ALTER TABLE t DROP COLUMN id",
        &without(&["id serial,", ", CHECK (f(id) > 0)", "CREATE INDEX calls ON t (f(id));"]),
    );
    after(
        "DROP FUNCTION f CASCADE",
        &without(&[
            "CREATE FUNCTION f(integer) RETURNS integer IMMUTABLE LANGUAGE sql AS 'SELECT 1';",
            " DEFAULT f(1), CHECK (f(id) > 0)",
            "CREATE INDEX calls ON t (f(id));",
        ]),
    );
    after(
        "DROP TYPE kind CASCADE",
        &without(&[
            "CREATE TYPE kind AS ENUM ('a');",
            " kind kind,",
            "CREATE INDEX kinds ON t (kind); CREATE VIEW kinds_seen AS SELECT kind FROM t;",
            "CREATE FUNCTION of_kind(kind) RETURNS integer LANGUAGE sql AS 'SELECT 1';",
        ]),
    );
    after(
        "DROP SCHEMA gone CASCADE",
        &without(&[
            "CREATE SCHEMA gone; CREATE TABLE gone.sites (id integer PRIMARY KEY);",
            " REFERENCES gone.sites",
            "CREATE VIEW sites AS SELECT id FROM gone.sites;",
        ]),
    );
    after(
        "ALTER TABLE gone.sites DROP CONSTRAINT sites_pkey CASCADE; ALTER TABLE gone.sites ALTER id DROP NOT NULL",
        &without(&[" PRIMARY KEY", " REFERENCES gone.sites"]),
    );
}

#[test]
fn a_label_is_renamed_where_it_is_used() {
    let source = |label: &str| {
        format!(
            "CREATE TYPE mood AS ENUM ('{label}', 'b'); CREATE TABLE t (m mood DEFAULT '{label}', x text DEFAULT 'a', CHECK (m > '{label}'::mood));"
        )
    };
    same(&format!("{} ALTER TYPE mood RENAME VALUE 'a' TO 'calm';", source("a")), &source("calm"));
}

#[test]
fn a_renamed_column_is_renamed_for_whoever_reads_it() {
    let tables = "CREATE TABLE m (id integer, name text); CREATE TABLE l (name text);";
    same(
        &format!("{tables} CREATE VIEW v AS SELECT name, upper(name) FROM m WHERE EXISTS (SELECT FROM l WHERE l.name = m.name);
            CREATE VIEW w AS SELECT *, 1 AS one FROM v; ALTER TABLE m RENAME COLUMN name TO called;"),
        "CREATE TABLE m (id integer, called text); CREATE TABLE l (name text);
            CREATE VIEW v AS SELECT called AS name, upper(called) FROM m WHERE EXISTS (SELECT FROM l WHERE l.name = m.called);
            CREATE VIEW w AS SELECT name, upper, 1 AS one FROM v;",
    );
    // The name of another table's column, and of a view's own, stays.
    same(
        &format!(
            "{tables} CREATE VIEW v AS SELECT l.name, 1 AS id FROM l, m; ALTER TABLE m RENAME COLUMN name TO called; ALTER VIEW v RENAME name TO x;"
        ),
        "CREATE TABLE m (id integer, called text); CREATE TABLE l (name text); CREATE VIEW v AS SELECT l.name AS x, 1 AS id FROM l, m;",
    );
}

#[test]
fn a_renamed_table_is_renamed_for_whoever_reads_it() {
    let source = |table: &str| {
        format!(
            "CREATE TABLE {table} (id integer, lots integer); CREATE TABLE log (id integer, n integer);
             CREATE VIEW v AS SELECT count(*) AS lots, max({table}.lots) AS most FROM {table} WHERE {table}.id > 1;
             CREATE RULE r AS ON INSERT TO {table} DO ALSO INSERT INTO log VALUES (new.id, new.lots);
             CREATE VIEW w AS SELECT lots.n FROM log lots;"
        )
    };
    same(&format!("{} ALTER TABLE lots RENAME TO harvests;", source("lots")), &source("harvests"));
}

#[test]
fn what_a_partition_had_with_its_parent_is_its_own_when_it_is_detached() {
    let lots = "CREATE TABLE lots (year integer, label text DEFAULT 'x', PRIMARY KEY (year), CHECK (year > 2000)) PARTITION BY LIST (year);
        CREATE INDEX ON lots (label);";
    same(
        &format!("{lots} CREATE TABLE one PARTITION OF lots FOR VALUES IN (2024); ALTER TABLE lots DETACH PARTITION one;"),
        &format!("{lots} CREATE TABLE one (year integer, label text DEFAULT 'x', PRIMARY KEY (year), CONSTRAINT lots_year_check CHECK (year > 2000));
            CREATE INDEX ON one (label);"),
    );
    let visits = "CREATE TABLE visits (hive int4range, EXCLUDE USING gist (hive WITH =)) PARTITION BY LIST (hive);";
    let own = "CREATE TABLE one (hive int4range, CONSTRAINT once EXCLUDE USING gist (hive WITH =));";
    let there_and_back =
        "ALTER TABLE visits ATTACH PARTITION one FOR VALUES IN ('[1,2)'); ALTER TABLE visits DETACH PARTITION one;";
    same(&format!("{visits} {own} {there_and_back}"), &format!("{visits} {own}"));
    same(
        &format!(
            "{visits} CREATE TABLE one PARTITION OF visits FOR VALUES IN ('[1,2)'); ALTER TABLE visits DETACH PARTITION one;"
        ),
        &format!("{visits} CREATE TABLE one (hive int4range, EXCLUDE USING gist (hive WITH =));"),
    );
    same(
        "CREATE TABLE bees (id integer NOT NULL, CHECK (id > 0), CONSTRAINT own CHECK (id < 9) NO INHERIT);
         CREATE TABLE drones (age integer) INHERITS (bees); ALTER TABLE drones NO INHERIT bees;",
        "CREATE TABLE bees (id integer NOT NULL, CHECK (id > 0), CONSTRAINT own CHECK (id < 9) NO INHERIT);
         CREATE TABLE drones (id integer NOT NULL, age integer, CONSTRAINT bees_id_check CHECK (id > 0));",
    );
}

/// What a name means inside a table is no reason to drop the table.
#[test]
fn what_belongs_to_a_table_is_not_dropped_for_it() {
    const LOTS: &str = "CREATE TABLE lots (id integer PRIMARY KEY) PARTITION BY RANGE (id);
        CREATE INDEX by_id ON lots (id); CREATE TABLE lots_1 PARTITION OF lots FOR VALUES FROM (1) TO (2);";
    for index in ["lots_pkey", "lots_1_pkey", "lots_1_id_idx"] {
        let build = built(&[&format!("{LOTS} DROP INDEX IF EXISTS {index};")]);
        let [found] = &build.diagnostics[..] else { panic!("{:?}", build.diagnostics) };
        assert!(found.message.contains("does not go alone"), "{}", found.message);
        assert_eq!(build.model.tables().count(), 2);
    }
    let triggers = built(&[&format!("{LOTS} DROP TRIGGER IF EXISTS touch ON lots_1;")]);
    assert!(triggers.diagnostics.is_empty() && triggers.model == model(LOTS), "{:?}", triggers.diagnostics);
    assert!(built(&[&format!("{LOTS} DROP TRIGGER touch ON lots_1;")]).has_errors());
}

/// What a key takes over is its index from then on.
#[test]
fn a_key_uses_an_index_that_is_there() {
    const HIVES: &str = "CREATE TABLE hives (id integer, name text, place text);";
    same(
        &format!(
            "{HIVES} CREATE UNIQUE INDEX CONCURRENTLY by_id ON hives (id); CREATE UNIQUE INDEX by_name ON hives (name) INCLUDE (place) WITH (fillfactor = 70);
             COMMENT ON INDEX by_name IS 'x';
             ALTER TABLE hives ADD PRIMARY KEY USING INDEX by_id, ADD CONSTRAINT one_name UNIQUE USING INDEX by_name DEFERRABLE, ADD UNIQUE (place);"
        ),
        "CREATE TABLE hives (id integer, name text, place text, CONSTRAINT by_id PRIMARY KEY (id),
             CONSTRAINT one_name UNIQUE (name) INCLUDE (place) WITH (fillfactor = 70) DEFERRABLE, UNIQUE (place));
         COMMENT ON INDEX one_name IS 'x';",
    );
    same(
        "CREATE TABLE t (id integer, \"Day\" date); CREATE UNIQUE INDEX i ON t (ID, \"Day\"); ALTER TABLE t ADD UNIQUE USING INDEX i;",
        "CREATE TABLE t (id integer, \"Day\" date, CONSTRAINT i UNIQUE (id, \"Day\"));",
    );
    // The usual way to change a key: the new index takes the old one's name.
    same(
        &format!(
            "{HIVES} ALTER TABLE hives ADD PRIMARY KEY (id); ALTER TABLE hives RENAME CONSTRAINT hives_pkey TO old;
             CREATE UNIQUE INDEX hives_pkey ON hives (id, name); ALTER TABLE hives DROP CONSTRAINT old;
             ALTER TABLE hives ADD PRIMARY KEY USING INDEX hives_pkey;"
        ),
        "CREATE TABLE hives (id integer, name text, place text, PRIMARY KEY (id, name));",
    );
    let refused = |index: &str| {
        let source = format!("{HIVES} {index} ALTER TABLE hives ADD PRIMARY KEY USING INDEX used;");
        let build = built(&[&source]);
        let hives = build.model.tables().next().expect("the table").1;
        assert!(hives.primary_key.is_none(), "a key without columns");
        let found = build.diagnostics.into_iter();
        found.filter(|found| found.primary.is_some()).map(|found| found.message).collect::<Vec<_>>()
    };
    assert_eq!(refused(""), ["there is no index public.used on table public.hives that a key could use"]);
    for index in [
        "INDEX used ON hives (id)",
        "UNIQUE INDEX used ON hives (id) WHERE id > 0",
        "UNIQUE INDEX used ON hives ((id + 1))",
    ] {
        let [found] = &refused(&format!("CREATE {index};"))[..] else { panic!("{index}") };
        assert!(found.contains("it must be unique, over columns of the table alone, without WHERE"), "{found}");
    }
}

#[test]
fn a_table_that_is_renamed_back_was_never_another() {
    let there_and_back = model(
        "CREATE TABLE hives (id integer NOT NULL); ALTER TABLE hives RENAME TO boxes;
         ALTER TABLE boxes RENAME TO hives; ALTER TABLE hives ADD PRIMARY KEY (id);",
    );
    assert!(there_and_back == model("CREATE TABLE hives (id integer PRIMARY KEY);"));
    assert_eq!(object(&there_and_back, "table public.hives").formerly.table, None);
}

/// They keep their names, and can be called by them, while the table and the column get others.
#[test]
fn not_nulls_keep_their_names_when_tables_and_columns_are_renamed() {
    let renamed = model(
        "CREATE TABLE hives (id integer NOT NULL, frames integer NOT NULL, lost date NOT NULL);
         ALTER TABLE hives RENAME COLUMN frames TO combs; ALTER TABLE hives RENAME TO boxes;
         ALTER TABLE boxes DROP CONSTRAINT hives_lost_not_null;
         ALTER TABLE boxes RENAME CONSTRAINT hives_id_not_null TO numbered;",
    );
    let table = object(&renamed, "table public.boxes").as_table().expect("a table");
    let names = table.columns.iter().map(|column| column.not_null_name.as_ref().map(ToString::to_string));
    let expected = [Some("numbered".to_owned()), Some("hives_frames_not_null".to_owned()), None];
    assert_eq!(names.collect::<Vec<_>>(), expected);
    assert!(table.columns[2].not_null.is_none());
}

#[test]
fn statistics_get_the_name_that_the_server_makes_up() {
    let made = model(
        "CREATE TABLE hives (frames integer, name text);
         CREATE STATISTICS ON frames, name FROM hives; CREATE STATISTICS ON frames, name FROM hives;
         CREATE STATISTICS (mcv) ON lower(name), frames FROM hives;",
    );
    let names: Vec<String> =
        made.of_kind(wevrun_core::model::Kind::Statistics).map(|object| object.name.to_string()).collect();
    let expected = ["public.hives_expr_frames_stat", "public.hives_frames_name_stat", "public.hives_frames_name_stat1"];
    assert_eq!(names, expected);
}

#[test]
fn what_is_temporary_leaves_nothing() {
    let kept = "CREATE TABLE hives (id integer PRIMARY KEY);";
    let build = built(&[&format!(
        "{kept} CREATE TEMP TABLE old (id integer) ON COMMIT DROP; CREATE INDEX ON old (id); ALTER TABLE old ADD name text;
         DROP TABLE old; CREATE TEMP TABLE hives AS SELECT 1; DROP TABLE hives;"
    )]);
    assert!(build.diagnostics.iter().all(|found| found.severity == Severity::Note), "{:?}", build.diagnostics);
    assert!(build.model == model(kept));
    // What is not temporary can have the name afterwards.
    let again = model(
        "CREATE TEMP TABLE old (id integer) ON COMMIT DROP; CREATE TABLE old (name text); ALTER TABLE old ADD id int;",
    );
    assert_eq!(object(&again, "table public.old").as_table().map(|table| table.columns.len()), Some(2));
}

#[test]
fn partitions_go_with_their_table_and_shared_constraints_with_their_parents() {
    let lots = "CREATE TABLE lots (id integer, hive integer) PARTITION BY LIST (id);
         CREATE TABLE one PARTITION OF lots FOR VALUES IN (1) PARTITION BY LIST (hive);
         CREATE TABLE inner_one PARTITION OF one FOR VALUES IN (1); CREATE INDEX ON inner_one (hive);";
    assert_eq!(model(&format!("{lots} DROP TABLE lots;")).len(), 0);
    let shared =
        |columns: &str| format!("({columns}, CONSTRAINT positive CHECK (id > 0), CONSTRAINT once UNIQUE (id))");
    let attached = |more: &str| {
        format!(
            "CREATE TABLE lots {} PARTITION BY LIST (id); CREATE TABLE one {};
             ALTER TABLE lots ATTACH PARTITION one FOR VALUES IN (1); {more}",
            shared("id integer"),
            shared("id integer").replace("once", "once_here")
        )
    };
    let dropped = model(&attached("ALTER TABLE lots DROP CONSTRAINT positive, DROP CONSTRAINT once;"));
    assert_eq!(constraint_names(&dropped, "table public.one"), Vec::<String>::new());
}

#[test]
fn an_identity_column_changes_option_by_option() {
    let made = model(
        "CREATE TABLE jars (id integer GENERATED ALWAYS AS IDENTITY (START 5 CYCLE), lot integer);
         ALTER TABLE jars ALTER id SET GENERATED BY DEFAULT SET NO CYCLE SET INCREMENT BY 2 RESTART WITH -3, DROP lot;",
    );
    let wanted = model("CREATE TABLE jars (id integer GENERATED BY DEFAULT AS IDENTITY (START 5 INCREMENT 2));");
    assert!(made == wanted);
    let wrong = built(&[
        "CREATE TABLE jars (id integer GENERATED ALWAYS AS IDENTITY); ALTER TABLE jars ALTER id SET GENERATED NEVER;",
    ]);
    assert!(wrong.diagnostics[0].message.contains("expected `ALWAYS`"), "{:?}", wrong.diagnostics);
}

#[test]
fn what_depends_goes_with_cascade() {
    let left = model(
        "CREATE FOREIGN DATA WRAPPER scales; CREATE SERVER yard FOREIGN DATA WRAPPER scales;
         CREATE USER MAPPING FOR ida SERVER yard; CREATE FOREIGN TABLE readings (kg numeric) SERVER yard;
         DROP FOREIGN DATA WRAPPER scales CASCADE;
         CREATE TYPE place AS (latitude float); CREATE TABLE apiaries OF place; DROP TYPE place CASCADE;",
    );
    assert_eq!(left.len(), 0, "{:?}", left.objects().map(|object| object.key()).collect::<Vec<_>>());
}

#[test]
fn a_schema_that_is_renamed_takes_along_what_is_in_it() {
    let moved = model(
        "CREATE SCHEMA yard; CREATE TABLE yard.hives (id serial PRIMARY KEY); CREATE VIEW yard.all_hives AS SELECT id FROM yard.hives;
         ALTER SCHEMA yard RENAME TO apiary; ALTER TABLE apiary.hives ADD name text;",
    );
    let wanted = model(
        "CREATE SCHEMA apiary; CREATE TABLE apiary.hives (id serial PRIMARY KEY, name text);
         CREATE VIEW apiary.all_hives AS SELECT id FROM apiary.hives;",
    );
    assert!(moved == wanted);
}

#[test]
fn bounds_are_numbers_with_a_sign_or_without() {
    let bounds = |list: &str| {
        let lots = "CREATE TABLE lots (id integer) PARTITION BY LIST (id);";
        model(&format!("{lots} CREATE TABLE some PARTITION OF lots FOR VALUES IN ({list});"))
    };
    assert!(bounds("-2, -1, 0, 7") == bounds("'-2', '-1', 0, '7'"));
    assert!(bounds("2, 1") != bounds("-2, 1"));
}

#[test]
fn a_publication_gets_and_loses_members() {
    let tables = "CREATE TABLE hives (id integer PRIMARY KEY); CREATE TABLE jars (id integer PRIMARY KEY);";
    let published = |text: &str| object(&model(&format!("{tables} {text}")), "publication yields").definition.clone();
    let both = published("CREATE PUBLICATION yields FOR TABLE hives, jars;");
    let one = published("CREATE PUBLICATION yields FOR TABLE jars;");
    assert!(both != one);
    assert_eq!(published("CREATE PUBLICATION yields FOR TABLE jars; ALTER PUBLICATION yields ADD TABLE hives;"), both);
    assert_eq!(
        published("CREATE PUBLICATION yields FOR TABLE hives, jars; ALTER PUBLICATION yields DROP TABLE hives;"),
        one
    );
    assert_eq!(published("CREATE PUBLICATION yields FOR TABLE hives; ALTER PUBLICATION yields SET TABLE jars;"), one);
    let inserts = published("CREATE PUBLICATION yields FOR TABLE jars WITH (publish = 'insert');");
    let set = "CREATE PUBLICATION yields FOR TABLE jars; ALTER PUBLICATION yields SET (publish = 'insert');";
    assert_eq!(published(set), inserts);
}

#[test]
fn options_of_foreign_things_come_change_and_go() {
    let foreign = |server: &str, more: &str| {
        model(&format!(
            "CREATE FOREIGN DATA WRAPPER scales; CREATE SERVER yard FOREIGN DATA WRAPPER scales OPTIONS ({server});
             CREATE FOREIGN TABLE readings (kg numeric) SERVER yard; {more}"
        ))
    };
    let changed =
        foreign("host 'a', port '1', user 'u'", "ALTER SERVER yard OPTIONS (DROP host, SET port '2', set 'x');");
    assert!(changed == foreign("port '2', user 'u', set 'x'", ""));
    let wrong = built(&["CREATE SERVER yard FOREIGN DATA WRAPPER scales; ALTER SERVER yard OPTIONS (SET port 2);"]);
    assert!(wrong.diagnostics.iter().any(|found| found.message.contains("expected a text")), "{:?}", wrong.diagnostics);
    // What one of them can have, another can't.
    for wrong in [
        "CREATE FOREIGN DATA WRAPPER scales VERSION '1'",
        "CREATE SERVER yard HANDLER f FOREIGN DATA WRAPPER scales",
        "ALTER USER MAPPING FOR public SERVER yard VERSION '1'",
    ] {
        assert!(built(&[wrong]).has_errors(), "{wrong}");
    }
}

/// Dictionaries are replaced in what is listed, in a copy that is yet to be made, and only where FOR says.
#[test]
fn dictionaries_are_replaced_in_mappings() {
    let words = |more: &str| {
        model(&format!(
            "CREATE TEXT SEARCH DICTIONARY plain_words (TEMPLATE = simple);
             CREATE TEXT SEARCH CONFIGURATION words (COPY = english); {more}"
        ))
    };
    let all = words("ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING REPLACE english_stem WITH plain_words;");
    let listed = words(
        "ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING
         FOR asciiword, word, asciihword, hword, hword_asciipart, hword_part WITH plain_words;",
    );
    assert!(all == listed);
    let one = words(
        "ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING FOR word, email WITH simple, english_stem;
         ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING FOR word REPLACE english_stem WITH plain_words;",
    );
    assert!(
        one == words(
            "ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING FOR word WITH simple, plain_words;
             ALTER TEXT SEARCH CONFIGURATION words ALTER MAPPING FOR email WITH simple, english_stem;"
        )
    );
}

/// What goes with one object of a DROP may be named by the same DROP, and by no later one.
#[test]
fn one_drop_names_what_goes_together() {
    let tables =
        "CREATE TABLE lots (id int) PARTITION BY LIST (id); CREATE TABLE lots_1 PARTITION OF lots FOR VALUES IN (1);
        CREATE TABLE animals (id int); CREATE TABLE bees () INHERITS (animals);";
    assert!(model(&format!("{tables} DROP TABLE lots, lots_1, lots; DROP TABLE animals, bees CASCADE;")) == model(""));
    for wrong in ["DROP TABLE lots; DROP TABLE lots_1;", "DROP TABLE lots_1, lots_2;"] {
        assert!(built(&[&format!("{tables} {wrong}")]).has_errors(), "{wrong}");
    }
}

#[test]
fn temporary_tables_are_left_out_under_any_name() {
    let renamed =
        "CREATE TEMP TABLE loads (id int); CREATE INDEX loads_id ON loads (id); ALTER TABLE loads RENAME TO old;
        ALTER TABLE old ADD note text; CREATE TABLE loads (kg int); DROP INDEX loads_id; DROP TABLE old;";
    assert!(model(renamed) == model("CREATE TABLE loads (kg int);"));
}

/// A query that can't be followed keeps its words if it has nothing to do with what is renamed.
#[test]
fn a_rename_leaves_other_queries_alone() {
    let towns = "CREATE TABLE roads (name text, route path); CREATE TABLE towns (c text, outline path);
        CREATE VIEW streets AS SELECT r.name, c.c FROM ONLY roads r, towns c WHERE c.outline ?# r.route;";
    let crates = |column: &str| format!("CREATE TABLE crates (id int, {column} int);");
    let renamed = model(&format!("{towns} {} ALTER TABLE crates RENAME c TO d;", crates("c")));
    assert!(renamed == model(&format!("{towns} {}", crates("d"))));
}

#[test]
fn a_limit_of_the_old_type_becomes_the_new_types() {
    let sequence = |said: &str| model(&format!("CREATE SEQUENCE tickets {said};"));
    assert!(
        sequence("AS smallint MINVALUE -32768; ALTER SEQUENCE tickets AS integer")
            == sequence("AS integer MINVALUE -2147483648 START -32768")
    );
    assert!(
        sequence("AS smallint MINVALUE -5; ALTER SEQUENCE tickets AS integer") == sequence("AS integer MINVALUE -5")
    );
}

#[test]
fn options_of_a_sequence_can_be_as_usual_again() {
    let tables = "CREATE TABLE hives (id int); CREATE SEQUENCE turns";
    let changed = model(&format!(
        "{tables} MAXVALUE 9 CYCLE OWNED BY hives.id; ALTER SEQUENCE turns NO CYCLE NO MAXVALUE OWNED BY NONE;"
    ));
    assert!(changed == model(&format!("{tables};")));
    let moved = model(&format!("{tables} OWNED BY hives.id; ALTER SEQUENCE turns CACHE 5;"));
    assert!(moved == model(&format!("{tables} CACHE 5 OWNED BY hives.id;")));
}

/// With ONLY the children keep what they had; else a column that a child lists as well changes with the parent's.
#[test]
fn a_parents_columns_change_with_its_childrens_or_without() {
    let family = |parent: &str, child: &str, more: &str| {
        let tables = format!("CREATE TABLE animals ({parent}); CREATE TABLE bees ({child}) INHERITS (animals);");
        let model = model(&format!("{tables} {more}"));
        object(&model, "table public.bees").definition.clone()
    };
    let plain = family("id integer, legs integer", "id integer", "ALTER TABLE animals ALTER id TYPE bigint;");
    assert_eq!(plain, family("id bigint, legs integer", "id bigint", ""));
    let kept = family("id integer, legs integer", "stings bool", "ALTER TABLE ONLY animals DROP COLUMN legs;");
    assert_eq!(kept, family("id integer", "legs integer, stings bool", ""));
    let gone = family("id integer, legs integer", "stings bool", "ALTER TABLE animals DROP COLUMN legs;");
    assert_eq!(gone, family("id integer", "stings bool", ""));
}

#[test]
fn a_text_search_configuration_may_be_a_copy_of_a_copy() {
    let copies = |from: &str| {
        let words = "CREATE TEXT SEARCH CONFIGURATION words (COPY = english);";
        let model = model(&format!("CREATE TEXT SEARCH CONFIGURATION a_copy (COPY = {from}); {words}"));
        object(&model, "text search configuration public.a_copy").definition.clone()
    };
    assert_eq!(copies("words"), copies("english"));
}
