//! The course of a deployment, the same for every engine: one transaction, proven before it is committed.

use std::time::Instant;

use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::script::Script;
use wevrun_core::snapshot::Snapshot;

use crate::database::{Deployment, Event, Release};
use crate::error::LiveError;

/// What the course needs of a connection.
pub trait Session {
    /// The statement that begins the transaction.
    const BEGIN: &'static str;

    /// Runs one statement.
    fn statement(&mut self, statement: &str) -> Result<(), LiveError>;

    /// Whether a statement is for the engine's own client only.
    fn is_for_client(_: &str) -> bool {
        false
    }

    /// Keeps other releases out, right after the transaction has begun.
    fn keep_others_out(&mut self) -> Result<(), LiveError> {
        Ok(())
    }

    /// Whether the transaction that was begun still is the one that runs.
    fn is_in_transaction(&mut self) -> bool;

    /// What there is, as the transaction sees it, or as everybody does after it.
    fn structure(&mut self) -> Result<Model, LiveError>;

    /// Writes the ledger.
    fn record(&mut self, have: &Fingerprint, released: &Snapshot, release: &Release) -> Result<(), LiveError>;
}

/// Runs a script. On any error the database is as it was.
pub fn run(
    session: &mut impl Session,
    script: &Script,
    release: &Release,
    watch: &mut dyn FnMut(Event<'_>),
) -> Result<Deployment, LiveError> {
    let started = Instant::now();
    let outcome = transaction(session, script, release, watch);
    if outcome.is_err() {
        // If this fails too, the engine rolls back when the connection ends.
        let _ = session.statement("ROLLBACK");
    }
    outcome?;
    watch(Event::Committed);
    let took = started.elapsed();
    let after = session.structure()?;
    prove(script, after).map(|after| Deployment { after, took })
}

fn transaction<S: Session>(
    session: &mut S,
    script: &Script,
    release: &Release,
    watch: &mut dyn FnMut(Event<'_>),
) -> Result<(), LiveError> {
    let begin = [S::BEGIN.to_owned()];
    let opening = if script.is_empty() { &begin[..] } else { &script.plan.opening[..] };
    let mut begun = false;
    for statement in opening.iter().filter(|statement| !S::is_for_client(statement)) {
        execute(session, 0, "before the first step", statement)?;
        if statement.eq_ignore_ascii_case(S::BEGIN) {
            begun = true;
            session.keep_others_out()?;
            confirm(&script.have, session.structure()?)?;
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
            execute(session, index + 1, &step.title, statement)?;
            if !session.is_in_transaction() {
                let message = "a statement of the script ended the transaction; what came before it is committed";
                return Err(LiveError::Engine(message.to_owned()));
            }
        }
        watch(Event::StepDone(index + 1, started.elapsed()));
    }
    let commit = ["COMMIT".to_owned()];
    let closing = if script.is_empty() { &commit[..] } else { &script.plan.closing[..] };
    for statement in closing {
        if statement.eq_ignore_ascii_case("COMMIT") {
            let model = prove(script, session.structure()?)?;
            watch(Event::Proven);
            let released = Snapshot {
                project: script.project.clone(),
                engine: script.engine,
                engine_version: script.engine_version,
                git: None,
                sources: Vec::new(),
                model,
            };
            session.record(&script.have, &released, release)?;
        }
        execute(session, count, "after the last step", statement)?;
    }
    Ok(())
}

/// Runs nothing but the statements of a script, all of them, proving nothing.
pub fn steps<S: Session>(session: &mut S, script: &Script) -> Result<(), LiveError> {
    let plan = &script.plan;
    for statement in plan.opening.iter().filter(|statement| !S::is_for_client(statement)) {
        execute(session, 0, "before the first step", statement)?;
    }
    for (index, step) in plan.steps.iter().enumerate() {
        for statement in &step.statements {
            execute(session, index + 1, &step.title, statement)?;
        }
    }
    for statement in &plan.closing {
        execute(session, plan.steps.len(), "after the last step", statement)?;
    }
    Ok(())
}

fn execute(session: &mut impl Session, number: usize, title: &str, statement: &str) -> Result<(), LiveError> {
    session.statement(statement).map_err(|cause| LiveError::StepFailed {
        number,
        title: title.to_owned(),
        statement: statement.to_owned(),
        message: cause.to_string(),
        cause: Box::new(cause),
    })
}

/// The database is in the state that the script starts from.
fn confirm(expected: &Fingerprint, found: Model) -> Result<(), LiveError> {
    if found.fingerprint() == *expected {
        Ok(())
    } else {
        Err(LiveError::StateDiffers { expected: expected.clone(), found: Box::new(found) })
    }
}

/// The outcome is what the script promises.
fn prove(script: &Script, found: Model) -> Result<Model, LiveError> {
    if script.leads_to(&found) {
        Ok(found)
    } else {
        Err(LiveError::ProofFailed { expected: script.want.clone(), found: Box::new(found) })
    }
}
