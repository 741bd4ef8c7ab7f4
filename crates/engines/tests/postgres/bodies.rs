//! Bodies in PL/pgSQL: what the server takes has no fault for us either.

use rand::rngs::SmallRng;
use rand::{Rng, SeedableRng};
use wevrun_core::build::build;
use wevrun_core::diagnostics::Code;
use wevrun_core::source::Source;
use wevrun_postgres::Postgres;
use wevrun_testkit::postgres::{AGES, Server};

use crate::version;

/// Bodies with all the statements that have parts.
const BODIES: &[&str] = &[
    "<<outer>> DECLARE n integer := 1 ; r record ; c CURSOR FOR SELECT CASE WHEN true THEN 1 END ; BEGIN \
     IF n > 1 THEN n := 2 ; ELSIF CASE n WHEN 1 THEN true ELSE false END THEN n := 3 ; ELSE NULL ; END IF ; RETURN n ; END outer ;",
    "DECLARE i integer ; BEGIN FOR i IN REVERSE 10 .. 1 BY 2 LOOP CONTINUE WHEN i > 3 ; EXIT ; END LOOP ; \
     <<l>> LOOP EXIT l ; END LOOP l ; WHILE false LOOP NULL ; END LOOP ; RETURN 1 ; END",
    "DECLARE x integer ; BEGIN CASE 1 WHEN 1 , 2 THEN x := 1 ; WHEN 3 THEN RETURN 2 ; ELSE RAISE NOTICE 'end; loop' ; END CASE ; \
     CASE WHEN x > 1 THEN NULL ; END CASE ; RETURN CASE WHEN true THEN 1 ELSE 2 END ; END",
    "BEGIN BEGIN PERFORM 1 / 0 ; EXCEPTION WHEN division_by_zero OR unique_violation THEN NULL ; WHEN OTHERS THEN RAISE ; END ; \
     DECLARE y text ; BEGIN EXECUTE 'SELECT 1' INTO y ; END ; RETURN 1 ; END",
    "DECLARE a integer [] := ARRAY [ 1 ] ; r record ; BEGIN FOREACH r IN ARRAY a LOOP NULL ; END LOOP ; \
     FOR r IN SELECT CASE WHEN true THEN 1 END AS one LOOP RETURN r.one ; END LOOP ; \
     FOR r IN EXECUTE 'SELECT 1' LOOP IF true THEN IF false THEN RETURN 2 ; END IF ; END IF ; END LOOP ; RETURN 3 ; END",
];

/// A body with one or two of its words left out, doubled or exchanged.
fn damaged(random: &mut SmallRng) -> String {
    let mut words: Vec<&str> = BODIES[random.random_range(0..BODIES.len())].split_whitespace().collect();
    for _ in 0..random.random_range(0..3) {
        let (at, other) = (random.random_range(0..words.len()), random.random_range(0..words.len()));
        match random.random_range(0..3) {
            0 => drop(words.remove(at)),
            1 => words.insert(other, words[at]),
            _ => words.swap(at, other),
        }
    }
    words.join(" ")
}

#[test]
fn what_the_server_takes_has_no_fault() {
    let mut random = SmallRng::seed_from_u64(14);
    let bodies: Vec<String> = (0..400).map(|_| damaged(&mut random)).collect();
    for age in AGES {
        let database = Server::of(age).database();
        database
            .psql(
                "CREATE FUNCTION is_taken(body text) RETURNS boolean LANGUAGE plpgsql AS $f$ BEGIN
                   EXECUTE format('CREATE OR REPLACE FUNCTION f() RETURNS integer LANGUAGE plpgsql AS %L', body);
                   RETURN true;
                 EXCEPTION WHEN OTHERS THEN RETURN false; END $f$",
            )
            .expect("made");
        let questions: Vec<String> = bodies.iter().map(|body| format!("(is_taken($q${body}$q$))")).collect();
        let answers = database.psql(&format!("VALUES {}", questions.join(", "))).expect("answers");
        let (mut refused, mut found) = (0, 0);
        for (body, answer) in bodies.iter().zip(answers.lines()) {
            let text = format!("CREATE FUNCTION f() RETURNS integer LANGUAGE plpgsql AS $q${body}$q$;");
            let built = build(&Postgres, version(age), &[Source::new("f.sql", &text)]);
            let fault = built.diagnostics.iter().find(|diagnostic| diagnostic.code == Code::WV115);
            let is_taken = answer.trim() == "t";
            assert!(!is_taken || fault.is_none(), "{age:?}: {body}\n{fault:?}");
            refused += usize::from(!is_taken);
            found += usize::from(fault.is_some());
        }
        assert!(refused < 400 && found * 3 > refused, "{age:?}: {found} of {refused} that the server refuses");
        println!("{age:?}: {found} of {refused} that the server refuses");
    }
}
