//! References of objects, found where their names are resolved.

use crate::{errors, model, object};

const TABLES: &str = "CREATE TABLE hives (id INT, kg INT); CREATE TABLE log (n INT); CREATE SEQUENCE numbers;
    CREATE FUNCTION heavy(n INT) RETURNS INT DETERMINISTIC RETURN n > 30;\n";

fn uses(source: &str, key: &str) -> Vec<String> {
    object(&model(&format!("{TABLES}{source}")), key).uses.iter().map(ToString::to_string).collect()
}

#[test]
fn views_use_relations_and_functions() {
    let view = "CREATE VIEW v AS WITH log AS (SELECT 'hives' AS n) SELECT heavy(kg) AS heavy FROM hives JOIN log;";
    assert_eq!(uses(view, "view v"), ["heavy", "hives"]);
    assert_eq!(uses("CREATE VIEW v AS SELECT 'log' AS hives;", "view v"), [""; 0]);
    assert_eq!(uses("CREATE VIEW v AS SELECT (SELECT MAX(n) FROM log) AS n;", "view v"), ["log"]);
}

#[test]
fn programs_use_what_is_there() {
    let trigger = "CREATE TRIGGER t AFTER INSERT ON hives FOR EACH ROW INSERT INTO log VALUES (heavy(NEW.kg));";
    assert_eq!(uses(trigger, "trigger t"), ["heavy", "hives", "log"]);
    let routine = "CREATE PROCEDURE p() INSERT INTO made_later SELECT kg FROM hives;";
    assert_eq!(uses(routine, "procedure p"), ["hives"]);
    let call = "CREATE PROCEDURE p() DELETE FROM log; CREATE PROCEDURE q() CALL p();";
    assert_eq!(uses(call, "procedure q"), ["p"]);
}

#[test]
fn defaults_use_sequences() {
    assert_eq!(uses("CREATE TABLE t (n INT DEFAULT NEXTVAL(numbers));", "table t"), ["numbers"]);
    assert_eq!(uses("CREATE TABLE t (numbers VARCHAR(20) DEFAULT 'nextval(numbers)');", "table t"), [""; 0]);
}

#[test]
fn reads_are_columns_and_whole_rows() {
    let read = |source: &str| {
        let model = model(&format!("{TABLES}{source}"));
        let reads = object(&model, "view v").reads.clone().expect("names are resolved");
        let read =
            reads.iter().map(|read| format!("{}.{}", read.of, read.column.as_ref().map_or("*", |own| own.written())));
        read.collect::<Vec<_>>()
    };
    assert_eq!(read("CREATE VIEW v AS SELECT kg AS id FROM hives h WHERE h.kg > 1;"), ["hives.kg"]);
    assert_eq!(read("CREATE VIEW v AS SELECT h.*, n FROM hives h JOIN log;"), ["hives.*", "log.n"]);
}

#[test]
fn unknown_relations_of_views_are_errors() {
    let found = errors("CREATE VIEW v AS SELECT 1 AS n FROM hives; CREATE PROCEDURE p() SELECT 1 FROM hives;");
    assert!(found.len() == 1 && found[0].contains("view v"), "{found:?}");
}
