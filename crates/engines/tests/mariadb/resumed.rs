//! Deployments that end halfway, and are taken up again. `WEVRUN_CASES` sets how many scripts, `WEVRUN_SEED` the first.

use std::thread;
use std::time::Duration;

use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use wevrun_core::compare::compare;
use wevrun_core::script::{Script, ScriptHash, make_undo};
use wevrun_engines::{Access, Event, LiveError, Release};
use wevrun_testkit::mariadb::{Database, Server};
use wevrun_testkit::mariadb_schema::statements;
use wevrun_testkit::postgres::structure_difference;

use crate::invariants::number;
use crate::{VERSION, connect, is_same, made, maria, model, read, release, script};

fn cases(otherwise: u64) -> std::ops::Range<u64> {
    let start = number("WEVRUN_SEED", 1);
    start..start + number("WEVRUN_CASES", otherwise)
}

/// Ends every connection to a database but one's own.
fn kill(database: &str) {
    let list = format!(
        "SELECT CONCAT('KILL ', id, ';') FROM information_schema.processlist WHERE db = '{database}' AND id <> CONNECTION_ID()"
    );
    let kills = Server::usual().client("mysql", &list).unwrap_or_default();
    for kill in kills.lines() {
        // It may be gone by itself.
        let _ = Server::usual().client("mysql", kill);
    }
}

fn release_of(script: &Script) -> Release {
    Release { script_hash: ScriptHash::of(&crate::write(script)), ..release() }
}

/// Deploys; gives the numbers of the steps that were run.
fn steps_run(database: &Database, script: &Script, release: &Release) -> Result<Vec<usize>, LiveError> {
    let mut run = Vec::new();
    connect(database, Access::Write).deploy(script, release, &mut |event| {
        if let Event::StepStarted { step, .. } = event {
            run.push(step.number);
        }
    })?;
    Ok(run)
}

/// Whether the outcome is the one that the engine's own client makes of the source.
fn judge(case: u64, database: &Database, wanted: &Database, text: &str) {
    let found = structure_difference(&wanted.structure(), &database.structure());
    assert!(found.is_empty(), "WEVRUN_SEED={case}: {found}\n{text}");
}

#[test]
fn connections_that_are_lost() {
    let mut interrupted = 0;
    for case in cases(12) {
        let (source_a, source_b) = (statements(case, 0, 3), statements(case, case % 3 + 1, 3));
        let (database, wanted) = (made(&source_a), made(&source_b));
        let want = model(&source_b);
        let script = script(&read(&database), &want);
        let steps = script.plan.steps().count();
        let (text, release) = (crate::write(&script), release_of(&script));
        let mut random = SmallRng::seed_from_u64(case);
        let mut reached = 1;
        for attempt in 0..40 {
            // In the end nobody interrupts.
            let victim = if attempt < 8 && steps > 0 { random.random_range(reached..=steps) } else { 0 };
            // Some before the step, some while it runs, some after it.
            let delay = Duration::from_micros(random.random_range(0..2500));
            let is_before = random.random_bool(0.5);
            let name = database.name.clone();
            let mut killer = None;
            let mut watch = |event: Event<'_>| {
                let Event::StepStarted { step, .. } = event else { return };
                reached = step.number;
                if step.number == victim && is_before {
                    kill(&name);
                } else if step.number == victim {
                    let name = name.clone();
                    killer = Some(thread::spawn(move || {
                        thread::sleep(delay);
                        kill(&name);
                    }));
                }
            };
            let outcome = connect(&database, Access::Write).deploy(&script, &release, &mut watch);
            if let Some(killer) = killer {
                killer.join().expect("it does not panic");
            }
            match outcome {
                Ok(_) => break,
                // It was interrupted after the ledger said so.
                Err(LiveError::StateDiffers { .. }) if attempt > 0 && is_same(&read(&database), &want) => break,
                Err(error) if victim > 0 => {
                    interrupted += 1;
                    let lost = format!("{error:?}");
                    assert!(
                        ["ConnectionLost", "NotReadBack", "Unreachable"].iter().any(|word| lost.contains(word)),
                        "WEVRUN_SEED={case}: {lost}\n{text}"
                    );
                }
                Err(error) => panic!("WEVRUN_SEED={case}, attempt {attempt}: {error:?}\n{text}"),
            }
        }
        judge(case, &database, &wanted, &text);
    }
    assert!(interrupted > 10, "only {interrupted} deployments were interrupted");
}

/// The client stops after each step once; `deploy` goes on from there.
#[test]
fn scripts_that_the_client_left_halfway() {
    for case in cases(4) {
        let (source_a, source_b) = (statements(case, 0, 3), statements(case, case % 3 + 1, 3));
        let wanted = made(&source_b);
        let want = model(&source_b);
        let first = made(&source_a);
        let script = script(&read(&first), &want);
        let (text, release) = (crate::write(&script), release_of(&script));
        for done in 0..script.plan.steps().count() {
            let database = made(&source_a);
            let cut = text.find(&format!("-- | step {} ", done + 1)).expect("the step is there");
            database.client(&text[..cut]).unwrap_or_else(|words| panic!("{words}\n{text}"));
            let run = steps_run(&database, &script, &release)
                .unwrap_or_else(|error| panic!("WEVRUN_SEED={case}, {done} steps done: {error:?}\n{text}"));
            assert_eq!(run.first(), Some(&(done + 1)), "WEVRUN_SEED={case}: after {done} steps it ran {run:?}\n{text}");
            judge(case, &database, &wanted, &text);
        }
    }
}

/// What can't be told from what the server makes of it is not made twice.
#[test]
fn what_is_not_proven_is_taken_up_too() {
    let source_b = "CREATE TABLE hives (id int PRIMARY KEY);
        CREATE EVENT clean ON SCHEDULE EVERY 1 DAY STARTS now() + INTERVAL 1 DAY DO SET @x = 1;
        CREATE TABLE queens (id int PRIMARY KEY);
        CREATE VIEW versions AS SELECT host FROM mysql.user;
        CREATE VIEW queens_of AS SELECT id FROM queens;
        CREATE TRIGGER g BEFORE INSERT ON hives FOR EACH ROW SET NEW.id = NEW.id + 1;";
    let want = model(source_b);
    let script = script(&read(&made("")), &want);
    assert!(script.unproven.len() > 1, "{:?}", script.unproven);
    let (text, release) = (crate::write(&script), release_of(&script));
    for done in 0..script.plan.steps().count() {
        let database = made("");
        let cut = text.find(&format!("-- | step {} ", done + 1)).expect("the step is there");
        database.client(&text[..cut]).unwrap_or_else(|words| panic!("{words}\n{text}"));
        let run = steps_run(&database, &script, &release)
            .unwrap_or_else(|error| panic!("{done} steps done: {error}\n{text}"));
        assert_eq!(run, (done + 1..=script.plan.steps().count()).collect::<Vec<_>>(), "{done} steps done\n{text}");
    }
}

/// The undo script leads back from every step after which a deployment can end.
#[test]
fn the_way_back_from_every_step() {
    for case in cases(4) {
        let (source_a, source_b) = (statements(case, 0, 3), statements(case, case % 3 + 1, 3));
        let (original, want) = (made(&source_a), model(&source_b));
        let have = read(&original);
        let script = script(&have, &want);
        let text = crate::write(&script);
        let comparison = compare(maria(), &have, &want);
        let undo = make_undo(maria(), "honey", (&have, &want), &comparison.renames, &Default::default(), VERSION);
        let (undo_text, release) = (crate::write(&undo), release_of(&undo));
        for done in 0..=script.plan.steps().count() {
            let database = made(&source_a);
            let cut = text.find(&format!("-- | step {} ", done + 1)).unwrap_or(text.len());
            database.client(&text[..cut]).unwrap_or_else(|words| panic!("{words}\n{text}"));
            if let Err(error) = connect(&database, Access::Write).deploy(&undo, &release, &mut |_| {}) {
                panic!("WEVRUN_SEED={case}, {done} steps done: {error}\n{text}\n{undo_text}");
            }
            judge(case, &database, &original, &format!("{done} steps done\n{text}\n{undo_text}"));
        }
    }
}

/// What somebody else changes in between stops it.
#[test]
fn another_change_in_between_is_noticed() {
    let source_a = "CREATE TABLE hives (id int PRIMARY KEY, label varchar(20));
        CREATE TABLE queens (id int PRIMARY KEY);";
    let source_b = "CREATE TABLE hives (id int PRIMARY KEY, label varchar(40), weight int);
        CREATE TABLE queens (id int PRIMARY KEY, born date);";
    let database = made(source_a);
    let script = script(&read(&database), &model(source_b));
    let text = crate::write(&script);
    let cut = text.find("-- | step 2 ").expect("there are two steps");
    database.client(&text[..cut]).expect("the first step");
    database.client("CREATE TABLE strangers (id int)").expect("a table of somebody else");
    let outcome = connect(&database, Access::Write).deploy(&script, &release(), &mut |_| {});
    assert!(matches!(outcome, Err(LiveError::StateDiffers { .. })), "{outcome:?}");
}
