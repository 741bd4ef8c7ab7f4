//! A scratch database: what the server makes of a schema, or all that it refuses of it.

use std::time::{SystemTime, UNIX_EPOCH};

use postgres::error::{ErrorPosition, SqlState};
use wevrun_core::check::Refusal;
use wevrun_core::model::{Kind, Name, ObjectKey, QualifiedName};
use wevrun_core::plan::{Mode, Step};
use wevrun_core::script::{Client as _, Script};
use wevrun_postgres::Postgres;

use super::connection::{PostgresDatabase, connect, meaning, unreachable, words};
use super::settings::Settings;
use crate::database::Spelling;
use crate::error::LiveError;

/// Each routine with the call that lets its language check its body, and the path on which it looks for names
/// (<https://www.postgresql.org/docs/current/plhandler.html>).
const BODIES: &str = "SELECT CASE p.prokind WHEN 'p' THEN 'procedure' ELSE 'function' END, p.oid::regprocedure::text, \
    format('SELECT %s(%s)', l.lanvalidator::regproc, p.oid), \
    coalesce((SELECT substring(setting FROM '=(.*)') FROM unnest(p.proconfig) AS setting WHERE setting LIKE 'search_path=%'), \
             quote_ident(n.nspname) || ', public') \
    FROM pg_proc p JOIN pg_language l ON l.oid = p.prolang JOIN pg_namespace n ON n.oid = p.pronamespace \
    WHERE p.oid >= 16384 AND l.lanvalidator <> 0 AND l.lanname <> 'internal' AND NOT EXISTS \
      (SELECT FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype IN ('i', 'e')) \
    ORDER BY n.nspname, p.proname, p.oid::regprocedure::text";

/// Runs what a script makes in a new database of the server of this URL, which is dropped again.
///
/// Errors if no database can be made there, if the connection is lost, or if a step fails that makes no object.
pub fn spell(url: &str, script: &Script) -> Result<Spelling, LiveError> {
    let settings = Settings::of(url)?;
    let mut maintenance = connect(&settings, &settings.config)?.map_err(|error| unreachable(&settings, &error))?;
    let moment = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |moment| moment.as_nanos());
    let name = format!("wevrun_scratch_{}_{moment}", std::process::id());
    maintenance.batch_execute(&format!("CREATE DATABASE {name} TEMPLATE template0")).map_err(|error| {
        match error.code() {
            Some(&SqlState::INSUFFICIENT_PRIVILEGE) => {
                LiveError::Engine("this role may not create databases there: ALTER ROLE the_role CREATEDB".to_owned())
            }
            _ => meaning(&error),
        }
    })?;
    let mut config = settings.config.clone();
    config.dbname(&name);
    let spelled = connect(&settings, &config).and_then(|client| {
        let client = client.map_err(|error| unreachable(&settings, &error))?;
        let mut scratch = PostgresDatabase::with(client, settings)?;
        let refusals = scratch.make(script)?;
        if !refusals.is_empty() {
            return Ok(Spelling { content: None, refusals });
        }
        // Not before: else what they name may be missing only because it was refused.
        let refusals = scratch.check_bodies()?;
        Ok(Spelling { content: Some(scratch.content()?), refusals })
    });
    // Whatever came of it. The connection to it is closed by now.
    let dropped = maintenance.batch_execute(&format!("DROP DATABASE {name}"));
    let spelled = spelled?;
    dropped.map_err(|error| meaning(&error))?;
    Ok(spelled)
}

impl PostgresDatabase {
    /// Makes all that the server takes; gives what it refuses.
    fn make(&mut self, script: &Script) -> Result<Vec<Refusal>, LiveError> {
        let mut refusals = Vec::new();
        let frame = Postgres.frame(Mode::Transaction);
        for part in &script.plan.parts {
            self.all(frame.begin.iter().chain(&frame.settings).chain(&part.prepare))?;
            for step in &part.steps {
                match self.make_step(step) {
                    // It needs several objects, and one of them was refused.
                    Err(LiveError::StepFailed { .. }) if !refusals.is_empty() => {}
                    refused => refusals.extend(refused?),
                }
            }
            self.all(frame.commit.iter())?;
        }
        Ok(refusals)
    }

    fn all<'s>(&mut self, statements: impl Iterator<Item = &'s String>) -> Result<(), LiveError> {
        statements
            .into_iter()
            .try_for_each(|statement| self.client.batch_execute(statement).map_err(|error| meaning(&error)))
    }

    fn make_step(&mut self, step: &Step) -> Result<Option<Refusal>, LiveError> {
        let Some((statement, error)) = self.refused(&step.statements)? else { return Ok(None) };
        match &step.object {
            Some(key) => Ok(Some(refusal(key.clone(), statement, &error))),
            None => Err(LiveError::StepFailed {
                number: 0,
                title: step.title.clone(),
                statement: statement.to_owned(),
                message: words(&error),
                cause: Box::new(meaning(&error)),
            }),
        }
    }

    /// The statement that the server refuses, after which none of them has happened.
    fn refused<'s>(&mut self, statements: &'s [String]) -> Result<Option<(&'s str, postgres::Error)>, LiveError> {
        self.client.batch_execute("SAVEPOINT refused").map_err(|error| meaning(&error))?;
        for statement in statements {
            let Err(error) = self.client.batch_execute(statement) else { continue };
            if matches!(meaning(&error), LiveError::ConnectionLost(_) | LiveError::DiskFull(_)) {
                return Err(meaning(&error));
            }
            let back = self.client.batch_execute("ROLLBACK TO SAVEPOINT refused");
            return back.map(|()| Some((&statement[..], error))).map_err(|error| meaning(&error));
        }
        self.client.batch_execute("RELEASE SAVEPOINT refused").map_err(|error| meaning(&error))?;
        Ok(None)
    }

    /// Runs each language's check of its bodies, now that all objects that they can name are there.
    fn check_bodies(&mut self) -> Result<Vec<Refusal>, LiveError> {
        let begin = "BEGIN; SET LOCAL check_function_bodies = on; SET LOCAL search_path = ''";
        self.client.batch_execute(begin).map_err(|error| meaning(&error))?;
        let rows = self.client.simple_query(BODIES).map_err(|error| meaning(&error))?;
        let mut refusals = Vec::new();
        for row in super::connection::rows(&rows) {
            let [kind, name, call, path] = [0, 1, 2, 3].map(|column| row.get(column).unwrap_or_default());
            let statements = [format!("SET LOCAL search_path = {path}"), call.to_owned()];
            let Some((_, error)) = self.refused(&statements)? else { continue };
            let kind = if kind == "procedure" { Kind::Procedure } else { Kind::Function };
            // It is only compared, as it is printed.
            let key = ObjectKey::new(kind, QualifiedName::plain(Name::new(name, name)));
            let body = error.as_db_error().and_then(|error| match error.position() {
                Some(ErrorPosition::Internal { query, .. }) => Some(query.clone()),
                _ => None,
            });
            refusals.push(refusal(key, body.as_deref().unwrap_or_default(), &error));
        }
        self.client.batch_execute("ROLLBACK").map_err(|error| meaning(&error))?;
        Ok(refusals)
    }
}

/// The server's error for an object, and the place in the statement.
fn refusal(key: ObjectKey, statement: &str, error: &postgres::Error) -> Refusal {
    let position = error.as_db_error().and_then(|error| error.position()).map(|position| match position {
        ErrorPosition::Original(position) | ErrorPosition::Internal { position, .. } => *position as usize,
    });
    let culprit = position.and_then(|position| {
        let start = statement.char_indices().nth(position.saturating_sub(1))?.0;
        pointed_at(&statement[start..])
    });
    Refusal { key, message: words(error), offset: None, culprit, lacks: false }
}

/// The name, operator or constant with which a text begins; of a name with a schema the last part.
fn pointed_at(text: &str) -> Option<String> {
    const OPERATORS: &str = "+-*/<>=~!@#%^&|`?";
    let first = text.chars().next()?;
    let found = match first {
        '"' => text[1..].split('"').next()?.to_owned(),
        '\'' => format!("'{}'", text[1..].split('\'').next()?),
        _ if OPERATORS.contains(first) => text.chars().take_while(|ch| OPERATORS.contains(*ch)).collect(),
        _ => {
            let word = text.split(|ch: char| !(ch.is_alphanumeric() || ch == '_' || ch == '.')).next()?;
            word.rsplit('.').next()?.to_owned()
        }
    };
    (!found.is_empty()).then_some(found)
}
