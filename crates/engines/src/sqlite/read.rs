//! The catalogue: one query, whatever the size.

use wevrun_core::build::Reading;
use wevrun_core::source::Source;
use wevrun_sqlite::Sqlite;

use super::connection::SqliteDatabase;
use crate::database::Content;
use crate::error::LiveError;

/// Every definition. The engine's own tables and the indexes of constraints have none.
const CATALOGUE: &str = "SELECT type, name, sql FROM main.sqlite_schema WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite\\_%' \
                         ESCAPE '\\' ORDER BY rowid";

impl SqliteDatabase {
    pub(super) fn content(&self) -> Result<Content, LiveError> {
        let sources = self.definitions().map_err(|error| self.meaning(&error))?;
        let mut reading = Reading::new(&Sqlite);
        reading.add(&sources);
        let build = reading.finish();
        let (errors, diagnostics): (Vec<_>, Vec<_>) = build.diagnostics.into_iter().partition(|found| found.is_error());
        // An instruction to Wevrun in a stored definition is a matter of the source, not of the database.
        let errors: Vec<_> = errors.into_iter().filter(|e| e.code != wevrun_core::diagnostics::Code::WV009).collect();
        if !errors.is_empty() {
            return Err(LiveError::Unreadable(sources, errors));
        }
        Ok(Content { model: build.model, sources, version: None, diagnostics })
    }

    fn definitions(&self) -> rusqlite::Result<Vec<Source>> {
        let file = self.path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
        let mut statement = self.connection.prepare(CATALOGUE)?;
        let rows = statement.query_map([], |row| {
            let (kind, name, sql): (String, String, String) = (row.get(0)?, row.get(1)?, row.get(2)?);
            Ok(Source::new(format!("sqlite:{file}, {kind} {name}"), &sql))
        })?;
        rows.collect()
    }
}
