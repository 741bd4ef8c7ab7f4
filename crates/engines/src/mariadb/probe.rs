//! Questions about rows, each of which stops at the first row that answers it.

use wevrun_core::plan::{Evidence, Planner, Probe};
use wevrun_mariadb::MariaDb;

use super::connection::MariaDatabase;
use crate::database::counting;
use crate::error::LiveError;

impl MariaDatabase {
    pub(super) fn evidence(&mut self, probes: &[Probe]) -> Result<Evidence, LiveError> {
        let mut answers = Vec::with_capacity(probes.len());
        for probe in probes {
            let sql = counting(probe, &MariaDb.probe_query(probe));
            match self.value(&sql) {
                Ok(rows) => answers.extend(rows.and_then(|rows| rows.parse().ok()).map(|rows| (probe.clone(), rows))),
                // What the user may not read is not known.
                Err(LiveError::Engine(words)) if words.contains("command denied") => {}
                Err(error) => return Err(error),
            }
        }
        Ok(Evidence::counted(answers))
    }
}
