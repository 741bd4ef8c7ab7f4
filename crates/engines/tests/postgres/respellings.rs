//! What the server makes of what a person writes: one row a pattern, and both must be the same.

use wevrun_testkit::postgres::AGES;

use crate::{difference, made, model, read};

/// The statement of a pattern: its kind and what is particular of it, between tabs.
fn statement(number: usize, pattern: &str) -> String {
    let parts: Vec<&str> = pattern.split('\t').collect();
    match parts[..] {
        ["check", condition] => format!("ALTER TABLE hives ADD CONSTRAINT c{number:03} CHECK ({condition});\n"),
        ["default", data_type, default] => format!("CREATE TABLE d{number:03} (x {data_type} DEFAULT ({default}));\n"),
        ["index", key] => format!("CREATE INDEX i{number:03} ON hives ({key});\n"),
        ["view", query] => format!("CREATE VIEW v{number:03} AS {query};\n"),
        _ => panic!("no pattern: {pattern}"),
    }
}

#[test]
fn the_servers_spelling_is_the_persons() {
    let patterns: Vec<&str> = include_str!("respellings/patterns.txt").lines().collect();
    assert!(patterns.len() >= 150, "{}", patterns.len());
    let statements: String =
        patterns.iter().enumerate().map(|(number, pattern)| statement(number + 1, pattern)).collect();
    let source = format!("{}{statements}", include_str!("respellings/schema.sql"));
    for age in AGES {
        let database = made(age, &source);
        let (have, want) = (read(&database), model(&source));
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
        assert_eq!(have.fingerprint(), want.fingerprint());
    }
}

/// Texts that look alike and are not the same.
#[test]
fn what_differs_still_differs() {
    let schema = include_str!("respellings/schema.sql");
    let pairs = [
        ("frames > 0", "frames >= 0"),
        ("label = 'a'", "label = 'A'"),
        ("label IN ('a', 'b')", "label IN ('a', 'c')"),
        ("label LIKE 'a%'", "label ILIKE 'a%'"),
        ("frames BETWEEN 1 AND 10", "frames BETWEEN 1 AND 11"),
        ("open AND label IS NULL", "open OR label IS NULL"),
        ("NOT (open AND active)", "NOT open AND active"),
        ("price > 1", "price > 1.5"),
        ("made > '2020-01-01'", "made > '2020-01-02'"),
        ("gap < '1 day'", "gap < '24 hours'"),
        ("price::integer = 3", "price = 3"),
        ("lower(label) = label", "upper(label) = label"),
        ("a + b * c > 0", "(a + b) * c > 0"),
        ("data ->> 'a' = 'b'", "data -> 'a' = 'b'"),
        ("'x' = ANY (tags)", "'x' = ALL (tags)"),
    ];
    for (one, other) in pairs {
        let with = |condition: &str| {
            model(&format!(
                "{schema}ALTER TABLE hives ADD active boolean, ADD a integer, ADD b integer, ADD c integer, ADD CHECK ({condition});"
            ))
        };
        assert!(with(one) != with(other), "{one} / {other}");
    }
    let view = |query: &str| model(&format!("{schema}CREATE VIEW v AS {query};"));
    for (one, other) in [
        (
            "SELECT a.id FROM hives a JOIN hives b ON a.site = b.site",
            "SELECT b.id FROM hives a JOIN hives b ON a.site = b.site",
        ),
        ("SELECT id FROM hives ORDER BY id", "SELECT id FROM hives ORDER BY id DESC"),
        ("SELECT id FROM hives UNION SELECT id FROM members", "SELECT id FROM hives UNION ALL SELECT id FROM members"),
        ("SELECT id AS a FROM hives", "SELECT id AS b FROM hives"),
        (
            "SELECT h.id FROM hives h LEFT JOIN members m ON m.id = h.id",
            "SELECT h.id FROM hives h JOIN members m ON m.id = h.id",
        ),
        ("SELECT id FROM hives LIMIT 1", "SELECT id FROM hives LIMIT 2"),
        ("SELECT frames::text AS f FROM hives", "SELECT frames AS f FROM hives"),
        ("SELECT id FROM hives", "SELECT id FROM ONLY hives"),
    ] {
        assert!(view(one) != view(other), "{one} / {other}");
    }
}
