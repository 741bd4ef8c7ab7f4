//! Opening a file, and what the engine's errors mean.

use std::path::{Path, PathBuf};
use std::time::Duration;

use rusqlite::{Connection, ErrorCode, OpenFlags, ffi};
use wevrun_core::plan::{Evidence, Probe};
use wevrun_core::script::Script;

use crate::database::{Access, Content, Database, Deployment, Event, Release};
use crate::deployer;
use crate::error::LiveError;
use crate::ledger::LedgerEntry;

/// How long to wait for another connection's lock.
const LOCK_TIMEOUT: Duration = Duration::from_secs(5);

/// The largest structure that is copied to run a script on it.
const MOST_COPIED: i64 = 1000;

/// An open SQLite database.
pub struct SqliteDatabase {
    pub(super) path: PathBuf,
    pub(super) connection: Connection,
    /// Whether this connection made the file.
    made: bool,
}

/// A deployment that came to nothing leaves no empty file behind.
impl Drop for SqliteDatabase {
    fn drop(&mut self) {
        if self.made && self.path.metadata().is_ok_and(|file| file.len() == 0) {
            let _ = std::fs::remove_file(&self.path);
        }
    }
}

impl SqliteDatabase {
    /// Opens a file.
    pub fn open(path: &Path, access: Access) -> Result<SqliteDatabase, LiveError> {
        let shown = path.display().to_string();
        if path.is_dir() {
            return Err(LiveError::NotADatabase(shown, "it is a folder".to_owned()));
        }
        let made = !path.exists();
        if access != Access::Create && made {
            return Err(LiveError::NotFound(shown));
        }
        let mode = match access {
            Access::Read => OpenFlags::SQLITE_OPEN_READ_ONLY,
            Access::Write => OpenFlags::SQLITE_OPEN_READ_WRITE,
            Access::Create => OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_CREATE,
        };
        let flags = mode | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let connection = Connection::open_with_flags(path, flags).map_err(|error| meaning(&error))?;
        connection.busy_timeout(LOCK_TIMEOUT).map_err(|error| meaning(&error))?;
        Ok(SqliteDatabase { path: path.to_owned(), connection, made })
    }

    /// A database in memory with the same definitions and without rows.
    fn copy_of_structure(&self) -> rusqlite::Result<SqliteDatabase> {
        let copy = Connection::open_in_memory()?;
        // Shadow tables of virtual tables are created with these.
        let sql = "SELECT sql FROM main.sqlite_schema WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' \
                   AND name NOT IN (SELECT name FROM pragma_table_list WHERE type = 'shadow') ORDER BY rowid";
        let mut definitions = self.connection.prepare(sql)?;
        let definitions: Vec<String> = definitions.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
        copy.execute_batch(&(definitions.join(";\n") + ";"))?;
        Ok(SqliteDatabase { path: PathBuf::new(), connection: copy, made: false })
    }

    /// The meaning of an error of this connection.
    pub(super) fn meaning(&self, error: &rusqlite::Error) -> LiveError {
        match meaning(error) {
            LiveError::NotADatabase(_, message) => LiveError::NotADatabase(self.path.display().to_string(), message),
            other => other,
        }
    }
}

/// Runs statements as a person would with the engine's own client, outside any release.
pub fn execute(path: &Path, sql: &str) -> Result<(), LiveError> {
    let database = SqliteDatabase::open(path, Access::Write)?;
    database.connection.execute_batch(sql).map_err(|error| database.meaning(&error))
}

/// The meaning of an error (<https://sqlite.org/rescode.html>).
fn meaning(error: &rusqlite::Error) -> LiveError {
    let message = words(error);
    let Some(code) = error.sqlite_error() else { return LiveError::Engine(message) };
    match (code.code, code.extended_code) {
        (_, ffi::SQLITE_READONLY_ROLLBACK | ffi::SQLITE_READONLY_RECOVERY) => LiveError::NeedsRecovery,
        (ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked, _) => LiveError::Locked,
        (ErrorCode::ReadOnly | ErrorCode::PermissionDenied, _) => LiveError::ReadOnly(message),
        (ErrorCode::DiskFull, _) | (_, ffi::SQLITE_IOERR_WRITE) => LiveError::DiskFull(message),
        (ErrorCode::NotADatabase | ErrorCode::DatabaseCorrupt, _) => LiveError::NotADatabase(String::new(), message),
        _ => LiveError::Engine(message),
    }
}

/// The engine's own words.
pub(super) fn words(error: &rusqlite::Error) -> String {
    match error {
        rusqlite::Error::SqliteFailure(_, Some(message)) => message.clone(),
        rusqlite::Error::SqlInputError { msg, .. } => msg.clone(),
        other => other.to_string(),
    }
}

impl Database for SqliteDatabase {
    fn read(&mut self) -> Result<Content, LiveError> {
        self.content()
    }

    fn probe(&mut self, probes: &[Probe]) -> Result<Evidence, LiveError> {
        self.evidence(probes)
    }

    fn deploy(
        &mut self,
        script: &Script,
        release: &Release,
        watch: &mut dyn FnMut(Event<'_>),
    ) -> Result<Deployment, LiveError> {
        deployer::run(self, script, release, watch)
    }

    fn facts(&mut self, query: &str) -> Result<Vec<String>, LiveError> {
        let rows =
            self.connection.prepare(query).and_then(|mut query| query.query_map([], |row| row.get(0))?.collect());
        rows.map_err(|error| self.meaning(&error))
    }

    fn facts_after(&mut self, script: &Script, query: &str) -> Option<Vec<String>> {
        // To create an object costs the engine time that grows with all that there are.
        let count = "SELECT count(*) FROM main.sqlite_schema";
        let objects: i64 = self.connection.query_row(count, [], |row| row.get(0)).ok()?;
        if objects > MOST_COPIED {
            return None;
        }
        let mut copy = self.copy_of_structure().ok()?;
        super::run::run_unverified(&mut copy, script).ok()?;
        copy.facts(query).ok()
    }

    fn last_release(&mut self) -> Result<Option<LedgerEntry>, LiveError> {
        self.last_entry()
    }
}
