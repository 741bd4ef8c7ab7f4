//! Which steps, in which order, with which risks.

use wevrun_core::compare::compare;
use wevrun_core::plan::{Clearance, Evidence, PlanOptions, Probe, Waiver, WaiverFile, read_waivers};
use wevrun_core::script::{Script, make_script};

use super::{VERSION, model, name, object_name, sqlite};

fn script(have: &str, want: &str, evidence: &[(Probe, bool)]) -> Script {
    let (have, want) = (model(have), model(want));
    let comparison = compare(sqlite(), &have, &want);
    let evidence = Evidence::new(evidence.iter().cloned());
    make_script(sqlite(), "honey", (&have, &want), &comparison, PlanOptions::default(), VERSION, &evidence)
}

fn titles(have: &str, want: &str) -> Vec<String> {
    script(have, want, &[]).plan.steps().map(|step| step.title.clone()).collect()
}

fn risks(script: &Script) -> Vec<String> {
    let risks = script.plan.steps().flat_map(|step| &step.risks).filter(|risk| risk.kind.needs_waiver());
    risks.map(|risk| format!("{} {}", risk.kind, risk.object)).collect()
}

const LOTS: &str = "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT)";

#[test]
fn parents_come_first_and_children_go_first() {
    let all = "CREATE TABLE a (id INTEGER PRIMARY KEY, b REFERENCES b); CREATE TABLE b (id INTEGER PRIMARY KEY, z REFERENCES z); \
               CREATE TABLE z (id INTEGER PRIMARY KEY); CREATE VIEW v AS SELECT * FROM w; CREATE VIEW w AS SELECT * FROM a; \
               CREATE INDEX i ON a (b); CREATE TRIGGER t AFTER INSERT ON a BEGIN SELECT 1; END";
    assert_eq!(
        titles("", all),
        [
            "create table z",
            "create table b",
            "create table a",
            "create index i on a",
            "create view w",
            "create view v",
            "create trigger t on a"
        ]
    );
    assert_eq!(titles(all, ""), ["drop view v", "drop view w", "drop table a", "drop table b", "drop table z"]);
    let circle = "CREATE TABLE a (id INTEGER PRIMARY KEY, b REFERENCES b); CREATE TABLE b (id INTEGER PRIMARY KEY, a REFERENCES a)";
    assert_eq!(titles("", circle).len(), 2);
    assert!(titles(all, all).is_empty());
}

#[test]
fn what_alter_table_can_do_is_done_in_place() {
    for (want, title) in [
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT, x TEXT)", "add column lots.x"),
        (
            "CREATE TABLE lots (id INTEGER PRIMARY KEY, x TEXT NOT NULL DEFAULT 'y', grams INTEGER, note TEXT)",
            "add column lots.x",
        ),
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT, x AS (grams * 2))", "add column lots.x"),
        (
            "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT, x REFERENCES lots CHECK (x > 0))",
            "add column lots.x",
        ),
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER)", "drop column lots.note"),
    ] {
        assert_eq!(titles(LOTS, want), [title], "{want}");
    }
}

#[test]
fn everything_else_is_one_rebuild() {
    for (want, title) in [
        (
            "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER NOT NULL, note TEXT)",
            "column grams becomes INTEGER NOT NULL",
        ),
        (
            "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT DEFAULT 'x')",
            "column note becomes TEXT DEFAULT 'x'",
        ),
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT UNIQUE)", "unique keys change"),
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER CHECK (grams > 0), note TEXT)", "checks change"),
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER REFERENCES lots, note TEXT)", "foreign keys change"),
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT) STRICT", "becomes STRICT"),
        (
            "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT, x DEFAULT CURRENT_DATE)",
            "add column x",
        ),
        ("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT, x AS (1) STORED)", "add column x"),
        (
            "CREATE TABLE lots (id INTEGER PRIMARY KEY, note TEXT, x INTEGER UNIQUE)",
            "drop column grams, add column x, unique keys change",
        ),
    ] {
        assert_eq!(titles(LOTS, want), [format!("rebuild table lots: {title}")], "{want}");
    }
}

#[test]
fn a_rebuild_makes_again_what_stands_on_the_table() {
    let around = "; CREATE INDEX i ON lots (grams); CREATE TRIGGER t AFTER INSERT ON lots BEGIN SELECT 1; END; CREATE VIEW v AS SELECT * FROM lots";
    let have = format!("{LOTS}{around}");
    let want = have.replace("grams INTEGER", "grams INTEGER DEFAULT 0");
    let script = script(&have, &want, &[]);
    assert_eq!(script.plan.steps().count(), 1, "the view stays");
    let statements = script.plan.parts[0].steps[0].statements.join("\n");
    for line in [
        "CREATE INDEX i",
        "CREATE TRIGGER t",
        "INSERT OR ABORT INTO wevrun_new_lots (id, grams, note)",
        "ALTER TABLE wevrun_new_lots RENAME TO lots",
    ] {
        assert!(statements.contains(line), "{line} is missing in\n{statements}");
    }
}

#[test]
fn rowids_are_kept_unless_they_can_not_be() {
    let insert = |have: &str, want: &str| {
        let script = script(have, want, &[]);
        let statements = script.plan.steps().flat_map(|step| step.statements.clone());
        statements
            .filter(|statement| statement.starts_with("INSERT OR ABORT"))
            .collect::<String>()
            .split_whitespace()
            .collect::<Vec<_>>()
            .join(" ")
    };
    let (have, want) = ("CREATE TABLE a (x)", "CREATE TABLE a (x CHECK (x > 0))");
    assert_eq!(insert(have, want), "INSERT OR ABORT INTO wevrun_new_a (rowid, x) SELECT rowid, x FROM a");
    let (have, want) = ("CREATE TABLE a (rowid TEXT, x)", "CREATE TABLE a (rowid TEXT, x CHECK (x > 0))");
    assert_eq!(
        insert(have, want),
        "INSERT OR ABORT INTO wevrun_new_a (_rowid_, rowid, x) SELECT _rowid_, rowid, x FROM a"
    );
    let (have, want) = ("CREATE TABLE a (x)", "CREATE TABLE a (id INTEGER PRIMARY KEY, x)");
    assert_eq!(insert(have, want), "INSERT OR ABORT INTO wevrun_new_a (id, x) SELECT rowid, x FROM a");
    let (have, want) = ("CREATE TABLE a (x PRIMARY KEY)", "CREATE TABLE a (x PRIMARY KEY) WITHOUT ROWID");
    assert_eq!(insert(have, want), "INSERT OR ABORT INTO wevrun_new_a (x) SELECT x FROM a");
}

#[test]
fn losses_are_named_unless_the_data_is_known_to_have_none() {
    let want = "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER)";
    assert_eq!(risks(&script(LOTS, want, &[])), ["loses-column column lots.note"]);
    let values = Probe::HasValues(object_name("lots"), name("note"));
    assert_eq!(risks(&script(LOTS, want, &[(values.clone(), true)])), ["loses-column column lots.note"]);
    let known = script(LOTS, want, &[(values, false)]);
    assert!(risks(&known).is_empty());
    assert!(known.plan.parts[0].steps[0].statements[0].contains("wevrun_guard"), "it is checked again when it runs");
    assert_eq!(risks(&script(LOTS, "", &[])), ["loses-table table lots"]);
    assert!(risks(&script(LOTS, "", &[(Probe::HasRows(object_name("lots")), false)])).is_empty());
    let want = "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams TEXT, note TEXT)";
    assert_eq!(risks(&script(LOTS, want, &[])), ["changes-values column lots.grams"]);
    let want = "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams BIGINT, note TEXT)";
    assert!(risks(&script(LOTS, want, &[])).is_empty(), "the same affinity");
    let want = "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams AS (1), note TEXT)";
    assert_eq!(risks(&script(LOTS, want, &[])), ["changes-values column lots.grams"]);
}

#[test]
fn missing_values_are_impossible_only_if_rows_are_known() {
    let want = "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER, note TEXT, x TEXT NOT NULL)";
    let clearance = |evidence: &[(Probe, bool)]| {
        script(LOTS, want, evidence).blocked_by().first().map(|risk| risk.clearance.clone())
    };
    assert_eq!(clearance(&[]), Some(Clearance::Missing));
    assert_eq!(clearance(&[(Probe::HasRows(object_name("lots")), true)]), Some(Clearance::Impossible));
    assert_eq!(clearance(&[(Probe::HasRows(object_name("lots")), false)]), None);
}

#[test]
fn a_rename_keeps_the_rows_and_moves_dependents_out_of_the_way() {
    let have = format!(
        "{LOTS}; CREATE VIEW v AS SELECT grams FROM lots; CREATE VIEW w AS SELECT 1 FROM v; CREATE VIEW x AS SELECT 1"
    );
    let want = have
        .replace("grams INTEGER,", "weight INTEGER, -- wevrun: formerly grams\n")
        .replace("SELECT grams", "SELECT weight");
    let script = script(&have, &want, &[]);
    assert!(risks(&script).is_empty());
    let titles: Vec<&str> = script.plan.steps().map(|step| step.title.as_str()).collect();
    assert_eq!(
        titles,
        [
            "drop view v temporarily",
            "drop view w temporarily",
            "rename column lots.grams to weight",
            "recreate view v",
            "recreate view w"
        ]
    );
}

#[test]
fn a_changed_view_takes_its_triggers_along() {
    let have = format!(
        "{LOTS}; CREATE VIEW v AS SELECT id FROM lots; CREATE TRIGGER t INSTEAD OF DELETE ON v BEGIN SELECT 1; END"
    );
    let want = have.replace("SELECT id", "SELECT id, note");
    assert_eq!(
        titles(&have, &want),
        ["drop trigger t temporarily", "drop view v to recreate it", "create view v", "recreate trigger t on v"]
    );
}

#[test]
fn a_column_is_dropped_in_place_with_no_broken_view_around() {
    // The engine looks through all views when it drops a column, and stops at one that uses what is not there.
    let have = format!(
        "{LOTS}; CREATE VIEW v AS SELECT id, 1 FROM lots; CREATE VIEW w AS SELECT id FROM v; CREATE VIEW x AS SELECT 1"
    );
    let want = have.replace(", note TEXT", "").replace("id, 1", "id, 2");
    assert_eq!(
        titles(&have, &want),
        [
            "drop view v to recreate it",
            "drop view w temporarily",
            "drop column lots.note",
            "create view v",
            "recreate view w"
        ]
    );
}

#[test]
fn a_waiver_permits_one_risk_on_one_object_until_its_day() {
    let waiver = |risk: &str, object: &str, until: &str| Waiver {
        convert_as: None,
        risk: risk.into(),
        object: object.into(),
        reason: "tags instead".into(),
        until: until.into(),
    };
    let held = |waiver: Waiver, today: &str| {
        let mut script = script(LOTS, "CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER)", &[]);
        script.clear(&[waiver], today);
        !script.blocked_by().is_empty()
    };
    assert!(!held(waiver("loses-column", "column lots.note", "2026-12-31"), "2026-12-31"));
    assert!(held(waiver("loses-column", "column lots.note", "2026-12-31"), "2027-01-01"));
    assert!(held(waiver("loses-column", "column lots.grams", "2026-12-31"), "2026-11-23"));
    assert!(held(waiver("loses-table", "column lots.note", "2026-12-31"), "2026-11-23"));
    let problem = |waiver: Waiver| read_waivers(WaiverFile { waiver: vec![waiver] }).expect_err("it is wrong").problem;
    assert!(
        problem(waiver("looses-column", "x", "2026-12-31"))
            .contains("`looses-column` is no risk that a waiver can permit")
    );
    assert!(problem(waiver("loses-column", "x", "31.12.2026")).contains("is not a date"));
}

#[test]
fn older_engines_get_only_what_they_know() {
    let (have, want) = (model(LOTS), model("CREATE TABLE lots (id INTEGER PRIMARY KEY, grams INTEGER)"));
    let comparison = compare(sqlite(), &have, &want);
    let version = "3.34".parse().expect("a version");
    let script = make_script(
        sqlite(),
        "honey",
        (&have, &want),
        &comparison,
        PlanOptions::default(),
        version,
        &Evidence::default(),
    );
    assert_eq!(
        script.plan.parts[0].steps[0].title, "rebuild table lots: drop column note",
        "DROP COLUMN came with 3.35"
    );
}
