//! What a deployment says of its outcome.

use crate::{read_script, write};
use wevrun_engines::{Access, LiveError, Release};
use wevrun_testkit::postgres::AGES;

use crate::{connect, made, model, read, release, script};

/// Nobody but the server can tell what `pick('2024-1-1', d)` makes of its first argument.
const PICK: &str = "CREATE TABLE lots (d date);
    CREATE FUNCTION pick(anyelement, anyelement) RETURNS anyelement LANGUAGE sql IMMUTABLE AS 'SELECT coalesce($1, $2)';";

#[test]
fn an_object_that_the_server_spells_otherwise_fails_no_deployment() {
    for age in AGES {
        let wanted = format!("{PICK} CREATE VIEW picked AS SELECT pick('2024-1-1', d) AS d FROM lots;");
        let database = made(age, PICK);
        let want = model(&wanted);
        // Once for a new view, and once for one that seems to differ, beside another change.
        for more in ["", "ALTER TABLE lots ADD COLUMN label text;"] {
            let want = if more.is_empty() { want.clone() } else { model(&format!("{wanted}{more}")) };
            let script = script(&read(&database), &want);
            let script = read_script(&write(&script)).expect("a script").script;
            let deployed = connect(&database, Access::Write).deploy(&script, &release(), &mut |_| {});
            let deployed = deployed.unwrap_or_else(|error| panic!("{age:?}: {error}"));
            assert_eq!(deployed.respelled, ["view public.picked"], "{age:?}");
            assert!(read(&database) == deployed.after);
        }
        assert_eq!(database.psql("SELECT count(*) FROM wevrun.ledger").expect("a ledger").trim(), "2");
    }
}

#[test]
fn another_object_than_the_promised_one_fails_it() {
    for age in AGES {
        let database = made(age, PICK);
        let wanted = format!("{PICK} CREATE VIEW picked AS SELECT pick('2024-1-1', d) AS d FROM lots;");
        let script = script(&read(&database), &model(&wanted));
        for (from, to) in [
            // Another query, in a script that says that it was edited.
            ("2024-1-1", "2025-1-1"),
            // Another column beside it.
            ("AS d FROM lots", "AS d, 1 AS more FROM lots"),
        ] {
            let mut changed = script.clone();
            let steps = changed.plan.parts.iter_mut().flat_map(|part| &mut part.steps);
            steps.flat_map(|step| &mut step.statements).for_each(|statement| *statement = statement.replace(from, to));
            let edited = Release { edited: Some("a test".to_owned()), ..release() };
            let before = read(&database);
            let failed = connect(&database, Access::Write).deploy(&changed, &edited, &mut |_| {});
            assert!(matches!(failed, Err(LiveError::ProofFailed { .. })), "{age:?} {to}");
            assert!(read(&database) == before);
        }
        // What was not edited, and makes no object with expressions, is held to the letter.
        let mut changed = crate::script(&read(&database), &model(&format!("{PICK} CREATE TABLE hives (id integer);")));
        changed.plan.parts[0].steps[0].statements[0] = "CREATE TABLE hives (id bigint)".to_owned();
        let failed = connect(&database, Access::Write).deploy(&changed, &release(), &mut |_| {});
        assert!(matches!(failed, Err(LiveError::ProofFailed { .. })), "{age:?}");
    }
}
