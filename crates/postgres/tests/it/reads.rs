//! The columns that an object reads are recorded where its names are resolved.

use wevrun_core::EngineVersion;
use wevrun_core::build::build;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;

use crate::object;

const TABLES: &str = "CREATE TABLE hives (id integer, site integer, label text, weight numeric);
    CREATE TABLE sites (id integer, name text, label text);
    CREATE TABLE log (at date, what text);
    CREATE VIEW heavy AS SELECT id, weight FROM hives WHERE weight > 20;";

/// The columns that an object reads, like `public.hives.id`, with `*` for whole rows; none if they are not known.
fn reads(statement: &str, key: &str) -> Option<Vec<String>> {
    let source = Source::new("a.sql", &format!("{TABLES}{statement};"));
    let model = build(&Postgres, EngineVersion { major: 15, minor: 0 }, &[source]).model;
    let reads = object(&model, key).reads.as_ref()?;
    let shown = reads.iter().map(|read| {
        format!("{}.{}", read.of, read.column.as_ref().map_or("*".to_owned(), ToString::to_string))
            .replace("public.", "")
    });
    Some(shown.collect())
}

#[test]
fn a_view_reads_what_its_query_names() {
    let mut wrong = Vec::new();
    for (query, wanted) in [
        ("SELECT label FROM hives", "hives.label"),
        ("SELECT h.label AS site FROM hives h", "hives.label"),
        ("SELECT * FROM sites", "sites.id sites.label sites.name"),
        ("SELECT s.* FROM hives h, sites s", "sites.id sites.label sites.name"),
        ("SELECT hives FROM hives", "hives.*"),
        ("SELECT count(h.*) FROM hives h", "hives.*"),
        ("SELECT h.weight FROM hives h JOIN sites s ON s.id = h.site", "hives.site hives.weight sites.id"),
        ("SELECT weight FROM hives JOIN sites USING (id)", "hives.id hives.weight sites.id"),
        ("SELECT id FROM hives JOIN sites USING (id)", "hives.id sites.id"),
        ("SELECT weight FROM hives NATURAL JOIN sites", "hives.id hives.label hives.weight sites.id sites.label"),
        ("SELECT x.a FROM hives AS x(a)", "hives.id"),
        ("SELECT q.n FROM (SELECT site AS n FROM hives) q", "hives.site"),
        ("WITH q AS (SELECT site AS n FROM hives) SELECT n FROM q", "hives.site"),
        ("SELECT 1 AS one FROM hives WHERE EXISTS (SELECT FROM sites WHERE sites.id = site)", "hives.site sites.id"),
        ("SELECT site, sum(weight) AS label FROM hives GROUP BY site ORDER BY 2", "hives.site hives.weight"),
        ("SELECT weight FROM heavy", "heavy.weight"),
        ("TABLE sites", "sites.id sites.label sites.name"),
        ("SELECT name FROM sites UNION SELECT label FROM hives", "hives.label sites.name"),
        ("SELECT now() AS moment", ""),
    ] {
        let found = reads(&format!("CREATE VIEW v AS {query}"), "view public.v").map(|found| found.join(" "));
        if found.as_deref() != Some(wanted) {
            wrong.push(format!("{query}\n    {found:?}\n    {wanted}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn so_do_rules_policies_triggers_and_bodies() {
    for (statement, key, wanted) in [
        (
            "CREATE RULE r AS ON UPDATE TO hives DO ALSO INSERT INTO log VALUES (now(), old.label)",
            "rule r ON public.hives",
            "hives.label log.at log.what",
        ),
        (
            "CREATE POLICY p ON hives USING (site IN (SELECT id FROM sites))",
            "policy p ON public.hives",
            "hives.site sites.id",
        ),
        (
            "CREATE FUNCTION f() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NULL; END';
             CREATE TRIGGER t AFTER UPDATE ON hives FOR EACH ROW WHEN (old.weight > new.weight) EXECUTE FUNCTION f()",
            "trigger t ON public.hives",
            "hives.weight",
        ),
        (
            "CREATE FUNCTION f() RETURNS text LANGUAGE sql BEGIN ATOMIC SELECT name FROM sites; END",
            "function public.f()",
            "sites.name",
        ),
    ] {
        assert_eq!(reads(statement, key).map(|found| found.join(" ")).as_deref(), Some(wanted), "{statement}");
    }
}

#[test]
fn what_can_not_be_resolved_is_not_recorded() {
    for query in ["SELECT x.label FROM hives h", "SELECT ctid FROM hives"] {
        assert_eq!(reads(&format!("CREATE VIEW v AS {query}"), "view public.v"), None, "{query}");
    }
}
