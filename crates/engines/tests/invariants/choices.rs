//! What must hold of a choice of differences: the result is have with the chosen differences resolved, and nothing else moves.

use std::collections::BTreeSet;
use std::fs;

use rand::Rng;
use wevrun_core::compare::{Renames, compare};
use wevrun_core::model::{Kind, Model, ObjectKey};
use wevrun_core::plan::{self, PlanOptions};
use wevrun_core::script::{make_script, write};
use wevrun_core::select::{Chooser, Element, ElementPart, Selected, select};
use wevrun_engines::Access;
use wevrun_sqlite::Sqlite;
use wevrun_testkit::render::{Style, statements};
use wevrun_testkit::schema::{Schema, random, rng};
use wevrun_testkit::{mutate, rows};

use super::{
    VERSION, assert_counters_kept, assert_rows_kept, assert_same, built, create, live, may_be_refused, read_back, run,
    setting, waive_everything,
};

fn chosen(have: &Model, want: &Model, elements: &BTreeSet<Element>) -> Selected {
    select(&Sqlite, VERSION, (have, want), Chooser::Elements(elements), false)
        .unwrap_or_else(|problem| panic!("{elements:#?}\n{:#?}\n{:#?}", problem.diagnostics, problem.sources))
}

/// All elements that differ.
fn all(have: &Model, want: &Model) -> BTreeSet<Element> {
    // Which ones there are depends on the renames that are chosen: all of them, here.
    let comparison = compare(&Sqlite, have, want);
    let mut renamed: BTreeSet<Element> = comparison
        .renames
        .tables
        .iter()
        .map(|(kind, _, to)| Element::object(ObjectKey::new(*kind, to.clone())))
        .collect();
    for (table, _, to) in &comparison.renames.columns {
        let owner = want.named(table).next().expect("it is there").key();
        renamed.insert(Element { object: owner, part: ElementPart::Column(to.clone()) });
    }
    let first = chosen(have, want, &renamed);
    first.chosen.into_iter().chain(first.left).collect()
}

fn sql(schema: &Schema) -> String {
    statements(schema, &mut Style::plain()).join(";\n")
}

/// Returns whether a script was stopped by rows.
fn case(seed: u64) -> bool {
    let mut numbers = rng(seed);
    let a = random(&mut numbers);
    let b = mutate::mutated(&mut numbers, &a, true);
    let (have, want) = (built(&statements(&a, &mut Style::plain())), built(&statements(&b, &mut Style::plain())));
    let all = all(&have, &want);

    let everything = chosen(&have, &want, &all);
    assert_same(&everything.want, &want, "everything is chosen");
    assert!(everything.left.is_empty() && everything.included.is_empty(), "{:?}", everything.left);
    let nothing = chosen(&have, &want, &BTreeSet::new());
    assert_same(&nothing.want, &have, "nothing is chosen");
    assert!(nothing.included.is_empty() && nothing.chosen.is_empty(), "{:?}", nothing.included);

    let some: BTreeSet<Element> = all.iter().filter(|_| numbers.random_bool(0.4)).cloned().collect();
    let selected = chosen(&have, &want, &some);
    let lost: Vec<&Element> = some.difference(&selected.chosen).collect();
    assert!(lost.is_empty(), "{lost:?} of {some:?}\n{}\n{}", sql(&a), sql(&b));
    // What was included is enough: strict has nothing against it.
    let again = chosen(&have, &want, &selected.chosen);
    assert!(again.included.is_empty(), "{:?}", again.included);
    assert_same(&again.want, &selected.want, "the whole choice");
    nothing_else_moves(&have, &want, &selected);

    let folder = tempfile::tempdir().expect("a folder");
    let file = |name: &str| folder.path().join(name);
    let connection = create(&file("a.db"), &a, &mut Style::plain());
    rows::fill(&connection, &a, &mut numbers);
    drop(connection);
    fs::copy(file("a.db"), file("work.db")).expect("a copy");
    let comparison = compare(&Sqlite, &have, &selected.want);
    let probes = plan::probes(&Sqlite, &have, &selected.want, &comparison, VERSION);
    let evidence = live(&file("work.db"), Access::Read).probe(&probes).expect("answers");
    let sides = (&have, &selected.want);
    let mut script = make_script(&Sqlite, "honey", sides, &comparison, PlanOptions::default(), VERSION, &evidence);
    let needs_waiver: Vec<String> = script.blocked_by().iter().map(|risk| risk.object.clone()).collect();
    waive_everything(&mut script);
    if !script.blocked_by().is_empty() {
        return true;
    }
    let text = write(&Sqlite, &script);
    if let Err(error) = run(&file("work.db"), &script, seed.is_multiple_of(2)) {
        assert!(may_be_refused(&script), "{error}\n{text}");
        assert_same(&read_back(&file("work.db")), &have, "nothing was changed");
        return true;
    }
    assert_same(&read_back(&file("work.db")), &selected.want, &text);
    let renames = comparison.renames.clone();
    assert_rows_kept(&file("a.db"), &file("work.db"), &have, &selected.want, &renames, &needs_waiver);
    assert_counters_kept(&file("a.db"), &file("work.db"), &have, &selected.want, &renames);
    false
}

/// An object of which nothing is chosen is as have has it; one of which everything is chosen as want has it.
fn nothing_else_moves(have: &Model, want: &Model, selected: &Selected) {
    let renames = Renames::find(&Sqlite, have, &selected.want);
    let renamed = renames.apply(&Sqlite, have);
    // An object whose rename is not chosen has have's name in the result, and want's in the choice.
    let full = compare(&Sqlite, have, want).renames;
    let in_want = |key: &ObjectKey| {
        let to = full.key_in_want(key);
        if selected.left.contains(&Element::object(to.clone())) { to } else { key.clone() }
    };
    let all_renamed = Renames::find(&Sqlite, have, &selected.want) == full;
    let is_chosen = |key: &ObjectKey| selected.chosen.iter().any(|element| element.object == in_want(key));
    let is_left = |key: &ObjectKey| selected.left.iter().any(|element| element.object == in_want(key));
    for object in renamed.objects().chain(want.objects()).chain(selected.want.objects()) {
        let key = object.key();
        let found = selected.want.get(&key).map(|object| &object.definition);
        if !is_chosen(&key) {
            assert_eq!(found, renamed.get(&key).map(|object| &object.definition), "{key}");
        } else if !is_left(&key) && key.kind == Kind::Table && all_renamed {
            assert_eq!(found, want.get(&key).map(|object| &object.definition), "{key}");
        }
    }
}

#[test]
fn a_choice_is_resolved_and_nothing_else() {
    if let Some(seed) = setting("WEVRUN_CASE") {
        case(seed);
        return;
    }
    let cases = setting("WEVRUN_CASES").unwrap_or(120);
    let start = setting("WEVRUN_SEED").unwrap_or(1) * 1_000_000;
    let mut stopped = 0;
    for seed in start..start + cases {
        match std::panic::catch_unwind(|| case(seed)) {
            Ok(rows_stopped_it) => stopped += u64::from(rows_stopped_it),
            Err(panic) => {
                eprintln!("fails with WEVRUN_CASE={seed}");
                std::panic::resume_unwind(panic);
            }
        }
    }
    assert!(stopped * 3 < cases, "{stopped} of {cases} scripts were stopped by rows: that proves too little");
}
