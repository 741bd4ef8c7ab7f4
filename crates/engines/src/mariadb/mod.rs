//! MariaDB, over its own protocol.

mod connection;
mod journal;
mod ledger;
mod option_file;
mod privileges;
mod probe;
mod read;
mod rights;
mod run;
mod scratch;
mod settings;
mod shown;
mod statements;

use wevrun_core::script::Script;

use connection::MariaDatabase;

use crate::address::Address;
use crate::database::{Access, Database, Spelling};
use crate::error::LiveError;
use crate::live::{LiveEngine, Starter};

/// MariaDB's servers.
pub struct LiveMariaDb;

impl LiveEngine for LiveMariaDb {
    fn schemes(&self) -> &'static [&'static str] {
        &["mariadb", "mysql"]
    }

    fn open(&self, address: &Address, access: Access) -> Result<Box<dyn Database>, LiveError> {
        Ok(Box::new(MariaDatabase::open(address.url(), access)?))
    }

    fn spell(&self, address: &Address, script: &Script) -> Result<Spelling, LiveError> {
        scratch::spell(address.url(), script)
    }

    fn execute(&self, address: &Address, sql: &str) -> Result<(), LiveError> {
        connection::execute(address.url(), sql)
    }

    fn starter(&self) -> Starter {
        Starter {
            url: "${PRODUCTION_URL}",
            example: include_str!("starter.sql"),
            ignored: "# Passwords, and rows that were dumped\n.my.cnf\n.env\n*.dump\n",
        }
    }
}
