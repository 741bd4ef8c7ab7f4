//! Schemas in which every name, alias and literal is one of six words: what the engine's own ALTERs make of them, the model makes of them.

use std::path::Path;

use rand::Rng;
use rusqlite::Connection;
use wevrun_core::build::build;
use wevrun_core::compare::{Change, Renames, compare_with};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Kind, Model};
use wevrun_core::source::Source;
use wevrun_core::{Dialect, EngineVersion};
use wevrun_engines::{Access, DatabaseUrl, open, registry};
use wevrun_sqlite::{SQLITE, Sqlite};
use wevrun_testkit::collisions::{self, Known};
use wevrun_testkit::schema::rng;

const VERSION: EngineVersion = EngineVersion { major: 3, minor: 40 };

fn read(path: &Path) -> Model {
    let mut database = open(&DatabaseUrl::file(&SQLITE, path.to_owned()), Access::Read).expect("the file is there");
    database.read().expect("a readable database").model
}

/// The tables of a model.
fn known(model: &Model) -> Vec<Known> {
    let tables = model.of_kind(Kind::Table).filter_map(|object| Some((object, object.as_table()?)));
    let names = tables.map(|(object, table)| Known {
        name: object.name.written().to_owned(),
        columns: table.columns.iter().map(|column| column.name.written().to_owned()).collect(),
    });
    names.collect()
}

fn differences(folded: &Model, live: &Model) -> Vec<String> {
    let dialect: &dyn Dialect = &Sqlite;
    let comparison = compare_with(dialect, folded, live, Renames::default());
    let words = |change: &Change<'_>| match change {
        Change::Create(object) => format!("only live: {}", object.text),
        Change::Remove(object) => format!("only folded: {}", object.text),
        Change::Change { properties, .. } => format!("{properties:#?}"),
    };
    comparison.differences.iter().map(|d| format!("{}: {}", d.key, words(&d.change))).collect()
}

/// Whether a source is found wrong, by the model or by the engine that compiles the result.
fn is_refused(text: &str) -> bool {
    let build = build(&Sqlite, VERSION, &[Source::new("history.sql", text)]);
    build.diagnostics.iter().any(Diagnostic::is_error)
        || !registry::live(&SQLITE).second_opinion(&build.model).is_empty()
}

/// Whether the engine took the tables of this seed.
fn history(seed: u64) -> bool {
    let mut rng = rng(seed);
    let folder = tempfile::TempDir::new().expect("a temporary folder");
    let path = folder.path().join("history.db");
    let connection = Connection::open(&path).expect("a new file");
    connection.execute_batch("PRAGMA synchronous = OFF").expect("a pragma that is always there");
    let mut script = Vec::new();
    let run = |script: &mut Vec<String>, statement: String| {
        let is_taken = connection.execute_batch(&statement).is_ok();
        if is_taken {
            script.push(statement);
        }
        is_taken
    };
    for (_, table) in collisions::tables(&mut rng) {
        if !run(&mut script, table) {
            return false;
        }
    }
    let tables = known(&read(&path));
    for _ in 0..rng.random_range(2..6) {
        // A view that does not compile is taken by CREATE VIEW, and then stops every ALTER.
        let statement = collisions::dependent(&mut rng, &tables);
        if run(&mut script, statement.clone()) {
            let name = statement.split_whitespace().nth(2).expect("CREATE VIEW name");
            let fails =
                statement.starts_with("CREATE VIEW") && connection.prepare(&format!("SELECT * FROM {name}")).is_err();
            if fails {
                connection.execute_batch(&format!("DROP VIEW {name}")).expect("just created");
                script.pop();
            }
        }
    }
    for number in 0..rng.random_range(1..5) {
        let statement = collisions::alter(&mut rng, &known(&read(&path)));
        // RENAME and DROP COLUMN turn all strings in double quotes into literals, so that a later column does not change them.
        if number > 0 && statement.contains(" ADD COLUMN ") {
            continue;
        }
        if !run(&mut script, statement.clone()) {
            let text = format!("{};\n{statement};\n", script.join(";\n"));
            // Where USING joins a table with itself, both columns get the new name here; the engine gives up.
            let is_followed = statement.contains(" RENAME COLUMN ") && text.contains(" USING (");
            assert!(is_followed || is_refused(&text), "the engine refuses the last statement\n{text}");
        }
    }
    let live = read(&path);
    let text = format!("{};\n", script.join(";\n"));
    let unresolved: Vec<_> = live.objects().filter(|object| !object.unresolved.is_empty()).collect();
    assert!(unresolved.is_empty(), "{unresolved:#?}\n{text}");
    assert!(live.objects().all(|object| object.references.is_some()), "{text}");
    let folded = build(&Sqlite, VERSION, &[Source::new("history.sql", &text)]);
    // The engine drops a column that a trigger writes: the trigger fails from then on.
    let is_written = |found: &Diagnostic| found.code == Code::WV116 && found.message.contains("trigger");
    if folded.diagnostics.iter().any(is_written) {
        return true;
    }
    // The engine lets a foreign key point at what is not unique, and it and UPDATE OF at what was dropped.
    let is_let =
        |found: &Diagnostic| matches!(found.code, Code::WV111 | Code::WV112) && !found.message.starts_with("table");
    let counts = |found: &&Diagnostic| found.is_error() && !is_let(found);
    let errors: Vec<_> = folded.diagnostics.iter().filter(counts).collect();
    assert!(errors.is_empty(), "{errors:#?}\n{text}");
    let found = differences(&folded.model, &live);
    assert!(found.is_empty(), "{}\n{text}", found.join("\n"));
    true
}

#[test]
fn alters_follow_references_as_the_engine_does() {
    let setting = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    if let Some(seed) = setting("WEVRUN_CASE") {
        history(seed);
        return;
    }
    let (start, cases) = (setting("WEVRUN_SEED").unwrap_or(1), setting("WEVRUN_CASES").unwrap_or(300));
    let mut taken = 0;
    for seed in start..start + cases {
        match std::panic::catch_unwind(|| history(seed)) {
            Ok(is_taken) => taken += u64::from(is_taken),
            Err(_) => panic!("run it again with WEVRUN_CASE={seed}"),
        }
    }
    assert!(taken * 2 > cases, "the engine took the tables of {taken} seeds only");
}
