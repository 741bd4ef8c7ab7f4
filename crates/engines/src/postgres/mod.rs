//! PostgreSQL, over its own protocol.

mod archive;
mod connection;
mod digest;
mod ledger;
mod probe;
mod read;
mod run;
mod scratch;
mod settings;
mod tables;
mod tls;

pub use std::path::Path;

use connection::PostgresDatabase;
pub use settings::Settings;

use wevrun_core::script::Script;

use crate::address::Address;
use crate::database::{Access, Database, Spelling};
use crate::error::LiveError;
use crate::live::{LiveEngine, Starter};

/// PostgreSQL's servers.
pub struct LivePostgres;

impl LiveEngine for LivePostgres {
    fn schemes(&self) -> &'static [&'static str] {
        &["postgres", "postgresql"]
    }

    fn open(&self, address: &Address, access: Access) -> Result<Box<dyn Database>, LiveError> {
        Ok(Box::new(PostgresDatabase::open(address.url(), access)?))
    }

    fn spell(&self, address: &Address, script: &Script) -> Result<Spelling, LiveError> {
        scratch::spell(address.url(), script)
    }

    fn execute(&self, address: &Address, sql: &str) -> Result<(), LiveError> {
        connection::execute(address.url(), sql)
    }

    fn is_archive(&self, path: &Path) -> bool {
        archive::is_archive(path)
    }

    fn read_archive(&self, path: &Path) -> Result<Vec<u8>, LiveError> {
        archive::read(path)
    }

    fn starter(&self) -> Starter {
        Starter {
            url: "${PRODUCTION_URL}",
            example: include_str!("starter.sql"),
            ignored: "# Passwords, and rows that were dumped\n.pgpass\n.env\n*.dump\n",
        }
    }
}
