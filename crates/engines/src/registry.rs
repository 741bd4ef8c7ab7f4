//! Which engines there are. A Cargo feature leaves one out; the rest works without it.

use wevrun_core::engine::find_engine;
use wevrun_core::{Dialect, Engine};

use crate::live::LiveEngine;

/// An engine: its dialect, and its live databases.
pub struct Registered {
    /// The dialect.
    pub dialect: &'static dyn Dialect,
    /// The live databases.
    pub live: &'static dyn LiveEngine,
}

/// Every engine, in the order in which help texts list them. The first is the default.
static ENGINES: &[Registered] = &[
    #[cfg(feature = "sqlite")]
    Registered { dialect: &wevrun_sqlite::Sqlite, live: &crate::sqlite::LiveSqlite },
    #[cfg(feature = "postgres")]
    Registered { dialect: &wevrun_postgres::Postgres, live: &crate::postgres::LivePostgres },
    #[cfg(feature = "mariadb")]
    Registered { dialect: &wevrun_mariadb::MariaDb, live: &crate::mariadb::LiveMariaDb },
];

/// Every engine, in the order in which help texts list them.
pub fn all() -> impl Iterator<Item = &'static Registered> {
    ENGINES.iter()
}

/// Every engine, as the core takes them.
pub fn engines() -> Vec<&'static Engine> {
    all().map(|registered| registered.dialect.engine()).collect()
}

/// The engine of this name, or a message that lists the names.
pub fn engine(name: &str) -> Result<&'static Engine, String> {
    find_engine(&engines(), name)
}

/// The dialect of the engine of this name, or a message that lists the names.
pub fn find_dialect(name: &str) -> Result<&'static dyn Dialect, String> {
    engine(name).map(dialect)
}

/// The entry of an engine. Panics if the registry does not list it: every engine of the program is from there.
pub(crate) fn entry(engine: &Engine) -> &'static Registered {
    all().find(|registered| registered.dialect.engine() == engine).expect("engines are from the registry")
}

/// The dialect of an engine of the registry.
pub fn dialect(engine: &Engine) -> &'static dyn Dialect {
    entry(engine).dialect
}

/// The live side of an engine of the registry.
pub fn live(engine: &Engine) -> &'static dyn LiveEngine {
    entry(engine).live
}
