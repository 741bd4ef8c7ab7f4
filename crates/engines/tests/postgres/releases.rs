//! Releases one after the other, there and back: after each the database is what its own source makes of an empty one, and the rows of
//! what stays are still there.

use crate::write;
use wevrun_core::compare::compare;
use wevrun_core::plan::PlanOptions;
use wevrun_core::script::{Script, make_undo};
use wevrun_engines::{Access, LiveError};
use wevrun_testkit::postgres::{AGES, Age, Database, structure_difference};

use crate::{connect, difference, made, model, postgres, read, release, script_for, version};

const RELEASES: [&str; 6] = [
    include_str!("releases/1.sql"),
    include_str!("releases/2.sql"),
    include_str!("releases/3.sql"),
    include_str!("releases/4.sql"),
    include_str!("releases/5.sql"),
    include_str!("releases/6.sql"),
];

const ROWS: &str = "
    INSERT INTO apiaries (name, county) SELECT 'site ' || g, 'north' FROM generate_series(1, 5) g;
    INSERT INTO hives (apiary, label, state) SELECT g % 5 + 1, 'hive ' || g, 'settled' FROM generate_series(1, 40) g;
    INSERT INTO members (name, mail) SELECT 'member ' || g, 'm' || g || '@example.org' FROM generate_series(1, 20) g;
    INSERT INTO lots (member, kilos, harvested) SELECT g % 20 + 1, g, '2024-08-01' FROM generate_series(1, 100) g;
";

/// Counts and sums of what every release has. The lots are called otherwise since the third.
fn kept(database: &Database, release: usize) -> String {
    let lots = if release < 3 { "lots" } else { "harvest_lots" };
    let rows = format!(
        "SELECT (SELECT count(*) FROM apiaries), (SELECT count(*) FROM hives WHERE state = 'settled' AND apiary < 6),
                (SELECT count(DISTINCT lower(mail)) FROM members), (SELECT sum(kilos)::int FROM {lots} WHERE member IS NOT NULL)"
    );
    database.psql(&rows).expect("rows").trim().to_owned()
}

/// The structure without the ledger, and without the names of NOT NULL constraints (18): a rename leaves them behind.
fn statements(database: &Database) -> Vec<String> {
    let unnamed = |line: &str| match line.split_once(" CONSTRAINT ") {
        Some((column, rest)) if rest.contains("_not_null") && rest.ends_with(" NOT NULL") => {
            format!("{column} NOT NULL")
        }
        _ => line.to_owned(),
    };
    let whole = |statement: String| {
        let mut lines: Vec<String> = statement.lines().map(unnamed).collect();
        lines.sort();
        lines.join("\n")
    };
    database.structure().into_iter().filter(|statement| !statement.contains("wevrun")).map(whole).collect()
}

/// Runs a script, by `deploy` or by `psql`, and looks whether the outcome is what the release makes of an empty database.
fn run(age: Age, database: &Database, script: &Script, number: usize, by_psql: bool) {
    let (written, want) = (write(script), model(RELEASES[number - 1]));
    if by_psql {
        database.psql(&written).unwrap_or_else(|error| panic!("{age:?}, release {number}: {error}\n{written}"));
    } else {
        match connect(database, Access::Write).deploy(script, &release(), &mut |_| {}) {
            Ok(_) => {}
            Err(LiveError::ProofFailed { found, .. }) => {
                panic!("{age:?}, release {number}: {}\n{written}", difference(&found, &want))
            }
            Err(error) => panic!("{age:?}, release {number}: {error}\n{written}"),
        }
    }
    let now = read(database);
    assert!(now == want, "{age:?}, release {number}: {}\n{written}", difference(&now, &want));
    let found = structure_difference(&statements(database), &statements(&made(age, RELEASES[number - 1])));
    assert!(found.is_empty(), "{age:?}, release {number}: {found}\n{written}");
    assert_eq!(kept(database, number), "5|40|20|5050", "{age:?}, release {number}:\n{written}");
}

/// Brings the database to a release; gives the way back.
fn bring(age: Age, database: &Database, number: usize, by_psql: bool) -> Script {
    let (have, want) = (read(database), model(RELEASES[number - 1]));
    let renames = compare(postgres(), &have, &want).renames;
    let back = make_undo(postgres(), "honey", (&have, &want), &renames, &PlanOptions::default(), version(age));
    run(age, database, &script_for(version(age), &have, &want), number, by_psql);
    back
}

fn first_release(age: Age) -> Database {
    let database = made(age, RELEASES[0]);
    database.psql(ROWS).expect("rows");
    database
}

#[test]
fn every_release_is_its_own_source_there_and_back() {
    for age in AGES {
        let database = first_release(age);
        let mut ways_back = Vec::new();
        for number in 2..=RELEASES.len() {
            ways_back.push((bring(age, &database, number, number % 2 == 0), number - 1));
        }
        for (back, number) in ways_back.into_iter().rev() {
            run(age, &database, &back, number, number % 2 == 0);
        }
    }
}

#[test]
fn releases_can_be_left_out() {
    for age in AGES {
        for stops in [&[6][..], &[2, 5], &[4, 6], &[3, 6]] {
            let database = first_release(age);
            let mut ways_back = Vec::new();
            let mut now = 1;
            for number in stops {
                ways_back.push((bring(age, &database, *number, false), now));
                now = *number;
            }
            for (back, number) in ways_back.into_iter().rev() {
                run(age, &database, &back, number, true);
            }
        }
    }
}
