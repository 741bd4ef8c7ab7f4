//! The ledger table, in a schema of its own. It is written in the transaction of the release itself, so it has nothing that did
//! not happen.

use std::io::{Read, Write};

use flate2::Compression;
use flate2::read::GzDecoder;
use flate2::write::GzEncoder;
use postgres::error::SqlState;
use wevrun_core::model::Fingerprint;
use wevrun_core::snapshot::Snapshot;
use wevrun_postgres::{LEDGER_SCHEMA, Postgres};

use super::connection::{PostgresDatabase, meaning};
use crate::database::Release;
use crate::error::LiveError;
use crate::ledger::LedgerEntry;

impl PostgresDatabase {
    /// Adds a release. Only the last one's structure is kept, packed.
    pub(super) fn write_ledger(
        &mut self,
        have: &Fingerprint,
        released: &Snapshot,
        release: &Release,
    ) -> Result<(), LiveError> {
        self.prepare_ledger()?;
        // The deployment waits for it: speed counts more than size.
        let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
        packed.write_all(released.write(&Postgres, &[]).as_bytes()).expect("a Vec takes every byte");
        let packed = packed.finish().expect("a Vec takes every byte");
        let insert = format!(
            "INSERT INTO {LEDGER_SCHEMA}.ledger (released_by, project, have, want, script_hash, tool, edited, snapshot)
             VALUES ($1, $2, $3, $4, $5, $6, $7, $8)"
        );
        let (have, want) = (have.as_str(), released.model.fingerprint());
        let values: [&(dyn postgres::types::ToSql + Sync); 8] = [
            &release.released_by,
            &release.project,
            &have,
            &want.as_str(),
            &release.script_hash.as_str(),
            &release.tool,
            &release.edited,
            &packed,
        ];
        self.client.execute(&insert, &values).map_err(|error| meaning(&error))?;
        Ok(())
    }

    /// Creates the ledger if there is none, and forgets the structure of the release before. What is there is not created: the server
    /// wants the right to do so even where `IF NOT EXISTS` would do nothing.
    fn prepare_ledger(&mut self) -> Result<(), LiveError> {
        let question = format!(
            "SELECT to_regclass('{LEDGER_SCHEMA}.ledger') IS NOT NULL, EXISTS (SELECT FROM pg_attribute
                WHERE attrelid = to_regclass('{LEDGER_SCHEMA}.ledger') AND attname = 'edited' AND NOT attisdropped)"
        );
        let state = self.client.query_one(&question, &[]).map_err(|error| meaning(&error))?;
        let (is_there, is_complete): (bool, bool) = (state.get(0), state.get(1));
        let mut statements = String::new();
        if !is_there {
            statements.push_str(&format!(
                "CREATE SCHEMA IF NOT EXISTS {LEDGER_SCHEMA};
                 CREATE TABLE {LEDGER_SCHEMA}.ledger (
                    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
                    released_at timestamptz NOT NULL DEFAULT now(),
                    released_by text NOT NULL,
                    project text NOT NULL,
                    have text NOT NULL,
                    want text NOT NULL,
                    script_hash text NOT NULL,
                    tool text NOT NULL,
                    edited text,
                    snapshot bytea
                 );"
            ));
        } else if !is_complete {
            // A ledger of an earlier version.
            statements.push_str(&format!("ALTER TABLE {LEDGER_SCHEMA}.ledger ADD COLUMN edited text;"));
        }
        statements.push_str(&format!("UPDATE {LEDGER_SCHEMA}.ledger SET snapshot = NULL WHERE snapshot IS NOT NULL"));
        self.client.batch_execute(&statements).map_err(|error| meaning(&error))
    }

    pub(super) fn last_entry(&mut self) -> Result<Option<LedgerEntry>, LiveError> {
        let exists = format!("SELECT to_regclass('{LEDGER_SCHEMA}.ledger') IS NOT NULL");
        let closed = |error: &postgres::Error| match error.code() {
            Some(&SqlState::INSUFFICIENT_PRIVILEGE) => LiveError::LedgerClosed,
            _ => meaning(error),
        };
        let exists: bool = self.client.query_one(&exists, &[]).map_err(|error| closed(&error))?.get(0);
        if !exists {
            return Ok(None);
        }
        let sql = format!(
            "SELECT to_char(released_at AT TIME ZONE 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS\"Z\"'), released_by, have, want, \
             script_hash, tool, snapshot, project FROM {LEDGER_SCHEMA}.ledger ORDER BY id DESC LIMIT 1"
        );
        let Some(row) = self.client.query_opt(&sql, &[]).map_err(|error| closed(&error))? else { return Ok(None) };
        let packed: Option<Vec<u8>> = row.get(6);
        Ok(Some(LedgerEntry {
            released_at: row.get(0),
            released_by: row.get(1),
            project: row.get(7),
            have: row.get(2),
            want: row.get(3),
            script_hash: row.get(4),
            tool: row.get(5),
            snapshot: packed.and_then(|packed| {
                let mut text = String::new();
                GzDecoder::new(&packed[..]).read_to_string(&mut text).ok().map(|_| text)
            }),
        }))
    }
}
