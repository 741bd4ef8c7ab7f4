//! What is one structure, and what is not.

use proptest::prelude::*;
use wevrun_core::snapshot::{Snapshot, SnapshotError};
use wevrun_sqlite::{SQLITE, Sqlite};

use super::{VERSION, model};

fn same(a: &str, b: &str) {
    let (a_model, b_model) = (model(a), model(b));
    assert!(a_model == b_model, "{a}\n{b}");
    assert_eq!(a_model.fingerprint(), b_model.fingerprint(), "{a}\n{b}");
}

fn other(a: &str, b: &str) {
    let (a_model, b_model) = (model(a), model(b));
    assert!(a_model != b_model, "{a}\n{b}");
    assert_ne!(a_model.fingerprint(), b_model.fingerprint(), "{a}\n{b}");
}

#[test]
fn spellings_of_one_structure() {
    same("CREATE TABLE a (x INTEGER PRIMARY KEY)", "create table A(\"X\" integer, primary key (x))");
    same("CREATE TABLE a (x, y, UNIQUE (x), CHECK (x > 1))", "CREATE TABLE a (x UNIQUE CHECK ( [X]>1 ), y)");
    same("CREATE TABLE a (x, y)", "CREATE TABLE a (y, x)");
    same("CREATE TABLE a (x NOT NULL ON CONFLICT ABORT COLLATE BINARY)", "CREATE TABLE a (x NOT NULL)");
    same("CREATE TABLE a (x DEFAULT 5, y DEFAULT 'z')", "CREATE TABLE a (x DEFAULT (5), y DEFAULT \"z\")");
    same("CREATE TABLE a (x DECIMAL(10,2))", "CREATE TABLE a (x decimal ( 10 , 2 ))");
    same("CREATE TABLE a (x, PRIMARY KEY (x)) WITHOUT ROWID", "CREATE TABLE a (x NOT NULL PRIMARY KEY) WITHOUT ROWID");
    same(
        "CREATE TABLE a (id INTEGER PRIMARY KEY, b REFERENCES a (id) NOT DEFERRABLE MATCH FULL ON DELETE NO ACTION)",
        "CREATE TABLE a (id INTEGER PRIMARY KEY, b, CONSTRAINT fk FOREIGN KEY (b) REFERENCES A(ID))",
    );
    same(
        "CREATE TABLE a (x); CREATE INDEX i ON a (x ASC)",
        "CREATE TABLE a (x); CREATE INDEX i ON a ('x' COLLATE BINARY)",
    );
    same("CREATE VIEW v AS SELECT 1 /* one */ AS x", "CREATE VIEW v AS -- one\nselect 1\tas X");
    same(
        "CREATE TABLE a (x); CREATE TRIGGER t INSERT ON a BEGIN SELECT 1; END",
        "CREATE TABLE a (x); CREATE TRIGGER t BEFORE INSERT ON main.a FOR EACH ROW BEGIN select 1 ; END",
    );
    same(
        "CREATE VIRTUAL TABLE s USING fts5(a, tokenize = 'porter')",
        "CREATE VIRTUAL TABLE s USING FTS5 ( a,tokenize='porter' )",
    );
}

#[test]
fn other_structures() {
    other("CREATE TABLE a (x)", "CREATE TABLE b (x)");
    other("CREATE TABLE a (x INT PRIMARY KEY)", "CREATE TABLE a (x INTEGER PRIMARY KEY)");
    other("CREATE TABLE a (x INTEGER PRIMARY KEY DESC)", "CREATE TABLE a (x INTEGER PRIMARY KEY)");
    other("CREATE TABLE a (x INTEGER PRIMARY KEY)", "CREATE TABLE a (x INTEGER PRIMARY KEY AUTOINCREMENT)");
    other("CREATE TABLE a (x DEFAULT 'Z')", "CREATE TABLE a (x DEFAULT 'z')");
    other("CREATE TABLE a (x CHECK (x <> \"Box\"))", "CREATE TABLE a (x CHECK (x <> \"box\"))");
    other("CREATE TABLE a (x CONSTRAINT one CHECK (x > 1))", "CREATE TABLE a (x CONSTRAINT two CHECK (x > 1))");
    other("CREATE TABLE a (x AS (1) STORED, y)", "CREATE TABLE a (x AS (1), y)");
    other("CREATE TABLE a (x, y, PRIMARY KEY (x, y))", "CREATE TABLE a (x, y, PRIMARY KEY (y, x))");
    other("CREATE TABLE a (x); CREATE INDEX i ON a (x)", "CREATE TABLE a (x); CREATE INDEX i ON a (x DESC)");
    other("CREATE VIEW v AS SELECT 'A'", "CREATE VIEW v AS SELECT 'a'");
}

fn snapshot(text: &str) -> Snapshot {
    Snapshot {
        scope: Default::default(),
        project: "honey".into(),
        engine: &SQLITE,
        engine_version: VERSION,
        git: None,
        sources: Vec::new(),
        model: model(text),
        unread: Vec::new(),
    }
}

proptest! {
    /// Any byte that is changed in a snapshot is noticed.
    #[test]
    fn a_changed_byte_is_noticed(at in 0usize..600, with in 32u8..127) {
        let text = snapshot("CREATE TABLE Hives (id INTEGER PRIMARY KEY, label TEXT DEFAULT 'new')").write(&Sqlite, &[]);
        let mut bytes = text.clone().into_bytes();
        let at = at % bytes.len();
        prop_assume!(bytes[at] != with);
        bytes[at] = with;
        let read = Snapshot::read(&String::from_utf8(bytes).expect("ASCII"), &[&SQLITE]);
        prop_assert!(read.is_err(), "byte {at} became {}", with as char);
    }

    /// However it is cut off, a snapshot is refused, and never a panic.
    #[test]
    fn a_snapshot_that_was_cut_off_is_refused(at in 0usize..600) {
        let text = snapshot("CREATE TABLE hives (id INTEGER PRIMARY KEY)").write(&Sqlite, &[]);
        let cut = &text[..at % (text.len() - 1)];
        let refused = Snapshot::read(cut, &[&SQLITE]);
        prop_assert!(matches!(refused, Err(SnapshotError::Foreign | SnapshotError::Damaged(_) | SnapshotError::Altered)));
    }
}
