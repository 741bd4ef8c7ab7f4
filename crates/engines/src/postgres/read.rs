//! The catalogue: a constant number of queries, sent at once and answered from one snapshot of the database.
//!
//! Each query gives statements: what the object would be created with. They go the same way as a person's source files, so
//! that there is one way from text to model. The server's own functions spell expressions (`pg_get_viewdef()` and its
//! relatives, <https://www.postgresql.org/docs/current/functions-info.html#FUNCTIONS-INFO-CATALOG>).

use postgres::SimpleQueryMessage;
use wevrun_core::diagnostics::Code;
use wevrun_core::source::Source;
use wevrun_core::{Engine, EngineVersion, build};

use super::connection::{PostgresDatabase, meaning};
use crate::database::Content;
use crate::error::LiveError;

/// The queries, in the order in which people would write the objects.
const QUERIES: [&str; 15] = [
    include_str!("catalogue/schemas.sql"),
    include_str!("catalogue/types.sql"),
    include_str!("catalogue/sequences.sql"),
    include_str!("catalogue/routines.sql"),
    include_str!("catalogue/aggregates.sql"),
    include_str!("catalogue/operators.sql"),
    include_str!("catalogue/text_search.sql"),
    include_str!("catalogue/foreign.sql"),
    include_str!("catalogue/tables.sql"),
    include_str!("catalogue/views.sql"),
    include_str!("catalogue/indexes.sql"),
    include_str!("catalogue/standing_on_tables.sql"),
    include_str!("catalogue/others.sql"),
    include_str!("catalogue/comments.sql"),
    include_str!("catalogue/access.sql"),
];

/// What makes the server's spelling independent of the session.
const SPELLING: &str = "SET LOCAL search_path = ''; SET LOCAL DateStyle = 'ISO, YMD'; SET LOCAL IntervalStyle = 'postgres'; \
                        SET LOCAL extra_float_digits = 1; SET LOCAL quote_all_identifiers = off; \
                        SET LOCAL standard_conforming_strings = on; SET LOCAL timezone = 'UTC'; \
                        SET LOCAL jit = off;";

impl PostgresDatabase {
    /// Everything, in a read-only transaction of its own.
    pub(super) fn content(&mut self) -> Result<Content, LiveError> {
        let begin = "BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY; SET LOCAL statement_timeout = '10min'; \
                     SET LOCAL lock_timeout = '10s';";
        self.client.batch_execute(begin).map_err(|error| meaning(&error))?;
        let content = self.content_inside();
        let end = self.client.batch_execute("ROLLBACK").map_err(|error| meaning(&error));
        let content = content?;
        end.map(|()| content)
    }

    /// Everything, in the transaction that there is.
    pub(super) fn content_inside(&mut self) -> Result<Content, LiveError> {
        let mut batch = SPELLING.to_owned();
        for query in QUERIES {
            batch.push_str(&for_version(query, self.version));
            batch.push('\n');
        }
        batch.push_str("SET LOCAL search_path = public;");
        let messages = self.client.simple_query(&batch).map_err(|error| meaning(&error))?;
        let sources: Vec<Source> = messages
            .iter()
            .filter_map(|message| match message {
                SimpleQueryMessage::Row(row) => Some((row.get(0)?, row.get(1)?, row.get(2)?)),
                _ => None,
            })
            .map(|(kind, name, text)| Source::new(format!("postgres:{}, {kind} {name}", self.settings.database), text))
            .collect();
        let build = build::read(Engine::Postgres, &sources);
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

/// The query for a server's version: `/*14+ … */` stands only from that version on, `/*<14 … */` only before it.
fn for_version(query: &str, version: u32) -> String {
    let mut out = String::with_capacity(query.len());
    let mut rest = query;
    while let Some(start) = rest.find("/*") {
        out.push_str(&rest[..start]);
        let end = rest[start..].find("*/").map_or(rest.len(), |at| start + at);
        let inner = &rest[start + 2..end];
        let (condition, text) = inner.split_once(' ').unwrap_or((inner, ""));
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
