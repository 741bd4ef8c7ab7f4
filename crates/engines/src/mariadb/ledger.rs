//! The ledger table. It is written last, in a transaction of its own, once all steps have been read back.

use std::io::{Read, Write};

use flate2::Compression;
use flate2::read::GzDecoder;
use flate2::write::GzEncoder;
use mysql::params;
use mysql::prelude::Queryable;
use wevrun_core::model::Fingerprint;
use wevrun_core::snapshot::Snapshot;
use wevrun_mariadb::{LEDGER_TABLE, MariaDb};

use super::connection::{MariaDatabase, meaning, text};
use crate::database::Release;
use crate::error::LiveError;
use crate::ledger::LedgerEntry;

impl MariaDatabase {
    /// Adds a release. Only the last one's structure is kept, packed.
    pub(super) fn write_ledger(
        &mut self,
        have: &Fingerprint,
        released: &Snapshot,
        release: &Release,
    ) -> Result<(), LiveError> {
        if !self.is_there(LEDGER_TABLE)? {
            // It ends the transaction, in which nothing has been written yet.
            self.run(&format!(
                "CREATE TABLE IF NOT EXISTS {LEDGER_TABLE} (
                    id bigint unsigned NOT NULL AUTO_INCREMENT PRIMARY KEY,
                    released_at datetime(3) NOT NULL,
                    released_by varchar(255) NOT NULL,
                    project text NOT NULL,
                    have char(64) NOT NULL,
                    want char(64) NOT NULL,
                    script_hash char(64) NOT NULL,
                    tool varchar(64) NOT NULL,
                    edited text NULL,
                    snapshot longblob NULL
                 ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4"
            ))?;
            self.run("START TRANSACTION")?;
        }
        self.forget_journal(&release.script_hash)?;
        self.run(&format!("UPDATE {LEDGER_TABLE} SET snapshot = NULL WHERE snapshot IS NOT NULL"))?;
        // The deployment waits for it: speed counts more than size.
        let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
        packed.write_all(released.write(&MariaDb, &[]).as_bytes()).expect("a Vec takes every byte");
        let packed = packed.finish().expect("a Vec takes every byte");
        let insert = format!(
            "INSERT INTO {LEDGER_TABLE} (released_at, released_by, project, have, want, script_hash, tool, edited, snapshot)
             VALUES (UTC_TIMESTAMP(3), :released_by, :project, :have, :want, :script_hash, :tool, :edited, :snapshot)"
        );
        let want = released.model.fingerprint();
        let values = params! {
            "released_by" => &release.released_by,
            "project" => &release.project,
            "have" => have.as_str(),
            "want" => want.as_str(),
            "script_hash" => release.script_hash.as_str(),
            "tool" => &release.tool,
            "edited" => release.edited.as_deref(),
            "snapshot" => packed,
        };
        self.connection.exec_drop(insert, values).map_err(|error| meaning(&error))
    }

    pub(super) fn last_entry(&mut self) -> Result<Option<LedgerEntry>, LiveError> {
        if !self.is_there(LEDGER_TABLE)? {
            return Ok(None);
        }
        let query = format!(
            "SELECT DATE_FORMAT(released_at, '%Y-%m-%dT%H:%i:%sZ'), released_by, have, want, script_hash, tool, project, snapshot \
             FROM {LEDGER_TABLE} ORDER BY id DESC LIMIT 1"
        );
        let rows = self.rows(&query)?;
        let Some(row) = rows.first() else { return Ok(None) };
        let word = |column: usize| text(row, column).unwrap_or_default();
        let packed: Option<Vec<u8>> = match row.as_ref(7) {
            Some(mysql::Value::Bytes(bytes)) => Some(bytes.clone()),
            _ => None,
        };
        Ok(Some(LedgerEntry {
            released_at: word(0),
            released_by: word(1),
            have: word(2),
            want: word(3),
            script_hash: word(4),
            tool: word(5),
            project: word(6),
            snapshot: packed.and_then(|packed| {
                let mut text = String::new();
                GzDecoder::new(&packed[..]).read_to_string(&mut text).ok().map(|_| text)
            }),
        }))
    }
}
