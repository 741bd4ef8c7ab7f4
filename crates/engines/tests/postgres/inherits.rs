//! Tables that come to inherit from another one, and do so no more.

use wevrun_testkit::postgres::AGES;

use crate::{becomes, made, model, read};

const STAMPS: &str = "CREATE TABLE stamps (pk serial PRIMARY KEY, made timestamptz NOT NULL DEFAULT now(), by_whom text DEFAULT CURRENT_USER,
    note text, CHECK (note <> ''), CHECK (made > '2000-01-01' AND by_whom <> note));";

/// The parent's columns come as the parent's and go with it, the child's rows stay, and what `psql` makes of the source is the same.
#[test]
fn the_columns_of_a_parent_come_and_go_with_it() {
    let alone = format!("{STAMPS} CREATE TABLE hives (id integer PRIMARY KEY, label text);");
    let child = format!(
        "{STAMPS} CREATE TABLE hives (id integer PRIMARY KEY, label text) INHERITS (stamps);
         COMMENT ON COLUMN hives.note IS 'What was seen'; ALTER TABLE ONLY hives ALTER COLUMN note SET NOT NULL;
         ALTER TABLE ONLY hives ALTER COLUMN note SET DEFAULT 'nothing';"
    );
    for age in AGES {
        let database = made(age, &alone);
        database.psql("INSERT INTO hives VALUES (1, 'north'), (2, 'south')").expect("rows");
        for wanted in [&child, &alone, &child] {
            becomes(age, &database, wanted);
            assert_eq!(database.psql("SELECT count(*), min(label) FROM hives").expect("rows").trim(), "2|north");
        }
        let notes = database.psql("SELECT DISTINCT note FROM stamps").expect("the parent's rows are the child's");
        assert_eq!(notes.trim(), "nothing");
    }
}

/// What a column is that only the parent lists is the child's own matter.
#[test]
fn a_child_says_not_null_of_a_parents_column() {
    let source = "CREATE TABLE marks (note text, kind text); CREATE TABLE red_marks (shade text) INHERITS (marks);";
    let own = format!("{source} ALTER TABLE ONLY red_marks ALTER COLUMN note SET NOT NULL;");
    let listed = "CREATE TABLE marks (note text, kind text);
        CREATE TABLE red_marks (shade text, CONSTRAINT noted NOT NULL note) INHERITS (marks);";
    assert!(model(&own) == model(listed) && model(&own) != model(source));
    for age in AGES {
        let database = made(age, source);
        for wanted in [own.as_str(), source, own.as_str()] {
            assert!(read(&database) != model(&own) || wanted != own);
            becomes(age, &database, wanted);
        }
    }
}
