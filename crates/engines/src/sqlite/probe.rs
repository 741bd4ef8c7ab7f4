//! Questions about rows. Each stops at the first row that answers it.

use wevrun_core::plan::{Evidence, Planner, Probe};
use wevrun_sqlite::Sqlite;

use super::connection::SqliteDatabase;
use crate::database::counting;
use crate::error::LiveError;

impl SqliteDatabase {
    pub(super) fn evidence(&self, probes: &[Probe]) -> Result<Evidence, LiveError> {
        let mut answers = Vec::with_capacity(probes.len());
        for probe in probes {
            let sql = counting(probe, &Sqlite.probe_query(probe));
            // A virtual table whose module is not here can't be asked: then nothing is known.
            match self.connection.query_row(&sql, [], |row| row.get::<_, i64>(0)) {
                Ok(rows) => answers.push((probe.clone(), rows.unsigned_abs())),
                Err(error) if error.to_string().contains("no such module") => {}
                Err(error) => return Err(self.meaning(&error)),
            }
        }
        Ok(Evidence::counted(answers))
    }
}
