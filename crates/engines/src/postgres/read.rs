//! The catalogue: a constant number of queries, sent at once and answered from one snapshot of the database.
//!
//! Tables are read as rows (`tables`). Everything else is read as statements that create the object. They are parsed the same way
//! as a person's source files. The server's own functions spell expressions (`pg_get_viewdef()` and its relatives,
//! <https://www.postgresql.org/docs/current/functions-info.html#FUNCTIONS-INFO-CATALOG>).

use std::sync::Arc;
use std::sync::mpsc::{self, Sender};

use postgres::{SimpleQueryMessage, SimpleQueryRow};
use wevrun_core::EngineVersion;
use wevrun_core::build::Reading;
use wevrun_core::diagnostics::Code;
use wevrun_core::model::Model;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

use super::connection::{PostgresDatabase, meaning, single};
use super::tables::TableAnswers;
use crate::database::Content;
use crate::error::LiveError;

/// Objects that come as statements. The views, which take the longest, are apart: with two connections, each has half of the work.
const OTHERS: &[&str] = &[
    include_str!("catalogue/schemas.sql"),
    include_str!("catalogue/types.sql"),
    include_str!("catalogue/sequences.sql"),
    include_str!("catalogue/routines.sql"),
    include_str!("catalogue/aggregates.sql"),
    include_str!("catalogue/operators.sql"),
    include_str!("catalogue/text_search.sql"),
    include_str!("catalogue/foreign.sql"),
    include_str!("catalogue/indexes.sql"),
    include_str!("catalogue/standing_on_tables.sql"),
    include_str!("catalogue/others.sql"),
    include_str!("catalogue/comments.sql"),
    include_str!("catalogue/access.sql"),
];

const VIEWS: &[&str] = &[include_str!("catalogue/views.sql")];

/// How many relations make it worth while to ask over two connections.
const MANY: u32 = 2000;

/// How often reading is repeated before it gives up.
const ATTEMPTS: u32 = 20;

/// Settings that make the server's spelling independent of the session.
const SPELLING: &str = "SET LOCAL search_path = ''; SET LOCAL DateStyle = 'ISO, MDY'; SET LOCAL IntervalStyle = 'postgres'; \
                        SET LOCAL extra_float_digits = 1; SET LOCAL quote_all_identifiers = off; \
                        SET LOCAL standard_conforming_strings = on; SET LOCAL timezone = 'UTC'; \
                        SET LOCAL jit = off; SET LOCAL max_parallel_workers_per_gather = 0;";

/// The transaction in which a database is read.
const BEGIN: &str = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY; SET LOCAL statement_timeout = '10min'; \
                     SET LOCAL lock_timeout = '10s';";

impl PostgresDatabase {
    /// Everything, in a read-only transaction of its own; once more where another session has dropped something meanwhile.
    pub(super) fn content(&mut self) -> Result<Content, LiveError> {
        for _ in 0..ATTEMPTS {
            match self.content_once() {
                Err(LiveError::Dropped(_)) => {}
                content => return content,
            }
        }
        self.content_once()
    }

    fn content_once(&mut self) -> Result<Content, LiveError> {
        self.read_only(|database| {
            let digest = if database.is_read_again { database.digest()? } else { None };
            let content = match database.helper() {
                Some(helper) => database.content_with(helper),
                None => database.content_inside(),
            }?;
            database.known = digest.map(|digest| (digest, Arc::new(content.model.clone())));
            Ok(content)
        })
    }

    /// Does something in a read-only transaction of its own, from one snapshot.
    fn read_only<T>(&mut self, work: impl FnOnce(&mut Self) -> Result<T, LiveError>) -> Result<T, LiveError> {
        self.client.batch_execute(BEGIN).map_err(|error| meaning(&error))?;
        let outcome = work(self);
        let end = self.client.batch_execute("ROLLBACK").map_err(|error| meaning(&error));
        let outcome = outcome?;
        end.map(|()| outcome)
    }

    /// The structure, in the transaction that there is, or in one of its own. It is read only if the catalogue has changed since it was
    /// read last.
    pub(super) fn current_structure(&mut self, in_transaction: bool) -> Result<Arc<Model>, LiveError> {
        if in_transaction {
            let digest = self.digest()?;
            if let Some(known) = self.known_by(digest.as_deref()) {
                return Ok(known);
            }
            let model = Arc::new(self.content_inside()?.model);
            self.known = digest.map(|digest| (digest, model.clone()));
            return Ok(model);
        }
        if self.known.is_some() {
            let digest = self.read_only(Self::digest)?;
            if let Some(known) = self.known_by(digest.as_deref()) {
                return Ok(known);
            }
        }
        self.content().map(|content| Arc::new(content.model))
    }

    fn known_by(&self, digest: Option<&str>) -> Option<Arc<Model>> {
        self.known.as_ref().filter(|(known, _)| Some(&known[..]) == digest).map(|(_, model)| model.clone())
    }

    /// Everything, in the transaction that there is.
    fn content_inside(&mut self) -> Result<Content, LiveError> {
        let (sender, answers) = mpsc::channel();
        let reading = std::thread::scope(|scope| {
            let reading = scope.spawn(move || CatalogueReading::of(answers));
            let asked = self.ask_for_tables_and_views(sender.clone()).and_then(|()| self.ask_for_others(sender));
            let reading = reading.join().expect("reading does not panic");
            asked.and(reading)
        });
        reading?.finish(self.version)
    }

    /// Everything, with the help of a connection that sees the same: the server works for both at once.
    fn content_with(&mut self, mut helper: PostgresDatabase) -> Result<Content, LiveError> {
        let ((first_sender, first), (second_sender, second)) = (mpsc::channel(), mpsc::channel());
        let reading = std::thread::scope(|scope| {
            // In this order, whichever connection answers first.
            let reading = scope.spawn(move || CatalogueReading::of(first.into_iter().chain(second)));
            let helped = scope.spawn(move || helper.ask_for_tables_and_views(first_sender));
            let asked = self.ask_for_others(second_sender);
            let reading = reading.join().expect("reading does not panic");
            helped.join().expect("asking does not panic").and(asked).and(reading)
        });
        reading?.finish(self.version)
    }

    // An answer that is not taken has a reason, which the reading returns.
    fn ask_for_tables_and_views(&mut self, to: Sender<Answers>) -> Result<(), LiveError> {
        let _ = to.send(Answers::Tables(self.tables()?));
        let _ = to.send(Answers::Statements(self.statements(VIEWS)?));
        Ok(())
    }

    fn ask_for_others(&mut self, to: Sender<Answers>) -> Result<(), LiveError> {
        let _ = to.send(Answers::Statements(self.statements(OTHERS)?));
        Ok(())
    }

    /// A second connection to the same snapshot, if the database is large and the server lets one more in
    /// (<https://www.postgresql.org/docs/current/functions-admin.html#FUNCTIONS-SNAPSHOT-SYNCHRONIZATION>).
    fn helper(&mut self) -> Option<PostgresDatabase> {
        let question = format!(
            "SELECT CASE WHEN count(*) > {MANY} THEN pg_export_snapshot() END FROM pg_class WHERE oid >= 16384"
        );
        let Ok(messages) = self.client.simple_query(&question) else {
            let _ = self.client.batch_execute(&format!("ROLLBACK; {BEGIN}"));
            return None;
        };
        let snapshot = single(&messages)?.get(0)?;
        let mut helper = self.another().ok()?;
        let begin = format!("{BEGIN} SET TRANSACTION SNAPSHOT '{snapshot}'");
        helper.client.batch_execute(&begin).ok()?;
        Some(helper)
    }

    /// The objects that these queries give as statements.
    fn statements(&mut self, queries: &[&str]) -> Result<Vec<Source>, LiveError> {
        let answers = self.ask(queries)?;
        let database = &self.settings.database;
        let source = |row: &SimpleQueryRow| {
            let (kind, name, text) = (row.get(0)?, row.get(1)?, row.get(2)?);
            Some(Source::new(format!("postgres:{database}, {kind} {name}"), text))
        };
        Ok(answers.iter().flatten().filter_map(source).collect())
    }

    /// The answers to these queries, sent at once.
    pub(super) fn ask(&mut self, queries: &[&str]) -> Result<Vec<Vec<SimpleQueryRow>>, LiveError> {
        let mut batch = SPELLING.to_owned();
        for query in queries {
            batch.push_str(&fitted(query, self.version));
            batch.push('\n');
        }
        batch.push_str("SET LOCAL search_path = public;");
        let messages = self.client.simple_query(&batch).map_err(|error| meaning(&error))?;
        let mut answers: Vec<Vec<SimpleQueryRow>> = Vec::new();
        for message in messages {
            match message {
                SimpleQueryMessage::RowDescription(_) => answers.push(Vec::new()),
                SimpleQueryMessage::Row(row) => answers.last_mut().expect("a description comes first").push(row),
                _ => {}
            }
        }
        Ok(answers)
    }
}

/// The query for a server's version: `/*14+ … */` is kept only from that version on, `/*<14 … */` only before it.
/// `/*own pg_class oid*/` becomes the condition that an object of that catalogue belongs to no extension.
fn fitted(query: &str, version: u32) -> String {
    let mut out = String::with_capacity(query.len());
    let mut rest = query;
    while let Some(start) = rest.find("/*") {
        out.push_str(&rest[..start]);
        let end = rest[start..].find("*/").map_or(rest.len(), |at| start + at);
        let inner = &rest[start + 2..end];
        let (condition, text) = inner.split_once(' ').unwrap_or((inner, ""));
        if condition == "own" {
            // By what extensions there are, which are few, not by what each object depends on.
            let (catalogue, object) = text.split_once(' ').unwrap_or((text, ""));
            out.push_str(&format!(
                "AND {object} NOT IN (SELECT objid FROM pg_depend WHERE refclassid = 'pg_extension'::regclass \
                 AND classid = '{catalogue}'::regclass AND deptype = 'e')"
            ));
        }
        let holds = match (condition.strip_suffix('+'), condition.strip_prefix('<')) {
            (Some(since), _) => since.parse().is_ok_and(|since: u32| version >= since),
            (_, Some(before)) => before.parse().is_ok_and(|before: u32| version < before),
            _ => false,
        };
        if holds {
            out.push_str(text);
        }
        rest = rest.get(end + 2..).unwrap_or("");
    }
    out.push_str(rest);
    out
}

/// The answers of the server.
enum Answers {
    Tables(TableAnswers),
    Statements(Vec<Source>),
}

/// The objects read so far.
struct CatalogueReading {
    sources: Vec<Source>,
    reading: Reading,
}

impl CatalogueReading {
    /// The meaning of these answers, each parsed as it arrives.
    fn of(answers: impl IntoIterator<Item = Answers>) -> Result<CatalogueReading, LiveError> {
        let mut reading = CatalogueReading { sources: Vec::new(), reading: Reading::new(&Postgres) };
        for answers in answers {
            match answers {
                Answers::Tables(tables) => reading.add_tables(&tables)?,
                Answers::Statements(sources) => {
                    reading.reading.add(&sources);
                    reading.sources.extend(sources);
                }
            }
        }
        Ok(reading)
    }

    fn add_tables(&mut self, answers: &TableAnswers) -> Result<(), LiveError> {
        let rows = answers.rows()?;
        self.reading.add_parsed(rows.parse(self.reading.next_index()));
        self.sources.extend(rows.tables.into_iter().map(|row| row.statements));
        Ok(())
    }

    fn finish(self, version: u32) -> Result<Content, LiveError> {
        let CatalogueReading { sources, reading } = self;
        let build = reading.finish();
        let (errors, diagnostics): (Vec<_>, Vec<_>) = build.diagnostics.into_iter().partition(|found| found.is_error());
        // An instruction to Wevrun in a stored definition is a matter of the source, not of the database.
        let errors: Vec<_> = errors.into_iter().filter(|error| error.code != Code::WV009).collect();
        if !errors.is_empty() {
            return Err(LiveError::Unreadable(sources, errors));
        }
        let version = Some(EngineVersion { major: version, minor: 0 });
        Ok(Content { model: build.model, sources, version, diagnostics })
    }
}
