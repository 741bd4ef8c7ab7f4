//! The trait of live databases.

use std::time::Duration;

use serde::{Serialize, Serializer};
use wevrun_core::EngineVersion;
use wevrun_core::check::Refusal;
use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, Probe};
use wevrun_core::script::{Script, ScriptHash, StepId};
use wevrun_core::source::Source;

use crate::error::LiveError;
use crate::ledger::LedgerEntry;

/// The purpose of a connection.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Reading only: nothing can be changed through it.
    Read,
    /// Reading and writing.
    Write,
    /// Reading and writing, and making the database if there is none.
    Create,
}

/// The contents of a database.
#[derive(Debug)]
pub struct Content {
    /// The canonical model.
    pub model: Model,
    /// The definitions as the catalogue holds them; the model's locations refer to them.
    pub sources: Vec<Source>,
    /// The engine's version there.
    pub version: Option<EngineVersion>,
    /// Warnings and notes. Never an error: a definition that can't be read is a [`LiveError::Unreadable`].
    pub diagnostics: Vec<Diagnostic>,
}

/// A release, for the ledger.
#[derive(Debug, Clone)]
pub struct Release {
    /// The user.
    pub released_by: String,
    /// The script that is run.
    pub script_hash: ScriptHash,
    /// The version of Wevrun.
    pub tool: String,
    /// The project's name.
    pub project: String,
    /// Why the script that was run is not the one that was written, if it was edited.
    pub edited: Option<String>,
}

/// The events of a deployment, in order. Reporters and journals only consume these.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "event", rename_all = "kebab-case")]
pub enum Event<'e> {
    /// The target has the state that the script starts from.
    StateConfirmed,
    /// The target has the state that a later part of the script starts from.
    Resumed {
        /// The number of that part, from 1.
        part: usize,
        /// How many parts the script has.
        parts: usize,
    },
    /// Steps of the script are done already.
    StepsFound {
        /// How many, from the first one on.
        done: usize,
        /// How many the part has.
        steps: usize,
    },
    /// A step begins.
    StepStarted {
        /// The step.
        step: &'e StepId,
        /// How many steps the script has.
        steps: usize,
        /// The title of the step.
        title: &'e str,
    },
    /// The step is done; its part may not be committed yet.
    StepDone {
        /// The step.
        step: &'e StepId,
        /// The title of the step.
        title: &'e str,
        /// How long it took.
        #[serde(rename = "milliseconds", serialize_with = "as_milliseconds")]
        took: Duration,
    },
    /// The result was read back in the transaction and is what the script promises; it is not committed yet.
    Checked,
    /// A transaction is committed.
    Committed,
    /// A new connection has read the committed result, and it is what the script promises.
    Verified,
}

fn as_milliseconds<S: Serializer>(took: &Duration, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.serialize_f64(took.as_secs_f64() * 1000.0)
}

/// A finished deployment.
#[derive(Debug)]
pub struct Deployment {
    /// The structure read back after the commit.
    pub after: Model,
    /// How long the transaction took.
    pub took: Duration,
    /// Objects, by kind and name, that the steps made and that the server spells differently than expected.
    pub respelled: Vec<String>,
}

/// A live database.
pub trait Database: Send {
    /// Reads everything, in a constant number of queries, in one transaction.
    fn read(&mut self) -> Result<Content, LiveError>;

    /// Answers questions about rows.
    fn probe(&mut self, probes: &[Probe]) -> Result<Evidence, LiveError>;

    /// Runs a script, proves the outcome of each transaction before it is committed, and writes the ledger. On any error the
    /// database is as it was, or the error is [`LiveError::PartlyApplied`].
    fn deploy(
        &mut self,
        script: &Script,
        release: &Release,
        watch: &mut dyn FnMut(Event<'_>),
    ) -> Result<Deployment, LiveError>;

    /// The rows of a query that gives one text each.
    fn facts(&mut self, query: &str) -> Result<Vec<String>, LiveError>;

    /// The rows of the same query after a script, where the engine can run it on a copy of the structure alone.
    fn facts_after(&mut self, _script: &Script, _query: &str) -> Option<Vec<String>> {
        None
    }

    /// The last release, if there was one.
    fn last_release(&mut self) -> Result<Option<LedgerEntry>, LiveError>;
}

/// The result of a script on a server, in a database of its own.
#[derive(Debug)]
pub struct Spelling {
    /// The database, as the server gives it; none if it did not take every object.
    pub content: Option<Content>,
    /// All that it refuses: objects, or, if it took them all, bodies of routines.
    pub refusals: Vec<Refusal>,
}

/// The query that answers a probe with a number of rows: all of those that hold NULL, or whether there is one at all.
pub(crate) fn counting(probe: &Probe, rows: &str) -> String {
    match probe {
        Probe::HasNulls(..) => format!("SELECT count(*) FROM ({rows}) AS rows_found"),
        _ => format!("SELECT count(*) FROM ({rows} LIMIT 1) AS rows_found"),
    }
}
