//! What a person writes and what the server makes of it are the same, and what means something else is not. The server's own
//! spellings stand in a table that the tests with servers keep.

use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::model::Model;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

const SCHEMA: &str = include_str!("../../../engines/tests/postgres/respellings/schema.sql");
const PATTERNS: &str = include_str!("../../../engines/tests/postgres/respellings/patterns.sql");
const SPELLED: [(u32, &str); 2] = [
    (15, include_str!("../../../engines/tests/postgres/respellings/spelled-15.txt")),
    (18, include_str!("../../../engines/tests/postgres/respellings/spelled-18.txt")),
];

fn model(statements: &str) -> Model {
    let newest = EngineVersion { major: 18, minor: 0 };
    let built = build(&Postgres, newest, &[Source::new("a.sql", &format!("{SCHEMA}{statements}\n"))]);
    let errors: Vec<_> = built.diagnostics.iter().filter(|found| found.is_error()).collect();
    assert!(errors.is_empty(), "{errors:#?}");
    built.model
}

/// Row by row: what a person writes, and what each server makes of it, are the same.
#[test]
fn a_pattern_and_each_servers_spelling_are_the_same() {
    let patterns: Vec<&str> = PATTERNS.lines().collect();
    for (version, table) in SPELLED {
        // The server keeps no default of NULL.
        let kept = patterns.iter().filter(|pattern| !pattern.ends_with("DEFAULT (NULL));")).count();
        // A pattern has more than one row where minor versions spell it differently.
        let mut names: Vec<&str> = table.lines().filter_map(|row| row.split('\t').next()).collect();
        names.dedup();
        assert_eq!(names.len(), kept, "version {version}");
        for row in table.lines() {
            let (name, spelled) = row.split_once('\t').expect("a name and a statement");
            let number: usize = name[1..].parse().expect("a number");
            let (written, spelled) = (patterns[number - 1], spelled.replace('⏎', "\n"));
            let named = [' ', '('].iter().any(|after| written.contains(&format!(" {name}{after}")));
            assert!(named, "{name} stands on line {number}");
            assert!(model(written) == model(&spelled), "version {version}\n{written}\n{spelled}");
        }
    }
}

/// None of them needs a server.
#[test]
fn all_spellings_are_sure() {
    let person = model(PATTERNS);
    let unsure = person.objects().filter(|object| !object.definition.is_sure());
    assert_eq!(unsure.map(|object| object.key().to_string()).collect::<Vec<_>>(), Vec::<String>::new());
}

/// Texts that look alike and are not the same.
#[test]
fn what_differs_still_differs() {
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
        ("id = ANY (ARRAY[1, 2])", "id = ANY (ARRAY[1, 3])"),
        ("id < 2147483648", "id < 2147483649"),
        ("price < 1e10", "price < 1e11"),
        ("sin(ratio) > 0", "cos(ratio) > 0"),
    ];
    for (one, other) in pairs {
        let with = |condition: &str| {
            model(&format!(
                "ALTER TABLE hives ADD active boolean, ADD a integer, ADD b integer, ADD c integer, ADD CHECK ({condition});"
            ))
        };
        assert!(with(one) != with(other), "{one} / {other}");
    }
    let view = |query: &str| model(&format!("CREATE VIEW v AS {query};"));
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
        ("SELECT 1e10 AS n", "SELECT 10000000000 AS n"),
        ("SELECT '5'::bigint AS n", "SELECT 5 AS n"),
        ("SELECT '2147483648'::numeric AS n", "SELECT 2147483648 AS n"),
        ("SELECT ARRAY[1, 2]::bigint[] AS n", "SELECT ARRAY[1, 2] AS n"),
        ("SELECT X'1F' AS b", "SELECT B'11111' AS b"),
        ("SELECT id FROM scales WHERE reading > 1.5", "SELECT id FROM scales WHERE reading > 1.5::real"),
        ("SELECT reading * 2 AS r FROM scales", "SELECT reading * 2::real AS r FROM scales"),
        ("SELECT t FROM hives, unnest(tags) WITH ORDINALITY AS u(t, n)", "SELECT t FROM hives, unnest(tags) AS u(t)"),
        (
            "SELECT id FROM hives WHERE id = ANY (SELECT id FROM members)",
            "SELECT id FROM hives WHERE id <> ALL (SELECT id FROM members)",
        ),
        (
            "SELECT date_bin('15 minutes', seen, '2001-01-01') AS b FROM hives",
            "SELECT date_bin('16 minutes', seen, '2001-01-01') AS b FROM hives",
        ),
        (
            "SELECT date_bin('15 minutes', seen, '2001-01-01') AS b FROM hives",
            "SELECT date_bin('15 minutes', seen, '2001-01-02') AS b FROM hives",
        ),
        (
            "SELECT relname FROM pg_class WHERE oid = 'hives'::regclass",
            "SELECT relname FROM pg_class WHERE oid = 'members'::regclass",
        ),
        ("SELECT xmin AS x FROM hives", "SELECT xmax AS x FROM hives"),
        ("SELECT id FROM hives ORDER BY id, label", "SELECT id FROM hives ORDER BY label, id"),
        ("SELECT frames::float / id AS a FROM hives", "SELECT frames / id AS a FROM hives"),
        ("SELECT frames::float / id AS a FROM hives", "SELECT frames::numeric / id AS a FROM hives"),
        ("SELECT frames::bigint * frames AS a FROM hives", "SELECT frames * frames AS a FROM hives"),
        ("SELECT -frames ^ 2 AS a FROM hives", "SELECT -(frames ^ 2) AS a FROM hives"),
        ("SELECT |/ price AS a FROM hives", "SELECT ||/ price AS a FROM hives"),
        (
            "SELECT id FROM hives WHERE frames > (SELECT avg(id) FROM members)",
            "SELECT id FROM hives WHERE frames > (SELECT sum(share) FROM members)",
        ),
        (
            "SELECT id FROM hives WHERE price::integer > (SELECT avg(id) FROM members)",
            "SELECT id FROM hives WHERE price > (SELECT avg(id) FROM members)",
        ),
        (
            "SELECT id FROM hives WHERE price::integer IN (SELECT id FROM members)",
            "SELECT id FROM hives WHERE price IN (SELECT id FROM members)",
        ),
        ("SELECT id FROM hives WHERE span && '[1,2]'", "SELECT id FROM hives WHERE span && '[1,2)'"),
        ("SELECT id FROM hives WHERE seen + '1 day' > now()", "SELECT id FROM hives WHERE seen + '2 days' > now()"),
        ("SELECT interval '1 day' * frames AS a FROM hives", "SELECT interval '1 day' * id AS a FROM hives"),
        (
            "SELECT d FROM generate_series('2020-01-01'::date, '2020-12-31', '1 month') d",
            "SELECT d FROM generate_series('2020-01-01'::date, '2020-12-30', '1 month') d",
        ),
        ("SELECT x.id FROM apiary.sites x(id, label)", "SELECT x.id FROM apiary.sites x(label, id)"),
        ("SELECT id FROM hives WHERE data = '[1]'::jsonb", "SELECT id FROM hives WHERE data = '[2]'::jsonb"),
    ] {
        assert!(view(one) != view(other), "{one} / {other}");
    }
}

/// The same of views whose columns have names, and of what rules and routines store.
#[test]
fn what_is_stored_otherwise_differs() {
    let named = |columns: &str, query: &str| format!("CREATE VIEW v ({columns}) AS {query};");
    let rule = |action: &str| format!("CREATE RULE r AS ON INSERT TO members DO ALSO {action};");
    let routine = |body: &str| {
        format!("CREATE FUNCTION f(x int) RETURNS SETOF apiary.sites LANGUAGE sql BEGIN ATOMIC {body}; END;")
    };
    let sites = |values: &str| rule(&format!("INSERT INTO apiary.sites VALUES {values}"));
    let assigned = |set: &str| rule(&format!("UPDATE apiary.sites SET {set} WHERE keeper = new.id"));
    let conflict = |on: &str| routine(&format!("INSERT INTO apiary.sites VALUES (x, 'a') {on}"));
    for (one, other) in [
        (named("a, b, c, d", "SELECT * FROM apiary.sites"), named("b, a, c, d", "SELECT * FROM apiary.sites")),
        (named("a", "SELECT * FROM apiary.sites"), named("a", "SELECT id, area FROM apiary.sites")),
        (sites("(new.id, 'a')"), sites("(new.id, 'b')")),
        (sites("(new.id, NULL)"), sites("(new.id, DEFAULT)")),
        (sites("(1, 'a'), (2, 'b')"), sites("(1, 'a')")),
        (sites("(1, 'a', 5, 0.5)"), sites("(1, 'a', 5, 0.05)")),
        (
            rule("INSERT INTO apiary.sites (id, keeper) VALUES (1, 2)"),
            rule("INSERT INTO apiary.sites (keeper, id) VALUES (1, 2)"),
        ),
        (assigned("(label, area) = ('a', 1)"), assigned("(area, label) = (1, 'b')")),
        (assigned("label = 'a'"), assigned("label = NULL")),
        (conflict("ON CONFLICT DO NOTHING"), conflict("")),
        (
            conflict("ON CONFLICT (id) DO UPDATE SET area = excluded.area"),
            conflict("ON CONFLICT (id) DO UPDATE SET area = sites.area"),
        ),
        (conflict("RETURNING *"), conflict("RETURNING id, label, area, keeper")),
        (conflict("RETURNING *"), conflict("")),
    ] {
        assert!(model(&one) != model(&other), "{one} / {other}");
    }
    let same = [
        (
            sites("(new.id, 'a', '5')"),
            rule("INSERT INTO apiary.sites (id, label, keeper) VALUES (new.id, 'a'::text, 5)"),
        ),
        (assigned("(label, area) = ROW('a', '1')"), assigned("label = 'a', area = 1")),
        (conflict("RETURNING *"), conflict("RETURNING sites.id, sites.label AS label, keeper, area")),
        (
            named("a, b, c, d", "TABLE apiary.sites"),
            "CREATE VIEW v AS SELECT id AS a, label AS b, keeper AS c, area AS d FROM apiary.sites;".to_owned(),
        ),
    ];
    for (one, other) in same {
        assert!(model(&one) == model(&other), "{one} / {other}");
    }
}
