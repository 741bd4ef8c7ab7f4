//! Patterns, rules, revisions and dumps of any content: an answer or an error with its place, never a panic. `WEVRUN_FUZZ` sets how many
//! of each (300 without).

use std::panic::catch_unwind;

use rand::rngs::SmallRng;
use rand::seq::IndexedRandom;
use rand::{Rng, SeedableRng};
use wevrun_core::mapping::MapRule;
use wevrun_core::model::is_like;
use wevrun_core::parse::{RowFilter, WithoutRows};
use wevrun_core::select::DifferencePattern;
use wevrun_engines::registry;

use super::{APIARIES, project};

fn cases() -> u64 {
    std::env::var("WEVRUN_FUZZ").ok().and_then(|text| text.parse().ok()).unwrap_or(300)
}

fn text(numbers: &mut SmallRng, pieces: &[&str]) -> String {
    (0..numbers.random_range(0..8)).filter_map(|_| pieces.choose(numbers)).copied().collect()
}

#[test]
fn patterns_and_rules_of_any_form() {
    let pieces = [
        "table",
        "column",
        "constraint",
        ":",
        "*",
        "?",
        ".",
        "=",
        "schema",
        "é",
        " ",
        "\"",
        "hives",
        "",
        "\u{0}",
        "view",
    ];
    for seed in 0..cases() * 30 {
        let numbers = &mut SmallRng::seed_from_u64(seed);
        let (one, other) = (text(numbers, &pieces), text(numbers, &pieces));
        let outcome = catch_unwind(|| {
            let pattern = one.parse::<DifferencePattern>().map(|pattern| pattern.to_string());
            assert!(pattern.is_err() || pattern.as_deref() == Ok(one.as_str()), "{one} {pattern:?}");
            let rule = one.parse::<MapRule>();
            if let Ok(rule) = rule {
                assert_eq!(rule.to_string().parse::<MapRule>(), Ok(rule.clone()), "{one}");
                for engine in registry::engines() {
                    let _ = rule.schema_in_want(registry::dialect(engine), &other);
                }
            }
            is_like(&one, &other, seed % 2 == 0)
        });
        assert!(outcome.is_ok(), "seed {seed}: `{one}` `{other}`");
    }
}

/// What is left of a dump does not depend on how it arrives, and a dump that is cut at any byte is shorter or an error with the line.
#[test]
fn dumps_that_are_cut_anywhere() {
    let pieces = [
        "CREATE TABLE hives (id int, label text);\n",
        "COPY public.hives (id, label) FROM stdin;\n1\ta;b\n2\t$$\n\\.\n",
        "INSERT INTO hives VALUES (1, 'it''s; \\n'), (2, $$;$$);\n",
        "CREATE FUNCTION f() RETURNS int LANGUAGE sql AS $f$ SELECT 1; -- INSERT INTO x\n$f$;\n",
        "-- a comment; COPY x FROM stdin;\n",
        "/* INSERT INTO */ ",
        "\\connect honey\n",
        "SELECT pg_catalog.setval('hives_id_seq', 5, true);\n",
    ];
    for engine in registry::engines() {
        let dialect = registry::dialect(engine);
        let read = |bytes: &[u8], piece: usize| -> WithoutRows {
            let mut filter = RowFilter::new(dialect.row_rules());
            bytes.chunks(piece.max(1)).for_each(|chunk| filter.feed(chunk));
            filter.finish()
        };
        for seed in 0..cases() / 3 {
            let numbers = &mut SmallRng::seed_from_u64(seed);
            let dump = text(numbers, &pieces);
            let whole = read(dump.as_bytes(), usize::MAX);
            assert_eq!(read(dump.as_bytes(), 1).kept, whole.kept, "seed {seed}:\n{dump}");
            for end in 0..dump.len() {
                let piece = numbers.random_range(1..9);
                let cut = read(&dump.as_bytes()[..end], piece);
                assert!(cut.kept.len() <= end);
                let lines = dump.as_bytes()[..end].iter().filter(|byte| **byte == b'\n').count() as u64 + 1;
                assert!(cut.cut_off.is_none_or(|line| (1..=lines).contains(&line)), "seed {seed}, byte {end}\n{dump}");
            }
        }
    }
}

#[test]
fn a_dump_that_is_cut_is_an_error_with_its_place() {
    let project = project(&[]);
    let dump = "CREATE TABLE hives (id integer);\nCOPY hives (id) FROM stdin;\n1\n2\n\\.\nCREATE VIEW v AS SELECT id FROM hives;\n";
    for end in (1..dump.len() - 1).step_by(5) {
        project.write("cut.sql", &dump[..end]);
        let run = project.run(&["compare", "--engine", "postgres", "--have", "cut.sql", "--want", "empty"]);
        let has_place = run.stderr.contains("cut.sql:");
        // Between two statements it is a shorter dump.
        assert!(run.status == 1 && has_place || matches!(run.status, 0 | 3), "byte {end}: {}", run.stderr);
    }
}

#[test]
fn revisions_of_any_form() {
    let project = project(&[APIARIES]);
    let git = std::process::Command::new("git").args(["init", "-q"]).current_dir(project.path()).status();
    assert!(git.expect("git is installed").success());
    let pieces = ["HEAD", "main", "^", "~", "@{", "}", ":", "/", "..", "\u{e9}", " ", "{", "-", "1", "*", "schema"];
    for seed in 0..cases() / 10 {
        let numbers = &mut SmallRng::seed_from_u64(seed);
        let side = format!("git:{}", text(numbers, &pieces));
        let run = project.run(&["compare", "--have", &side]);
        assert!(
            matches!(run.status, 1 | 2) && !run.stderr.contains("panicked"),
            "`{side}`: {} {}",
            run.status,
            run.stderr
        );
    }
}
