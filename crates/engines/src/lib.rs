//! Live databases: read the catalogue, ask about rows, run a script, keep the ledger.
//!
//! A new engine is one new folder here that implements [`Database`], and one in the core's dialects.

mod course;
mod database;
mod error;
mod ledger;
pub mod postgres;
pub mod sqlite;
mod url;

pub use database::{Access, Content, Database, Deployment, Event, Release, Spelling, open, spell};
pub use error::{Broken, LiveError};
pub use ledger::LedgerEntry;
pub use url::{DatabaseUrl, UrlError};

use wevrun_core::check::Refusal;
use wevrun_core::model::Model;
use wevrun_core::{Engine, EngineVersion};

/// The version of an engine that is compiled in, if it is.
pub fn built_in_version(engine: Engine) -> Option<EngineVersion> {
    match engine {
        Engine::Sqlite => rusqlite::version().parse().ok(),
        Engine::Postgres => None,
    }
}

/// The engine's own opinion of a model, without any database of the user's: objects that it refuses, ordered.
pub fn second_opinion(engine: Engine, model: &Model) -> Vec<Refusal> {
    match engine {
        Engine::Sqlite => sqlite::second_opinion(model),
        // The server is no library: nothing of it runs without a connection.
        Engine::Postgres => Vec::new(),
    }
}
