//! SQLite, through the engine that is compiled in.

mod connection;
mod ledger;
mod probe;
mod read;
mod run;
mod second_opinion;

pub use connection::SqliteDatabase;

use std::path::Path;

use wevrun_core::EngineVersion;
use wevrun_core::check::Refusal;
use wevrun_core::model::Model;
use wevrun_core::script::Script;

use crate::address::Address;
use crate::database::{Access, Database, Spelling};
use crate::error::LiveError;
use crate::live::{LiveEngine, Starter};

/// SQLite's files.
pub struct LiveSqlite;

impl LiveEngine for LiveSqlite {
    fn schemes(&self) -> &'static [&'static str] {
        &["sqlite"]
    }

    fn is_file(&self) -> bool {
        true
    }

    fn is_database(&self, path: &Path) -> bool {
        // https://sqlite.org/fileformat.html#magic_header_string
        let mut start = [0; 16];
        let read = std::fs::File::open(path).and_then(|mut file| std::io::Read::read_exact(&mut file, &mut start));
        read.is_ok() && start == *b"SQLite format 3\0"
    }

    fn open(&self, address: &Address, access: Access) -> Result<Box<dyn Database>, LiveError> {
        Ok(Box::new(SqliteDatabase::open(address.path(), access)?))
    }

    fn spell(&self, _: &Address, _: &Script) -> Result<Spelling, LiveError> {
        let message = "SQLite keeps definitions as they were written; it needs no scratch database";
        Err(LiveError::Engine(message.to_owned()))
    }

    fn execute(&self, address: &Address, sql: &str) -> Result<(), LiveError> {
        connection::execute(address.path(), sql)
    }

    fn built_in_version(&self) -> Option<EngineVersion> {
        rusqlite::version().parse().ok()
    }

    fn second_opinion(&self, model: &Model) -> Vec<Refusal> {
        second_opinion::second_opinion(model)
    }

    fn starter(&self) -> Starter {
        Starter {
            url: "sqlite:${PRODUCTION_DB}",
            example: include_str!("starter.sql"),
            ignored: "# Databases\n*.db\n*.db-journal\n*.db-wal\n*.db-shm\n",
        }
    }
}
