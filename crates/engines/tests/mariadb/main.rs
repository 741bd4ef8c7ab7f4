//! MariaDB, on a real server.

mod changes;
mod collisions;
mod grants;
mod histories;
mod invariants;
mod mapped;
mod others;
mod resumed;
mod servers;
mod spellings;
mod statements;
mod tls;
mod values;

use wevrun_core::Dialect;
use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{self, Script, ScriptHash, make_script};
use wevrun_core::source::Source;
use wevrun_engines::{Access, Database, LiveError, Release, open};
use wevrun_mariadb::MariaDb;
use wevrun_testkit::mariadb::{self, Server};

const VERSION: EngineVersion = EngineVersion { major: 10, minor: 11 };

fn maria() -> &'static dyn Dialect {
    &MariaDb
}

fn write(script: &Script) -> String {
    script::write(maria(), script)
}

/// The model of a source text, which must be right.
fn model(text: &str) -> Model {
    let source = Source::new("a.sql", text);
    let build = build(&MariaDb, VERSION, std::slice::from_ref(&source));
    let errors: Vec<_> = build.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}\n{text}");
    build.model
}

fn connect(database: &mariadb::Database, access: Access) -> Box<dyn Database> {
    open(&database.url().parse().expect("a URL"), access).expect("the server is there")
}

fn read(database: &mariadb::Database) -> Model {
    match connect(database, Access::Read).read() {
        Ok(content) => content.model,
        Err(LiveError::Unreadable(_, found)) => panic!("{found:#?}"),
        Err(error) => panic!("{error}"),
    }
}

fn script(have: &Model, want: &Model) -> Script {
    let comparison = compare(maria(), have, want);
    make_script(maria(), "honey", (have, want), &comparison, PlanOptions::default(), VERSION, &Evidence::default())
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

/// A new database of the usual server with these objects.
fn made(sql: &str) -> mariadb::Database {
    made_on(Server::usual(), sql)
}

/// The same on another server.
fn made_on(server: &'static Server, sql: &str) -> mariadb::Database {
    let database = server.database();
    database.client(sql).unwrap_or_else(|words| panic!("{words}\n{sql}"));
    database
}

/// What differs between two models that must be equal, in words.
fn difference(have: &Model, want: &Model) -> String {
    let comparison = compare(maria(), have, want);
    let differences = comparison.differences.iter().map(|difference| match &difference.change {
        wevrun_core::compare::Change::Create(object) => format!("only in want: {}\n{}\n", difference.key, object.text),
        wevrun_core::compare::Change::Remove(object) => format!("only in have: {}\n{}\n", difference.key, object.text),
        wevrun_core::compare::Change::Change { have, want, properties, .. } => {
            format!("{}: {properties:#?}\n{}\n{}\n", difference.key, have.text, want.text)
        }
    });
    differences.collect()
}

/// Whether two models are the same, as far as that can be told.
fn is_same(have: &Model, want: &Model) -> bool {
    compare(maria(), have, want).differences.is_empty()
}
