//! A database as source, and the source as a database: the same structure, by the server's own dump.

use wevrun_core::adopt;
use wevrun_core::compare::compare;
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::make_script;
use wevrun_engines::Access;
use wevrun_testkit::postgres::{AGES, Age, Server, structure_difference};

use crate::{connect, difference, made, model, postgres, read, release, script, script_for, version};

const COOPERATIVE: &str = include_str!("cooperative.sql");
const ODDITIES: &str = include_str!("oddities.sql");
const BULLETIN_BOARD: &str = include_str!("bulletin_board.sql");
const EVERY_FORM: &str = include_str!("every_form.sql");
const LONG_LIVED: &str = include_str!("long_lived.sql");
const OWN_TYPES: &str = include_str!("own_types.sql");
const EXTENDED: &str = include_str!("extended.sql");
const EVERYDAY: &str = include_str!("everyday.sql");
const REWRITTEN: &str = include_str!("rewritten.sql");
const RENAMED_TABLE: &str = include_str!("renamed_table.sql");
const DETACHED: &str = include_str!("detached.sql");
const DOMAINS: &str = include_str!("domains.sql");
const NAMELESS: &str = include_str!("nameless.sql");
const RENAMED_COLUMN: &str = include_str!("renamed_column.sql");
const RENAMED_LABELS: &str = include_str!("renamed_labels.sql");
const PARTIAL: &str = include_str!("partial.sql");
const NOT_NULL_NAMES: &str = include_str!("not_null_names.sql");
const PART_NAMES: &str = include_str!("part_names.sql");
const COPIES: &str = include_str!("copies.sql");
const HISTORY: &str = include_str!("history.sql");
const HISTORY_OF_KINDS: &str = include_str!("history_of_kinds.sql");
const BOUNDS: &str = include_str!("bounds.sql");
const SCHEMAS: [&str; 21] = [
    COOPERATIVE,
    ODDITIES,
    BULLETIN_BOARD,
    EVERY_FORM,
    LONG_LIVED,
    OWN_TYPES,
    EXTENDED,
    EVERYDAY,
    REWRITTEN,
    RENAMED_COLUMN,
    RENAMED_LABELS,
    DOMAINS,
    DETACHED,
    RENAMED_TABLE,
    NAMELESS,
    PARTIAL,
    PART_NAMES,
    COPIES,
    HISTORY,
    HISTORY_OF_KINDS,
    BOUNDS,
];

pub fn everywhere() -> impl Iterator<Item = (Age, &'static str)> {
    let only_newest = [(Age::Newest, NOT_NULL_NAMES)];
    AGES.into_iter().flat_map(|age| SCHEMAS.map(|schema| (age, schema))).chain(only_newest)
}

#[test]
fn a_database_made_by_psql_is_what_the_source_says() {
    for (age, source) in everywhere() {
        let database = made(age, source);
        let (have, want) = (read(&database), model(source));
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
        // And so does the server's own dump of it.
        let dumped = model(&database.dump());
        assert!(have == dumped, "{age:?}, dumped: {}", difference(&have, &dumped));
    }
}

#[test]
fn adopting_and_deploying_gives_the_same_database() {
    for (age, source) in everywhere() {
        let first = made(age, source);
        let have = read(&first);
        let files = adopt::files(postgres(), &have, false);
        let text: String = files.iter().map(|file| file.text.as_str()).collect();
        let want = model(&text);
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
        let second = Server::of(age).database();
        let script = script_for(version(age), &Model::empty(), &want);
        let deployed = connect(&second, Access::Write).deploy(&script, &release(), &mut |_| {});
        deployed.unwrap_or_else(|error| panic!("{age:?}: {error}"));
        assert!(read(&second) == want);
        // Neither passwords nor connections to publishers are kept.
        let left_out =
            |statement: &String| ["USER MAPPING", "CREATE SUBSCRIPTION"].iter().any(|what| statement.contains(what));
        let (a, b) = (first.structure(), second.structure());
        let keep =
            |list: Vec<String>| -> Vec<String> { list.into_iter().filter(|statement| !left_out(statement)).collect() };
        let found = structure_difference(&keep(a), &keep(b));
        assert!(found.is_empty(), "{age:?}: {found}");
    }
}

/// A dump is a source as any other: what it says is read by the server as it stands, and so it is by `psql`.
#[test]
fn a_dump_as_source_is_deployed_as_psql_reads_it() {
    for age in AGES {
        for source in [COOPERATIVE, BULLETIN_BOARD, EVERYDAY] {
            let dump = made(age, source).dump();
            let (by_psql, deployed) = (made(age, &dump), Server::of(age).database());
            let want = model(&dump);
            let script = script(&Model::empty(), &want);
            let outcome = connect(&deployed, Access::Write).deploy(&script, &release(), &mut |_| {});
            outcome.unwrap_or_else(|error| panic!("{age:?}: {error}"));
            let found = structure_difference(&by_psql.structure(), &deployed.structure());
            assert!(found.is_empty(), "{age:?}: {found}");
        }
    }
}

#[test]
fn psql_runs_the_script_with_the_same_result() {
    for age in AGES {
        let want = model(COOPERATIVE);
        let text = crate::write(&script(&Model::empty(), &want));
        let database = made(age, &text);
        let have = read(&database);
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
    }
}

/// The script to nothing takes everything away, whatever stands in the way of what.
#[test]
fn everything_can_go() {
    for (age, source) in everywhere() {
        let database = made(age, source);
        let script = script(&read(&database), &Model::empty());
        connect(&database, Access::Write)
            .deploy(&script, &release(), &mut |_| {})
            .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", crate::write(&script)));
        assert!(read(&database).is_empty());
        let left = database.structure().into_iter().filter(|statement| !statement.contains("wevrun"));
        assert_eq!(left.collect::<Vec<_>>(), Vec::<String>::new(), "{age:?}");
    }
}

/// Tables that point at each other become logged and unlogged with their rows.
#[test]
fn tables_move_between_logs() {
    let logged = "CREATE TABLE locks (name text PRIMARY KEY, mode text);
        CREATE TABLE modes (mode text PRIMARY KEY, name text REFERENCES locks);
        ALTER TABLE locks ADD CONSTRAINT circle FOREIGN KEY (mode) REFERENCES modes;";
    let unlogged = logged.replace("CREATE TABLE", "CREATE UNLOGGED TABLE");
    for age in AGES {
        let database = made(age, logged);
        database.psql("INSERT INTO locks VALUES ('a', NULL); INSERT INTO modes VALUES ('m', 'a')").expect("rows");
        for wanted in [unlogged.as_str(), logged] {
            let script = script(&read(&database), &model(wanted));
            connect(&database, Access::Write)
                .deploy(&script, &release(), &mut |_| {})
                .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", crate::write(&script)));
            assert_eq!(database.psql("SELECT count(*) FROM locks, modes").expect("rows").trim(), "1");
        }
    }
}

/// A table gets its columns in another order with its rows, its numbers and all that depends on it.
#[test]
fn columns_can_be_put_in_order() {
    let source = include_str!("well_connected.sql");
    let wanted = source.replace(
        "id serial PRIMARY KEY, site integer REFERENCES sites, label varchar(20) NOT NULL UNIQUE",
        "label varchar(20) NOT NULL UNIQUE, site integer REFERENCES sites, id serial PRIMARY KEY",
    );
    assert_ne!(source, wanted);
    for age in AGES {
        let (database, other) = (made(age, source), made(age, &wanted));
        database
            .psql(
                "INSERT INTO sites VALUES (1, 's');
                 INSERT INTO hives (site, label, weight) SELECT 1, 'l' || g, g FROM generate_series(1, 100) g;
                 INSERT INTO weighings SELECT id, '2020-01-01' FROM hives;",
            )
            .expect("rows");
        let (have, want) = (read(&database), model(&wanted));
        let comparison = compare(postgres(), &have, &want);
        let column_order: Vec<_> = comparison.reordered.iter().map(|table| table.table.clone()).collect();
        assert_eq!(column_order.len(), 1);
        let plan_options = PlanOptions { column_order, ..PlanOptions::default() };
        let script = make_script(
            postgres(),
            "honey",
            (&have, &want),
            &comparison,
            plan_options,
            version(age),
            &Evidence::default(),
        );
        connect(&database, Access::Write)
            .deploy(&script, &release(), &mut |_| {})
            .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", crate::write(&script)));
        assert!(compare(postgres(), &read(&database), &want).reordered.is_empty());
        let rows = "SELECT count(*), sum(double), max(number) FROM hives JOIN weighings ON hive = hives.id";
        assert_eq!(database.psql(rows).expect("rows").trim(), "100|10100|100");
        let next = "INSERT INTO hives (label) VALUES ('new') RETURNING id, number";
        assert_eq!(database.psql(next).expect("a row").lines().next(), Some("101|101"));
        let keep =
            |list: Vec<String>| -> Vec<String> { list.into_iter().filter(|text| !text.contains("wevrun")).collect() };
        let found = structure_difference(&keep(database.structure()), &keep(other.structure()));
        assert!(found.is_empty(), "{age:?}: {found}");
    }
}

/// Since 18 NOT NULL is a constraint of its own, with a name, which children need not have and which need not be valid.
#[test]
fn not_null_is_changed_in_place() {
    let before =
        "CREATE TABLE hives (id int CONSTRAINT has_id NOT NULL NO INHERIT, label text, kind text NOT NULL, more int);
        CREATE TABLE nuclei () INHERITS (hives);
        ALTER TABLE hives ADD CONSTRAINT label_there NOT NULL label NOT VALID;
        ALTER TABLE hives ADD NOT NULL more NOT VALID;
        CREATE TABLE lots (a int, b int, c int GENERATED ALWAYS AS (a + b) STORED);";
    let after = "CREATE TABLE hives (id int CONSTRAINT has_id NOT NULL, label text CONSTRAINT label_there NOT NULL,
            kind text NOT NULL NO INHERIT, more int NOT NULL NO INHERIT);
        CREATE TABLE nuclei () INHERITS (hives);
        CREATE TABLE lots (a int, b int CONSTRAINT must NOT NULL, c int GENERATED ALWAYS AS (a + b + 1) STORED);";
    let (database, other) = (made(Age::Newest, before), made(Age::Newest, after));
    let as_before = database.structure();
    for (text, expected) in [(after, other.structure()), (before, as_before)] {
        let (have, want) = (read(&database), model(text));
        let script = script_for(version(Age::Newest), &have, &want);
        let written = crate::write(&script);
        assert!(!written.contains("DROP COLUMN") && !written.contains("DROP TABLE"), "{written}");
        connect(&database, Access::Write)
            .deploy(&script, &release(), &mut |_| {})
            .unwrap_or_else(|error| panic!("{error}\n{written}"));
        let found: Vec<String> = database.structure().into_iter().filter(|text| !text.contains("wevrun")).collect();
        let found = structure_difference(&found, &expected);
        assert!(found.is_empty(), "{found}\n{written}");
    }
}

/// What the server can alter of one's own types and operators is altered: indexes, ranges and columns depend on the rest.
#[test]
fn own_types_change_in_place() {
    let changes = [
        ("ALTER OPERATOR <= (grams, grams) SET (RESTRICT = scalarlesel, JOIN = scalarlejoinsel);", ""),
        ("JOIN = NONE", "JOIN = scalargtjoinsel"),
        (", FUNCTION 1 (grams, int4) grams_cmp(grams, int4);", ";"),
        (
            "ALTER TYPE grams SET (RECEIVE = grams_recv, SEND = grams_send);",
            "ALTER TYPE grams SET (SEND = grams_send);",
        ),
        ("hashes, merges", "hashes, merges, restrict = eqsel"),
    ];
    for (from, to) in changes {
        // Both ways: what comes in one goes in the other.
        let changed = OWN_TYPES.replace(from, to);
        assert_ne!(changed, OWN_TYPES, "{from}");
        for age in AGES {
            let database = made(age, OWN_TYPES);
            for wanted in [changed.as_str(), OWN_TYPES] {
                let script = script(&read(&database), &model(wanted));
                let text = crate::write(&script);
                let gone = text.lines().filter(|line| line.starts_with("DROP") || line.starts_with("CREATE"));
                assert_eq!(gone.count(), 0, "{age:?}: {text}");
                connect(&database, Access::Write)
                    .deploy(&script, &release(), &mut |_| {})
                    .unwrap_or_else(|error| panic!("{age:?}: {error}\n{text}"));
                let found = structure_difference(&database.structure(), &made(age, wanted).structure());
                let found: Vec<&str> = found.lines().filter(|line| !line.contains("wevrun")).collect();
                assert!(found.is_empty(), "{age:?}: {found:?}");
            }
        }
    }
}
