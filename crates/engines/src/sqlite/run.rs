//! Running a script: one transaction, proven before it is committed.

use std::time::Instant;

use wevrun_core::Engine;
use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::script::Script;
use wevrun_core::snapshot::Snapshot;

use super::connection::{SqliteDatabase, words};
use crate::database::{Deployment, Event, Release};
use crate::error::{Broken, LiveError};

impl SqliteDatabase {
    pub(super) fn run(
        &mut self,
        script: &Script,
        release: &Release,
        watch: &mut dyn FnMut(Event<'_>),
    ) -> Result<Deployment, LiveError> {
        let started = Instant::now();
        let outcome = self.transaction(script, release, watch);
        if outcome.is_err() && !self.connection.is_autocommit() {
            // If this fails too, the engine rolls back when the connection closes or the file is opened again.
            let _ = self.connection.execute_batch("ROLLBACK");
        }
        outcome?;
        watch(Event::Committed);
        let took = started.elapsed();
        let after = self.content()?.model;
        prove(&script.want, after).map(|after| Deployment { after, took })
    }

    fn transaction(
        &mut self,
        script: &Script,
        release: &Release,
        watch: &mut dyn FnMut(Event<'_>),
    ) -> Result<(), LiveError> {
        let begin = ["BEGIN IMMEDIATE".to_owned()];
        let opening = if script.is_empty() { &begin[..] } else { &script.plan.opening[..] };
        for statement in opening.iter().filter(|statement| !statement.starts_with('.')) {
            self.execute(0, "before the first step", statement)?;
            if statement.eq_ignore_ascii_case("BEGIN IMMEDIATE") {
                self.confirm(&script.have)?;
                watch(Event::StateConfirmed);
            }
        }
        if self.connection.is_autocommit() {
            return Err(LiveError::Engine("the script does not begin a transaction, so it was not run".to_owned()));
        }
        let count = script.plan.steps.len();
        for (index, step) in script.plan.steps.iter().enumerate() {
            watch(Event::StepStarted(index + 1, count, &step.title));
            let started = Instant::now();
            for statement in &step.statements {
                self.execute(index + 1, &step.title, statement)?;
                if self.connection.is_autocommit() {
                    let message =
                        "a statement of the script ended the transaction; what came before it is committed".to_owned();
                    return Err(LiveError::Engine(message));
                }
            }
            watch(Event::StepDone(index + 1, started.elapsed()));
        }
        let commit = ["COMMIT".to_owned()];
        let closing = if script.is_empty() { &commit[..] } else { &script.plan.closing[..] };
        for statement in closing {
            if statement.eq_ignore_ascii_case("COMMIT") {
                let model = prove(&script.want, self.content()?.model)?;
                watch(Event::Proven);
                self.record_release(&script.have, model, script, release)?;
            }
            self.execute(count, "after the last step", statement)?;
        }
        Ok(())
    }

    /// Whether the database is in the state that the script starts from.
    fn confirm(&self, expected: &Fingerprint) -> Result<(), LiveError> {
        let found = self.content()?.model;
        if found.fingerprint() == *expected {
            Ok(())
        } else {
            Err(LiveError::StateDiffers { expected: expected.clone(), found: Box::new(found) })
        }
    }

    fn record_release(
        &self,
        have: &Fingerprint,
        model: Model,
        script: &Script,
        release: &Release,
    ) -> Result<(), LiveError> {
        let snapshot = Snapshot {
            project: script.project.clone(),
            engine: Engine::Sqlite,
            engine_version: script.engine_version,
            git: None,
            sources: Vec::new(),
            model,
        };
        self.record(have, &snapshot, release).map_err(|error| self.meaning(&error))
    }

    fn execute(&self, number: usize, title: &str, statement: &str) -> Result<(), LiveError> {
        let Err(error) = self.connection.execute_batch(statement) else { return Ok(()) };
        let engine_words = words(&error);
        let cause = if engine_words.contains("foreign_keys_would_break") {
            LiveError::ForeignKeysBroken(self.broken_foreign_keys())
        } else if engine_words.contains("rows_would_be_lost") {
            LiveError::WouldLoseRows
        } else {
            self.meaning(&error)
        };
        Err(LiveError::StepFailed {
            number,
            title: title.to_owned(),
            statement: statement.to_owned(),
            message: cause.to_string(),
            cause: Box::new(cause),
        })
    }

    /// The first rows without a partner, as the transaction has left them.
    fn broken_foreign_keys(&self) -> Vec<Broken> {
        let rows = self.connection.prepare("SELECT \"table\", rowid, parent FROM pragma_foreign_key_check LIMIT 5");
        let read = |row: &rusqlite::Row<'_>| Ok(Broken { table: row.get(0)?, row: row.get(1)?, parent: row.get(2)? });
        rows.and_then(|mut statement| statement.query_map([], read)?.collect()).unwrap_or_default()
    }
}

fn prove(expected: &Fingerprint, found: Model) -> Result<Model, LiveError> {
    if found.fingerprint() == *expected {
        Ok(found)
    } else {
        Err(LiveError::ProofFailed { expected: expected.clone(), found: Box::new(found) })
    }
}
