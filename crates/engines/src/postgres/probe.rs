//! Questions about rows. Each stops at the first row that answers it.

use wevrun_core::Engine;
use wevrun_core::dialects::dialect;
use wevrun_core::plan::{Evidence, Probe};

use super::connection::{PostgresDatabase, meaning, single};
use crate::error::LiveError;

impl PostgresDatabase {
    pub(super) fn evidence(&mut self, probes: &[Probe]) -> Result<Evidence, LiveError> {
        let mut answers = Vec::with_capacity(probes.len());
        for probe in probes {
            let sql = format!("SELECT EXISTS ({})", dialect(Engine::Postgres).probe_query(probe));
            match self.client.simple_query(&sql) {
                Ok(messages) => {
                    let yes = single(&messages).and_then(|row| row.get(0)) == Some("t");
                    answers.push((probe.clone(), yes));
                }
                // What the role may not read is not known.
                Err(error) if error.code() == Some(&postgres::error::SqlState::INSUFFICIENT_PRIVILEGE) => {}
                Err(error) => return Err(meaning(&error)),
            }
        }
        Ok(Evidence::new(answers))
    }
}
