//! Changes, two by two: what a database is made from, and what it is to become. The judge is what the engine's own client makes of the
//! second.

use wevrun_core::compare::compare;
use wevrun_core::model::Model;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::make_script;
use wevrun_engines::{Access, LiveError};
use wevrun_testkit::mariadb::Database;
use wevrun_testkit::postgres::structure_difference;

use crate::{VERSION, connect, difference, made, maria, model, read, release, write};

/// Deploys what is wanted; gives the script's text.
fn deploy(database: &Database, want: &Model) -> Result<String, String> {
    let have = read(database);
    let comparison = compare(maria(), &have, want);
    let script = make_script(
        maria(),
        "honey",
        (&have, want),
        &comparison,
        PlanOptions::default(),
        VERSION,
        &Evidence::default(),
    );
    let text = write(&script);
    match connect(database, Access::Write).deploy(&script, &release(), &mut |_| {}) {
        Ok(_) => Ok(text),
        Err(LiveError::PartlyApplied { cause, .. }) => Err(match *cause {
            LiveError::ProofFailed { found, .. } => format!("another outcome: {}\n{text}", difference(&found, want)),
            cause => format!("{cause}\n{text}"),
        }),
        Err(error) => Err(format!("{error}\n{text}")),
    }
}

#[test]
fn pairs() {
    let path = format!("{}/tests/mariadb/changes.sql", env!("CARGO_MANIFEST_DIR"));
    let text = std::fs::read_to_string(&path).unwrap_or_else(|error| panic!("{path}: {error}"));
    let mut wrong = Vec::new();
    for block in text.split("-- # ").skip(1) {
        let (title, rest) = block.split_once('\n').expect("a title");
        let (before, after) = rest.split_once("-- becomes").unwrap_or_else(|| panic!("{title} becomes nothing"));
        // What is only there to be lost or kept.
        let (before, rows) = before.split_once("-- rows").unwrap_or((before, ""));
        let outcome = std::panic::catch_unwind(|| {
            let database = made(before);
            database.client(rows).unwrap_or_else(|words| panic!("{words}"));
            let text = deploy(&database, &model(after))?;
            let found = structure_difference(&made(after).structure(), &database.structure());
            if !found.is_empty() {
                return Err(format!("{found}\n{text}"));
            }
            let by_client = made(before);
            by_client.client(rows).unwrap_or_else(|words| panic!("{words}"));
            by_client.client(&text).map_err(|words| format!("the client: {words}\n{text}"))?;
            let found = structure_difference(&made(after).structure(), &by_client.structure());
            if found.is_empty() { Ok(()) } else { Err(format!("by the client: {found}\n{text}")) }
        });
        match outcome {
            Ok(Ok(())) => {}
            Ok(Err(words)) => wrong.push(format!("{title}: {words}")),
            Err(panic) => wrong.push(format!(
                "{title}: {}",
                panic.downcast_ref::<String>().cloned().unwrap_or_else(|| "a panic".to_owned())
            )),
        }
    }
    assert!(wrong.is_empty(), "{} are wrong:\n{}", wrong.len(), wrong.join("\n\n"));
}

const TABLES: &str = "CREATE TABLE hives (id int, log text); CREATE TABLE combs (id int, log text);";

/// What the triggers of the tables leave in `log`, one after the other.
fn fired(database: &Database) -> String {
    let rows = "INSERT INTO hives VALUES (1, ''); INSERT INTO combs VALUES (1, '');";
    database.client(rows).unwrap_or_else(|words| panic!("{words}"));
    let log = database.client("SELECT log FROM hives UNION ALL SELECT log FROM combs");
    log.unwrap_or_else(|words| panic!("{words}")).split_whitespace().collect::<Vec<_>>().join(" ")
}

fn trigger(name: &str, table: &str, place: &str, adds: &str) -> String {
    format!(
        "CREATE TRIGGER {name} BEFORE INSERT ON {table} FOR EACH ROW {place} SET NEW.log = concat(NEW.log, '{adds}');"
    )
}

#[test]
fn triggers_have_and_keep_their_places() {
    let own = |name: &str, adds: &str| trigger(name, "hives", "", adds);
    let before = [own("z", "z"), own("y", "y"), own("x", "x")].concat();
    let database = made(&format!("{TABLES}{before}"));
    assert_eq!(fired(&database).split(' ').next(), Some("zyx"));
    let new = |name: &str, place: &str| trigger(name, "combs", place, name);
    let after = [own("x", "x"), own("y", "Y"), own("z", "Z")].concat();
    let added = [new("c", ""), new("a", "FOLLOWS c"), new("b", "PRECEDES a")].concat();
    deploy(&database, &model(&format!("{TABLES}{after}{added}"))).unwrap_or_else(|words| panic!("{words}"));
    database.client("DELETE FROM hives").unwrap_or_else(|words| panic!("{words}"));
    assert_eq!(fired(&database), "ZYx cba");
    // What a database is read as has the places.
    let copy = made("");
    deploy(&copy, &read(&database)).unwrap_or_else(|words| panic!("{words}"));
    assert_eq!(fired(&copy), "ZYx cba");
}
