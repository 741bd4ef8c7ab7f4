//! Histories of ALTERs, made by the engine itself: what it leaves in its catalogue is read right, and the same statements in
//! a source file fold to the same model.

use std::path::Path;

use rand::Rng;
use rand::rngs::SmallRng;
use rand::seq::IndexedRandom;
use rusqlite::Connection;
use wevrun_core::build::build;
use wevrun_core::compare::{Change, Renames, compare, compare_with};
use wevrun_core::model::{Kind, Model};
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{make_script, write};
use wevrun_core::source::Source;
use wevrun_core::{Dialect, EngineVersion};
use wevrun_engines::{Access, DatabaseUrl, open};
use wevrun_sqlite::{SQLITE, Sqlite};
use wevrun_testkit::render::{Style, statements};
use wevrun_testkit::schema::{random, rng};
use wevrun_testkit::{client, judge};

const VERSION: EngineVersion = EngineVersion { major: 3, minor: 40 };

fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

fn read(path: &Path) -> Model {
    let mut database = open(&DatabaseUrl::file(&SQLITE, path.to_owned()), Access::Read).expect("the file is there");
    database.read().expect("a readable database").model
}

/// A statement that may or may not be one that the engine takes.
fn alter(rng: &mut SmallRng, model: &Model, number: usize) -> Option<String> {
    let tables: Vec<_> = model.of_kind(Kind::Table).collect();
    let object = tables.choose(rng)?;
    let table = quoted(object.name.written());
    // Renaming a column breaks a view on a view: then the engine takes the name for a string.
    let nested =
        model.of_kind(Kind::View).any(|view| view.uses.iter().any(|used| model.find(Kind::View, used).is_some()));
    let column = quoted(object.as_table()?.columns.choose(rng)?.name.written());
    Some(match rng.random_range(0..9) {
        0 => format!("ALTER TABLE {table} RENAME TO \"Moved {number}\""),
        1 | 2 if !nested => format!("ALTER TABLE {table} RENAME COLUMN {column} TO other{number}"),
        1..=3 => format!("ALTER TABLE {table} ADD COLUMN added{number} TEXT NOT NULL DEFAULT 'x, (y' COLLATE NOCASE"),
        4 if object.as_table()?.primary_key.as_ref().is_some_and(|key| key.parts.len() == 1) => format!(
            "ALTER TABLE {table} ADD added{number} INTEGER REFERENCES {table} CHECK (added{number} IS NOT 'never')"
        ),
        5 => format!("ALTER TABLE {table} DROP COLUMN {column}"),
        4 | 6 => format!("ALTER TABLE {table} ALTER COLUMN {column} SET NOT NULL"),
        7 => format!("ALTER TABLE {table} ALTER {column} DROP NOT NULL"),
        _ => format!("ALTER TABLE {table} ADD CONSTRAINT ck_{number} CHECK ({column} IS NOT 'never')"),
    })
}

fn history(seed: u64) {
    let mut rng = rng(seed);
    let schema = random(&mut rng);
    let folder = tempfile::TempDir::new().expect("a temporary folder");
    let path = folder.path().join("history.db");
    let connection = Connection::open(&path).expect("a new file");
    connection.execute_batch("PRAGMA synchronous = OFF").expect("a pragma that is always there");
    let mut script = statements(&schema, &mut Style::wild(seed));
    for statement in &script {
        connection.execute_batch(statement).unwrap_or_else(|error| panic!("{error}: {statement}"));
    }
    for number in 0..rng.random_range(1..8) {
        let Some(statement) = alter(&mut rng, &read(&path), number) else { continue };
        if connection.execute_batch(&statement).is_ok() {
            script.push(statement);
        }
    }
    drop(connection);
    let live = read(&path);

    let source = Source::new("history.sql", &format!("{};\n", script.join(";\n")));
    let folded = build(&Sqlite, VERSION, std::slice::from_ref(&source));
    let errors: Vec<_> = folded.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}\n{}", source.text);
    let dialect: &dyn Dialect = &Sqlite;
    let comparison = compare_with(dialect, &folded.model, &live, Renames::default());
    let words = |change: &Change<'_>| match change {
        Change::Create(object) => format!("only live: {}", object.text),
        Change::Remove(object) => format!("only folded: {}", object.text),
        Change::Change { properties, .. } => format!("{properties:#?}"),
    };
    let differences: Vec<String> =
        comparison.differences.iter().map(|d| format!("{}: {}", d.key, words(&d.change))).collect();
    assert!(differences.is_empty(), "{}\n{}", differences.join("\n"), source.text);

    let empty = Model::empty();
    let comparison = compare(dialect, &empty, &live);
    let steps = make_script(
        dialect,
        "honey",
        (&empty, &live),
        &comparison,
        PlanOptions::default(),
        VERSION,
        &Evidence::default(),
    );
    let made = folder.path().join("made.db");
    let output = client::sqlite3(&made, &write(&Sqlite, &steps));
    assert!(output.status.success(), "{}\n{}", String::from_utf8_lossy(&output.stderr), write(&Sqlite, &steps));
    assert_eq!(judge::differences(&path, &made), Vec::<String>::new(), "{}", source.text);
}

#[test]
fn histories_of_alters_are_read_and_folded() {
    let setting = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    if let Some(seed) = setting("WEVRUN_CASE") {
        return history(seed);
    }
    let (start, cases) = (setting("WEVRUN_SEED").unwrap_or(1), setting("WEVRUN_CASES").unwrap_or(300));
    for seed in start..start + cases {
        if std::panic::catch_unwind(|| history(seed)).is_err() {
            panic!("run it again with WEVRUN_CASE={seed}");
        }
    }
}
