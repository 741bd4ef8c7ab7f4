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
        let version = database.psql("SELECT current_setting('server_version_num')::integer / 10000").expect("a number");
        let version = version.trim();
        let path = format!("{}/tests/postgres/respellings/spelled-{version}.txt", env!("CARGO_MANIFEST_DIR"));
        let spelled = database.psql(SPELLED).expect("the server's functions");
        if std::env::var_os("WEVRUN_WRITE_DOCS").is_some() {
            std::fs::write(&path, &spelled).expect("the folder is there");
        }
        // The table has a column for each version that it was made with.
        if let Ok(table) = std::fs::read_to_string(&path) {
            assert!(table == spelled, "version {version} spells otherwise; WEVRUN_WRITE_DOCS=1 writes the table anew");
        }
    }
}

/// Each pattern as the server spells it, a statement a line, by its own functions.
const SPELLED: &str = r"
    SELECT name || E'\t' || replace(statement, E'\n', '⏎') FROM (
        SELECT conname AS name, format('ALTER TABLE %s ADD CONSTRAINT %s %s', conrelid::regclass, conname, pg_get_constraintdef(oid)) AS statement
        FROM pg_constraint WHERE conname ~ '^c[0-9]{3}$'
        UNION ALL
        SELECT c.relname, format('CREATE TABLE %s (x %s DEFAULT %s)', c.relname, format_type(a.atttypid, a.atttypmod), pg_get_expr(d.adbin, d.adrelid))
        FROM pg_attrdef d JOIN pg_class c ON c.oid = d.adrelid JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = d.adnum
        WHERE c.relname ~ '^d[0-9]{3}$'
        UNION ALL
        SELECT relname, pg_get_indexdef(oid) FROM pg_class WHERE relkind = 'i' AND relname ~ '^i[0-9]{3}$'
        UNION ALL
        SELECT relname, 'CREATE VIEW ' || relname || ' AS ' || rtrim(pg_get_viewdef(oid), ';')
        FROM pg_class WHERE relkind = 'v' AND relname ~ '^v[0-9]{3}$') all_of_them
    ORDER BY substr(name, 2);
";

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
        (
            "(SELECT id FROM hives UNION SELECT id FROM members) INTERSECT SELECT 1",
            "SELECT id FROM hives UNION SELECT id FROM members INTERSECT SELECT 1",
        ),
        ("SELECT doubled(frames) AS d FROM hives", "SELECT doubled(frames::integer) AS d FROM hives"),
        ("SELECT label_of(label) AS l FROM hives", "SELECT label_of(notes) AS l FROM hives"),
        ("SELECT frames::text AS f FROM hives", "SELECT frames AS f FROM hives"),
        ("SELECT id FROM hives", "SELECT id FROM ONLY hives"),
    ] {
        assert!(view(one) != view(other), "{one} / {other}");
    }
}
