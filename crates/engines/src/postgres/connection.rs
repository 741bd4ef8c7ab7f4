//! Connecting, and what the server's errors mean.

use std::error::Error as _;
use std::sync::Arc;

use postgres::error::SqlState;
use postgres::{Client, Config, NoTls, SimpleQueryMessage, SimpleQueryRow};
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, Mode, Probe};
use wevrun_core::script::{Client as _, Script};
use wevrun_postgres::Postgres;

use super::settings::Settings;
use super::tls;
use crate::database::{Access, Content, Database, Deployment, Event, Release};
use crate::deployer;
use crate::error::LiveError;
use crate::ledger::LedgerEntry;

/// How often it is tried to set a timeout off.
const TIMEOUT_ATTEMPTS: u32 = 20;

/// A connection to a PostgreSQL database.
pub struct PostgresDatabase {
    pub(super) client: Client,
    pub(super) settings: Settings,
    /// The server's major version.
    pub(super) version: u32,
    /// The digest of the catalogue when the structure was read last, and that structure.
    pub(super) known: Option<(String, Arc<Model>)>,
    /// The catalogues of which the digest is made, once they have been listed.
    pub(super) catalogues: Option<String>,
    /// Whether it may have to be read again: where nothing can be changed, it is read once.
    pub(super) is_read_again: bool,
}

impl PostgresDatabase {
    /// Connects.
    pub fn open(url: &str, access: Access) -> Result<PostgresDatabase, LiveError> {
        let settings = Settings::of(url)?;
        let client = match connect(&settings, &settings.config)? {
            Ok(client) => client,
            Err(error) if access == Access::Create && error.code() == Some(&SqlState::INVALID_CATALOG_NAME) => {
                create_database(&settings)?
            }
            Err(error) => return Err(unreachable(&settings, &error)),
        };
        let database = PostgresDatabase::with(client, settings)?;
        Ok(PostgresDatabase { is_read_again: access != Access::Read, ..database })
    }

    /// One more connection to the same database.
    pub(super) fn another(&self) -> Result<PostgresDatabase, LiveError> {
        let client = connect(&self.settings, &self.settings.config)?.map_err(|error| meaning(&error))?;
        PostgresDatabase::with(client, self.settings.clone())
    }

    pub(super) fn with(mut client: Client, settings: Settings) -> Result<PostgresDatabase, LiveError> {
        // A timeout of the database or the role may be so short that it ends even this one.
        let mut attempts = 0;
        while let Err(error) = client.batch_execute("SET statement_timeout = 0") {
            attempts += 1;
            if error.code() != Some(&SqlState::QUERY_CANCELED) || attempts == TIMEOUT_ATTEMPTS {
                return Err(meaning(&error));
            }
        }
        // Settings of the database or the role must not change what we read, nor hide rows from us.
        let settle = Postgres.frame(Mode::EachStatement).settings.join("; ");
        let ask = format!("{settle}; SELECT current_setting('server_version_num')");
        let rows = client.simple_query(&ask).map_err(|error| meaning(&error))?;
        let number: u32 = single(&rows).and_then(|row| row.get(0)?.parse().ok()).unwrap_or(0);
        let version = number / 10000;
        if version < 13 {
            return Err(LiveError::Engine(format!(
                "the server is PostgreSQL {version}; Wevrun works with 13 and later"
            )));
        }
        Ok(PostgresDatabase { client, settings, version, known: None, catalogues: None, is_read_again: true })
    }
}

/// The name must be taken as it is, whatever it holds.
fn create_database(settings: &Settings) -> Result<Client, LiveError> {
    let mut maintenance = settings.config.clone();
    maintenance.dbname("postgres");
    let mut client = connect(settings, &maintenance)?.map_err(|error| unreachable(settings, &error))?;
    let statement = format!("CREATE DATABASE \"{}\"", settings.database.replace('"', "\"\""));
    client.batch_execute(&statement).map_err(|error| meaning(&error))?;
    connect(settings, &settings.config)?.map_err(|error| unreachable(settings, &error))
}

/// The inner error is the server's or the network's.
pub(super) fn connect(settings: &Settings, config: &Config) -> Result<Result<Client, postgres::Error>, LiveError> {
    let connector = if settings.on_socket { None } else { Some(tls::connector(settings)?) };
    let config = config.clone();
    let connect = move || match connector {
        None => config.connect(NoTls),
        Some(connector) => config.connect(connector),
    };
    let Some(timeout) = settings.timeout else { return Ok(connect()) };
    // The driver's own limit ends when the server accepts: one that then sends nothing would hold us for ever.
    let (sender, receiver) = std::sync::mpsc::channel();
    std::thread::spawn(move || drop(sender.send(connect())));
    receiver.recv_timeout(timeout).map_err(|_| {
        let words = format!("no answer within {} s (connect_timeout)", timeout.as_secs());
        LiveError::Unreachable(settings.shown.clone(), words)
    })
}

/// Runs statements as a person would with the engine's own client, outside any release.
pub fn execute(url: &str, sql: &str) -> Result<(), LiveError> {
    let mut database = PostgresDatabase::open(url, Access::Write)?;
    database.client.batch_execute(sql).map_err(|error| meaning(&error))
}

/// The only row of an answer.
pub(super) fn single(messages: &[SimpleQueryMessage]) -> Option<&SimpleQueryRow> {
    rows(messages).next()
}

/// The rows of an answer.
pub(super) fn rows(messages: &[SimpleQueryMessage]) -> impl Iterator<Item = &SimpleQueryRow> {
    messages.iter().filter_map(|message| match message {
        SimpleQueryMessage::Row(row) => Some(row),
        _ => None,
    })
}

/// Why there is no connection.
pub(super) fn unreachable(settings: &Settings, error: &postgres::Error) -> LiveError {
    match error.code() {
        Some(code) if *code == SqlState::INVALID_CATALOG_NAME => {
            LiveError::NotFound(format!("{} ({})", settings.shown, words(error)))
        }
        Some(code) if *code == SqlState::INVALID_PASSWORD || *code == SqlState::INVALID_AUTHORIZATION_SPECIFICATION => {
            LiveError::Refused(settings.shown.clone(), words(error))
        }
        _ if words(error).contains("password missing") => {
            LiveError::Refused(settings.shown.clone(), "the server wants a password, and none is given".to_owned())
        }
        _ => LiveError::Unreachable(settings.shown.clone(), words(error)),
    }
}

/// The meaning of an error (<https://www.postgresql.org/docs/current/errcodes-appendix.html>).
pub(super) fn meaning(error: &postgres::Error) -> LiveError {
    if error.is_closed() {
        return LiveError::ConnectionLost(words(error));
    }
    let Some(database) = error.as_db_error() else { return LiveError::ConnectionLost(words(error)) };
    let code = database.code();
    if *code == SqlState::LOCK_NOT_AVAILABLE {
        LiveError::Locked
    } else if *code == SqlState::READ_ONLY_SQL_TRANSACTION {
        LiveError::ReadOnly(database.message().to_owned())
    } else if *code == SqlState::DISK_FULL {
        LiveError::DiskFull(database.message().to_owned())
    } else if *code == SqlState::INTERNAL_ERROR && is_of_something_dropped(database.message()) {
        LiveError::Dropped(database.message().to_owned())
    } else if code.code() == "WV001" {
        LiveError::WouldLoseRows
    } else if code.code() == "WV002" {
        LiveError::AnotherStructure
    } else if [SqlState::ADMIN_SHUTDOWN, SqlState::CRASH_SHUTDOWN, SqlState::CANNOT_CONNECT_NOW].contains(code) {
        LiveError::ConnectionLost(database.message().to_owned())
    } else {
        LiveError::Engine(words(error))
    }
}

/// Functions such as `pg_get_indexdef()` look at the catalogue as it is by now, not as the snapshot has it
/// (<https://www.postgresql.org/docs/current/functions-info.html#FUNCTIONS-INFO-CATALOG>).
fn is_of_something_dropped(message: &str) -> bool {
    ["could not open relation with OID", "cache lookup failed"].iter().any(|start| message.starts_with(start))
}

/// The server's own words, with its detail and hint.
pub(super) fn words(error: &postgres::Error) -> String {
    match error.as_db_error() {
        Some(database) => {
            let detail = database.detail().map_or_else(String::new, |detail| format!(" ({detail})"));
            let hint = database.hint().map_or_else(String::new, |hint| format!(" [{hint}]"));
            format!("{}{detail}{hint}", database.message())
        }
        None => match error.source() {
            Some(source) => source.to_string(),
            None => error.to_string(),
        },
    }
}

impl Database for PostgresDatabase {
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
        let messages = self.client.simple_query(query).map_err(|error| meaning(&error))?;
        let text = |message: &SimpleQueryMessage| match message {
            SimpleQueryMessage::Row(row) => row.get(0).map(str::to_owned),
            _ => None,
        };
        Ok(messages.iter().filter_map(text).collect())
    }

    fn last_release(&mut self) -> Result<Option<LedgerEntry>, LiveError> {
        self.last_entry()
    }
}
