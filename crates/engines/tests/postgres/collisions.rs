//! Schemas in which every name, label, alias and literal is one of six words: what the server's own ALTERs make of them, the model makes of
//! them.

use rand::SeedableRng;
use rand::rngs::SmallRng;
use wevrun_core::build::build;
use wevrun_core::compare::{Change, Difference, compare};
use wevrun_core::model::Object;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;
use wevrun_testkit::postgres::{Age, Database, Server};
use wevrun_testkit::postgres_collisions::{alters, tables};

use crate::invariants::number;
use crate::{VERSION, postgres, read};

fn words(difference: &Difference<'_>) -> String {
    let text = |object: &Object| postgres().source_text(object);
    match &difference.change {
        Change::Create(object) => format!("only folded: {}", text(object)),
        Change::Remove(object) => format!("only live: {}", text(object)),
        Change::Change { have, want, .. } => {
            let canonical = |object: &Object| {
                let all = object.definition.expressions();
                all.iter().map(|own| own.canonical.clone()).collect::<Vec<_>>().join("\n")
            };
            let [before, after] = [canonical(have), canonical(want)];
            format!("{}\nlive {}\n{before}\nfolded {}\n{after}", difference.key, text(have), text(want))
        }
    }
}

/// Runs each statement by itself, and gives those that the server takes.
fn taken(database: &Database, statements: &[String]) -> Vec<String> {
    let script: Vec<String> = statements.iter().map(|text| format!("{text};\n\\echo ran :ERROR\n")).collect();
    let script = format!("\\set ON_ERROR_STOP off\n{}", script.concat());
    let output = database.psql(&script).expect("errors do not stop it");
    let results: Vec<bool> =
        output.lines().filter_map(|line| line.strip_prefix("ran ")).map(|is| is == "false").collect();
    assert_eq!(results.len(), statements.len(), "{output}");
    statements.iter().zip(results).filter(|(_, is_taken)| *is_taken).map(|(text, _)| text.clone()).collect()
}

/// How many ALTERs the server took of this seed.
fn history(seed: u64) -> usize {
    let mut random = SmallRng::seed_from_u64(seed);
    let database = Server::of(Age::Newest).database();
    let (schema, known, statements) = tables(&mut random);
    let made = taken(&database, &statements);
    let altered = taken(&database, &alters(&mut random, schema, &known));
    if altered.is_empty() {
        return 0;
    }
    let live = read(&database);
    let text = format!("{};\n{};\n", made.join(";\n"), altered.join(";\n"));
    let folded = build(&Postgres, VERSION, &[Source::new("history.sql", &text)]);
    let errors = folded.diagnostics.iter().filter(|found| found.is_error()).map(|found| &found.message);
    let errors: Vec<&String> = errors.collect();
    assert!(errors.is_empty(), "{errors:#?}\n{text}");
    // The server gives an alias to what would mean something else under the new name.
    let is_known = |difference: &&Difference<'_>| match folded.model.get(&difference.key) {
        Some(object) => object.definition.expressions().iter().all(|expression| expression.is_sure()),
        None => true,
    };
    let found = compare(postgres(), &live, &folded.model).differences;
    let found: Vec<String> = found.iter().filter(is_known).map(words).collect();
    assert!(found.is_empty(), "{}\n{text}", found.join("\n"));
    altered.len()
}

#[test]
fn alters_follow_references_as_the_server_does() {
    if let Ok(case) = std::env::var("WEVRUN_CASE") {
        history(case.parse().expect("a number"));
        return;
    }
    let (start, cases) = (number("WEVRUN_SEED", 1), number("WEVRUN_CASES", 60));
    let mut altered = 0;
    let mut wrong = Vec::new();
    for seed in start..start + cases {
        match std::panic::catch_unwind(|| history(seed)) {
            Ok(count) => altered += count as u64,
            Err(_) => wrong.push(seed),
        }
    }
    assert!(wrong.is_empty(), "{} of {cases} are wrong; run them alone with WEVRUN_CASE: {wrong:?}", wrong.len());
    assert!(altered * 2 > cases, "the server took {altered} ALTERs only");
}
