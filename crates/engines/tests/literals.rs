//! A literal, a comment, an alias, a column of another table or a quoted identifier that equals the name in question changes no verdict:
//! what SQLite's own ALTER makes of a schema, the model makes of it.

use rusqlite::Connection;
use wevrun_core::build::build;
use wevrun_core::compare::compare;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Kind, Name, Object, ObjectKey};
use wevrun_core::source::Source;
use wevrun_core::{Dialect, EngineVersion};
use wevrun_engines::{Access, DatabaseUrl, open};
use wevrun_sqlite::{SQLITE, Sqlite};

const VERSION: EngineVersion = EngineVersion { major: 3, minor: 40 };

/// The table `hives` has the column `weight`; so has `lots`. Each line puts the word where it is no use of the column `hives.weight`, in
/// each kind of text.
const BYSTANDERS: [&str; 18] = [
    "CREATE TABLE other (kind TEXT CHECK (kind <> 'no weight given'))",
    "CREATE TABLE other (kind TEXT CHECK (kind <> 'weight' /* weight */))",
    "CREATE TABLE other (kind TEXT DEFAULT 'weight')",
    "CREATE TABLE other (kind TEXT DEFAULT \"weight\")",
    "CREATE TABLE other (kind TEXT, weight INT CHECK (weight > 0), g AS (kind || 'weight'))",
    "CREATE INDEX other ON hives (label) WHERE label <> 'weight'",
    "CREATE INDEX other ON hives (coalesce(label, 'weight'))",
    "CREATE INDEX weight ON hives (label)",
    "CREATE VIEW other AS SELECT label AS \"weight\", 'weight' AS label2 FROM hives",
    "CREATE VIEW other AS SELECT weight.label FROM hives AS weight",
    "CREATE VIEW other AS SELECT l.weight FROM lots l JOIN hives h ON h.id = l.id WHERE h.label <> 'weight'",
    "CREATE VIEW other AS SELECT id FROM hives WHERE EXISTS (SELECT weight FROM lots WHERE lots.id = hives.id)",
    "CREATE VIEW other AS WITH weight AS (SELECT label FROM hives) SELECT * FROM weight",
    "CREATE VIEW other AS SELECT label AS weight FROM hives ORDER BY weight -- weight",
    "CREATE VIEW weight AS SELECT sum(id) OVER (ORDER BY label) AS weight FROM hives",
    "CREATE TRIGGER weight AFTER INSERT ON hives WHEN new.label <> 'weight' BEGIN UPDATE lots SET weight = 1; END",
    "CREATE TRIGGER other AFTER UPDATE OF label ON hives BEGIN INSERT INTO lots (weight) SELECT 'weight' FROM hives; END",
    "CREATE TRIGGER other AFTER DELETE ON hives BEGIN DELETE FROM lots WHERE weight = old.id; END",
];

/// Uses of the column, in each kind of text.
const USERS: [&str; 9] = [
    "CREATE INDEX other ON hives (weight)",
    "CREATE INDEX other ON hives (label, weight + 1)",
    "CREATE INDEX other ON hives (label) WHERE weight > 0",
    "CREATE VIEW other AS SELECT weight FROM hives",
    "CREATE VIEW other AS SELECT [weight] AS w FROM hives AS weight WHERE weight.weight > 0",
    "CREATE VIEW other AS SELECT h.label FROM hives h JOIN lots l USING (id) ORDER BY h.weight",
    "CREATE VIEW other AS SELECT l.id FROM lots l WHERE l.id IN (SELECT hives.id FROM hives GROUP BY hives.weight, hives.id)",
    "CREATE TRIGGER other AFTER UPDATE ON hives WHEN new.weight > 0 BEGIN DELETE FROM lots; END",
    "CREATE TRIGGER other AFTER INSERT ON lots BEGIN DELETE FROM hives WHERE weight = new.weight; END",
];

const CHANGES: [&str; 4] = [
    "ALTER TABLE hives DROP COLUMN weight",
    "ALTER TABLE hives RENAME COLUMN weight TO mass",
    "ALTER TABLE hives RENAME TO colonies",
    "ALTER TABLE lots RENAME COLUMN weight TO amount",
];

const TABLES: &str =
    "CREATE TABLE hives (id INTEGER PRIMARY KEY, label TEXT CHECK (label <> 'weight'), weight INT CHECK (weight >= 0));
CREATE TABLE lots (id INTEGER PRIMARY KEY REFERENCES hives (id), weight INT DEFAULT (1));
";

fn errors(diagnostics: &[Diagnostic]) -> Vec<&str> {
    diagnostics.iter().filter(|found| found.is_error()).map(|found| found.message.as_str()).collect()
}

/// Compares the engine's result of a change with the model of the same statements.
fn check(dependent: &str, change: &str) {
    let folder = tempfile::TempDir::new().expect("a temporary folder");
    let path = folder.path().join("a.db");
    let connection = Connection::open(&path).expect("a new file");
    connection.execute_batch(&format!("{TABLES}{dependent}\n;")).unwrap_or_else(|error| panic!("{error}: {dependent}"));
    let is_taken = connection.execute_batch(change).is_ok();
    drop(connection);
    let text = format!("{TABLES}{dependent}\n;\n{change};\n");
    let built = build(&Sqlite, VERSION, &[Source::new("a.sql", &text)]);
    if !is_taken {
        let refused = wevrun_engines::registry::live(&SQLITE).second_opinion(&built.model);
        assert!(!errors(&built.diagnostics).is_empty() || !refused.is_empty(), "the engine refuses this:\n{text}");
        return;
    }
    assert_eq!(errors(&built.diagnostics), Vec::<&str>::new(), "{text}");
    let mut database = open(&DatabaseUrl::file(&SQLITE, path), Access::Read).expect("the file is there");
    let live = database.read().expect("a readable database").model;
    let dialect: &dyn Dialect = &Sqlite;
    let comparison = compare(dialect, &built.model, &live);
    let told: Vec<String> =
        comparison.differences.iter().map(|found| format!("{}: {:?}", found.key, found.change)).collect();
    assert!(told.is_empty(), "{}\n{text}", told.join("\n"));
}

#[test]
fn a_literal_alias_or_other_column_of_the_name_changes_nothing() {
    for dependent in BYSTANDERS {
        for change in CHANGES {
            check(dependent, change);
        }
    }
}

#[test]
fn what_uses_the_column_follows_it_or_prevents_its_removal() {
    for dependent in USERS {
        for change in CHANGES {
            check(dependent, change);
        }
    }
}

#[test]
fn a_dropped_column_that_is_used_is_reported_with_its_user() {
    for dependent in USERS {
        let text = format!("{TABLES}{dependent};\nALTER TABLE hives DROP COLUMN weight;\n");
        let built = build(&Sqlite, VERSION, &[Source::new("a.sql", &text)]);
        let found: Vec<_> = built.diagnostics.iter().filter(|found| found.code == Code::WV116).collect();
        assert!(
            found.len() == 1 && found[0].message.ends_with(" other uses it"),
            "{:?}\n{text}",
            errors(&built.diagnostics)
        );
    }
}

/// A mapping renames what a source defines, also what the engine has no ALTER for.
#[test]
fn renamed_objects_keep_their_layout_and_comments() {
    let text = "CREATE TABLE hives (id INTEGER PRIMARY KEY, -- hives\n  label TEXT CHECK (hives.label <> 'hives'));
CREATE VIEW heavy AS\n  SELECT hives.label, 'hives' AS hives -- of hives\n  FROM hives;\n";
    let mut model = build(&Sqlite, VERSION, &[Source::new("a.sql", text)]).model;
    let dialect: &dyn Dialect = &Sqlite;
    let rename = |model: &mut _, kind: Kind, from: &str, to: &str| {
        dialect.rename_any(model, &ObjectKey::new(kind, dialect.object_name(from)), &dialect.object_name(to));
    };
    rename(&mut model, Kind::Table, "hives", "colonies");
    rename(&mut model, Kind::View, "heavy", "hives");
    dialect.rename_column(
        &mut model,
        &dialect.object_name("colonies"),
        &Name::new("label", "label"),
        &Name::new("tag", "tag"),
    );
    let texts: Vec<&str> = model.objects().map(|object: &Object| object.text.as_str()).collect();
    assert_eq!(
        texts,
        [
            "CREATE TABLE colonies (id INTEGER PRIMARY KEY, -- hives\n  tag TEXT CHECK (colonies.tag <> 'hives'))",
            "CREATE VIEW hives AS\n  SELECT colonies.tag, 'hives' AS hives -- of hives\n  FROM colonies",
        ]
    );
}
