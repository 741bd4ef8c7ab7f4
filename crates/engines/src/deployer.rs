//! One deployment, the same for every engine: one transaction, verified before it is committed and afterwards.
//!
//! The deployer begins and ends each transaction, with the frame of the engine. A script only marks the parts.

use std::sync::Arc;
use std::time::Instant;

use wevrun_core::Dialect;
use wevrun_core::model::{Fingerprint, Model};
use wevrun_core::plan::{Mode, Part, Step};
use wevrun_core::script::{Frame, Script, ScriptHash, StepId};
use wevrun_core::select::released;
use wevrun_core::snapshot::Snapshot;

use crate::database::{Database, Deployment, Event, Release};
use crate::error::LiveError;

/// The connection of a deployment.
pub trait Session: Database {
    /// The engine's dialect.
    fn dialect(&self) -> &'static dyn Dialect;

    /// Runs one statement.
    fn statement(&mut self, statement: &str) -> Result<(), LiveError>;

    /// Locks other releases out, right after the transaction has begun.
    fn lock_out_others(&mut self) -> Result<(), LiveError> {
        Ok(())
    }

    /// Locks other releases out over more than one transaction; or lets them in again.
    fn hold(&mut self, _: bool) -> Result<(), LiveError> {
        Ok(())
    }

    /// How many steps of a script are certainly done, where the engine commits each by itself and writes down which it is at; none if
    /// nothing is written down.
    fn journalled(&mut self, _: &ScriptHash) -> Result<Option<usize>, LiveError> {
        Ok(None)
    }

    /// Writes down that a step begins, or is done.
    fn journal(&mut self, _: &StepId, _title: &str, _: Moment) -> Result<(), LiveError> {
        Ok(())
    }

    /// Gives up what a failed step holds.
    fn release(&mut self) {}

    /// Whether the transaction that was begun still is the one that runs.
    fn is_in_transaction(&mut self) -> bool;

    /// The structure, as the transaction sees it, or as all sessions do after it.
    fn structure(&mut self) -> Result<Arc<Model>, LiveError>;

    /// The committed structure, read by a new connection.
    fn committed_structure(&mut self) -> Result<Arc<Model>, LiveError>;

    /// The rights that a role needs to write the ledger, where the engine has rights.
    fn ledger_rights(&self) -> Option<&'static str> {
        None
    }

    /// Writes the ledger.
    fn record(&mut self, have: &Fingerprint, released: &Snapshot, release: &Release) -> Result<(), LiveError>;
}

/// Where a step is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Moment {
    /// Its first statement is next.
    Begins,
    /// Its last statement has succeeded.
    Done,
}

/// Runs a script. On any error the database is as it was, or, if the script has more than one part, as the parts before have
/// left it ([`LiveError::PartlyApplied`]): then the same script continues there. [`LiveError::NotCommitted`] if the outcome is not known.
pub fn run<S: Session>(
    session: &mut S,
    script: &Script,
    release: &Release,
    watch: &mut dyn FnMut(Event<'_>),
) -> Result<Deployment, LiveError> {
    let started = Instant::now();
    let nothing = Part::default();
    let parts = if script.is_empty() { std::slice::from_ref(&nothing) } else { &script.plan.parts[..] };
    let mut deployer = Deployer { session, script, release, watch, parts, number: 0, verified: 0 };
    if script.plan.is_one_transaction() {
        deployer.part(0)?;
    } else {
        deployer.session.hold(true)?;
        let outcome = deployer.all_parts();
        // It ends with the connection in any case.
        let _ = deployer.session.hold(false);
        outcome?;
    }
    let took = started.elapsed();
    // What this connection sees is no proof that it is committed.
    let after = session.committed_structure().map_err(|cause| LiveError::NotReadBack(Box::new(cause)))?;
    let Some(respelled) = reached(session.dialect(), script, release, &after) else {
        return Err(LiveError::NotCommitted { expected: script.want.clone(), found: boxed(after) });
    };
    watch(Event::Verified);
    Ok(Deployment { after: Arc::unwrap_or_clone(after), took, respelled })
}

/// The objects with unexpected spellings in a structure that is otherwise the promised one; none if it is another one. In a
/// script that was edited nothing tells a statement that was changed from one whose result the server spells differently.
fn reached(dialect: &dyn Dialect, script: &Script, release: &Release, found: &Model) -> Option<Vec<String>> {
    script.leads_to_but_for(dialect, found).filter(|respelled| respelled.is_empty() || release.edited.is_none())
}

struct Deployer<'c, S> {
    session: &'c mut S,
    script: &'c Script,
    release: &'c Release,
    watch: &'c mut dyn FnMut(Event<'_>),
    parts: &'c [Part],
    /// The step that runs, from 1.
    number: usize,
    /// The part of which was verified that it begins in the present state; 0 before any was.
    verified: usize,
}

impl<S: Session> Deployer<'_, S> {
    /// From the first part that is not done yet.
    fn all_parts(&mut self) -> Result<(), LiveError> {
        let found = self.session.structure()?;
        let Some(first) = self.script.part_that_begins_in(self.session.dialect(), &found) else {
            return Err(LiveError::StateDiffers { expected: self.script.have.clone(), found: boxed(found) });
        };
        let is_reached = first > 0 || found.fingerprint() != self.script.have;
        if is_reached && self.is_released(&found)? {
            return Err(LiveError::StateDiffers { expected: self.script.have.clone(), found: boxed(found) });
        }
        self.number = self.parts[..first].iter().map(|part| part.steps.len()).sum();
        if first > 0 {
            (self.watch)(Event::Resumed { part: first + 1, parts: self.parts.len() });
        }
        for index in first..self.parts.len() {
            self.part(index).map_err(|cause| {
                let is_refused = index == first && matches!(cause, LiveError::UnknownState(_));
                if is_refused || (index == 0 && self.parts[0].mode == Mode::Transaction) {
                    return cause; // nothing has changed
                }
                LiveError::PartlyApplied { done: index, parts: self.parts.len(), cause: Box::new(cause) }
            })?;
        }
        Ok(())
    }

    /// Whether this very script was released by the ledger, and the structure still is the one that it leads to.
    fn is_released(&mut self, found: &Model) -> Result<bool, LiveError> {
        if !self.script.leads_to(self.session.dialect(), found) {
            return Ok(false);
        }
        let last = self.session.last_release()?;
        Ok(last.is_some_and(|last| last.script_hash == self.release.script_hash.as_str()))
    }

    fn frame(&self, mode: Mode) -> Frame {
        self.session.dialect().frame(mode)
    }

    fn part(&mut self, index: usize) -> Result<(), LiveError> {
        match self.parts[index].mode {
            Mode::EachStatement => self.each_statement(index),
            Mode::Transaction => self.in_transaction(|deployer| deployer.steps_of_transaction(index)),
        }
    }

    /// Begins a transaction, does what is to be done in it, and commits it if that succeeds.
    fn in_transaction(&mut self, work: impl FnOnce(&mut Self) -> Result<(), LiveError>) -> Result<(), LiveError> {
        let frame = self.frame(Mode::Transaction);
        self.framing(&frame.before)?;
        let begin = frame.begin.as_deref().expect("a transaction has a beginning");
        execute(self.session, 0, "begin the transaction", begin)?;
        let outcome = self.framing(&frame.settings).and_then(|()| {
            self.session.lock_out_others()?;
            work(self)?;
            self.framing(&frame.clean_up)?;
            self.still_in_transaction()
        });
        let commit = frame.commit.as_deref().expect("a transaction has an end");
        let outcome = outcome.and_then(|()| execute(self.session, self.number, "commit", commit));
        match outcome {
            Ok(()) => {
                (self.watch)(Event::Committed);
                self.framing(&frame.after)
            }
            Err(error) => {
                // If this fails too, the engine rolls back when the connection ends.
                let _ = self.session.statement("ROLLBACK");
                Err(error)
            }
        }
    }

    fn framing(&mut self, statements: &[String]) -> Result<(), LiveError> {
        statements
            .iter()
            .try_for_each(|statement| execute(self.session, self.number, "the transaction's frame", statement))
    }

    fn steps_of_transaction(&mut self, index: usize) -> Result<(), LiveError> {
        // The part before has just verified that it ends where this one begins.
        if self.verified != index || index == 0 {
            self.confirm(index)?;
        }
        let part = &self.parts[index];
        for statement in &part.prepare {
            execute(self.session, self.number, "before the first step", statement)?;
        }
        for step in &part.steps {
            self.step(index, step, true)?;
        }
        for statement in &part.checks {
            execute(self.session, self.number, "after the last step", statement)?;
        }
        self.verify_part(index)
    }

    /// Steps that are no transaction: each is left out if it is done already.
    fn each_statement(&mut self, index: usize) -> Result<(), LiveError> {
        let part = &self.parts[index];
        let found = self.confirm(index)?;
        let journalled = self.session.journalled(&self.release.script_hash)?;
        let left =
            part.left(&found, &self.script.unproven, journalled.unwrap_or(0)).map_err(LiveError::UnknownState)?;
        let frame = self.frame(Mode::EachStatement);
        let opening = frame.before.iter().chain(&frame.settings).chain(&part.prepare);
        for statement in opening {
            execute(self.session, self.number, "before the first step", statement)?;
        }
        // A step whose effect can't be seen is done if it is written down, as long as the state is the one after it.
        let is_unseen = |step: &Step| step.makes.is_empty();
        let written = journalled.zip(left.done).filter(|(written, seen)| {
            written > seen && part.steps.get(*seen..*written).is_some_and(|steps| steps.iter().all(is_unseen))
        });
        let written = written.map_or(0, |(written, _)| written);
        let is_needed = |number: usize| number >= written && left.needed[number];
        let done = (0..part.steps.len()).filter(|number| !is_needed(*number)).count();
        if done > 0 && index == 0 {
            (self.watch)(Event::StepsFound { done, steps: part.steps.len() });
        }
        for (number, step) in part.steps.iter().enumerate() {
            if is_needed(number) {
                self.step(index, step, false)?;
            } else {
                self.number += 1;
            }
        }
        for statement in part.checks.iter().chain(&frame.clean_up).chain(&frame.after) {
            execute(self.session, self.number, "after the last step", statement)?;
        }
        if index + 1 < self.parts.len() {
            return self.verify_part(index);
        }
        // Only the ledger is written in it.
        self.in_transaction(|deployer| deployer.verify_part(index))
    }

    fn still_in_transaction(&mut self) -> Result<(), LiveError> {
        if self.session.is_in_transaction() {
            return Ok(());
        }
        Err(LiveError::TransactionEnded)
    }

    fn step(&mut self, part: usize, step: &Step, in_transaction: bool) -> Result<(), LiveError> {
        self.number += 1;
        let steps = self.parts.iter().map(|part| part.steps.len()).sum();
        let title = &step.title;
        let id = StepId { script: self.release.script_hash.clone(), part: part + 1, number: self.number };
        (self.watch)(Event::StepStarted { step: &id, steps, title });
        let started = Instant::now();
        if !in_transaction {
            self.session.journal(&id, title, Moment::Begins)?;
        }
        for statement in &step.statements {
            execute(self.session, self.number, &step.title, statement).inspect_err(|_| self.session.release())?;
            if in_transaction {
                self.still_in_transaction()?;
            }
        }
        if !in_transaction {
            self.session.journal(&id, title, Moment::Done)?;
        }
        (self.watch)(Event::StepDone { step: &id, title, took: started.elapsed() });
        Ok(())
    }

    /// The database is in the state that the part starts from.
    fn confirm(&mut self, index: usize) -> Result<Arc<Model>, LiveError> {
        let found = self.session.structure()?;
        if self.script.part_that_begins_in(self.session.dialect(), &found) != Some(index) {
            return Err(LiveError::StateDiffers { expected: self.script.have.clone(), found: boxed(found) });
        }
        if index == 0 {
            (self.watch)(Event::StateConfirmed);
        }
        Ok(found)
    }

    /// The part leads to the state that the next one begins in; the last one to what the script promises, which the ledger keeps.
    fn verify_part(&mut self, index: usize) -> Result<(), LiveError> {
        let found = self.session.structure()?;
        if index + 1 < self.parts.len() {
            return match self.script.part_that_begins_in(self.session.dialect(), &found) {
                Some(next) if next == index + 1 => {
                    self.verified = next;
                    Ok(())
                }
                _ => Err(LiveError::ProofFailed { expected: self.script.want.clone(), found: boxed(found) }),
            };
        }
        if reached(self.session.dialect(), self.script, self.release, &found).is_none() {
            return Err(LiveError::ProofFailed { expected: self.script.want.clone(), found: boxed(found) });
        }
        (self.watch)(Event::Checked);
        let released = Snapshot {
            scope: self.script.scope.clone(),
            project: self.script.project.clone(),
            engine: self.script.engine,
            engine_version: self.script.engine_version,
            git: None,
            sources: Vec::new(),
            unread: Vec::new(),
            model: self.released(Arc::unwrap_or_clone(found))?,
        };
        let rights = self.session.ledger_rights();
        self.session.record(&self.script.have, &released, self.release).map_err(|cause| match cause {
            LiveError::Engine(words) => LiveError::LedgerNotWritten { words, rights },
            cause => cause,
        })
    }
}

impl<S: Session> Deployer<'_, S> {
    /// The structure for the ledger: what was left alone is as in the release before.
    fn released(&mut self, found: Model) -> Result<Model, LiveError> {
        if self.script.left.is_empty() {
            return Ok(found);
        }
        let before = self.session.last_release()?.and_then(|entry| entry.snapshot);
        let before = before.and_then(|text| Snapshot::read(&text, &[self.script.engine]).ok());
        let before = before.as_ref().map(|snapshot| &snapshot.model);
        Ok(released(self.session.dialect(), found, before, &self.script.left))
    }
}

fn boxed(model: Arc<Model>) -> Box<Model> {
    Box::new(Arc::unwrap_or_clone(model))
}

/// Runs a statement of a step.
pub fn execute(session: &mut impl Session, number: usize, title: &str, statement: &str) -> Result<(), LiveError> {
    session.statement(statement).map_err(|cause| LiveError::StepFailed {
        number,
        title: title.to_owned(),
        statement: statement.to_owned(),
        message: cause.to_string(),
        cause: Box::new(cause),
    })
}
