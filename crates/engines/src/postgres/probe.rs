//! Questions about rows, each of which stops at the first row that answers it; and how many locks the server has room for.

use wevrun_core::plan::{Evidence, Planner, Probe};
use wevrun_postgres::Postgres;

use super::connection::{PostgresDatabase, meaning, single};
use crate::database::counting;
use crate::error::LiveError;

/// <https://www.postgresql.org/docs/current/runtime-config-locks.html>
const LOCK_ROOM: &str = "SELECT current_setting('max_locks_per_transaction')::bigint \
     * (current_setting('max_connections')::bigint + current_setting('max_prepared_transactions')::bigint)";

impl PostgresDatabase {
    pub(super) fn evidence(&mut self, probes: &[Probe]) -> Result<Evidence, LiveError> {
        let mut answers = Vec::with_capacity(probes.len());
        for probe in probes {
            let sql = counting(probe, &Postgres.probe_query(probe));
            match self.client.simple_query(&sql) {
                Ok(messages) => {
                    let rows = single(&messages).and_then(|row| row.get(0)?.parse().ok());
                    answers.extend(rows.map(|rows| (probe.clone(), rows)));
                }
                // What the role may not read is not known.
                Err(error) if error.code() == Some(&postgres::error::SqlState::INSUFFICIENT_PRIVILEGE) => {}
                Err(error) => return Err(meaning(&error)),
            }
        }
        let evidence = Evidence::counted(answers);
        let room = self.client.simple_query(LOCK_ROOM).map_err(|error| meaning(&error))?;
        let room = single(&room).and_then(|row| row.get(0)?.parse().ok());
        Ok(room.map_or(evidence.clone(), |locks| evidence.with_lock_room(locks)))
    }
}
