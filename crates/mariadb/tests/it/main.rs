//! What MariaDB means by what a person writes, without a server.

mod altered;
mod mapped;
mod plan;
mod references;
mod spellings;

use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::model::{Model, Object};
use wevrun_core::source::Source;
use wevrun_core::{Dialect, EngineVersion};
use wevrun_mariadb::MariaDb;

const VERSION: EngineVersion = EngineVersion { major: 10, minor: 11 };

fn maria() -> &'static dyn Dialect {
    &MariaDb
}

/// The messages of errors in a source.
fn errors(text: &str) -> Vec<String> {
    let built = build(&MariaDb, VERSION, &[Source::new("a.sql", text)]);
    built.diagnostics.iter().filter(|found| found.is_error()).map(|found| found.message.clone()).collect()
}

/// The model of a source, which must be right.
fn model(text: &str) -> Model {
    let built = build(&MariaDb, VERSION, &[Source::new("a.sql", text)]);
    let errors: Vec<_> = built.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}\n{text}");
    built.model
}

fn object<'m>(model: &'m Model, key: &str) -> &'m Object {
    model.objects().find(|object| object.key().to_string() == key).unwrap_or_else(|| {
        let keys: Vec<String> = model.objects().map(|object| object.key().to_string()).collect();
        panic!("there is no {key} among {keys:?}")
    })
}

fn same(one: &str, other: &str) {
    let (one_model, other_model) = (model(one), model(other));
    let comparison = compare(maria(), &one_model, &other_model);
    assert!(
        comparison.is_identical() && comparison.unproven.is_empty(),
        "{one}\n{other}\n{:#?} {:?}",
        comparison.differences,
        comparison.unproven
    );
}
