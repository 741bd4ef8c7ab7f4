//! Mapped names in views and programs: what refers to a renamed thing gets the new name, and nothing else changes.

use wevrun_core::mapping::{MapRule, map};
use wevrun_core::model::{Definition, Object, Scope};

use crate::{VERSION, maria, model, object};

const TABLES: &str = "CREATE TABLE kg (id INT PRIMARY KEY, kind VARCHAR(9), weight INT);
    CREATE TABLE other (id INT, kg INT, mass INT);\n";

fn text(object: &Object) -> String {
    match &object.definition {
        Definition::View(view) => view.query.written().to_owned(),
        definition => {
            let bodies = definition.expressions().into_iter();
            bodies.map(|own| own.written().to_owned()).max_by_key(String::len).unwrap_or_default()
        }
    }
}

/// The text of an object under mapped names, and the words that are left.
fn mapped(source: &str, rules: &[&str], key: &str) -> (String, Vec<String>) {
    let want = model(&format!("{TABLES}{source}"));
    let rules: Vec<MapRule> = rules.iter().map(|rule| rule.parse().expect("a rule")).collect();
    let mapped = map(maria(), VERSION, (&want, &want), &Scope::default(), &rules).expect("the names are free");
    let mut words: Vec<String> = mapped.doubts.iter().map(|doubt| doubt.word.clone()).collect();
    words.dedup();
    (text(object(&mapped.want, key)), words)
}

#[test]
fn layout_comments_literals_and_aliases_of_views_stay() {
    for (query, rule, wanted) in [
        (
            "SELECT o.kg, a.kind /* kg */ AS `kg `\n  FROM kg a JOIN other o ON o.id = a.id WHERE a.kind <> 'kg'",
            "table:mass=kg",
            "SELECT o.kg, a.kind /* kg */ AS `kg `\n  FROM mass a JOIN other o ON o.id = a.id WHERE a.kind <> 'kg'",
        ),
        (
            "SELECT kind,\n       'weight' AS w, weight + 0 FROM kg",
            "column:kg.mass=kg.weight",
            "SELECT kind,\n       'weight' AS w, mass + 0 AS `weight + 0` FROM kg",
        ),
        ("SELECT * FROM kg", "column:kg.mass=kg.weight", "SELECT kg.id, kg.kind, kg.mass AS weight FROM kg"),
        (
            "WITH kg AS (SELECT weight FROM kg) SELECT kg.weight FROM kg",
            "column:kg.mass=kg.weight",
            "WITH kg AS (SELECT mass AS weight FROM kg) SELECT kg.weight FROM kg",
        ),
        (
            "SELECT mass FROM other WHERE EXISTS (SELECT 1 FROM kg WHERE kg.id = mass)",
            "column:kg.mass=kg.weight",
            "SELECT other.mass FROM other WHERE EXISTS (SELECT 1 FROM kg WHERE kg.id = other.mass)",
        ),
        (
            "SELECT kind AS weight FROM kg ORDER BY weight",
            "column:kg.mass=kg.weight",
            "SELECT kind AS weight FROM kg ORDER BY weight",
        ),
        (
            "SELECT kind AS n FROM kg GROUP BY kind, weight HAVING COUNT(weight) > 1",
            "column:kg.mass=kg.weight",
            "SELECT kind AS n FROM kg GROUP BY kind, mass HAVING COUNT(mass) > 1",
        ),
        (
            "SELECT kg.weight FROM kg JOIN other USING (id)",
            "table:other_kg=other",
            "SELECT kg.weight FROM kg JOIN other_kg USING (id)",
        ),
    ] {
        let (text, left) = mapped(&format!("CREATE VIEW v AS {query};"), &[rule], "view v");
        assert_eq!((text.as_str(), left), (wanted, Vec::new()), "{query}");
    }
}

#[test]
fn programs_follow_names_and_keep_variables() {
    for (program, key, wanted) in [
        (
            "CREATE TRIGGER r BEFORE INSERT ON kg FOR EACH ROW SET NEW.weight = NEW.weight + 1 -- weight",
            "trigger r",
            "SET NEW.mass = NEW.mass + 1",
        ),
        (
            "CREATE PROCEDURE p(weight INT) UPDATE kg SET weight = weight, kind = 'weight' WHERE kg.weight > weight",
            "procedure p",
            "UPDATE hives SET mass = weight, kind = 'weight' WHERE hives.mass > weight",
        ),
        (
            "CREATE PROCEDURE p() INSERT INTO other (id, kg) SELECT id, weight FROM kg ON DUPLICATE KEY UPDATE kg = kg + 1",
            "procedure p",
            "INSERT INTO other (id, kg) SELECT id, mass FROM hives ON DUPLICATE KEY UPDATE kg = kg + 1",
        ),
        (
            "CREATE FUNCTION f() RETURNS INT READS SQL DATA RETURN (SELECT MAX(weight) FROM kg)",
            "function f",
            "RETURN (SELECT MAX(mass) FROM hives)",
        ),
    ] {
        let rules = ["table:hives=kg", "column:hives.mass=kg.weight"];
        let (text, left) = mapped(&format!("{program};"), &rules, key);
        assert_eq!((text.as_str(), left), (wanted, Vec::new()), "{program}");
    }
}

#[test]
fn blocks_are_followed_statement_by_statement() {
    let program = "DELIMITER //
CREATE PROCEDURE p(IN low INT) main: BEGIN
  DECLARE done, weight INT DEFAULT 0;
  DECLARE c CURSOR FOR SELECT weight FROM kg;
  DECLARE CONTINUE HANDLER FOR NOT FOUND SET done = 1;
  SELECT kg.weight INTO weight FROM kg WHERE kg.id = low;
  IF weight > 3 AND EXISTS (SELECT 1 FROM kg WHERE kind = 'kg') THEN
    DELETE FROM kg WHERE kg.weight < weight;
  ELSEIF weight = 2 THEN LEAVE main;
  ELSE
    FOR r IN (SELECT kg.weight AS w FROM kg) DO
      INSERT INTO other (kg) VALUES (r.w);
    END FOR;
  END IF;
END //
DELIMITER ;";
    let (text, left) = mapped(program, &["table:hives=kg", "column:hives.mass=kg.weight"], "procedure p");
    assert_eq!(left, [""; 0]);
    for line in [
        "DECLARE c CURSOR FOR SELECT weight FROM hives;",
        "SELECT hives.mass INTO weight FROM hives WHERE hives.id = low;",
        "EXISTS (SELECT 1 FROM hives WHERE kind = 'kg')",
        "DELETE FROM hives WHERE hives.mass < weight;",
        "SELECT hives.mass AS w FROM hives",
        "INSERT INTO other (kg) VALUES (r.w);",
    ] {
        assert!(text.contains(line), "{line} is not in\n{text}");
    }
}

#[test]
fn what_may_be_a_name_is_left_and_reported() {
    let rules = ["table:hives=kg"];
    let dynamic = "CREATE PROCEDURE p() EXECUTE IMMEDIATE 'DELETE FROM kg';";
    assert_eq!(mapped(dynamic, &rules, "procedure p").1, ["kg"]);
    let unread = "CREATE PROCEDURE p() OPTIMIZE TABLE kg;";
    assert_eq!(mapped(unread, &rules, "procedure p").1, ["kg"]);
    // A table expression has the new name.
    let hidden = "CREATE VIEW v AS WITH hives AS (SELECT 1 AS n) SELECT kg.id FROM kg, hives;";
    let (text, left) = mapped(hidden, &rules, "view v");
    assert!(text.contains("FROM kg, hives") && left == ["kg"], "{text} {left:?}");
}

#[test]
fn statements_of_a_body_are_walked_apart() {
    let program = "DELIMITER //
CREATE PROCEDURE p() BEGIN
  DECLARE w INT;
  SELECT weight INTO w FROM kg;
  SELECT weight FROM kg;
  SELECT weight INTO w FROM kg;
  SELECT weight FROM kg;
END //
DELIMITER ;";
    let (text, left) = mapped(program, &["column:kg.mass=kg.weight"], "procedure p");
    assert_eq!(left, [""; 0]);
    assert_eq!(text.matches("SELECT mass AS weight FROM kg;").count(), 2, "{text}");
    assert_eq!(text.matches("SELECT mass INTO w FROM kg;").count(), 2, "{text}");
}
