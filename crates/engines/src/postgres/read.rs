//! The catalogue: a constant number of queries, sent at once and answered from one snapshot of the database.
//!
//! Each query gives statements: what the object would be created with. They go the same way as a person's source files, so
//! that there is one way from text to model. The server's own functions spell expressions (`pg_get_viewdef()` and its
//! relatives, <https://www.postgresql.org/docs/current/functions-info.html#FUNCTIONS-INFO-CATALOG>).

use postgres::SimpleQueryMessage;
use wevrun_core::EngineVersion;
use wevrun_core::build::Reading;
use wevrun_core::diagnostics::Code;
use wevrun_core::model::Model;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

use super::connection::{PostgresDatabase, meaning, single};
use crate::database::Content;
use crate::error::LiveError;

/// What the tables are: more than half of the work.
const TABLES: &str = include_str!("catalogue/tables.sql");

/// Which tables a query is about. With two connections, the one that asks for everything else takes a share, so that both are
/// done at about the same time.
#[derive(Debug, Clone, Copy)]
enum Share {
    All,
    Most,
    Rest,
}

/// Everything else.
const OTHERS: &[&str] = &[
    include_str!("catalogue/schemas.sql"),
    include_str!("catalogue/types.sql"),
    include_str!("catalogue/sequences.sql"),
    include_str!("catalogue/routines.sql"),
    include_str!("catalogue/aggregates.sql"),
    include_str!("catalogue/operators.sql"),
    include_str!("catalogue/text_search.sql"),
    include_str!("catalogue/foreign.sql"),
    include_str!("catalogue/views.sql"),
    include_str!("catalogue/indexes.sql"),
    include_str!("catalogue/standing_on_tables.sql"),
    include_str!("catalogue/others.sql"),
    include_str!("catalogue/comments.sql"),
    include_str!("catalogue/access.sql"),
];

/// How many relations make it worth while to ask over two connections.
const MANY: u32 = 2000;

/// How often reading begins anew before it gives up.
const ATTEMPTS: u32 = 5;

/// What makes the server's spelling independent of the session.
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
            let digest = database.digest()?;
            let content = match database.helper() {
                Some(helper) => database.content_with(helper),
                None => database.content_inside(),
            }?;
            database.known = digest.map(|digest| (digest, content.model.clone()));
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
    pub(super) fn current_structure(&mut self, in_transaction: bool) -> Result<Model, LiveError> {
        if in_transaction {
            let digest = self.digest()?;
            if let Some(known) = self.known_by(digest.as_deref()) {
                return Ok(known);
            }
            let model = self.content_inside()?.model;
            self.known = digest.map(|digest| (digest, model.clone()));
            return Ok(model);
        }
        if self.known.is_some() {
            let digest = self.read_only(Self::digest)?;
            if let Some(known) = self.known_by(digest.as_deref()) {
                return Ok(known);
            }
        }
        self.content().map(|content| content.model)
    }

    fn known_by(&self, digest: Option<&str>) -> Option<Model> {
        self.known.as_ref().filter(|(known, _)| Some(&known[..]) == digest).map(|(_, model)| model.clone())
    }

    /// Everything, in the transaction that there is.
    fn content_inside(&mut self) -> Result<Content, LiveError> {
        let mut sources = self.ask(OTHERS, Share::All)?;
        sources.extend(self.ask(&[TABLES], Share::All)?);
        let mut reading = Reading::new(&Postgres);
        reading.add(&sources);
        self.made_of(sources, reading)
    }

    /// Everything, with the help of a connection that sees the same: the server works for both at once, and what comes first is
    /// parsed meanwhile.
    fn content_with(&mut self, mut helper: PostgresDatabase) -> Result<Content, LiveError> {
        let (others, tables) = std::thread::scope(|scope| {
            let others = scope.spawn(move || {
                let mut sources = helper.ask(OTHERS, Share::All)?;
                sources.extend(helper.ask(&[TABLES], Share::Rest)?);
                let mut reading = Reading::new(&Postgres);
                reading.add(&sources);
                Ok((sources, reading))
            });
            let tables = self.ask(&[TABLES], Share::Most);
            (others.join().expect("reading does not panic"), tables)
        });
        let (mut sources, mut reading): (Vec<Source>, Reading) = others?;
        let tables = tables?;
        reading.add(&tables);
        sources.extend(tables);
        self.made_of(sources, reading)
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

    /// What the catalogue says to these queries, sent at once.
    fn ask(&mut self, queries: &[&str], share: Share) -> Result<Vec<Source>, LiveError> {
        let mut batch = SPELLING.to_owned();
        for query in queries {
            batch.push_str(&fitted(query, self.version, share));
            batch.push('\n');
        }
        batch.push_str("SET LOCAL search_path = public;");
        let messages = self.client.simple_query(&batch).map_err(|error| meaning(&error))?;
        let rows = messages.iter().filter_map(|message| match message {
            SimpleQueryMessage::Row(row) => Some((row.get(0)?, row.get(1)?, row.get(2)?)),
            _ => None,
        });
        let database = &self.settings.database;
        Ok(rows.map(|(kind, name, text)| Source::new(format!("postgres:{database}, {kind} {name}"), text)).collect())
    }

    fn made_of(&self, sources: Vec<Source>, reading: Reading) -> Result<Content, LiveError> {
        let build = reading.finish();
        let (errors, diagnostics): (Vec<_>, Vec<_>) = build.diagnostics.into_iter().partition(|found| found.is_error());
        // An instruction to Wevrun in a stored definition is a matter of the source, not of the database.
        let errors: Vec<_> = errors.into_iter().filter(|error| error.code != Code::WV009).collect();
        if !errors.is_empty() {
            return Err(LiveError::Unreadable(sources, errors));
        }
        let version = Some(EngineVersion { major: self.version, minor: 0 });
        Ok(Content { model: build.model, sources, version, diagnostics })
    }
}

/// The query for a server's version: `/*14+ … */` stands only from that version on, `/*<14 … */` only before it. `/*share oid*/` is the
/// condition that a table is one of the share, `/*own pg_class oid*/` that an object of that catalogue belongs to no extension.
fn fitted(query: &str, version: u32, share: Share) -> String {
    let mut out = String::with_capacity(query.len());
    let mut rest = query;
    while let Some(start) = rest.find("/*") {
        out.push_str(&rest[..start]);
        let end = rest[start..].find("*/").map_or(rest.len(), |at| start + at);
        let inner = &rest[start + 2..end];
        let (condition, text) = inner.split_once(' ').unwrap_or((inner, ""));
        match (condition, share) {
            ("share", Share::Most) => out.push_str(&format!("AND hashoid({text}) & 7 > 0")),
            ("share", Share::Rest) => out.push_str(&format!("AND hashoid({text}) & 7 < 1")),
            ("own", _) => {
                // By what extensions there are, which are few, not by what each object depends on.
                let (catalogue, object) = text.split_once(' ').unwrap_or((text, ""));
                out.push_str(&format!(
                    "AND {object} NOT IN (SELECT objid FROM pg_depend WHERE refclassid = 'pg_extension'::regclass \
                     AND classid = '{catalogue}'::regclass AND deptype = 'e')"
                ));
            }
            _ => {}
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
