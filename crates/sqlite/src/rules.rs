//! SQLite's own rules, and what each version knows.

use super::{Sqlite, versions};
use wevrun_core::check::{Checks, Rules};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::engine::EngineVersion;
use wevrun_core::fold::head;
use wevrun_core::model::{Definition, Kind, Model, Object, Table, Timing, Trigger};

/// Checks every object.
fn check(model: &Model, version: EngineVersion, checks: &mut Checks<'_>) {
    for object in model.objects() {
        match &object.definition {
            Definition::Table(table) => self::table(object, table, checks),
            Definition::Trigger(trigger) => self::trigger(object, trigger, checks),
            Definition::Index(_) | Definition::View(_) | Definition::VirtualTable(_) | Definition::Plain(_) => {}
        }
        self::version(object, version, checks);
    }
}

/// The types of a STRICT table (<https://sqlite.org/stricttables.html>).
const STRICT_TYPES: &[&str] = &["int", "integer", "real", "text", "blob", "any"];

fn table(object: &Object, table: &Table, checks: &mut Checks<'_>) {
    let broken = |checks: &mut Checks<'_>, message: String, help: &str| {
        let at = checks.definition_of(object);
        checks.add(Diagnostic::new(Code::WV131, message).at(at, "this table").help(help));
    };
    if table.strict {
        for column in table.columns.iter() {
            let data_type = column.data_type.as_ref();
            if data_type.is_some_and(|data_type| STRICT_TYPES.contains(&data_type.canonical.as_str())) {
                continue;
            }
            let message = match data_type {
                Some(data_type) => {
                    format!(
                        "column {}.{} has the type `{data_type}`, which a STRICT table does not allow",
                        object.name, column.name
                    )
                }
                None => {
                    format!("column {}.{} has no type, which a STRICT table does not allow", object.name, column.name)
                }
            };
            let at = checks.locate(object, column.name.written(), None);
            checks.add(
                Diagnostic::new(Code::WV131, message)
                    .at(at, "this column")
                    .help("use INTEGER, REAL, TEXT, BLOB or ANY; a length or precision is not allowed either"),
            );
        }
    }
    if table.without_rowid && table.primary_key.is_none() {
        broken(
            checks,
            format!("table {} is WITHOUT ROWID, but has no primary key", object.name),
            "add PRIMARY KEY (…)",
        );
    }
    if let Some(key) = table.primary_key.as_ref().filter(|key| key.autoincrement) {
        let integer = key.parts.len() == 1
            && !key.parts[0].descending
            && table
                .column(&key.parts[0].column)
                .and_then(|column| column.data_type.as_ref())
                .is_some_and(|t| t.canonical == "integer");
        if !integer || table.without_rowid {
            let message =
                format!("table {} has AUTOINCREMENT on a key that is not an INTEGER PRIMARY KEY", object.name);
            broken(
                checks,
                message,
                "make the column INTEGER PRIMARY KEY in a table with rowids, or drop AUTOINCREMENT",
            );
        }
    }
    if table.columns.iter().all(|column| column.generated.is_some()) {
        broken(
            checks,
            format!("all columns of table {} are generated", object.name),
            "add a column that holds a value",
        );
    }
}

fn trigger(object: &Object, trigger: &Trigger, checks: &mut Checks<'_>) {
    let Some(owner) = checks.model().relation(&trigger.table) else { return };
    let kind = owner.definition.kind();
    let fits = match kind {
        Kind::View => trigger.timing == Timing::InsteadOf,
        Kind::Table => trigger.timing != Timing::InsteadOf,
        _ => false,
    };
    if !fits {
        let at = checks.locate(object, trigger.table.identifier(), Some("ON"));
        let message = format!("trigger {} fires {} … on a {}", object.name, trigger.timing.keywords(), kind.title());
        let help = match kind {
            Kind::View => "on a view only INSTEAD OF triggers fire",
            Kind::Table => "INSTEAD OF is for views; on a table use BEFORE or AFTER",
            _ => "virtual tables take no triggers",
        };
        let owner_at = checks.definition_of(owner);
        checks.add(
            Diagnostic::new(Code::WV132, message)
                .at(at, format!("a {}", kind.title()))
                .and_at(owner_at, "defined here")
                .help(help),
        );
    }
}

/// Features that the project's oldest version lacks.
fn version(object: &Object, version: EngineVersion, checks: &mut Checks<'_>) {
    for (minor, what) in versions::needs(&object.definition) {
        if version < (EngineVersion { major: 3, minor }) {
            let at = checks.definition_of(object).or(object.location.map(head));
            checks.add(
                Diagnostic::new(
                    Code::WV130,
                    format!("{} needs SQLite 3.{minor}; the project is for {version}", object.key()),
                )
                .at(at, format!("{what} came with SQLite 3.{minor}"))
                .help(format!("set engine-version = \"3.{minor}\" in wevrun.toml, if every database runs it")),
            );
        }
    }
}

impl Rules for Sqlite {
    fn check(&self, model: &Model, version: EngineVersion, checks: &mut Checks<'_>) {
        check(model, version, checks);
    }
}
