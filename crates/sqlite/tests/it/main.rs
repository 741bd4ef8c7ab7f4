//! The SQLite dialect and the core's stages: values in, values out, no engine.

mod adopt;
mod checks;
mod compare;
mod fingerprint;
mod fold;
mod pick;
mod plan;
mod script;
mod splitting;

use wevrun_core::Dialect;
use wevrun_core::EngineVersion;
use wevrun_core::build::{Build, build};
use wevrun_core::model::{Kind, Model, Name, Object, QualifiedName};
use wevrun_core::source::Source;
use wevrun_sqlite::Sqlite;

const VERSION: EngineVersion = EngineVersion { major: 3, minor: 40 };

fn sqlite() -> &'static dyn Dialect {
    &Sqlite
}

fn built(files: &[&str]) -> Build {
    let sources: Vec<Source> =
        files.iter().enumerate().map(|(at, text)| Source::new(format!("{at}.sql"), text)).collect();
    build(&Sqlite, VERSION, &sources)
}

/// The model of a text without errors.
fn model(text: &str) -> Model {
    let build = built(&[text]);
    let errors: Vec<_> = build.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}\n{text}");
    build.model
}

/// The codes of what was found, in order.
fn codes(text: &str) -> Vec<&'static str> {
    built(&[text]).diagnostics.iter().map(|found| found.code.name()).collect()
}

fn object<'m>(model: &'m Model, kind: Kind, name: &str) -> &'m Object {
    model.find(kind, &sqlite().object_name(name)).unwrap_or_else(|| panic!("no {} {name}", kind.title()))
}

fn names(model: &Model, kind: Kind) -> Vec<&str> {
    model.of_kind(kind).map(|object| object.name.written()).collect()
}

fn object_name(text: &str) -> QualifiedName {
    sqlite().object_name(text)
}

fn name(text: &str) -> Name {
    sqlite().name(text)
}
