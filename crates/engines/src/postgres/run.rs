//! The connection of a deployment to PostgreSQL.

use std::sync::Arc;

use wevrun_core::Dialect;
use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::snapshot::Snapshot;
use wevrun_postgres::Postgres;

use super::connection::{PostgresDatabase, meaning, single};
use crate::database::Release;
use crate::deployer::Session;
use crate::error::LiveError;

impl Session for PostgresDatabase {
    fn dialect(&self) -> &'static dyn Dialect {
        &Postgres
    }

    fn statement(&mut self, statement: &str) -> Result<(), LiveError> {
        self.client.batch_execute(statement).map_err(|error| meaning(&error))
    }

    /// Only one release at a time; and a setting that ends with the transaction.
    fn lock_out_others(&mut self) -> Result<(), LiveError> {
        self.statement(
            "SET LOCAL lock_timeout = '10s'; SELECT pg_advisory_xact_lock(hashtext('wevrun release')); \
             SET LOCAL wevrun.release = 'running'",
        )
    }

    fn hold(&mut self, on: bool) -> Result<(), LiveError> {
        self.statement(if on {
            "SET lock_timeout = '10s'; SELECT pg_advisory_lock(hashtext('wevrun release')); RESET lock_timeout"
        } else {
            "SELECT pg_advisory_unlock(hashtext('wevrun release'))"
        })
    }

    fn is_in_transaction(&mut self) -> bool {
        let answer = self.client.simple_query("SELECT current_setting('wevrun.release', true)");
        answer.is_ok_and(|messages| single(&messages).and_then(|row| row.get(0)) == Some("running"))
    }

    fn structure(&mut self) -> Result<Arc<Model>, LiveError> {
        let in_transaction = self.is_in_transaction();
        self.current_structure(in_transaction)
    }

    fn committed_structure(&mut self) -> Result<Arc<Model>, LiveError> {
        let mut another = self.another()?;
        another.known = self.known.take();
        another.catalogues.clone_from(&self.catalogues);
        another.current_structure(false)
    }

    fn ledger_rights(&self) -> Option<&'static str> {
        Some(
            "the first release needs the right to create a schema (GRANT CREATE ON DATABASE); later ones need USAGE on \
             schema wevrun, and SELECT, INSERT and UPDATE on wevrun.ledger",
        )
    }

    fn record(&mut self, have: &Fingerprint, released: &Snapshot, release: &Release) -> Result<(), LiveError> {
        self.write_ledger(have, released, release)
    }
}
