//! Errors of live databases, in words for the user.

use wevrun_core::model::{Fingerprint, Model};

/// A value that a foreign key would leave without a row in its parent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Broken {
    /// The foreign key: `hives (apiary_id) to apiaries`.
    pub foreign_key: String,
    /// The value, as an SQL literal.
    pub value: String,
}

/// An error.
#[derive(Debug, thiserror::Error)]
pub enum LiveError {
    /// There is no such file.
    #[error("there is no database at {0}")]
    NotFound(String),
    /// The file is something else.
    #[error("{0} is not an SQLite database: {1}")]
    NotADatabase(String, String),
    /// The engine's own program can't read an archive.
    #[error("{0} can't be read: {1}")]
    Archive(String, String),
    /// The program that reads an archive is not installed.
    #[error("{0} is an archive that only {1} reads, which is not installed")]
    NoArchiveReader(String, &'static str),
    /// Someone else holds what is needed.
    #[error("the database is locked: another connection holds what this one needs")]
    Locked,
    /// The URL, or a file that it names, can't be used.
    #[error("the URL can't be used: {0}")]
    BadUrl(String),
    /// Nobody answers.
    #[error("{0} can't be reached: {1}")]
    Unreachable(String, String),
    /// The server does not let this role in.
    #[error("{0} refused the login: {1}")]
    Refused(String, String),
    /// The connection ended.
    #[error("the connection to the server was lost: {0}")]
    ConnectionLost(String),
    /// Another deployment of the same database has not ended.
    #[error("another deployment of the database is running ({0})")]
    Deploying(String),
    /// The file or its folder can't be written to.
    #[error("the database can't be written to: {0}")]
    ReadOnly(String),
    /// No room is left.
    #[error("the disk is full, or the file may not grow further: {0}")]
    DiskFull(String),
    /// An object that was to be read is not there any more.
    #[error("another session dropped something in the database while it was read; try again when it is quiet ({0})")]
    Dropped(String),
    /// Somebody changes the structure again and again.
    #[error("other sessions change the structure while it is read; try again when it is quiet")]
    Unsteady,
    /// An interrupted transaction waits to be rolled back, which takes the right to write.
    #[error("the last change to the database was interrupted, and reading alone can't undo it")]
    NeedsRecovery,
    /// The engine refused something else.
    #[error("{0}")]
    Engine(String),
    /// The database is not in the state that the script starts from.
    #[error("the database is not in the state that the script was made for")]
    StateDiffers {
        /// The state that the script starts from.
        expected: Fingerprint,
        /// The present state.
        found: Box<Model>,
    },
    /// Objects are neither as the script finds them nor as one of its steps leaves them.
    #[error("neither as the script starts from nor as one of its steps leaves it: {}", .0.join(", "))]
    UnknownState(Vec<String>),
    /// A step failed.
    #[error("step {number} failed: {title}: {message}")]
    StepFailed {
        /// Which one, from 1; 0 before the first.
        number: usize,
        /// Its title.
        title: String,
        /// The statement.
        statement: String,
        /// Why, in the engine's words or ours.
        message: String,
        /// The kind of failure, where that matters.
        cause: Box<LiveError>,
    },
    /// Foreign keys would have values without a row in the parent.
    #[error("rows would reference rows that do not exist")]
    ForeignKeysBroken(Vec<Broken>),
    /// Rows that were not there when the script was made would have been lost.
    #[error("rows or values that did not exist when the script was made would be lost")]
    WouldLoseRows,
    /// All steps ran, and the outcome is not what was wanted.
    #[error("the steps ran, but the outcome is not what the script promises")]
    ProofFailed {
        /// The promise of the script.
        expected: Fingerprint,
        /// The result.
        found: Box<Model>,
    },
    /// A statement of the script ended the transaction.
    #[error("a statement of the script ended the transaction: what was done before it is committed")]
    TransactionEnded,
    /// It was committed, as far as the connection could tell, and a new connection finds something else.
    #[error("a new connection does not find the structure that the script promises")]
    NotCommitted {
        /// The promise of the script.
        expected: Fingerprint,
        /// The present state.
        found: Box<Model>,
    },
    /// It was committed, and could not be read back.
    #[error("it was committed, but could not be read back by a new connection: {0}")]
    NotReadBack(Box<LiveError>),
    /// The structure is not the one that a guard of the script expects.
    #[error("objects that the script is about are not as the script expects")]
    AnotherStructure,
    /// Not all parts of a script were done; those that were, stay.
    #[error("{cause}")]
    PartlyApplied {
        /// How many are done.
        done: usize,
        /// How many there are.
        parts: usize,
        /// The error of the next one.
        cause: Box<LiveError>,
    },
    /// The role may not read the ledger.
    #[error("this role may not read the ledger: it needs USAGE on schema wevrun and SELECT on wevrun.ledger")]
    LedgerClosed,
    /// The engine refused to let the ledger be written.
    #[error("the ledger can't be written: {words}")]
    LedgerNotWritten {
        /// The engine's message.
        words: String,
        /// The rights that it takes, where the engine has rights.
        rights: Option<&'static str>,
    },
    /// Definitions that Wevrun can't read.
    #[error("definitions in the database can't be read")]
    Unreadable(Vec<wevrun_core::source::Source>, Vec<wevrun_core::diagnostics::Diagnostic>),
}
