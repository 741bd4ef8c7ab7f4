//! Source is a folder, not a sequence.

use wevrun_core::model::Kind;

use super::{built, codes, model, name, names, object, object_name};

#[test]
fn creates_of_all_files_come_before_alters() {
    let build =
        built(&["ALTER TABLE hives ADD COLUMN weight_g INTEGER;", "CREATE TABLE hives (id INTEGER PRIMARY KEY);"]);
    assert!(!build.has_errors(), "{:?}", build.diagnostics);
    let table = object(&build.model, Kind::Table, "hives").as_table().expect("a table");
    assert!(table.column(&name("weight_g")).is_some());
}

#[test]
fn a_drop_makes_room_for_the_create_after_it() {
    let text = "DROP TABLE IF EXISTS hives; CREATE TABLE hives (id INTEGER); DROP INDEX IF EXISTS i; CREATE INDEX i ON hives (id);";
    assert_eq!(names(&model(text), Kind::Table), ["hives"]);
    assert_eq!(names(&model(text), Kind::Index), ["i"]);
}

#[test]
fn a_rebuild_as_people_write_it_folds_to_its_outcome() {
    let model = model(
        "CREATE TABLE hives (id INTEGER PRIMARY KEY, label TEXT);\nCREATE INDEX hives_by_label ON hives (label);\n\
         CREATE TABLE new_hives (id INTEGER PRIMARY KEY, label TEXT NOT NULL);\n\
         INSERT INTO new_hives SELECT * FROM hives;\nDROP TABLE hives;\nALTER TABLE new_hives RENAME TO hives;\n",
    );
    assert_eq!(names(&model, Kind::Table), ["hives"]);
    assert!(names(&model, Kind::Index).is_empty(), "it went with the old table");
    let column = object(&model, Kind::Table, "hives").as_table().and_then(|table| table.column(&name("label")));
    assert!(column.is_some_and(|column| column.not_null.is_some()));
}

#[test]
fn a_rename_reaches_everything_that_refers_to_it() {
    let model = model(
        "CREATE TABLE apiaries (id INTEGER PRIMARY KEY, name TEXT);\n\
         CREATE TABLE hives (id INTEGER PRIMARY KEY, apiary INTEGER REFERENCES apiaries (id), CHECK (apiary > 0));\n\
         CREATE INDEX by_name ON apiaries (name) WHERE name <> '';\n\
         CREATE VIEW v AS SELECT a.name, h.id AS name2 FROM apiaries AS a JOIN hives h ON h.apiary = a.id;\n\
         CREATE TRIGGER t AFTER UPDATE OF name ON apiaries BEGIN UPDATE hives SET apiary = new.id WHERE old.name = 'x'; END;\n\
         ALTER TABLE apiaries RENAME TO sites;\nALTER TABLE sites RENAME COLUMN name TO label;\nALTER TABLE sites RENAME id TO site;\n",
    );
    let hives = object(&model, Kind::Table, "hives").as_table().expect("a table");
    assert_eq!(hives.foreign_keys[0].parent, object_name("sites"));
    assert_eq!(hives.foreign_keys[0].parent_columns, [name("site")]);
    assert_eq!(object(&model, Kind::Index, "by_name").text, "CREATE INDEX by_name ON sites (label) WHERE label <> ''");
    let view = &object(&model, Kind::View, "v").text;
    assert_eq!(
        view,
        "CREATE VIEW v AS SELECT a.label, h.id AS name2 FROM sites AS a JOIN hives h ON h.apiary = a.site"
    );
    let trigger = &object(&model, Kind::Trigger, "t").text;
    assert!(trigger.contains("UPDATE OF label ON sites") && trigger.contains("new.site WHERE old.label"), "{trigger}");
    let sites = object(&model, Kind::Table, "sites");
    assert_eq!(sites.formerly.table, Some(object_name("apiaries")), "the plan will rename");
    assert_eq!(sites.formerly.columns, [(name("label"), name("name")), (name("site"), name("id"))]);
}

#[test]
fn what_can_not_be_folded_is_named() {
    assert_eq!(codes("ALTER TABLE hives ADD COLUMN x TEXT;"), ["WV110"]);
    assert_eq!(codes("DROP VIEW v;"), ["WV110"]);
    assert_eq!(codes("DROP VIEW IF EXISTS v;"), Vec::<&str>::new());
    assert_eq!(codes("CREATE TABLE a (x); ALTER TABLE a DROP COLUMN y;"), ["WV111"]);
    assert_eq!(codes("CREATE TABLE a (x, y); ALTER TABLE a ADD COLUMN Y TEXT;"), ["WV102"]);
    assert_eq!(codes("CREATE TABLE a (x); CREATE TABLE b (y); ALTER TABLE a RENAME TO B;"), ["WV101"]);
    assert_eq!(codes("CREATE TABLE a (x); ALTER TABLE a DROP CONSTRAINT c;"), ["WV111"]);
}

#[test]
fn names_are_shared_as_in_the_engine() {
    assert_eq!(codes("CREATE TABLE a (x); CREATE VIEW A AS SELECT 1;"), ["WV101"]);
    assert_eq!(codes("CREATE TABLE a (x); CREATE INDEX a ON a (x);"), ["WV101"]);
    assert_eq!(
        codes("CREATE TABLE a (x); CREATE TRIGGER a AFTER INSERT ON a BEGIN SELECT 1; END;"),
        Vec::<&str>::new()
    );
    assert_eq!(codes("CREATE TABLE a (x); CREATE TABLE IF NOT EXISTS a (x);"), Vec::<&str>::new());
    assert_eq!(codes("CREATE TABLE a (x); CREATE TABLE IF NOT EXISTS a (y);"), ["WV101"]);
}

#[test]
fn shadow_tables_belong_to_their_virtual_table() {
    let model = model(
        "CREATE VIRTUAL TABLE notes USING fts5 (body);\nCREATE TABLE 'notes_data' (id INTEGER PRIMARY KEY, block BLOB);\n\
         CREATE TABLE notes_idx (segid, term, pgno);\nCREATE TABLE notes_kept (id INTEGER);\nCREATE TABLE sqlite_sequence(name,seq);",
    );
    assert_eq!(names(&model, Kind::Table), ["notes_kept"]);
}

/// It has been made and is gone when the source ends; so is what stands on it.
#[test]
fn what_is_temporary_can_be_altered_and_dropped() {
    let kept = "CREATE TABLE hives (id INTEGER PRIMARY KEY);";
    let build = built(&[&format!(
        "{kept} CREATE TEMP TABLE old (id INTEGER); CREATE INDEX by_id ON old (id); ALTER TABLE old ADD COLUMN label TEXT;
         DROP TABLE old; CREATE TABLE temp.hives (label TEXT); DROP TABLE hives;"
    )]);
    assert!(!build.has_errors(), "{:?}", build.diagnostics);
    assert!(build.model == model(kept));
}
