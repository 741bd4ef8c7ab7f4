//! Running a script: one transaction, proven before it is committed.

use std::time::Instant;

use wevrun_core::Engine;
use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::script::Script;
use wevrun_core::snapshot::Snapshot;

use super::connection::{PostgresDatabase, meaning};
use crate::database::{Deployment, Event, Release};
use crate::error::LiveError;

/// Only one release at a time: the key of the advisory lock.
const RELEASE_LOCK: &str = "SELECT pg_advisory_xact_lock(hashtext('wevrun release'))";

impl PostgresDatabase {
    pub(super) fn run(
        &mut self,
        script: &Script,
        release: &Release,
        watch: &mut dyn FnMut(Event<'_>),
    ) -> Result<Deployment, LiveError> {
        let started = Instant::now();
        let outcome = self.transaction(script, release, watch);
        if outcome.is_err() {
            // If this fails too, the server rolls back when the connection ends.
            let _ = self.client.batch_execute("ROLLBACK");
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
        let begin = ["BEGIN".to_owned()];
        let opening = if script.is_empty() { &begin[..] } else { &script.plan.opening[..] };
        let mut begun = false;
        for statement in opening {
            self.execute(0, "before the first step", statement)?;
            if statement.eq_ignore_ascii_case("BEGIN") {
                begun = true;
                self.execute(0, "before the first step", "SET LOCAL lock_timeout = '10s'")?;
                self.execute(0, "before the first step", RELEASE_LOCK)?;
                self.confirm(&script.have)?;
                watch(Event::StateConfirmed);
            }
        }
        if !begun {
            return Err(LiveError::Engine("the script does not begin a transaction, so it was not run".to_owned()));
        }
        let count = script.plan.steps.len();
        for (index, step) in script.plan.steps.iter().enumerate() {
            watch(Event::StepStarted(index + 1, count, &step.title));
            let started = Instant::now();
            for statement in &step.statements {
                self.execute(index + 1, &step.title, statement)?;
            }
            watch(Event::StepDone(index + 1, started.elapsed()));
        }
        let commit = ["COMMIT".to_owned()];
        let closing = if script.is_empty() { &commit[..] } else { &script.plan.closing[..] };
        for statement in closing {
            if statement.eq_ignore_ascii_case("COMMIT") {
                let model = prove(&script.want, self.content_inside()?.model)?;
                watch(Event::Proven);
                self.record_release(&script.have, model, script, release)?;
            }
            self.execute(count, "after the last step", statement)?;
        }
        Ok(())
    }

    /// Whether the database is in the state that the script starts from.
    fn confirm(&mut self, expected: &Fingerprint) -> Result<(), LiveError> {
        let found = self.content_inside()?.model;
        if found.fingerprint() == *expected {
            Ok(())
        } else {
            Err(LiveError::StateDiffers { expected: expected.clone(), found: Box::new(found) })
        }
    }

    fn record_release(
        &mut self,
        have: &Fingerprint,
        model: Model,
        script: &Script,
        release: &Release,
    ) -> Result<(), LiveError> {
        let snapshot = Snapshot {
            project: script.project.clone(),
            engine: Engine::Postgres,
            engine_version: script.engine_version,
            git: None,
            sources: Vec::new(),
            model,
        };
        self.record(have, &snapshot, release)
    }

    fn execute(&mut self, number: usize, title: &str, statement: &str) -> Result<(), LiveError> {
        let Err(error) = self.client.batch_execute(statement) else { return Ok(()) };
        let cause = meaning(&error);
        Err(LiveError::StepFailed {
            number,
            title: title.to_owned(),
            statement: statement.to_owned(),
            message: cause.to_string(),
            cause: Box::new(cause),
        })
    }
}

fn prove(expected: &Fingerprint, found: Model) -> Result<Model, LiveError> {
    if found.fingerprint() == *expected {
        Ok(found)
    } else {
        Err(LiveError::ProofFailed { expected: expected.clone(), found: Box::new(found) })
    }
}
