//! Other sessions, which change or lock what is read or changed.

use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::Duration;

use wevrun_engines::{Access, LiveError};
use wevrun_testkit::mariadb::Server;

use crate::{connect, difference, made, model, read, release, script};

/// Runs statements again and again until it is told to end.
fn again_and_again(database: &str, sql: &str, end: &AtomicBool) {
    while !end.load(Ordering::Relaxed) {
        Server::usual().client(database, sql).expect("it can be done again");
    }
}

/// Changes of another database never keep one from being read; changes of the same one never give a mixture.
#[test]
fn a_structure_that_changes_is_read_as_it_was_at_one_moment() {
    let (elsewhere, database) = (made(""), made("CREATE TABLE hives (a int); CREATE TABLE queens (a int);"));
    let end = AtomicBool::new(false);
    thread::scope(|scope| {
        scope.spawn(|| again_and_again(&elsewhere.name, "CREATE TABLE x (a int); DROP TABLE x;", &end));
        for _ in 0..10 {
            assert_eq!(read(&database).objects().count(), 2);
        }
        // Both are always alike but for one step.
        let changes = "ALTER TABLE hives ADD b int; ALTER TABLE queens ADD b int;
            ALTER TABLE queens DROP b; ALTER TABLE hives DROP b;";
        scope.spawn(|| again_and_again(&database.name, changes, &end));
        for _ in 0..20 {
            match connect(&database, Access::Read).read() {
                Ok(content) => {
                    let columns = |name: &str| {
                        let table = content.model.tables().find(|(own, _)| own.identifier() == name);
                        table.expect("it is there").1.columns.len()
                    };
                    assert!(columns("hives") >= columns("queens"));
                }
                Err(LiveError::Unsteady) => {}
                Err(error) => panic!("{error}"),
            }
        }
        end.store(true, Ordering::Relaxed);
    });
}

#[test]
fn a_table_that_another_session_holds_stops_the_script() {
    let database = made("CREATE TABLE hives (id int PRIMARY KEY); CREATE TABLE queens (id int PRIMARY KEY);");
    let source =
        "CREATE TABLE hives (id int PRIMARY KEY, weight int); CREATE TABLE queens (id int PRIMARY KEY, born date);";
    let want = model(source);
    let script = script(&read(&database), &want);
    let ended = thread::scope(|scope| {
        scope.spawn(|| database.client("LOCK TABLES queens READ; DO SLEEP(14)").expect("a lock"));
        thread::sleep(Duration::from_millis(500));
        connect(&database, Access::Write).deploy(&script, &release(), &mut |_| {})
    });
    let Err(LiveError::PartlyApplied { cause, .. }) = ended else { panic!("{ended:?}") };
    let LiveError::StepFailed { number: 2, cause, .. } = *cause else { panic!("{cause}") };
    assert!(matches!(*cause, LiveError::Locked), "{cause}");
    // The first step is done, and not done again.
    let mut run = Vec::new();
    let mut watch = |event: wevrun_engines::Event<'_>| {
        if let wevrun_engines::Event::StepStarted { step, .. } = event {
            run.push(step.number);
        }
    };
    connect(&database, Access::Write).deploy(&script, &release(), &mut watch).expect("nobody holds it any more");
    assert_eq!(run, [2]);
    let left = difference(&read(&database), &want);
    assert!(left.is_empty(), "{left}");
}

#[test]
fn two_deployments_of_a_database_are_kept_apart() {
    let database = made("CREATE TABLE hives (id int PRIMARY KEY);");
    let want = model("CREATE TABLE hives (id int PRIMARY KEY, weight int);");
    let script = script(&read(&database), &want);
    let mut others = 0;
    thread::scope(|scope| {
        let deploy = || connect(&database, Access::Write).deploy(&script, &release(), &mut |_| {});
        let both = [scope.spawn(deploy), scope.spawn(deploy)].map(|one| one.join().expect("it does not panic"));
        for outcome in both {
            match outcome {
                Ok(_) => {}
                // The other one was first, and is done.
                Err(LiveError::StateDiffers { .. }) => others += 1,
                Err(error) => panic!("{error}"),
            }
        }
    });
    assert!(others <= 1);
    assert!(difference(&read(&database), &want).is_empty());
}
