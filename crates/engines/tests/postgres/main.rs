//! PostgreSQL, on two real servers of different age.

mod access;
mod bodies;
mod changes;
mod collisions;
mod data;
mod failures;
mod indexes;
mod inherits;
mod invariants;
mod outcomes;
mod parts;
mod releases;
mod renames;
mod respellings;
mod round_trip;

use wevrun_core::Dialect;
use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{self, Read, Script, ScriptError, ScriptHash, make_script};
use wevrun_core::source::Source;
use wevrun_engines::{Access, Database, LiveError, Release, open, registry};
use wevrun_postgres::Postgres;
use wevrun_testkit::postgres::{self, Age, Server, structure_difference};

/// The newest version: what sources may say.
const VERSION: EngineVersion = EngineVersion { major: 18, minor: 0 };

/// What scripts for both servers may say.
const OLDEST: EngineVersion = EngineVersion { major: 15, minor: 0 };

/// What a script for a server may say.
fn version(age: Age) -> EngineVersion {
    if age == Age::Newest { VERSION } else { OLDEST }
}

fn postgres() -> &'static dyn Dialect {
    &Postgres
}

fn write(script: &Script) -> String {
    script::write(postgres(), script)
}

fn read_script(text: &str) -> Result<Read, ScriptError> {
    script::read(text, &registry::find_dialect)
}

/// The model of a source text, which must be right.
fn model(text: &str) -> Model {
    let source = Source::new("a.sql", text);
    let build = build(&Postgres, VERSION, std::slice::from_ref(&source));
    let errors: Vec<_> = build.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}\n{text}");
    build.model
}

fn connect(database: &postgres::Database, access: Access) -> Box<dyn Database> {
    open(&database.url().parse().expect("a URL"), access).expect("the server is there")
}

fn read(database: &postgres::Database) -> Model {
    match connect(database, Access::Read).read() {
        Ok(content) => content.model,
        Err(LiveError::Unreadable(_, found)) => panic!("{found:#?}"),
        Err(error) => panic!("{error}"),
    }
}

fn script(have: &Model, want: &Model) -> Script {
    script_for(OLDEST, have, want)
}

fn script_for(version: EngineVersion, have: &Model, want: &Model) -> Script {
    let comparison = compare(postgres(), have, want);
    make_script(postgres(), "honey", (have, want), &comparison, PlanOptions::default(), version, &Evidence::default())
}

/// Deploys what is wanted, and lets the server's own dump judge it beside what `psql` makes of the same source.
fn becomes(age: Age, database: &postgres::Database, wanted: &str) {
    let want = model(wanted);
    let script = script(&read(database), &want);
    connect(database, Access::Write)
        .deploy(&script, &release(), &mut |_| {})
        .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", write(&script)));
    let have = read(database);
    assert!(have == want, "{age:?}: {}", difference(&have, &want));
    let is_ledger = |statement: &String| ["wevrun.", "SCHEMA wevrun"].iter().any(|part| statement.contains(part));
    let structure = database.structure().into_iter().filter(|statement| !is_ledger(statement));
    let found = structure_difference(&made(age, wanted).structure(), &structure.collect::<Vec<_>>());
    assert!(found.is_empty(), "{age:?}: {found}\n{}", write(&script));
}

fn release() -> Release {
    Release {
        released_by: "ida".to_owned(),
        script_hash: ScriptHash::of(""),
        tool: "0.1.0".to_owned(),
        project: "honey".to_owned(),
        edited: None,
    }
}

/// A new database of this server with these objects.
fn made(age: Age, sql: &str) -> postgres::Database {
    let database = Server::of(age).database();
    database.psql(sql).unwrap_or_else(|words| panic!("{words}\n{sql}"));
    database
}

/// What differs between two models that must be equal, in words.
fn difference(have: &Model, want: &Model) -> String {
    let comparison = compare(postgres(), have, want);
    let differences = comparison.differences.iter().map(|difference| match &difference.change {
        wevrun_core::compare::Change::Create(object) => format!("only in want: {}\n{}\n", difference.key, object.text),
        wevrun_core::compare::Change::Remove(object) => format!("only in have: {}\n{}\n", difference.key, object.text),
        wevrun_core::compare::Change::Change { have, want, properties, .. } => {
            format!("{}: {properties:#?}\n{:#?}\n{:#?}\n", difference.key, have.definition, want.definition)
        }
    });
    differences.collect()
}
