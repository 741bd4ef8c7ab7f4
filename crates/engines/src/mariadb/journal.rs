//! The journal: which step of which script a deployment is at. Its rows are committed by themselves before and after each step, since
//! the server commits every step by itself.

use mysql::prelude::Queryable;
use wevrun_core::script::{ScriptHash, StepId};
use wevrun_mariadb::{JOURNAL_TABLE, literal};

use super::connection::{MariaDatabase, meaning};
use crate::deployer::Moment;
use crate::error::LiveError;

impl MariaDatabase {
    /// How many steps of a script are done, one after the other from the first one; none if nothing is written down.
    pub(super) fn steps_done(&mut self, script: &ScriptHash) -> Result<Option<usize>, LiveError> {
        if !self.is_there(JOURNAL_TABLE)? {
            return Ok(None);
        }
        let query = format!(
            "SELECT step FROM {JOURNAL_TABLE} WHERE script = '{}' AND done_at IS NOT NULL ORDER BY step",
            script.as_str()
        );
        let steps: Vec<usize> = self.connection.query(query).map_err(|error| meaning(&error))?;
        let done = steps.iter().enumerate().take_while(|(index, step)| index + 1 == **step).count();
        Ok((!steps.is_empty()).then_some(done))
    }

    /// Whether there is a table of this name.
    pub(super) fn is_there(&mut self, table: &str) -> Result<bool, LiveError> {
        let query = format!(
            "SELECT 1 FROM information_schema.tables WHERE table_schema = DATABASE() AND BINARY table_name = '{table}'"
        );
        Ok(self.value(&query)?.is_some())
    }

    pub(super) fn write_journal(&mut self, step: &StepId, title: &str, moment: Moment) -> Result<(), LiveError> {
        if !self.has_journal {
            if !self.is_there(JOURNAL_TABLE)? {
                self.run(&format!(
                    "CREATE TABLE IF NOT EXISTS {JOURNAL_TABLE} (
                        script char(64) NOT NULL,
                        step int unsigned NOT NULL,
                        title text NOT NULL,
                        began_at datetime(3) NOT NULL,
                        done_at datetime(3) NULL,
                        PRIMARY KEY (script, step)
                     ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4"
                ))?;
            }
            self.has_journal = true;
        }
        let (script, title) = (step.script.as_str(), literal(title));
        let number = step.number;
        let statement = match moment {
            Moment::Begins => format!(
                "INSERT INTO {JOURNAL_TABLE} (script, step, title, began_at) VALUES ('{script}', {number}, {title}, UTC_TIMESTAMP(3))
                 ON DUPLICATE KEY UPDATE began_at = UTC_TIMESTAMP(3), done_at = NULL"
            ),
            Moment::Done => format!(
                "UPDATE {JOURNAL_TABLE} SET done_at = UTC_TIMESTAMP(3) WHERE script = '{script}' AND step = {number}"
            ),
        };
        self.run(&statement)
    }

    /// A script that is done needs no journal.
    pub(super) fn forget_journal(&mut self, script: &ScriptHash) -> Result<(), LiveError> {
        if !self.has_journal {
            return Ok(());
        }
        self.run(&format!("DELETE FROM {JOURNAL_TABLE} WHERE script = '{}'", script.as_str()))
    }
}
