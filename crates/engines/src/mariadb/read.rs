//! The catalogue: a constant number of round trips. One compound statement gives the CREATE statements of everything.

use mysql::Row;
use mysql::prelude::Queryable;
use wevrun_core::EngineVersion;
use wevrun_core::build::Reading;
use wevrun_core::model::{Definition, Expression, Kind, Model};
use wevrun_core::source::Source;
use wevrun_mariadb::MariaDb;

use super::connection::{MariaDatabase, meaning, text};
use super::rights;
use crate::database::{Content, Database as _};
use crate::error::LiveError;

/// Shows every object; a result set each. What can't be shown gives a row with the word `unshown`, its kind, its name and why.
const SHOW_ALL: &str = "BEGIN NOT ATOMIC
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
END";

/// What SHOW CREATE does not show: each row says what, of which object.
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

/// One CREATE statement.
struct Shown {
    kind: Kind,
    name: String,
    statement: String,
    /// The mode in which a program was created.
    sql_mode: Option<String>,
}

impl MariaDatabase {
    pub(super) fn content(&mut self) -> Result<Content, LiveError> {
        let grants: Vec<String> = self.facts("SHOW GRANTS")?;
        if let Some(words) = rights::unseen(&grants, &self.settings.database) {
            return Err(LiveError::Engine(words));
        }
        let mut beside = self.rows(BESIDE)?;
        let shown = self.show_all()?;
        let has_geometry = |shown: &Shown| GEOMETRY.iter().any(|word| shown.statement.contains(&format!("` {word}")));
        if shown.iter().any(has_geometry) {
            beside.extend(self.rows(SYSTEMS)?);
        }
        if shown.iter().filter(|shown| shown.kind == Kind::Trigger).count() > 1 {
            beside.extend(self.rows(PLACES)?);
        }
        let beside: Vec<[String; 4]> =
            beside.iter().map(|row| [0, 1, 2, 3].map(|column| text(row, column).unwrap_or_default())).collect();
        let is_from_creation = |shown: &Shown| {
            shown.kind == Kind::Event
                && beside.iter().any(|[what, name, ..]| what == "begins when made" && *name == shown.name)
        };
        let database = self.settings.database.replace('`', "``");
        let sources: Vec<Source> = shown
            .iter()
            .map(|shown| {
                let statement =
                    if is_from_creation(shown) { without_start(&shown.statement) } else { shown.statement.clone() };
                let mode =
                    shown.sql_mode.as_ref().map(|mode| format!("SET sql_mode = '{mode}';\n")).unwrap_or_default();
                let title = format!("{}, {} {}", self.settings.database, shown.kind.title(), shown.name);
                Source::new(title, &format!("USE `{database}`;\n{mode}{statement};"))
            })
            .collect();
        let mut reading = Reading::new(&MariaDb);
        reading.add(&sources);
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

    fn show_all(&mut self) -> Result<Vec<Shown>, LiveError> {
        let mut result = self.connection.query_iter(SHOW_ALL).map_err(|error| meaning(&error))?;
        let mut shown = Vec::new();
        while let Some(mut set) = result.iter() {
            let columns: Vec<String> =
                set.columns().as_ref().iter().map(|column| column.name_str().into_owned()).collect();
            let rows: Vec<Row> = set.by_ref().collect::<Result<_, _>>().map_err(|error| meaning(&error))?;
            for row in &rows {
                shown.push(read_shown(&columns, row)?);
            }
        }
        Ok(shown)
    }
}

/// Reads a row of SHOW CREATE, whose columns say what kind of object it is.
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

/// An event that says no beginning has begun when it was made: the server writes that moment.
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
