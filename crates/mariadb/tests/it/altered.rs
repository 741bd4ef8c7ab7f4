//! ALTER in a source: names follow, and literals, comments and aliases that equal a name do not.

use wevrun_core::model::Definition;

use crate::{errors, model, object, same};

#[test]
fn literals_equal_to_a_name_stay() {
    same(
        "CREATE TABLE t (a INT, b VARCHAR(9) DEFAULT 'a', CHECK (b <> '`a`'), CHECK (b <> \"a\" /* a */));
         ALTER TABLE t DROP COLUMN a",
        "CREATE TABLE t (b VARCHAR(9) DEFAULT 'a', CHECK (b <> '`a`'), CHECK (b <> 'a'))",
    );
    same(
        "CREATE TABLE t (a INT, b VARCHAR(9), c INT AS (a + CHAR_LENGTH('a')), CONSTRAINT a CHECK (a > 0 AND b <> 'a'));
         ALTER TABLE t RENAME COLUMN a TO z",
        "CREATE TABLE t (z INT, b VARCHAR(9), c INT AS (z + CHAR_LENGTH('a')), CONSTRAINT a CHECK (z > 0 AND b <> 'a'))",
    );
}

#[test]
fn a_column_in_a_check_can_not_be_dropped() {
    let found = errors("CREATE TABLE t (a INT, b INT, CONSTRAINT low CHECK (a < b)); ALTER TABLE t DROP COLUMN a");
    assert!(found.len() == 1 && found[0].contains("CHECK (a < b) uses it"), "{found:?}");
    assert_eq!(errors("CREATE TABLE t (a INT CHECK (a > 0), b INT); ALTER TABLE t DROP COLUMN a"), [""; 0]);
}

#[test]
fn keys_and_foreign_keys_follow_a_column() {
    same(
        "CREATE TABLE p (id INT PRIMARY KEY); CREATE TABLE c (p INT, KEY k (p), CONSTRAINT f FOREIGN KEY (p) REFERENCES p (id));
         ALTER TABLE p RENAME COLUMN id TO p; ALTER TABLE c CHANGE COLUMN p parent INT; RENAME TABLE p TO parent",
        "CREATE TABLE parent (p INT PRIMARY KEY);
         CREATE TABLE c (parent INT, KEY k (parent), CONSTRAINT f FOREIGN KEY (parent) REFERENCES parent (p))",
    );
}

#[test]
fn views_keep_their_text_when_a_table_is_renamed() {
    let found = errors("CREATE TABLE t (a INT); CREATE VIEW v AS SELECT a FROM t; RENAME TABLE t TO u");
    assert!(found.len() == 1 && found[0].contains("`t`"), "{found:?}");
}

#[test]
fn a_view_can_name_an_invisible_column() {
    same(
        "CREATE TABLE t (a INT, b INT INVISIBLE); CREATE VIEW v AS SELECT a, b FROM t WHERE b > 0",
        "CREATE TABLE t (a INT, b INT INVISIBLE); CREATE VIEW v AS SELECT t.a AS a, t.b AS b FROM t WHERE t.b > 0",
    );
    same(
        "CREATE TABLE t (a INT, b INT INVISIBLE); CREATE VIEW v AS SELECT * FROM t",
        "CREATE TABLE t (a INT, b INT INVISIBLE); CREATE VIEW v AS SELECT t.a AS a FROM t",
    );
    let found = errors("CREATE TABLE t (a INT, b INT INVISIBLE); CREATE VIEW v AS SELECT c FROM t");
    assert!(found.len() == 1 && found[0].contains("`c`"), "{found:?}");
}

#[test]
fn a_copy_has_no_foreign_keys() {
    let made = model(
        "CREATE TABLE p (id INT PRIMARY KEY); CREATE TABLE c (p INT, FOREIGN KEY (p) REFERENCES p (id)); CREATE TABLE d LIKE c",
    );
    let Definition::Table(table) = &object(&made, "table d").definition else { panic!("a table") };
    assert!(table.foreign_keys.is_empty() && table.columns.len() == 1);
}
