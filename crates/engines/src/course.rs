//! The course of a deployment, the same for every engine: one transaction, proven before it is committed.

use std::time::Instant;

use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::plan::Part;
use wevrun_core::script::{Script, Step};
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

    /// Keeps other releases out for as long as it takes, over more than one transaction; or lets them in again.
    fn hold(&mut self, _: bool) -> Result<(), LiveError> {
        Ok(())
    }

    /// Whether the transaction that was begun still is the one that runs.
    fn is_in_transaction(&mut self) -> bool;

    /// What there is, as the transaction sees it, or as everybody does after it.
    fn structure(&mut self) -> Result<Model, LiveError>;

    /// Writes the ledger.
    fn record(&mut self, have: &Fingerprint, released: &Snapshot, release: &Release) -> Result<(), LiveError>;
}

/// Runs a script. On any error the database is as it was, or, if the script has more than one part, as the parts before have
/// left it ([`LiveError::Halfway`]): then the same script goes on there.
pub fn run<S: Session>(
    session: &mut S,
    script: &Script,
    release: &Release,
    watch: &mut dyn FnMut(Event<'_>),
) -> Result<Deployment, LiveError> {
    let started = Instant::now();
    let nothing = Part { opening: vec![S::BEGIN.to_owned()], closing: vec!["COMMIT".to_owned()], ..Part::default() };
    let parts = if script.is_empty() { std::slice::from_ref(&nothing) } else { &script.plan.parts[..] };
    let whole = parts.len() == 1 && !parts[0].alone;
    let mut course = Course { session, script, release, watch, parts, number: 0, proven: 0 };
    if whole {
        course.part(0)?;
    } else {
        course.session.hold(true)?;
        let outcome = course.all_parts();
        // It ends with the connection in any case.
        let _ = course.session.hold(false);
        outcome?;
    }
    let took = started.elapsed();
    let after = session.structure()?;
    prove(script, after).map(|after| Deployment { after, took })
}

struct Course<'c, S> {
    session: &'c mut S,
    script: &'c Script,
    release: &'c Release,
    watch: &'c mut dyn FnMut(Event<'_>),
    parts: &'c [Part],
    /// The step that runs, from 1.
    number: usize,
    /// The part of which was proven that it begins in what there is; 0 before any was.
    proven: usize,
}

impl<S: Session> Course<'_, S> {
    /// From the first part that is not done yet.
    fn all_parts(&mut self) -> Result<(), LiveError> {
        let found = self.session.structure()?;
        let Some(first) = self.script.part_that_begins_in(&found) else {
            return Err(LiveError::StateDiffers { expected: self.script.have.clone(), found: Box::new(found) });
        };
        self.number = self.parts[..first].iter().map(|part| part.steps.len()).sum();
        if first > 0 {
            (self.watch)(Event::Resumed(first + 1, self.parts.len()));
        }
        for index in first..self.parts.len() {
            self.part(index).map_err(|cause| {
                if index == 0 && !self.parts[0].alone {
                    return cause; // nothing has changed
                }
                LiveError::Halfway { done: index, parts: self.parts.len(), cause: Box::new(cause) }
            })?;
        }
        Ok(())
    }

    fn part(&mut self, index: usize) -> Result<(), LiveError> {
        if self.parts[index].alone {
            return self.alone(index);
        }
        let outcome = self.transaction(index);
        if outcome.is_err() {
            // If this fails too, the engine rolls back when the connection ends.
            let _ = self.session.statement("ROLLBACK");
        }
        outcome
    }

    fn transaction(&mut self, index: usize) -> Result<(), LiveError> {
        let part = &self.parts[index];
        let mut begun = false;
        for statement in part.opening.iter().filter(|statement| !S::is_for_client(statement)) {
            execute(self.session, 0, "before the first step", statement)?;
            if statement.eq_ignore_ascii_case(S::BEGIN) {
                begun = true;
                self.session.keep_others_out()?;
                // The part before has just proven that it ends where this one begins.
                if self.proven != index || index == 0 {
                    self.confirm(index)?;
                }
            }
        }
        if !begun {
            return Err(LiveError::Engine("the script does not begin a transaction, so it was not run".to_owned()));
        }
        for step in &part.steps {
            self.step(step, true)?;
        }
        for statement in &part.closing {
            if statement.eq_ignore_ascii_case("COMMIT") {
                self.prove_part(index)?;
            }
            execute(self.session, self.number, "after the last step", statement)?;
        }
        (self.watch)(Event::Committed);
        Ok(())
    }

    /// Steps that are no transaction: each is left out if it is done already.
    fn alone(&mut self, index: usize) -> Result<(), LiveError> {
        let part = &self.parts[index];
        let found = self.confirm(index)?;
        for statement in part.opening.iter().filter(|statement| !S::is_for_client(statement)) {
            execute(self.session, 0, "before the first step", statement)?;
        }
        for step in &part.steps {
            if !step.makes.is_empty() && step.makes.iter().all(|outcome| outcome.holds(&found)) {
                self.number += 1;
            } else {
                self.step(step, false)?;
            }
        }
        for statement in &part.closing {
            execute(self.session, self.number, "after the last step", statement)?;
        }
        if index + 1 < self.parts.len() {
            return self.prove_part(index);
        }
        // Only the ledger is written in it.
        self.session.statement(S::BEGIN)?;
        let kept_out = self.session.keep_others_out();
        let proven = kept_out.and_then(|()| self.prove_part(index));
        let recorded = proven.and_then(|()| self.session.statement("COMMIT"));
        if recorded.is_err() {
            let _ = self.session.statement("ROLLBACK");
        }
        recorded
    }

    fn step(&mut self, step: &Step, in_transaction: bool) -> Result<(), LiveError> {
        self.number += 1;
        let count = self.parts.iter().map(|part| part.steps.len()).sum();
        (self.watch)(Event::StepStarted(self.number, count, &step.title));
        let started = Instant::now();
        for statement in &step.statements {
            execute(self.session, self.number, &step.title, statement)?;
            if in_transaction && !self.session.is_in_transaction() {
                let message = "a statement of the script ended the transaction; what came before it is committed";
                return Err(LiveError::Engine(message.to_owned()));
            }
        }
        (self.watch)(Event::StepDone(self.number, started.elapsed()));
        Ok(())
    }

    /// The database is in the state that the part starts from.
    fn confirm(&mut self, index: usize) -> Result<Model, LiveError> {
        let found = self.session.structure()?;
        if self.script.part_that_begins_in(&found) != Some(index) {
            return Err(LiveError::StateDiffers { expected: self.script.have.clone(), found: Box::new(found) });
        }
        if index == 0 {
            (self.watch)(Event::StateConfirmed);
        }
        Ok(found)
    }

    /// The part has made what the next one begins in; after the last, what the script promises, which the ledger keeps.
    fn prove_part(&mut self, index: usize) -> Result<(), LiveError> {
        let found = self.session.structure()?;
        if index + 1 < self.parts.len() {
            return match self.script.part_that_begins_in(&found) {
                Some(next) if next == index + 1 => {
                    self.proven = next;
                    Ok(())
                }
                _ => Err(LiveError::ProofFailed { expected: self.script.want.clone(), found: Box::new(found) }),
            };
        }
        let model = prove(self.script, found)?;
        (self.watch)(Event::Proven);
        let released = Snapshot {
            project: self.script.project.clone(),
            engine: self.script.engine,
            engine_version: self.script.engine_version,
            git: None,
            sources: Vec::new(),
            model,
        };
        self.session.record(&self.script.have, &released, self.release)
    }
}

/// Runs nothing but the statements of a script, all of them, proving nothing.
pub fn steps<S: Session>(session: &mut S, script: &Script) -> Result<(), LiveError> {
    let mut number = 0;
    for part in &script.plan.parts {
        for statement in part.opening.iter().filter(|statement| !S::is_for_client(statement)) {
            execute(session, number, "before the first step", statement)?;
        }
        for step in &part.steps {
            number += 1;
            for statement in &step.statements {
                execute(session, number, &step.title, statement)?;
            }
        }
        for statement in &part.closing {
            execute(session, number, "after the last step", statement)?;
        }
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

/// The outcome is what the script promises.
fn prove(script: &Script, found: Model) -> Result<Model, LiveError> {
    if script.leads_to(&found) {
        Ok(found)
    } else {
        Err(LiveError::ProofFailed { expected: script.want.clone(), found: Box::new(found) })
    }
}
