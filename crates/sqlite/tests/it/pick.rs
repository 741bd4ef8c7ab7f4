//! Ticking differences: what is ticked, what is included, what results.

use std::sync::LazyLock;

use wevrun_core::model::Model;
use wevrun_core::pick::{Group, Grouping, Outcome, Picker, Row, Sides, Tick};
use wevrun_core::plan::{Evidence, PlanOptions, Waiver};
use wevrun_core::select::{ChangeKind, Choice, Chooser, select};
use wevrun_sqlite::Sqlite;

use super::{VERSION, model};

const HAVE: &str = "CREATE TABLE hives (id INTEGER PRIMARY KEY, label TEXT, old TEXT);
    CREATE INDEX by_label ON hives (label); CREATE VIEW gone AS SELECT 1 AS one;";
const WANT: &str = "CREATE TABLE hives (id INTEGER PRIMARY KEY, label TEXT NOT NULL, fresh TEXT);
    CREATE TABLE scales (id INTEGER PRIMARY KEY); CREATE VIEW weighed AS SELECT id FROM scales;
    CREATE INDEX by_label ON hives (label, fresh);";

fn picker<'s>(have: &'s Model, want: &'s Model, evidence: &'s Evidence) -> Picker<'s> {
    static WISHES: LazyLock<PlanOptions> = LazyLock::new(PlanOptions::default);
    let waivers: (&[Waiver], &str) = (&[], "2026-01-01");
    Picker::new(Sides { dialect: &Sqlite, version: VERSION, have, want, plan_options: &WISHES, evidence, waivers })
        .expect("it differs")
}

fn shown(picker: &Picker<'_>) -> Vec<String> {
    let word = |row: &Row| match row {
        Row::Heading { group, objects } => format!("{group:?} {}", objects.len()),
        Row::Object(key) => key.to_string(),
        Row::Part(element) => format!("- {element}"),
    };
    picker.rows().iter().map(word).collect()
}

fn tick(picker: &mut Picker<'_>, row: &str) {
    let at = shown(picker)
        .iter()
        .position(|shown| shown == row)
        .unwrap_or_else(|| panic!("no {row} in {:?}", shown(picker)));
    picker.toggle(at);
}

fn tick_of(picker: &Picker<'_>, row: &str) -> Tick {
    let at = shown(picker).iter().position(|shown| shown == row).expect("it is listed");
    picker.tick_of(&picker.rows()[at])
}

#[test]
fn rows_are_groups_objects_and_parts() {
    let (have, want, evidence) = (model(HAVE), model(WANT), Evidence::default());
    let mut picker = picker(&have, &want, &evidence);
    let all = shown(&picker);
    assert_eq!(all[..4], ["Change(Create) 2", "table scales", "view weighed", "Change(Change) 2"]);
    assert!(all.contains(&"- column hives.fresh".to_owned()) && all.contains(&"index by_label".to_owned()), "{all:?}");
    picker.set_filter("LABEL index");
    assert_eq!(shown(&picker), ["Change(Change) 1", "index by_label"]);
    picker.set_filter("");
    picker.set_grouping(Grouping::Kind);
    assert!(matches!(&picker.rows()[0], Row::Heading { group: Group::Kind(kind), .. } if kind == "indexes"));
    picker.set_grouping(Grouping::Schema);
    assert!(matches!(&picker.rows()[0], Row::Heading { group: Group::Schema(None), objects } if objects.len() == 5));
    let Row::Object(key) = &picker.rows()[1] else { panic!("an object") };
    assert_eq!(picker.change_of(key), ChangeKind::Change);
}

#[test]
fn ticks_include_what_they_need() {
    let (have, want, evidence) = (model(HAVE), model(WANT), Evidence::default());
    let mut picker = picker(&have, &want, &evidence);
    assert!(matches!(picker.outcome(), Outcome::Nothing));
    tick(&mut picker, "view weighed");
    assert_eq!(tick_of(&picker, "table scales"), Tick::Included);
    assert_eq!(tick_of(&picker, "Change(Create) 2"), Tick::Some);
    tick(&mut picker, "- column hives.fresh");
    assert_eq!(tick_of(&picker, "table hives"), Tick::Some);
    let Outcome::Done(resolved) = picker.outcome() else { panic!("{:?}", picker.outcome()) };
    let titles: Vec<&str> = resolved.script.plan.steps().map(|step| step.title.as_str()).collect();
    assert_eq!(titles, ["add column hives.fresh", "create table scales", "create view weighed"]);
    // A heading is all of its group; what is all ticked is unticked.
    tick(&mut picker, "Change(Create) 2");
    assert_eq!(tick_of(&picker, "table scales"), Tick::All);
    tick(&mut picker, "Change(Create) 2");
    assert_eq!(tick_of(&picker, "view weighed"), Tick::None);
    picker.toggle_shown();
    let (ticked, all) = picker.counts();
    assert_eq!(ticked, all);
    picker.toggle_shown();
    assert!(matches!(picker.outcome(), Outcome::Nothing));
}

#[test]
fn a_selection_chooses_what_is_ticked() {
    let (have, want, evidence) = (model(HAVE), model(WANT), Evidence::default());
    let rows = shown(&picker(&have, &want, &evidence));
    for row in rows.iter().filter(|row| !row.starts_with("Change")) {
        let mut picker = picker(&have, &want, &evidence);
        tick(&mut picker, row);
        let selection = picker.selection().unwrap_or_else(|| panic!("no patterns for {row}"));
        let choice = Choice { selections: vec![selection], ..Choice::default() };
        let chosen = select(&Sqlite, VERSION, (&have, &want), Chooser::Patterns(&choice), false).expect("a schema");
        let Outcome::Done(resolved) = picker.outcome() else { panic!("{row}") };
        assert_eq!(chosen.want.fingerprint(), resolved.script.want, "{row}");
    }
}
