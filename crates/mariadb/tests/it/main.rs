//! The MariaDB dialect on texts, without a server.

mod altered;
mod mapped;
mod plan;
mod references;
mod spellings;
#[path = "../../../engines/tests/mariadb/statements.rs"]
mod statements;

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

#[test]
fn the_cost_of_a_source_grows_linearly() {
    let source = |count: usize| {
        let one = |index: usize| {
            format!(
                "CREATE TABLE t{index} (id INT PRIMARY KEY, kg INT, CHECK (kg > 0)); CREATE INDEX i{index} ON t{index} (kg);
                 CREATE VIEW v{index} AS SELECT id, kg FROM t{index};
                 CREATE PROCEDURE p{index}() BEGIN UPDATE t{index} SET kg = kg + 1; END;\n"
            )
        };
        (0..count).map(one).collect::<String>()
    };
    let time = |text: &str| {
        let measured = (0..3).map(|_| {
            let start = std::time::Instant::now();
            assert!(!model(text).is_empty());
            start.elapsed()
        });
        measured.min().expect("three")
    };
    let (small, large) = (time(&source(100)), time(&source(1000)));
    assert!(large < small * 30, "ten times the source takes {large:?} instead of {small:?}");
}
