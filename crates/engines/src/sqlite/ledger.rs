//! The ledger table. It is written in the transaction of the release itself, so it has nothing that did not happen.

use std::io::{Read, Write};

use flate2::Compression;
use flate2::read::GzDecoder;
use flate2::write::GzEncoder;
use rusqlite::{OptionalExtension, params};
use wevrun_core::model::Fingerprint;
use wevrun_core::snapshot::Snapshot;
use wevrun_sqlite::{LEDGER_TABLE, Sqlite};

use super::connection::SqliteDatabase;
use crate::database::Release;
use crate::error::LiveError;
use crate::ledger::LedgerEntry;

impl SqliteDatabase {
    /// Adds a release. Only the last one's structure is kept, packed.
    pub(super) fn write_ledger(
        &self,
        have: &Fingerprint,
        released: &Snapshot,
        release: &Release,
    ) -> rusqlite::Result<()> {
        self.connection.execute_batch(&format!(
            "CREATE TABLE IF NOT EXISTS main.{LEDGER_TABLE} (
                id INTEGER PRIMARY KEY,
                released_at TEXT NOT NULL,
                released_by TEXT NOT NULL,
                project TEXT NOT NULL,
                have TEXT NOT NULL,
                want TEXT NOT NULL,
                script_hash TEXT NOT NULL,
                tool TEXT NOT NULL,
                edited TEXT,
                snapshot BLOB
            );
            UPDATE main.{LEDGER_TABLE} SET snapshot = NULL WHERE snapshot IS NOT NULL;"
        ))?;
        // A ledger of an earlier version.
        let columns = "SELECT count(*) FROM pragma_table_info(?1) WHERE name = 'edited'";
        if self.connection.query_row(columns, [LEDGER_TABLE], |row| row.get::<_, i64>(0))? == 0 {
            self.connection.execute_batch(&format!("ALTER TABLE main.{LEDGER_TABLE} ADD COLUMN edited TEXT"))?;
        }
        // The deployment waits for it: speed counts more than size.
        let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
        packed.write_all(released.write(&Sqlite, &[]).as_bytes()).expect("a Vec takes every byte");
        let packed = packed.finish().expect("a Vec takes every byte");
        self.connection.execute(
            &format!(
                "INSERT INTO main.{LEDGER_TABLE} (released_at, released_by, project, have, want, script_hash, tool, edited, snapshot)
                 VALUES (strftime('%Y-%m-%dT%H:%M:%SZ', 'now'), ?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)"
            ),
            params![
                release.released_by,
                release.project,
                have.as_str(),
                released.model.fingerprint().as_str(),
                release.script_hash.as_str(),
                release.tool,
                release.edited,
                packed
            ],
        )?;
        Ok(())
    }

    pub(super) fn last_entry(&self) -> Result<Option<LedgerEntry>, LiveError> {
        let exists = self
            .connection
            .query_row(
                "SELECT 1 FROM main.sqlite_schema WHERE type = 'table' AND name = ?1",
                [LEDGER_TABLE],
                |_| Ok(()),
            )
            .optional()
            .map_err(|error| self.meaning(&error))?;
        if exists.is_none() {
            return Ok(None);
        }
        let sql = format!(
            "SELECT released_at, released_by, have, want, script_hash, tool, snapshot, project FROM main.{LEDGER_TABLE} \
             ORDER BY id DESC LIMIT 1"
        );
        let entry = self.connection.query_row(&sql, [], |row| {
            let packed: Option<Vec<u8>> = row.get(6)?;
            Ok(LedgerEntry {
                released_at: row.get(0)?,
                released_by: row.get(1)?,
                project: row.get(7)?,
                have: row.get(2)?,
                want: row.get(3)?,
                script_hash: row.get(4)?,
                tool: row.get(5)?,
                snapshot: packed.and_then(|packed| {
                    let mut text = String::new();
                    GzDecoder::new(&packed[..]).read_to_string(&mut text).ok().map(|_| text)
                }),
            })
        });
        entry.optional().map_err(|error| self.meaning(&error))
    }
}
