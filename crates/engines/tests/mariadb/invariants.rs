//! What must hold for any two schemas. `WEVRUN_CASES` sets how many pairs, `WEVRUN_SEED` the first, `WEVRUN_CASE` runs one alone.

use wevrun_core::compare::{compare, compare_with};
use wevrun_core::model::Model;
use wevrun_core::script::make_undo;
use wevrun_engines::{Access, LiveError};
use wevrun_testkit::mariadb::{Database, Server};
use wevrun_testkit::mariadb_schema::statements;
use wevrun_testkit::postgres::structure_difference;

use crate::{VERSION, connect, difference, is_same, made_on, maria, model, read, release, script};

pub fn number(variable: &str, otherwise: u64) -> u64 {
    std::env::var(variable).ok().and_then(|text| text.parse().ok()).unwrap_or(otherwise)
}

#[test]
fn random_pairs() {
    let cases: Vec<u64> = match std::env::var("WEVRUN_CASE").ok().and_then(|text| text.parse().ok()) {
        Some(case) => vec![case],
        None => {
            let start = number("WEVRUN_SEED", 1);
            (start..start + number("WEVRUN_CASES", 40)).collect()
        }
    };
    let (mut wrong, mut stopped) = (Vec::new(), 0);
    for case in &cases {
        match std::panic::catch_unwind(|| pair(*case)) {
            Ok(Outcome::Reached) => {}
            Ok(Outcome::StoppedByRows) => stopped += 1,
            Err(panic) => {
                let words = panic.downcast_ref::<String>().cloned().unwrap_or_else(|| "a panic".to_owned());
                wrong.push(format!(
                    "WEVRUN_CASE={case}: {}",
                    words.chars().take(if cases.len() == 1 { 100_000 } else { 3000 }).collect::<String>()
                ));
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {}:\n{}", wrong.len(), cases.len(), wrong.join("\n\n"));
    assert!(stopped * 4 < cases.len(), "{stopped} of {} scripts were stopped by rows", cases.len());
}

/// How far a pair came.
pub enum Outcome {
    Reached,
    StoppedByRows,
}

/// Rows where every column has a value by itself.
fn fill(database: &Database, model: &Model) {
    for (name, _) in model.tables() {
        for _ in 0..2 {
            let _ = database.client(&format!("INSERT INTO {name} () VALUES ()"));
        }
    }
}

/// Words of the server that say that a row does not fit.
pub fn by_rows(message: &str) -> bool {
    [
        "Duplicate entry",
        "Data truncated",
        "Out of range",
        "Data too long",
        "CONSTRAINT",
        "foreign key constraint fails",
        "Incorrect",
        // A row that does not fit, where another table refers to the rows.
        "Cannot delete rows from table which is parent",
    ]
    .iter()
    .any(|words| message.contains(words))
}

fn pair(case: u64) -> Outcome {
    pair_on(Server::usual(), &statements(case, 0, 4), &statements(case, case % 3 + 1, 4), case.is_multiple_of(2))
}

/// From one schema to the other on a server, and back; with rows or without.
pub fn pair_on(server: &'static Server, source_a: &str, source_b: &str, has_rows: bool) -> Outcome {
    let made = |sql: &str| made_on(server, sql);
    let database = made(source_a);
    let target = made(source_b);
    let (a, b) = (model(source_a), model(source_b));
    // 9: what the engine's own client made reads as what was written.
    for (name, database, model) in [("A", &database, &a), ("B", &target, &b)] {
        let have = read(database);
        assert!(is_same(&have, model), "{name} reads otherwise: {}", difference(&have, model));
    }
    // 4: nothing to do for what is the same, and comparisons mirror each other.
    assert!(script(&a, &a).is_empty());
    let there = compare_with(maria(), &a, &b, Default::default()).counts();
    let back = compare_with(maria(), &b, &a, Default::default()).counts();
    assert_eq!((there.0, there.1, there.2), (back.1, back.0, back.2));
    if has_rows {
        fill(&database, &a);
    }
    let before = database.rows();
    let have = read(&database);
    let forward = script(&have, &b);
    let text = format!("{source_a}\n{}", crate::write(&forward));
    let by_client = made(source_a);
    if has_rows {
        fill(&by_client, &a);
    }
    match connect(&database, Access::Write).deploy(&forward, &release(), &mut |_| {}) {
        Ok(_) => {}
        Err(LiveError::PartlyApplied { cause, .. }) if by_rows(&cause.to_string()) => return Outcome::StoppedByRows,
        Err(LiveError::ProofFailed { found, .. }) => panic!("another outcome: {}\n{text}", difference(&found, &b)),
        Err(LiveError::PartlyApplied { cause, .. }) => match *cause {
            LiveError::ProofFailed { found, .. } => panic!("another outcome: {}\n{text}", difference(&found, &b)),
            LiveError::StateDiffers { .. } => panic!("another state\n{text}"),
            cause => panic!("{cause}\n{text}"),
        },
        Err(error) => panic!("{error}\n{text}"),
    }
    // The judge.
    let found = structure_difference(&target.structure(), &database.structure());
    assert!(found.is_empty(), "{found}\n{text}");
    // The client runs the same script.
    by_client.client(&crate::write(&forward)).unwrap_or_else(|words| panic!("the client: {words}\n{text}"));
    let found = structure_difference(&target.structure(), &by_client.structure());
    assert!(found.is_empty(), "by the client: {found}\n{text}");
    // 3: the rows of what both have are there.
    let after = database.rows();
    for row in before.iter().filter(|row| !row.ends_with(": 0 rows")) {
        let table = row.split(':').next().unwrap_or_default();
        let kept = b.tables().all(|(name, _)| name.identifier() != table) || after.contains(row);
        assert!(kept, "{row} became {after:?}\n{text}");
    }
    // 6: the way back.
    let comparison = compare(maria(), &have, &b);
    let undo = make_undo(maria(), "honey", (&have, &b), &comparison.renames, &Default::default(), VERSION);
    let undo_text = crate::write(&undo);
    match connect(&database, Access::Write).deploy(&undo, &release(), &mut |_| {}) {
        Ok(_) => {}
        Err(LiveError::PartlyApplied { cause, .. }) if by_rows(&cause.to_string()) => return Outcome::StoppedByRows,
        Err(LiveError::PartlyApplied { cause, .. }) => match *cause {
            LiveError::ProofFailed { found, .. } => {
                panic!("undo: another outcome: {}\n{undo_text}", difference(&found, &a))
            }
            cause => panic!("undo: {cause}\n{undo_text}"),
        },
        Err(error) => panic!("undo: {error}\n{undo_text}"),
    }
    let original = made(source_a);
    let found = structure_difference(&original.structure(), &database.structure());
    assert!(found.is_empty(), "undo: {found}\n{undo_text}");
    Outcome::Reached
}
