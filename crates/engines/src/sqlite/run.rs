//! What a deployment needs of an SQLite connection.

use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::snapshot::Snapshot;

use super::connection::{SqliteDatabase, words};
use crate::course::Session;
use crate::database::{Access, Release};
use crate::error::{Broken, LiveError};

impl Session for SqliteDatabase {
    fn statement(&mut self, statement: &str) -> Result<(), LiveError> {
        let Err(error) = self.one_statement(statement) else { return Ok(()) };
        let engine_words = words(&error);
        Err(if engine_words.contains("foreign_keys_would_break") {
            LiveError::ForeignKeysBroken(self.broken_foreign_keys())
        } else if engine_words.contains("rows_would_be_lost") {
            LiveError::WouldLoseRows
        } else if engine_words.contains("structure_is_another") {
            LiveError::AnotherStructure
        } else {
            self.meaning(&error)
        })
    }

    fn is_in_transaction(&mut self) -> bool {
        !self.connection.is_autocommit()
    }

    fn structure(&mut self) -> Result<Model, LiveError> {
        self.content().map(|content| content.model)
    }

    fn committed_structure(&mut self) -> Result<Model, LiveError> {
        SqliteDatabase::open(&self.path, Access::Read)?.content().map(|content| content.model)
    }

    fn record(&mut self, have: &Fingerprint, released: &Snapshot, release: &Release) -> Result<(), LiveError> {
        self.write_ledger(have, released, release).map_err(|error| self.meaning(&error))
    }
}

impl SqliteDatabase {
    /// Runs exactly one statement: the engine must see the end of it where we do.
    fn one_statement(&self, text: &str) -> rusqlite::Result<()> {
        let mut statement = self.connection.prepare(text)?;
        let mut rows = statement.raw_query();
        while rows.next()?.is_some() {}
        Ok(())
    }

    /// The first values without a parent, as the transaction has left them.
    fn broken_foreign_keys(&self) -> Vec<Broken> {
        let rows =
            self.connection.prepare("SELECT foreign_key, value FROM temp.wevrun_broken WHERE moment = 'after' LIMIT 5");
        let read = |row: &rusqlite::Row<'_>| Ok(Broken { foreign_key: row.get(0)?, value: row.get(1)? });
        rows.and_then(|mut statement| statement.query_map([], read)?.collect()).unwrap_or_default()
    }
}
