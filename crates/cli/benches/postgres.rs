//! What reading PostgreSQL costs, as ratios in one run: `cargo bench -p wevrun-cli --bench postgres`. It starts the tests' own servers and
//! makes a large database on each. docs/performance.md says what came out.

use std::hint::black_box;
use std::process::{Command, Stdio};

use criterion::Criterion;
use wevrun_core::EngineVersion;
use wevrun_core::compare::compare;
use wevrun_core::model::{Definition, Kind, Model};
use wevrun_core::plan::{Evidence, Wishes};
use wevrun_core::script::{make_script, write};
use wevrun_engines::{Access, open, registry};
use wevrun_testkit::postgres::{AGES, Age, Database, Server};

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

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
        column.not_null = None;
        table.columns.push(column);
    }
    model
}

/// The least time of so many runs in milliseconds: what else the machine does can only add to it.
fn least(runs: usize, mut work: impl FnMut()) -> f64 {
    let time = |_| {
        let started = std::time::Instant::now();
        work();
        started.elapsed().as_secs_f64() * 1000.0
    };
    (0..runs).map(time).fold(f64::INFINITY, f64::min)
}

fn main() {
    let mut criterion = Criterion::default().sample_size(10).configure_from_args();
    let dialect = registry::find_dialect("postgres").expect("it is compiled in");
    for age in AGES {
        let version = if age == Age::Newest { 18 } else { 15 };
        let server = Server::of(age);
        let database = server.database();
        database.psql(LARGE).expect("a large database");
        let have = read(&database);
        let want = changed(&have);
        let comparison = compare(dialect, &have, &want);
        assert_eq!((have.len(), comparison.differences.len()), (11_000, 100));
        let dump = || {
            let mut dump = Command::new(server.programs.join("pg_dump"));
            dump.args(["--schema-only", "--dbname", &database.url()]).stdout(Stdio::null());
            assert!(dump.status().expect("pg_dump runs").success());
        };
        let script = || {
            let version = EngineVersion { major: version, minor: 0 };
            let evidence = Evidence::default();
            write(
                dialect,
                &make_script(dialect, "bench", (&have, &want), &comparison, Wishes::default(), version, &evidence),
            )
        };
        criterion.bench_function(&format!("compare_{version}"), |bencher| {
            bencher.iter(|| black_box(compare(dialect, &have, &want).same));
        });
        criterion.bench_function(&format!("script_{version}"), |bencher| bencher.iter(|| black_box(script())));
        // Turn by turn, so that a machine that is busy for a while is so for both.
        let (mut reading, mut dumping) = (f64::INFINITY, f64::INFINITY);
        for _ in 0..8 {
            dumping = dumping.min(least(1, dump));
            reading = reading.min(least(1, || drop(black_box(read(&database)))));
        }
        let comparing = least(5, || {
            black_box(compare(dialect, &have, &want).same);
        });
        let scripting = least(5, || drop(black_box(script())));
        println!("\nPostgreSQL {version}, least times");
        let ratio = |what: &str, of: f64, to: f64| println!("{what:<46} {:>6.2}   ({of:.0} ms / {to:.0} ms)", of / to);
        ratio("reading / pg_dump --schema-only", reading, dumping);
        ratio("compare (100 of 11,000 differ) / reading", comparing, reading);
        ratio("script for these / reading", scripting, reading);
    }
}
