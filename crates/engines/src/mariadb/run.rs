//! The connection of a deployment to MariaDB.

use std::sync::Arc;

use wevrun_core::Dialect;
use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::script::{ScriptHash, StepId};
use wevrun_core::snapshot::Snapshot;
use wevrun_mariadb::MariaDb;

use super::connection::MariaDatabase;
use crate::database::Release;
use crate::deployer::{Moment, Session};
use crate::error::LiveError;

/// The name of the lock that keeps two deployments of one database apart. Names of such locks count on the whole server, and are not
/// longer than 192 characters.
const LOCK: &str = "CONCAT('wevrun ', LEFT(DATABASE(), 64))";

impl Session for MariaDatabase {
    fn dialect(&self) -> &'static dyn Dialect {
        &MariaDb
    }

    fn statement(&mut self, statement: &str) -> Result<(), LiveError> {
        self.run(statement)
    }

    fn lock_out_others(&mut self) -> Result<(), LiveError> {
        self.take_lock()
    }

    fn hold(&mut self, on: bool) -> Result<(), LiveError> {
        if on { self.take_lock() } else { self.run(&format!("DO RELEASE_LOCK({LOCK})")) }
    }

    fn journalled(&mut self, script: &ScriptHash) -> Result<Option<usize>, LiveError> {
        self.steps_done(script)
    }

    fn journal(&mut self, step: &StepId, title: &str, moment: Moment) -> Result<(), LiveError> {
        self.write_journal(step, title, moment)
    }

    fn release(&mut self) {
        // If this fails, the locks end with the connection.
        let _ = self.run("UNLOCK TABLES");
    }

    fn is_in_transaction(&mut self) -> bool {
        // Without an answer, the next statement has the error.
        self.value("SELECT @@in_transaction").map_or(true, |answer| answer.as_deref() == Some("1"))
    }

    fn structure(&mut self) -> Result<Arc<Model>, LiveError> {
        Ok(Arc::new(self.another()?.content()?.model))
    }

    fn committed_structure(&mut self) -> Result<Arc<Model>, LiveError> {
        self.structure()
    }

    fn ledger_rights(&self) -> Option<&'static str> {
        Some(
            "the first release needs CREATE on the database; later ones need SELECT, INSERT, UPDATE and DELETE on wevrun_ledger \
             and wevrun_journal",
        )
    }

    fn record(&mut self, have: &Fingerprint, released: &Snapshot, release: &Release) -> Result<(), LiveError> {
        self.write_ledger(have, released, release)
    }
}

impl MariaDatabase {
    fn take_lock(&mut self) -> Result<(), LiveError> {
        match self.value(&format!("SELECT GET_LOCK({LOCK}, 10)"))?.as_deref() {
            Some("1") => Ok(()),
            _ => Err(self.who_deploys()?),
        }
    }

    /// The session that holds the lock, and what it does as far as the user may see it.
    fn who_deploys(&mut self) -> Result<LiveError, LiveError> {
        let session = self.value(&format!("SELECT IS_USED_LOCK({LOCK})"))?;
        let Some(session) = session else { return Ok(LiveError::Locked) };
        let statement = self.value(&format!(
            "SELECT CONCAT('for ', time, ' s: ', SUBSTRING_INDEX(info, '\\n', 1)) FROM information_schema.processlist WHERE id = {session}"
        ))?;
        let doing = statement.map_or_else(String::new, |statement| format!(", {statement}"));
        Ok(LiveError::Deploying(format!("connection {session}{doing}")))
    }
}
