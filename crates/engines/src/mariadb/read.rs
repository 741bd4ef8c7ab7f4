//! The catalogue, as a model: from CREATE statements and what they do not show.

use wevrun_core::EngineVersion;
use wevrun_core::model::{Definition, Expression, Kind, Model};
use wevrun_core::source::Source;
use wevrun_mariadb::MariaDb;

use super::connection::{MariaDatabase, text};
use super::rights;
use super::shown::{Picture, Shown};
use crate::database::{Content, Database as _};
use crate::error::LiveError;

/// Facts that SHOW CREATE does not show: a row for each, with its object.
const BESIDE: &str = "SELECT 'version' AS what, '' AS name, '' AS part, VERSION() AS value
    UNION ALL SELECT 'begins when made', event_name, '', ''
    FROM information_schema.events WHERE event_schema = DATABASE() AND UNIX_TIMESTAMP(starts) = UNIX_TIMESTAMP(created)";

/// The same of columns with geometry.
const SYSTEMS: &str = "SELECT 'srid', g_table_name, g_geometry_column, CAST(srid AS CHAR)
    FROM information_schema.geometry_columns WHERE g_table_schema = DATABASE() AND srid <> 0";

/// The trigger before each of those that fire at the same event of a table.
const PLACES: &str = "SELECT * FROM (
        SELECT 'fires after', trigger_name, COALESCE(LAG(trigger_name) OVER (
            PARTITION BY event_object_table, action_timing, event_manipulation ORDER BY action_order), '') AS former, ''
        FROM information_schema.triggers WHERE trigger_schema = DATABASE()
    ) places WHERE former <> ''";

/// Types with a reference system.
const GEOMETRY: [&str; 8] = [
    "geometry",
    "point",
    "linestring",
    "polygon",
    "multipoint",
    "multilinestring",
    "multipolygon",
    "geometrycollection",
];

impl MariaDatabase {
    pub(super) fn content(&mut self) -> Result<Content, LiveError> {
        let grants: Vec<String> = self.facts("SHOW GRANTS")?;
        if let Some(words) = rights::unseen(&grants, &self.settings.database) {
            return Err(LiveError::Engine(words));
        }
        let mut beside = facts(&self.rows(BESIDE)?);
        let source = {
            let database = self.settings.database.clone();
            let made: Vec<String> = beside
                .iter()
                .filter(|[what, ..]| what == "begins when made")
                .map(|[_, event, ..]| event.clone())
                .collect();
            move |shown: &Shown| source(shown, &database, &made)
        };
        let Picture { shown, sources, reading, .. } = self.steady_picture(&source)?;
        let has_geometry = |shown: &Shown| GEOMETRY.iter().any(|word| shown.statement.contains(&format!("` {word}")));
        if shown.iter().any(has_geometry) {
            beside.extend(facts(&self.rows(SYSTEMS)?));
        }
        if shown.iter().filter(|shown| shown.kind == Kind::Trigger).count() > 1 {
            beside.extend(facts(&self.rows(PLACES)?));
        }
        let build = reading.finish();
        let (errors, diagnostics): (Vec<_>, Vec<_>) = build.diagnostics.into_iter().partition(|found| found.is_error());
        let errors: Vec<_> = errors.into_iter().filter(|e| e.code != wevrun_core::diagnostics::Code::WV009).collect();
        if !errors.is_empty() {
            return Err(LiveError::Unreadable(sources, errors));
        }
        let mut model = build.model;
        for [what, name, part, value] in &beside {
            match what.as_str() {
                "srid" => set_srid(&mut model, name, part, value),
                "fires after" => set_place(&mut model, name, part),
                _ => {}
            }
        }
        self.read_privileges(&mut model, &grants)?;
        let version =
            beside.iter().find(|[what, ..]| what == "version").and_then(|[.., version]| parse_version(version));
        Ok(Content { model, sources, version, diagnostics })
    }
}

fn facts(rows: &[mysql::Row]) -> Vec<[String; 4]> {
    rows.iter().map(|row| [0, 1, 2, 3].map(|column| text(row, column).unwrap_or_default())).collect()
}

/// A statement as a source; `made` are the events that begin when they are made.
fn source(shown: &Shown, database: &str, made: &[String]) -> Source {
    let begins_when_made = shown.kind == Kind::Event && made.contains(&shown.name);
    let statement = if begins_when_made { without_start(&shown.statement) } else { shown.statement.clone() };
    let mode = shown.sql_mode.as_ref().map(|mode| format!("SET sql_mode = '{mode}';\n")).unwrap_or_default();
    let title = format!("{database}, {} {}", shown.kind.title(), shown.name);
    Source::new(title, &format!("USE `{}`;\n{mode}{statement};", database.replace('`', "``")))
}

/// An event without a beginning has begun when it was made: the server writes that timestamp.
fn without_start(statement: &str) -> String {
    let Some(at) = statement.find(" STARTS '") else { return statement.to_owned() };
    let rest = &statement[at + 9..];
    let Some(end) = rest.find('\'') else { return statement.to_owned() };
    format!("{}{}", &statement[..at], &rest[end + 1..])
}

fn set_place(model: &mut Model, trigger: &str, former: &str) {
    let name = wevrun_core::model::Identifiers::object_name(&MariaDb, trigger);
    let key = wevrun_core::model::ObjectKey::new(Kind::Trigger, name);
    if let Some(clauses) = model.get_mut(&key).and_then(|object| object.definition.clauses_mut()) {
        let place = format!("FOLLOWS {}", wevrun_mariadb::quoted(former));
        clauses.set_named("place", Expression::new(String::new(), &place));
    }
}

fn set_srid(model: &mut Model, table: &str, column: &str, srid: &str) {
    let name = wevrun_core::model::Identifiers::object_name(&MariaDb, table);
    let key = wevrun_core::model::ObjectKey::new(Kind::Table, name);
    if let Some(object) = model.get_mut(&key)
        && let Definition::Table(table) = &mut object.definition
    {
        for own in table.columns.iter_mut().filter(|own| own.name.written() == column) {
            own.clauses.set_named("ref_system_id", wevrun_core::model::Value::Text(srid.to_owned()));
        }
    }
}

/// `10.11.19-MariaDB-log` as `10.11`.
fn parse_version(text: &str) -> Option<EngineVersion> {
    let number = text.strip_prefix("5.5.5-").unwrap_or(text).split('-').next()?;
    number.parse().ok()
}
