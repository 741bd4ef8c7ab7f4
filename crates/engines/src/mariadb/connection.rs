//! A connection, and what the engine's errors mean.

use mysql::prelude::Queryable;
use mysql::{Conn, DriverError, Error, Row};
use wevrun_core::plan::{Evidence, Mode, Probe};
use wevrun_core::script::{Client as _, Script};
use wevrun_mariadb::MariaDb;

use super::settings::Settings;
use super::statements;
use crate::database::{Access, Content, Database, Deployment, Event, Release};
use crate::deployer;
use crate::error::LiveError;
use crate::ledger::LedgerEntry;

/// An open connection to one database.
pub struct MariaDatabase {
    pub(super) connection: Conn,
    pub(super) settings: Settings,
    /// Whether the journal is known to be there.
    pub(super) has_journal: bool,
}

/// Settings that make texts alike on every server.
const READING: &str = "SET SESSION sql_mode = '', time_zone = '+00:00', sql_quote_show_create = 1, character_set_results = utf8mb4, \
     max_statement_time = 0, group_concat_max_len = 1000000";

impl MariaDatabase {
    /// Connects.
    pub fn open(url: &str, access: Access) -> Result<MariaDatabase, LiveError> {
        let settings = Settings::of(url)?;
        let mut database = match MariaDatabase::connect(settings.clone()) {
            Err(LiveError::NotFound(_)) if access == Access::Create => {
                let name = wevrun_mariadb::quoted(&settings.database);
                MariaDatabase::connect(settings.on(None))?
                    .run(&format!("CREATE DATABASE IF NOT EXISTS {name} CHARACTER SET utf8mb4"))?;
                MariaDatabase::connect(settings)?
            }
            other => other?,
        };
        if access == Access::Read {
            database.run("SET SESSION TRANSACTION READ ONLY")?;
        }
        Ok(database)
    }

    pub(super) fn connect(settings: Settings) -> Result<MariaDatabase, LiveError> {
        let connection = match Conn::new(settings.options.clone()) {
            Err(Error::DriverError(DriverError::TlsNotSupported)) if settings.may_be_plain => {
                Conn::new(settings.plain())
            }
            other => other,
        };
        let connection = connection.map_err(|error| unreachable(&settings, &error))?;
        let mut database = MariaDatabase { connection, settings, has_journal: false };
        database.run("SET NAMES utf8mb4")?;
        database.run(READING)?;
        Ok(database)
    }

    /// Another connection to the same database.
    pub(super) fn another(&self) -> Result<MariaDatabase, LiveError> {
        MariaDatabase::connect(self.settings.clone())
    }

    /// Runs one statement.
    pub(super) fn run(&mut self, statement: &str) -> Result<(), LiveError> {
        self.connection.query_drop(statement).map_err(|error| meaning(&error))
    }

    /// The rows of a query.
    pub(super) fn rows(&mut self, query: &str) -> Result<Vec<Row>, LiveError> {
        self.connection.query(query).map_err(|error| meaning(&error))
    }

    /// The only value of a query; none if it is NULL, or if there is no row.
    pub(super) fn value(&mut self, query: &str) -> Result<Option<String>, LiveError> {
        Ok(self.rows(query)?.first().and_then(|row| text(row, 0)))
    }
}

/// A value as text; none of NULL. What is no UTF-8 is replaced.
pub(super) fn text(row: &Row, column: usize) -> Option<String> {
    match row.as_ref(column)? {
        mysql::Value::NULL => None,
        mysql::Value::Bytes(bytes) => Some(String::from_utf8_lossy(bytes).into_owned()),
        mysql::Value::Int(number) => Some(number.to_string()),
        mysql::Value::UInt(number) => Some(number.to_string()),
        other => Some(other.as_sql(true).trim_matches('\'').to_owned()),
    }
}

/// Runs statements as a person would with the engine's own client, outside any release.
pub fn execute(url: &str, sql: &str) -> Result<(), LiveError> {
    let mut database = MariaDatabase::open(url, Access::Write)?;
    // As the client has them.
    let frame = MariaDb.frame(Mode::EachStatement);
    for statement in frame.before.iter().cloned().chain(statements::split(sql)) {
        database.run(&statement)?;
    }
    Ok(())
}

/// The meaning of an error at the beginning of a connection.
fn unreachable(settings: &Settings, error: &Error) -> LiveError {
    let place = settings.shown.clone();
    match error {
        Error::MySqlError(own) => match own.code {
            1044 | 1045 | 1130 | 1698 | 4151 => LiveError::Refused(place, own.message.clone()),
            1049 => LiveError::NotFound(place),
            _ => LiveError::Unreachable(place, own.message.clone()),
        },
        Error::IoError(own) => LiveError::Unreachable(place, own.to_string()),
        Error::DriverError(DriverError::CouldNotConnect(Some((_, why, _)))) => {
            LiveError::Unreachable(place, why.clone())
        }
        other => LiveError::Unreachable(place, other.to_string()),
    }
}

/// The meaning of an error of a statement (<https://mariadb.com/kb/en/mariadb-error-code-reference/>).
pub(super) fn meaning(error: &Error) -> LiveError {
    match error {
        Error::MySqlError(own) => match own.code {
            1205 => LiveError::Locked,
            1213 => LiveError::Engine(own.message.clone()),
            1290 | 1792 | 1836 => LiveError::ReadOnly(own.message.clone()),
            1021 | 1114 => LiveError::DiskFull(own.message.clone()),
            1053 | 1317 | 1927 | 2006 | 2013 => LiveError::ConnectionLost(own.message.clone()),
            1644 if own.message == wevrun_mariadb::ROWS_WOULD_BE_LOST => LiveError::WouldLoseRows,
            1644 if own.message == wevrun_mariadb::ANOTHER_STRUCTURE => LiveError::AnotherStructure,
            _ => LiveError::Engine(own.message.clone()),
        },
        Error::IoError(own) => LiveError::ConnectionLost(own.to_string()),
        Error::CodecError(own) => LiveError::ConnectionLost(own.to_string()),
        other => LiveError::Engine(other.to_string()),
    }
}

impl Database for MariaDatabase {
    fn read(&mut self) -> Result<Content, LiveError> {
        self.content()
    }

    fn probe(&mut self, probes: &[Probe]) -> Result<Evidence, LiveError> {
        self.evidence(probes)
    }

    fn deploy(
        &mut self,
        script: &Script,
        release: &Release,
        watch: &mut dyn FnMut(Event<'_>),
    ) -> Result<Deployment, LiveError> {
        deployer::run(self, script, release, watch)
    }

    fn facts(&mut self, query: &str) -> Result<Vec<String>, LiveError> {
        Ok(self.rows(query)?.iter().filter_map(|row| text(row, 0)).collect())
    }

    fn last_release(&mut self) -> Result<Option<LedgerEntry>, LiveError> {
        self.last_entry()
    }
}
