//! The connection of a deployment to SQLite.

use std::sync::Arc;

use wevrun_core::Dialect;
use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::script::Script;
use wevrun_core::snapshot::Snapshot;
use wevrun_sqlite::Sqlite;

use super::connection::{SqliteDatabase, words};
use crate::database::{Access, Release};
use crate::deployer::{self, Session};
use crate::error::{Broken, LiveError};

impl Session for SqliteDatabase {
    fn dialect(&self) -> &'static dyn Dialect {
        &Sqlite
    }

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

    fn structure(&mut self) -> Result<Arc<Model>, LiveError> {
        self.content().map(|content| Arc::new(content.model))
    }

    fn committed_structure(&mut self) -> Result<Arc<Model>, LiveError> {
        SqliteDatabase::open(&self.path, Access::Read)?.content().map(|content| Arc::new(content.model))
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

/// Runs all statements of a script, verifying nothing.
pub(super) fn run_unverified(session: &mut SqliteDatabase, script: &Script) -> Result<(), LiveError> {
    let mut number = 0;
    for part in &script.plan.parts {
        let frame = Sqlite.frame(part.mode);
        for statement in frame.opening().into_iter().chain(part.prepare.iter().map(String::as_str)) {
            deployer::execute(session, number, "before the first step", statement)?;
        }
        for step in &part.steps {
            number += 1;
            for statement in &step.statements {
                deployer::execute(session, number, &step.title, statement)?;
            }
        }
        for statement in part.checks.iter().map(String::as_str).chain(frame.closing()) {
            deployer::execute(session, number, "after the last step", statement)?;
        }
    }
    Ok(())
}
