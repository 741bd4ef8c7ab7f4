//! What PostgreSQL databases cost, as ratios in one run: `cargo bench -p wevrun-cli --bench postgres`. It starts the tests' own servers and
//! makes two large databases on each. docs/performance.md has the results.

use std::hint::black_box;
use std::process::{Command, Stdio};

use criterion::Criterion;
use wevrun_core::EngineVersion;
use wevrun_core::compare::compare;
use wevrun_core::model::{Definition, Kind, Model};
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{make_script, write};
use wevrun_engines::{Access, open, registry};
use wevrun_testkit::postgres::{AGES, Age, Database, Server};

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// 3,000 tables in 30 schemas, each with an identity column, a column of an enum, an index on an expression, a view, a trigger and a
/// comment; each schema with an enum and the triggers' function.
const VARIED: &str = "
CREATE PROCEDURE make() LANGUAGE plpgsql AS $$ BEGIN
    FOR region IN 0..29 LOOP
        EXECUTE format('CREATE SCHEMA region_%s', region);
        EXECUTE format('CREATE TYPE region_%s.hive_kind AS ENUM (''Dadant'', ''Zander'', ''Top bar'')', region);
        EXECUTE format('CREATE FUNCTION region_%s.note_change() RETURNS trigger LANGUAGE plpgsql AS ''BEGIN NEW.changed := now(); RETURN NEW; END''', region);
        FOR number IN 0..99 LOOP
            EXECUTE format('CREATE TABLE region_%1$s.hives_%2$s (id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, kind region_%1$s.hive_kind
                NOT NULL DEFAULT ''Zander'', label text NOT NULL CHECK (label <> ''''), weight numeric(10, 3), changed timestamptz DEFAULT now(),
                neighbour bigint REFERENCES region_%1$s.hives_%3$s)', region, number, greatest(number - 1, 0));
            EXECUTE format('CREATE INDEX hives_%2$s_by_label ON region_%1$s.hives_%2$s (lower(label), (weight * 1000))', region, number);
            EXECUTE format('CREATE VIEW region_%1$s.heavy_%2$s AS SELECT id, upper(label) AS label, weight FROM region_%1$s.hives_%2$s
                WHERE weight > 20 AND kind <> ''Top bar''', region, number);
            EXECUTE format('CREATE TRIGGER note_change BEFORE UPDATE ON region_%1$s.hives_%2$s FOR EACH ROW WHEN (OLD.* IS DISTINCT FROM NEW.*)
                EXECUTE FUNCTION region_%1$s.note_change()', region, number);
            EXECUTE format('COMMENT ON TABLE region_%1$s.hives_%2$s IS %3$L', region, number, 'Hives, row ' || number);
        END LOOP;
        COMMIT;
    END LOOP;
END $$;
CALL make();
DROP PROCEDURE make;
ANALYZE;
";

/// 5,000 tables of ten columns with a primary key, a foreign key, a check, an index and a comment each, and 1,000 views. A
/// transaction has locks for some hundred of them.
const LARGE: &str = "
CREATE PROCEDURE make() LANGUAGE plpgsql AS $$ BEGIN
    FOR number IN 0..4999 LOOP
        EXECUTE format('CREATE TABLE apiary_%s (id integer PRIMARY KEY, parent integer REFERENCES apiary_%s, name varchar(80) NOT NULL,
            weight numeric(8, 2) DEFAULT 0 CHECK (weight >= 0), opened date DEFAULT CURRENT_DATE, note text, active boolean NOT NULL
            DEFAULT true, cells integer, seen timestamptz DEFAULT now(), data jsonb)', number, greatest(number - 1, 0));
        EXECUTE format('CREATE INDEX apiary_%s_by_name ON apiary_%s (name, opened DESC)', number, number);
        EXECUTE format('COMMENT ON TABLE apiary_%s IS %L', number, 'Apiary number ' || number);
        IF number % 5 = 0 THEN
            EXECUTE format('CREATE VIEW open_apiary_%s AS SELECT id, name, weight FROM apiary_%s WHERE active', number, number);
        END IF;
        IF number % 100 = 99 THEN COMMIT; END IF;
    END LOOP;
END $$;
CALL make();
DROP PROCEDURE make;
ANALYZE;
";

/// A large database: what it is called, what makes it, how many objects it has.
struct Large {
    name: &'static str,
    made_by: &'static str,
    objects: usize,
}

const DATABASES: [Large; 2] = [
    Large { name: "uniform", made_by: LARGE, objects: 11_000 },
    Large { name: "varied", made_by: VARIED, objects: 12_090 },
];

/// How often the commands and `pg_dump` take turns; the least time of each counts.
const TURNS: usize = 8;

fn read(database: &Database) -> Model {
    let url = database.url().parse().expect("a URL");
    open(&url, Access::Read).and_then(|mut there| there.read()).expect("it can be read").model
}

/// The model with a column more in every fiftieth table.
fn changed(model: &Model) -> Model {
    let mut model = model.clone();
    for object in model.objects_mut().filter(|object| object.definition.kind() == Kind::Table).step_by(50) {
        let Definition::Table(table) = &mut object.definition else { continue };
        let mut column = table.columns[0].clone();
        column.name = wevrun_core::model::Name::new("moisture", "moisture");
        column.clauses = Default::default();
        column.not_null = None;
        table.columns.push(column);
    }
    model
}

/// How long the work takes, in milliseconds.
fn time(work: impl FnOnce()) -> f64 {
    let started = std::time::Instant::now();
    work();
    started.elapsed().as_secs_f64() * 1000.0
}

/// The least time of so many runs: what else the machine does can only add to it.
fn least(runs: usize, mut work: impl FnMut()) -> f64 {
    (0..runs).map(|_| time(&mut work)).fold(f64::INFINITY, f64::min)
}

fn main() {
    let mut criterion = Criterion::default().sample_size(10).configure_from_args();
    for age in AGES {
        for large in &DATABASES {
            measure(&mut criterion, age, large);
        }
    }
}

fn measure(criterion: &mut Criterion, age: Age, large: &Large) {
    let dialect = registry::find_dialect("postgres").expect("it is compiled in");
    let version = if age == Age::Newest { 18 } else { 15 };
    let server = Server::of(age);
    let database = server.database();
    database.psql(large.made_by).expect("a large database");
    let have = read(&database);
    let want = changed(&have);
    let comparison = compare(dialect, &have, &want);
    let tables = have.of_kind(Kind::Table).count();
    assert_eq!((have.len(), comparison.differences.len()), (large.objects, tables / 50));
    let script = || {
        let version = EngineVersion { major: version, minor: 0 };
        let evidence = Evidence::default();
        write(
            dialect,
            &make_script(dialect, "bench", (&have, &want), &comparison, PlanOptions::default(), version, &evidence),
        )
    };
    let name = large.name;
    criterion.bench_function(&format!("compare_{name}_{version}"), |bencher| {
        bencher.iter(|| black_box(compare(dialect, &have, &want).same));
    });
    criterion.bench_function(&format!("script_{name}_{version}"), |bencher| bencher.iter(|| black_box(script())));

    let folder = tempfile::tempdir().expect("a temporary folder");
    let url = database.url();
    let wevrun = |arguments: &[&str]| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_wevrun"));
        command.args(arguments).current_dir(folder.path()).stdout(Stdio::null()).stderr(Stdio::null());
        assert!(command.status().expect("it runs").success(), "{arguments:?}");
    };
    // Turn by turn, so that a machine that is busy for a while is so for all.
    let mut times = [f64::INFINITY; 6];
    for turn in 0..TURNS {
        // A project is called as its folder, and a target takes releases of one project.
        let project = format!("turn-{turn}/apiary");
        let dump = || {
            let mut dump = Command::new(server.programs.join("pg_dump"));
            dump.args(["--schema-only", "--dbname", &url]).stdout(Stdio::null());
            assert!(dump.status().expect("pg_dump runs").success());
        };
        let ten_columns = |project: &str| {
            let tables: Vec<_> = have.of_kind(Kind::Table).take(10).map(|table| table.name.to_string()).collect();
            let text: Vec<String> =
                tables.iter().map(|table| format!("ALTER TABLE {table} ADD COLUMN turn_{turn} integer;")).collect();
            let path = folder.path().join(project).join("schema/zz-ten-columns.sql");
            std::fs::write(path, text.join("\n")).expect("the project is there");
        };
        let now = [
            time(dump),
            time(|| drop(black_box(read(&database)))),
            time(|| wevrun(&["adopt", &url, "--into", &project])),
            time(|| wevrun(&["-C", &project, "compare", &url])),
            time(|| wevrun(&["-C", &project, "deploy", &url])),
            {
                ten_columns(&project);
                time(|| wevrun(&["-C", &project, "deploy", &url]))
            },
        ];
        times.iter_mut().zip(now).for_each(|(least, now)| *least = least.min(now));
    }
    let [dumping, others @ ..] = times;
    let comparing = least(5, || {
        black_box(compare(dialect, &have, &want).same);
    });
    let scripting = least(5, || drop(black_box(script())));
    println!("\nPostgreSQL {version}, {name} database, least times");
    let ratio = |what: &str, of: f64, to: f64| println!("{what:<46} {:>6.2}   ({of:.0} ms / {to:.0} ms)", of / to);
    let names = ["reading", "adopt", "compare with its source", "deploy of nothing", "deploy of ten steps"];
    names.iter().zip(others).for_each(|(name, of)| ratio(&format!("{name} / pg_dump --schema-only"), of, dumping));
    ratio("compare (one table in fifty) / reading", comparing, others[0]);
    ratio("script for these / reading", scripting, others[0]);
}
