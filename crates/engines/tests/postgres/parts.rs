//! Scripts that the server can't run as one transaction.

use crate::{read_script, write};
use wevrun_core::fold::Run;
use wevrun_core::model::Model;
use wevrun_core::plan::Mode;
use wevrun_core::plan::{Evidence, Part, Plan, PlanOptions};
use wevrun_core::script::{Script, make_script};
use wevrun_engines::{Access, Deployment, Event, LiveError};
use wevrun_testkit::postgres::{AGES, Age, Database, Server, structure_difference};

use crate::round_trip::everywhere;
use crate::{OLDEST, connect, difference, made, model, postgres, read, release, version};

const BEFORE: &str = "
    CREATE SCHEMA apiary;
    CREATE TYPE apiary.strength AS ENUM ('weak', 'strong');
    CREATE TABLE apiary.hives (id bigint PRIMARY KEY, strength apiary.strength NOT NULL DEFAULT 'weak', note text);
    CREATE TABLE lots (id integer, label text);
    INSERT INTO lots VALUES (1, 'spring'), (1, 'summer');
    INSERT INTO apiary.hives VALUES (7, 'strong', 'by the lime tree');
";

const AFTER: &str = "
    CREATE SCHEMA apiary;
    CREATE TYPE apiary.strength AS ENUM ('weak', 'resting', 'strong');
    CREATE TABLE apiary.hives (id bigint PRIMARY KEY, strength apiary.strength NOT NULL DEFAULT 'resting', note text);
    CREATE INDEX hives_resting ON apiary.hives (lower(note)) WHERE strength = 'resting';
    COMMENT ON INDEX apiary.hives_resting IS 'those that rest';
    CREATE TABLE lots (id integer, label text);
    CREATE UNIQUE INDEX lots_id ON lots (id);
";

/// The script, as it is read back from its text.
fn concurrent(have: &Model, want: &Model) -> Script {
    let comparison = wevrun_core::compare::compare(postgres(), have, want);
    let plan_options = PlanOptions { concurrent_indexes: true, ..PlanOptions::default() };
    let evidence = Evidence::default();
    let script = make_script(postgres(), "honey", (have, want), &comparison, plan_options, OLDEST, &evidence);
    let text = write(&script);
    let back = read_script(&text).expect("what was written can be read").script;
    assert_eq!(write(&back), text);
    back
}

/// Deploys; gives the numbers of the steps that ran as well.
fn deploy(database: &Database, script: &Script) -> (Vec<usize>, Result<Deployment, LiveError>) {
    let mut ran = Vec::new();
    let outcome = connect(database, Access::Write).deploy(script, &release(), &mut |event| {
        if let Event::StepDone { step, .. } = event {
            ran.push(step.number);
        }
    });
    (ran, outcome)
}

#[test]
fn a_script_of_three_parts_goes_on_where_it_stopped() {
    for age in AGES {
        let database = made(age, BEFORE);
        let (have, want) = (read(&database), model(AFTER));
        let script = concurrent(&have, &want);
        assert_eq!(script.plan.parts.len(), 3, "labels, the rest, indexes");
        let (ran, outcome) = deploy(&database, &script);
        let Err(LiveError::PartlyApplied { done: 2, parts: 3, cause }) = outcome else { panic!("{outcome:?}") };
        assert!(cause.to_string().contains("could not create unique index"), "{cause}");
        assert_eq!(ran, [1, 2, 3]);
        // What the server has left behind is no index yet.
        let halfway = read(&database);
        assert_eq!(difference(&halfway, &want).matches("index public.lots_id").count(), 1);
        assert!(connect(&database, Access::Read).last_release().expect("readable").is_none());
        database.psql("DELETE FROM lots WHERE label = 'summer'").expect("a row");
        let (ran, outcome) = deploy(&database, &script);
        assert_eq!(ran, [4], "what is there is not built again");
        let after = outcome.expect("it goes on").after;
        assert!(after == want, "{}", difference(&after, &want));
        let entry = connect(&database, Access::Read).last_release().expect("readable").expect("a record");
        assert_eq!(entry.want, want.fingerprint().as_str());
        assert_eq!(database.psql("SELECT strength FROM apiary.hives").expect("a row").trim(), "strong");
    }
}

#[test]
fn the_servers_own_client_runs_every_part() {
    for age in AGES {
        let database = made(age, BEFORE);
        database.psql("DELETE FROM lots WHERE label = 'summer'").expect("a row");
        let (have, want) = (read(&database), model(AFTER));
        let text = write(&concurrent(&have, &want));
        database.psql(&text).unwrap_or_else(|words| panic!("{words}\n{text}"));
        let found = read(&database);
        assert!(found == want, "{}", difference(&found, &want));
    }
}

/// An index that the rest of the script needs is built with it.
#[test]
fn an_index_that_others_need_is_part_of_the_transaction() {
    let before = "CREATE TABLE hives (id integer NOT NULL); CREATE TABLE visits (hive integer);";
    let after = "CREATE TABLE hives (id integer NOT NULL); CREATE UNIQUE INDEX hives_id ON hives (id);
        CREATE TABLE visits (hive integer REFERENCES hives (id)); CREATE UNIQUE INDEX visits_hive ON visits (hive);
        CREATE TABLE payouts (id integer); CREATE INDEX payouts_id ON payouts (id);";
    for age in AGES {
        let database = made(age, before);
        let want = model(after);
        let script = concurrent(&read(&database), &want);
        let [main, alone] = &script.plan.parts[..] else { panic!("{:#?}", script.plan) };
        assert_eq!((main.mode, made_by(alone)), (Mode::Transaction, vec!["index public.visits_hive"]));
        deploy(&database, &script).1.expect("it works");
    }
}

fn made_by(part: &Part) -> Vec<&str> {
    part.steps.iter().flat_map(|step| &step.makes).map(|outcome| outcome.object.as_str()).collect()
}

const IN_USE: &str = "
    CREATE SCHEMA apiary;
    CREATE TABLE apiary.hives (id bigint NOT NULL, label text NOT NULL, queen integer, note text);
    CREATE INDEX hives_note ON apiary.hives (note);
    CREATE INDEX hives_queen ON apiary.hives (queen);
    CREATE TABLE lots (id integer NOT NULL, year integer NOT NULL, weight integer) PARTITION BY LIST (year);
    CREATE TABLE lots_2024 PARTITION OF lots FOR VALUES IN (2024);
    CREATE TABLE lots_later PARTITION OF lots DEFAULT PARTITION BY LIST (id);
    CREATE TABLE lots_later_1 PARTITION OF lots_later FOR VALUES IN (1);
    INSERT INTO apiary.hives VALUES (1, 'a', 7, 'x'), (2, 'b', 7, 'y');
    INSERT INTO lots VALUES (1, 2024, 10), (1, 2025, 20);
";

const IN_USE_LATER: &str = "
    CREATE SCHEMA apiary;
    CREATE TABLE apiary.hives (id bigint NOT NULL, label text NOT NULL, queen integer, note text, site text,
        CONSTRAINT hives_key PRIMARY KEY (id) INCLUDE (queen), CONSTRAINT \"hives; label\" UNIQUE (label) DEFERRABLE);
    COMMENT ON CONSTRAINT hives_key ON apiary.hives IS 'the number on the lid';
    CREATE INDEX hives_note ON apiary.hives (lower(note)) WHERE queen > 0;
    COMMENT ON INDEX apiary.hives_note IS 'without queens nobody writes';
    CREATE TABLE lots (id integer NOT NULL, year integer NOT NULL, weight integer) PARTITION BY LIST (year);
    CREATE TABLE lots_2024 PARTITION OF lots FOR VALUES IN (2024);
    CREATE TABLE lots_2025 PARTITION OF lots FOR VALUES IN (2026);
    CREATE TABLE lots_later PARTITION OF lots DEFAULT PARTITION BY LIST (id);
    CREATE TABLE lots_later_1 PARTITION OF lots_later FOR VALUES IN (1);
    CREATE INDEX lots_weight ON lots (weight, (id + 1));
";

/// Keys, changed indexes, indexes of partitioned tables, and what goes.
#[test]
fn everything_that_the_server_can_build_while_others_write_is_built_so() {
    for age in AGES {
        let database = made(age, IN_USE);
        let (have, want) = (read(&database), model(IN_USE_LATER));
        let script = concurrent(&have, &want);
        let text = write(&script);
        let [main, alone] = &script.plan.parts[..] else { panic!("{text}") };
        let built = made_by(alone);
        for object in
            ["table apiary.hives", "index apiary.hives_note", "index public.lots_weight", "index apiary.hives_queen"]
        {
            assert!(built.contains(&object), "{object}: {built:?}\n{text}");
        }
        let blocks = |statement: &&String| statement.contains("CREATE INDEX") || statement.contains("DROP INDEX");
        assert_eq!(main.steps.iter().flat_map(|step| &step.statements).find(blocks), None);
        let outcome = deploy(&database, &script).1;
        let after = outcome.unwrap_or_else(|error| panic!("{age:?}: {error}\n{text}")).after;
        assert!(after == want, "{}", difference(&after, &want));
        let by_psql = made(age, IN_USE);
        by_psql.psql(&text).unwrap_or_else(|words| panic!("{words}\n{text}"));
        // Parts of an index have names that say of which, and a new column comes last.
        let named = |statement: &String| {
            statement.replace("_lots_weight_idx", "_weight_expr_idx").replace(",\n    site text", "")
        };
        let structure = |database: &Database| database.structure().iter().map(named).collect::<Vec<String>>();
        let found = structure_difference(&structure(&made(age, IN_USE_LATER)), &structure(&by_psql));
        assert_eq!(found, "", "{age:?}\n{text}");
    }
}

/// A deployment that ends within the last part, after any of its statements, goes on.
#[test]
fn what_is_built_while_others_write_can_be_broken_off_anywhere() {
    for age in AGES {
        let want = model(IN_USE_LATER);
        let script = concurrent(&read(&made(age, IN_USE)), &want);
        let alone = script.plan.parts.last().expect("parts");
        let count: usize = alone.steps.iter().map(|step| step.statements.len()).sum();
        for done in (0..count).step_by(2) {
            let database = made(age, IN_USE);
            let main =
                Script { plan: Plan { parts: script.plan.parts[..1].to_vec(), ..Plan::default() }, ..script.clone() };
            database.psql(&write(&main)).expect("the transaction");
            let statements = alone.steps.iter().flat_map(|step| &step.statements).take(done);
            let text: Vec<String> = statements.map(|statement| format!("{statement};\n")).collect();
            database.psql(&text.concat()).unwrap_or_else(|words| panic!("{words}\n{}", text.concat()));
            let outcome = deploy(&database, &script).1;
            let after = outcome.unwrap_or_else(|error| panic!("{age:?}, {done}: {error}\n{}", write(&script))).after;
            assert!(after == want, "{age:?}, {done}: {}", difference(&after, &want));
        }
    }
}

/// The script for a server that has room for so many locks.
fn cut(age: Age, have: &Model, want: &Model, locks: usize) -> Script {
    let comparison = wevrun_core::compare::compare(postgres(), have, want);
    let evidence = Evidence::default().with_lock_room(locks);
    make_script(postgres(), "honey", (have, want), &comparison, PlanOptions::default(), version(age), &evidence)
}

/// How a database is after so many steps, where that is not what the steps make of the model.
fn otherwise(age: Age, source: &str, script: &Script, steps: usize) -> String {
    let database = made(age, source);
    let mut run = Run::new(postgres(), &model(source));
    for step in script.plan.steps().take(steps) {
        let text: String = step.statements.iter().map(|statement| format!("{statement};\n")).collect();
        run.statements(&text);
        database.psql(&text).expect("it ran before");
    }
    let (found, computed) = (read(&database), run.state());
    let left = script.plan.steps().nth(steps).map_or("", |step| &step.title);
    format!("before {left}: {}", difference(&found, &computed))
}

/// Whatever there is where a script is cut, the next part knows it.
#[test]
fn a_script_that_takes_too_many_locks_is_cut() {
    let room = std::env::var("WEVRUN_LOCKS").map_or(60, |number| number.parse().expect("a number"));
    let (mut cuts, mut schemas) = (0, 0);
    for (age, source) in everywhere() {
        let want = model(source);
        let there = cut(age, &Model::empty(), &want, room);
        if there.plan.parts.len() == 1 {
            continue; // it fits
        }
        schemas += 1;
        let database = Server::of(age).database();
        let outcome = deploy(&database, &there).1;
        let after = outcome.unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", write(&there))).after;
        assert!(after == want, "{age:?}: {}", difference(&after, &want));
        let back = cut(age, &want, &Model::empty(), room);
        cuts += back.plan.parts.len() - 1;
        let (done, outcome) = deploy(&database, &back);
        if let Err(error) = outcome {
            panic!("{age:?}, back, after {} steps: {error}\n{}", done.len(), otherwise(age, source, &back, done.len()));
        }
        assert!(read(&database).is_empty());
    }
    assert!(schemas >= 12, "{schemas} schemas are cut");
    assert!(cuts > 10, "the ways back have {cuts} cuts");
}
