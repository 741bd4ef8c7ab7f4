//! What a deployment needs of an SQLite connection.

use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::snapshot::Snapshot;

use super::connection::{SqliteDatabase, words};
use crate::course::Session;
use crate::database::Release;
use crate::error::{Broken, LiveError};

impl Session for SqliteDatabase {
    const BEGIN: &'static str = "BEGIN IMMEDIATE";

    fn statement(&mut self, statement: &str) -> Result<(), LiveError> {
        let Err(error) = self.connection.execute_batch(statement) else { return Ok(()) };
        let engine_words = words(&error);
        Err(if engine_words.contains("foreign_keys_would_break") {
            LiveError::ForeignKeysBroken(self.broken_foreign_keys())
        } else if engine_words.contains("rows_would_be_lost") {
            LiveError::WouldLoseRows
        } else {
            self.meaning(&error)
        })
    }

    fn is_for_client(statement: &str) -> bool {
        statement.starts_with('.')
    }

    fn is_in_transaction(&mut self) -> bool {
        !self.connection.is_autocommit()
    }

    fn structure(&mut self) -> Result<Model, LiveError> {
        self.content().map(|content| content.model)
    }

    fn record(&mut self, have: &Fingerprint, released: &Snapshot, release: &Release) -> Result<(), LiveError> {
        self.write_ledger(have, released, release).map_err(|error| self.meaning(&error))
    }
}

impl SqliteDatabase {
    /// The first rows without a partner, as the transaction has left them.
    fn broken_foreign_keys(&self) -> Vec<Broken> {
        let rows = self.connection.prepare("SELECT \"table\", rowid, parent FROM pragma_foreign_key_check LIMIT 5");
        let read = |row: &rusqlite::Row<'_>| Ok(Broken { table: row.get(0)?, row: row.get(1)?, parent: row.get(2)? });
        rows.and_then(|mut statement| statement.query_map([], read)?.collect()).unwrap_or_default()
    }
}
