//! How a command ends.

use std::fmt::Display;

use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::source::Source;
use wevrun_engines::LiveError;

/// How a command ended that did what it was asked. The numbers are exit statuses.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// Done, or no difference.
    Done = 0,
    /// The input has problems: the source does not build, a target can't be asked.
    Problems = 1,
    /// Differences or drift were found.
    Differences = 3,
    /// A rule or an unwaived risk holds it back.
    Blocked = 4,
    /// The target is no longer in the state that the script was made for.
    StateChanged = 5,
    /// There is nothing to do, and the person asked to be told so.
    Nothing = 6,
}

/// How a command ended that could not do what it was asked.
#[derive(Debug)]
pub struct Failure {
    /// The exit status: 1 failed, 2 wrong usage.
    pub status: u8,
    /// The mistake; empty if the diagnostics have it.
    pub message: String,
    /// The help text.
    pub help: Vec<String>,
    /// Findings, with the sources that they point into.
    pub diagnostics: Vec<Diagnostic>,
    /// The sources.
    pub sources: Vec<Source>,
}

/// The result of every command.
pub type Ended<T = Outcome> = Result<T, Failure>;

impl Failure {
    /// Bad input, no connection, a failed step.
    pub fn new(message: impl Display) -> Failure {
        Failure {
            status: 1,
            message: message.to_string(),
            help: Vec::new(),
            diagnostics: Vec::new(),
            sources: Vec::new(),
        }
    }

    /// Wrong usage.
    pub fn usage(message: impl Display) -> Failure {
        Failure { status: 2, ..Failure::new(message) }
    }

    /// With what to do.
    pub fn help(mut self, help: impl Display) -> Failure {
        self.help.push(help.to_string());
        self
    }

    /// Findings in sources.
    pub fn found(message: impl Display, diagnostics: Vec<Diagnostic>, sources: Vec<Source>) -> Failure {
        Failure { diagnostics, sources, ..Failure::new(message) }
    }

    /// An error of a live database as a failure of the command.
    pub fn live(name: &str, error: &LiveError) -> Failure {
        let failure = Failure::new(format!("{name}: {error}"));
        match error {
            LiveError::NotFound(_) => failure.help("correct the path; `wevrun deploy --create` makes a new database"),
            LiveError::NoArchiveReader(_, program) => {
                failure.help(format!("install {program}; or make a plain dump: pg_dump --schema-only"))
            }
            LiveError::Locked => failure.help("nothing was changed; try again when the other connection is done"),
            LiveError::Deploying(_) => failure.help(
                "nothing was changed; wait for it. If its `wevrun deploy` was killed, the server ends the statement that runs by itself: deploy again then",
            ),
            LiveError::ReadOnly(_) => failure.help("nothing was changed; check who may write there: it may be a file that is not yours, a replica, or set to read-only"),
            LiveError::DiskFull(_) => failure.help("nothing was changed; make room and try again"),
            LiveError::NeedsRecovery => {
                failure.help("open it once with write access, which rolls the interrupted change back: sqlite3 FILE 'PRAGMA schema_version'")
            }
            LiveError::Unreadable(sources, found) => Failure::found(failure.message, found.clone(), sources.clone()),
            LiveError::LedgerClosed => failure.help(
                "GRANT USAGE ON SCHEMA wevrun TO the_role; GRANT SELECT ON wevrun.ledger TO the_role; or name the side to compare with: --against SIDE",
            ),
            LiveError::BadUrl(_) => failure.help(
                "write it like postgres://user@host:5432/database?sslmode=verify-full or mariadb://user@host:3306/database",
            ),
            LiveError::Unreachable(..) => failure.help("check host, port and TLS mode, and that the server runs"),
            LiveError::Refused(..) => {
                failure.help(
                    "give the password as the engine's own client takes it (PGPASSWORD, MYSQL_PWD, its password or option file), or let the \
                     server's rules allow the login",
                )
            }
            LiveError::ConnectionLost(_) => failure.help("the server rolls back what was not committed"),
            _ => failure,
        }
    }
}
