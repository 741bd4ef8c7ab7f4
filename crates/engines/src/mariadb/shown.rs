//! The CREATE statements of everything, in one round trip. DDL is not transactional and knows no snapshot, so what is read is taken only
//! if no session changed a structure meanwhile, or if it is read twice alike.

use std::sync::mpsc;
use std::thread;

use mysql::Row;
use mysql::prelude::Queryable;
use wevrun_core::build::Reading;
use wevrun_core::model::Kind;
use wevrun_core::source::Source;
use wevrun_mariadb::MariaDb;

use super::connection::{MariaDatabase, meaning, text};
use crate::error::LiveError;

/// Shows every object; a result set each. What can't be shown gives a row with the word `unshown`, its kind, its name and why. Before
/// and after that it gives the number of statements of the whole server that change structures.
const SHOW_ALL: &str = "BEGIN NOT ATOMIC
    DECLARE changes varchar(400) DEFAULT 'SELECT SUM(variable_value) AS `changes` FROM information_schema.global_status
        WHERE variable_name REGEXP ''^com_(alter|create|drop|rename)_'' AND variable_name NOT LIKE ''%temporary%''';
    EXECUTE IMMEDIATE changes;
    FOR o IN (
        SELECT CASE table_type WHEN 'VIEW' THEN 'VIEW' WHEN 'SEQUENCE' THEN 'SEQUENCE' ELSE 'TABLE' END AS kind, table_name AS name
        FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name NOT IN ('wevrun_ledger', 'wevrun_journal')
        UNION ALL SELECT routine_type, routine_name FROM information_schema.routines WHERE routine_schema = DATABASE()
        UNION ALL SELECT 'TRIGGER', trigger_name FROM information_schema.triggers WHERE trigger_schema = DATABASE()
        UNION ALL SELECT 'EVENT', event_name FROM information_schema.events WHERE event_schema = DATABASE()
    ) DO
        BEGIN
            DECLARE CONTINUE HANDLER FOR SQLEXCEPTION BEGIN
                GET DIAGNOSTICS CONDITION 1 @wevrun_message = MESSAGE_TEXT;
                SELECT 'unshown' AS `unshown`, o.kind, o.name, @wevrun_message;
            END;
            EXECUTE IMMEDIATE CONCAT('SHOW CREATE ', o.kind, ' `', REPLACE(o.name, '`', '``'), '`');
        END;
    END FOR;
    EXECUTE IMMEDIATE changes;
END";

/// How often it is read at most.
const READINGS: usize = 6;

/// One CREATE statement.
#[derive(Debug, Clone)]
pub(super) struct Shown {
    pub kind: Kind,
    pub name: String,
    pub statement: String,
    /// The mode in which a program was created.
    pub sql_mode: Option<String>,
}

impl Shown {
    /// Whether it is the same; the next number of a column is no structure.
    fn is_like(&self, other: &Shown) -> bool {
        let fixed = |shown: &Shown| match shown.statement.split_once(" AUTO_INCREMENT=") {
            Some((before, after)) => format!("{before}{}", after.trim_start_matches(|one: char| one.is_ascii_digit())),
            None => shown.statement.clone(),
        };
        (self.kind, &self.name, &self.sql_mode) == (other.kind, &other.name, &other.sql_mode)
            && fixed(self) == fixed(other)
    }
}

/// The statements read, as sources, and their meanings.
pub(super) struct Picture {
    pub shown: Vec<Shown>,
    pub sources: Vec<Source>,
    pub reading: Reading,
    /// Whether no session has changed a structure of the server meanwhile.
    is_quiet: bool,
}

impl Picture {
    fn is_like(&self, other: &Picture) -> bool {
        let mut pairs = self.shown.iter().zip(&other.shown);
        self.shown.len() == other.shown.len() && pairs.all(|(one, other)| one.is_like(other))
    }
}

/// How many statements are parsed at once, while the next ones are read.
const BATCH: usize = 128;

impl MariaDatabase {
    /// Every CREATE statement, of one moment; `source` makes one of it that can be read.
    pub(super) fn steady_picture(&mut self, source: &(impl Fn(&Shown) -> Source + Sync)) -> Result<Picture, LiveError> {
        let mut before: Option<Picture> = None;
        let mut failed = None;
        for _ in 0..READINGS {
            match self.picture(source) {
                Ok(picture) if picture.is_quiet || before.as_ref().is_some_and(|before| before.is_like(&picture)) => {
                    return Ok(picture);
                }
                Ok(picture) => (before, failed) = (Some(picture), None),
                // It may be dropped since it was listed.
                Err(error @ LiveError::Engine(_)) => failed = Some(error),
                Err(error) => return Err(error),
            }
        }
        Err(failed.unwrap_or(LiveError::Unsteady))
    }

    /// Reads every CREATE statement; another thread parses them as they are read.
    fn picture(&mut self, source: &(impl Fn(&Shown) -> Source + Sync)) -> Result<Picture, LiveError> {
        let mut result = self.connection.query_iter(SHOW_ALL).map_err(|error| meaning(&error))?;
        thread::scope(|scope| {
            let (sender, receiver) = mpsc::channel::<Vec<Source>>();
            let parser = scope.spawn(move || {
                let (mut reading, mut sources) = (Reading::new(&MariaDb), Vec::new());
                for batch in receiver {
                    reading.add(&batch);
                    sources.extend(batch);
                }
                (reading, sources)
            });
            let (mut shown, mut changes, mut sent) = (Vec::new(), Vec::new(), 0);
            while let Some(mut set) = result.iter() {
                let columns: Vec<String> =
                    set.columns().as_ref().iter().map(|column| column.name_str().into_owned()).collect();
                let rows: Vec<Row> = set.by_ref().collect::<Result<_, _>>().map_err(|error| meaning(&error))?;
                for row in &rows {
                    if columns.first().is_some_and(|column| column == "changes") {
                        changes.push(text(row, 0));
                    } else {
                        shown.push(read_shown(&columns, row)?);
                    }
                }
                if shown.len() >= sent + BATCH {
                    // It is there as long as this end is.
                    let _ = sender.send(shown[sent..].iter().map(source).collect());
                    sent = shown.len();
                }
            }
            let _ = sender.send(shown[sent..].iter().map(source).collect());
            drop(sender);
            let (reading, sources) = parser.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic));
            let is_quiet = matches!(&changes[..], [before, after] if before == after);
            Ok(Picture { shown, sources, reading, is_quiet })
        })
    }
}

/// Reads a row of SHOW CREATE, whose columns tell the kind of object.
fn read_shown(columns: &[String], row: &Row) -> Result<Shown, LiveError> {
    let value = |index: usize| text(row, index);
    let first = columns.first().map_or("", String::as_str);
    if first == "unshown" {
        let [kind, name, why] = [1, 2, 3].map(|index| value(index).unwrap_or_default());
        let kind = kind.to_lowercase();
        return Err(LiveError::Engine(format!("the definition of {kind} {name} can't be read: {why}")));
    }
    let name = value(0).unwrap_or_default();
    let at = |wanted: &str| columns.iter().position(|column| column == wanted);
    let (kind, statement) = match first {
        "Table" => {
            let statement = at("Create Table").and_then(value).unwrap_or_default();
            (if statement.starts_with("CREATE SEQUENCE") { Kind::Sequence } else { Kind::Table }, Some(statement))
        }
        "View" => (Kind::View, at("Create View").and_then(value)),
        "Procedure" => (Kind::Procedure, at("Create Procedure").and_then(value)),
        "Function" => (Kind::Function, at("Create Function").and_then(value)),
        "Package" => (Kind::Package, at("Create Package").and_then(value)),
        "Package body" => (Kind::PackageBody, at("Create Package Body").and_then(value)),
        "Trigger" => (Kind::Trigger, at("SQL Original Statement").and_then(value)),
        "Event" => (Kind::Event, at("Create Event").and_then(value)),
        other => {
            return Err(LiveError::Engine(format!(
                "the server shows an object of a kind that is not known here: {other}"
            )));
        }
    };
    let Some(statement) = statement.filter(|statement| !statement.is_empty()) else {
        return Err(LiveError::Engine(format!(
            "this user may not read the body of {} {name}: GRANT SELECT ON mysql.proc TO the_user lets it read bodies of routines",
            kind.title()
        )));
    };
    let sql_mode = at("sql_mode").and_then(value).filter(|mode| !mode.is_empty());
    Ok(Shown { kind, name, statement, sql_mode })
}
