//! What must hold for any two schemas. `WEVRUN_CASES` sets how many pairs (as many a server as the test says without), `WEVRUN_SEED` the first,
//! `WEVRUN_CASE` runs one alone.

use std::collections::BTreeSet;

use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use wevrun_core::compare::{compare, compare_with};
use wevrun_core::model::Model;
use wevrun_core::plan::{self, Evidence, PlanOptions};
use wevrun_core::script::{make_script, make_undo};
use wevrun_core::select::{Chooser, Element, Selected, select};
use wevrun_engines::{Access, LiveError};
use wevrun_testkit::postgres::{AGES, Age, Database, structure_difference};
use wevrun_testkit::postgres_schema::{features, statements};

use crate::{VERSION, connect, difference, made, model, postgres, read, release, script, version};

pub fn number(variable: &str, otherwise: u64) -> u64 {
    std::env::var(variable).ok().and_then(|text| text.parse().ok()).unwrap_or(otherwise)
}

#[test]
fn random_pairs() {
    let side = |case, side, age| statements(case, side, 4, version(age).major);
    judge(40, &pair, |case, age| vec![("", side(case, 0, age), side(case, case % 3 + 1, age))]);
}

/// Some of the differences are chosen: the result is have with these resolved, and nothing else moves.
#[test]
fn random_choices() {
    let side = |case, side, age| statements(case, side, 4, version(age).major);
    judge(12, &choice, |case, age| vec![("", side(case, 0, age), side(case, case % 3 + 1, age))]);
}

/// The same of everything that a schema may hold, by itself.
#[test]
fn random_choices_of_each_feature() {
    let side = |case, side, age| features(case, side, 2, version(age).major).into_iter();
    let both = |case, age| side(case, 0, age).zip(side(case, 1, age));
    judge(1, &choice, |case, age| both(case, age).map(|((title, a), (_, b))| (title, a, b)).collect());
}

/// Everything that a schema may hold beside its usual tables, by itself.
#[test]
fn random_pairs_of_each_feature() {
    let side = |case, side, age| features(case, side, 2, version(age).major).into_iter();
    let both = |case, age| side(case, 0, age).zip(side(case, 1, age));
    judge(1, &pair, |case, age| both(case, age).map(|((title, a), (_, b))| (title, a, b)).collect());
}

/// Runs these pairs, so many on each server, and says all that is wrong.
fn judge(
    cases: u64,
    proof: &(dyn Fn(Age, u64, &str, &str) -> Outcome + Sync + std::panic::RefUnwindSafe),
    pairs: impl Fn(u64, Age) -> Vec<(&'static str, String, String)> + Sync,
) {
    let cases: Vec<u64> = match std::env::var("WEVRUN_CASE").ok().and_then(|text| text.parse().ok()) {
        Some(case) => vec![case],
        None => {
            let start = number("WEVRUN_SEED", 1);
            (start..start + number("WEVRUN_CASES", cases)).collect()
        }
    };
    let mut wrong: Vec<String> = Vec::new();
    let outcomes: Vec<_> = std::thread::scope(|scope| {
        let running = AGES.map(|age| {
            let (cases, pairs) = (&cases, &pairs);
            scope.spawn(move || {
                let all = cases.iter().flat_map(|case| pairs(*case, age).into_iter().map(move |pair| (*case, pair)));
                let run = |(case, (title, a, b)): (u64, (_, String, String))| {
                    (case, age, title, std::panic::catch_unwind(|| proof(age, case, &a, &b)))
                };
                all.map(run).collect::<Vec<_>>()
            })
        });
        running.into_iter().flat_map(|thread| thread.join().expect("panics are caught")).collect()
    });
    let stopped = outcomes.iter().filter(|(.., outcome)| matches!(outcome, Ok(Outcome::StoppedByRows))).count();
    let all = outcomes.len();
    for (case, age, title, outcome) in outcomes {
        if let Err(panic) = outcome {
            let words = panic.downcast_ref::<String>().cloned().unwrap_or_else(|| "a panic".to_owned());
            let words = words.chars().take(3000).collect::<String>();
            wrong.push(format!("WEVRUN_CASE={case} on {age:?} {title}: {words}"));
        }
    }
    assert!(wrong.is_empty(), "{} of {all}:\n{}", wrong.len(), wrong.join("\n\n"));
    assert!(stopped * 4 < all, "{stopped} of {all} scripts were stopped by rows");
}

enum Outcome {
    Reached,
    StoppedByRows,
}

/// Rows where every column has a value by itself.
fn fill(database: &Database, model: &Model) {
    for (name, _) in model.tables() {
        for _ in 0..2 {
            let _ = database.psql(&format!("INSERT INTO {name} DEFAULT VALUES"));
        }
    }
}

fn counts(database: &Database, model: &Model) -> Vec<(String, String)> {
    let count = |name: &wevrun_core::model::Name| {
        database.psql(&format!("SELECT count(*) FROM ONLY {name}")).unwrap_or_default()
    };
    model.tables().map(|(name, _)| (name.to_string(), count(name))).collect()
}

fn pair(age: Age, case: u64, source_a: &str, source_b: &str) -> Outcome {
    let database = made(age, source_a);
    let target = made(age, source_b);
    let (a, b) = (model(source_a), model(source_b));
    // 9: what the engine's own client made reads as what was written.
    for (name, database, model) in [("A", &database, &a), ("B", &target, &b)] {
        let have = read(database);
        assert!(have == *model, "{name} reads otherwise: {}", difference(&have, model));
    }
    // 4: nothing to do for what is the same, and comparisons mirror each other.
    assert!(script(&a, &a).is_empty());
    let there = compare_with(postgres(), &a, &b, Default::default()).counts();
    let back = compare_with(postgres(), &b, &a, Default::default()).counts();
    assert_eq!((there.0, there.1, there.2), (back.1, back.0, back.2));
    // 3: from A to B, with the rows.
    if case.is_multiple_of(2) {
        fill(&database, &a);
    }
    let before = counts(&database, &a);
    let plan_options = plan::PlanOptions { concurrent_indexes: case.is_multiple_of(3), ..Default::default() };
    let comparison = compare(postgres(), &a, &b);
    // On a server that has room for few locks, it is cut wherever it can be.
    let evidence = Evidence::default();
    let evidence = if case % 5 == 1 { evidence.with_lock_room(8) } else { evidence };
    let forward = make_script(postgres(), "honey", (&a, &b), &comparison, plan_options, version(age), &evidence);
    let text = crate::write(&forward);
    match connect(&database, Access::Write).deploy(&forward, &release(), &mut |_| {}) {
        Ok(_) => {}
        Err(LiveError::StepFailed { message, .. }) if by_rows(&message) => {
            assert!(read(&database) == a, "a stopped script left something behind");
            return Outcome::StoppedByRows;
        }
        Err(LiveError::PartlyApplied { cause, .. }) if by_rows(&cause.to_string()) => {
            let left = forward.part_that_begins_in(crate::postgres(), &read(&database));
            assert!(left.is_some_and(|part| part > 0 || forward.plan.parts.len() == 1), "it can't go on\n{text}");
            return Outcome::StoppedByRows;
        }
        Err(LiveError::ProofFailed { found, .. }) => panic!("another outcome: {}\n{text}", difference(&found, &b)),
        Err(error) => panic!("{error:?}\n{text}"),
    }
    let after = counts(&database, &b);
    for (name, count) in &before {
        if let Some((_, now)) = after.iter().find(|(other, _)| other == name) {
            let made_anew = text.contains(&format!("DROP TABLE {name}"));
            assert!(now == count || made_anew, "rows of {name}: {count} before, {now} after\n{text}");
        }
    }
    // The parts of an index that is built while others write have names that say of which. Of a view whose query is read a second
    // time the server spells VALUES otherwise.
    // Since 18 a child's NOT NULL is its own or its parent's, which is not told apart.
    let respelled = |statement: &String| {
        let indexes =
            ["inspections_by_hive", "visits_by_hive", "days_by_weather", "batches_by_weight", "weighings_once"];
        let named = indexes.iter().fold(statement.clone(), |text, index| {
            let columns = index.split_once("_by_").map_or("hive_day", |(_, columns)| columns);
            text.replace(&format!("_{index}_idx"), &format!("_{columns}_idx"))
        });
        let named = named.replace("FROM ( VALUES", "FROM (VALUES");
        if age == Age::Newest && named.contains("INHERITS (") { named.replace(" NOT NULL", "") } else { named }
    };
    let structure = |database: &Database| database.structure().iter().map(respelled).collect::<Vec<_>>();
    let found = structure_difference(&structure(&target), &structure(&database));
    assert!(found.is_empty(), "the dump differs:\n{found}\n{text}");
    // 6: and back.
    let renames = compare(postgres(), &a, &b).renames;
    let undo = make_undo(postgres(), "honey", (&a, &b), &renames, &PlanOptions::default(), version(age));
    match connect(&database, Access::Write).deploy(&undo, &release(), &mut |_| {}) {
        Ok(_) => {}
        Err(LiveError::StepFailed { message, .. }) if by_rows(&message) => return Outcome::StoppedByRows,
        Err(LiveError::ProofFailed { found, .. }) => {
            panic!("the way back leads elsewhere: {}\n{}", difference(&found, &a), crate::write(&undo))
        }
        Err(error) => panic!("the way back: {error:?}\n{}", crate::write(&undo)),
    }
    Outcome::Reached
}

/// All elements in which two models differ.
fn all_elements(have: &Model, want: &Model) -> BTreeSet<Element> {
    let selected = chosen(have, want, &BTreeSet::new());
    selected.chosen.into_iter().chain(selected.left).collect()
}

fn chosen(have: &Model, want: &Model, elements: &BTreeSet<Element>) -> Selected {
    let selected = select(postgres(), VERSION, (have, want), Chooser::Elements(elements), false);
    selected.unwrap_or_else(|problem| {
        let texts = problem.sources.iter().map(|source| source.text.to_string()).collect::<Vec<_>>().join("\n");
        panic!("no result of {elements:?}: {:#?}\n{texts}", problem.diagnostics)
    })
}

fn choice(age: Age, case: u64, source_a: &str, source_b: &str) -> Outcome {
    let (have, want) = (model(source_a), model(source_b));
    let all = all_elements(&have, &want);
    let mut dice = SmallRng::seed_from_u64(case);
    let some: BTreeSet<Element> = all.iter().filter(|_| dice.random_bool(0.4)).cloned().collect();
    let everything = chosen(&have, &want, &all).want;
    assert!(everything == want, "everything: {}", difference(&everything, &want));
    let nothing = chosen(&have, &want, &BTreeSet::new()).want;
    assert!(nothing == have, "nothing: {}", difference(&nothing, &have));
    let selected = chosen(&have, &want, &some);
    let again = chosen(&have, &want, &selected.chosen);
    assert!(again.included.is_empty(), "{:?}", again.included);
    assert!(again.want == selected.want, "strict: {}", difference(&again.want, &selected.want));
    let database = made(age, source_a);
    if case.is_multiple_of(2) {
        fill(&database, &have);
    }
    let before = counts(&database, &have);
    let comparison = compare(postgres(), &have, &selected.want);
    let (plan_options, evidence) = (plan::PlanOptions::default(), Evidence::default());
    let sides = (&have, &selected.want);
    let forward = make_script(postgres(), "honey", sides, &comparison, plan_options, version(age), &evidence);
    let text = crate::write(&forward);
    match connect(&database, Access::Write).deploy(&forward, &release(), &mut |_| {}) {
        Ok(_) => {}
        Err(LiveError::StepFailed { message, .. }) if by_rows(&message) => return Outcome::StoppedByRows,
        Err(LiveError::PartlyApplied { cause, .. }) if by_rows(&cause.to_string()) => return Outcome::StoppedByRows,
        Err(LiveError::ProofFailed { found, .. }) => {
            panic!("{some:?}: another outcome: {}\n{text}", difference(&found, &selected.want))
        }
        Err(error) => panic!("{some:?}: {error:?}\n{text}"),
    }
    let found = read(&database);
    assert!(found == selected.want, "{}\n{text}", difference(&found, &selected.want));
    let after = counts(&database, &selected.want);
    for (name, count) in &before {
        let now = after.iter().find(|(other, _)| other == name).map(|(_, now)| now);
        let is_new = text.contains(&format!("DROP TABLE {name}"));
        assert!(is_new || now.is_none_or(|now| now == count), "rows of {name}: {count} before, {now:?} after\n{text}");
    }
    Outcome::Reached
}

/// Whether the server stopped because of the rows that there are.
fn by_rows(message: &str) -> bool {
    [
        "violates",
        "contains null values",
        "invalid input",
        "cannot be cast",
        "out of range",
        "duplicated",
        "value too long",
        "is violated by some row",
        "malformed",
        "cannot be cast automatically",
    ]
    .iter()
    .any(|words| message.contains(words))
}
