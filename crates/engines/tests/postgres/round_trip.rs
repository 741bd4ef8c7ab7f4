//! A database as source, and the source as a database: the same structure, by the server's own dump.

use wevrun_core::adopt;
use wevrun_core::model::Model;
use wevrun_engines::Access;
use wevrun_testkit::postgres::{AGES, Server, structure_difference};

use crate::{connect, difference, made, model, postgres, read, release, script};

const COOPERATIVE: &str = include_str!("cooperative.sql");
const ODDITIES: &str = include_str!("oddities.sql");
const BULLETIN_BOARD: &str = include_str!("bulletin_board.sql");

#[test]
fn a_database_made_by_psql_is_what_the_source_says() {
    for (age, source) in AGES.into_iter().flat_map(|age| [(age, COOPERATIVE), (age, ODDITIES), (age, BULLETIN_BOARD)]) {
        let database = made(age, source);
        let (have, want) = (read(&database), model(source));
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
        // And so does the server's own dump of it.
        let dumped = model(&database.dump());
        assert!(have == dumped, "{age:?}, dumped: {}", difference(&have, &dumped));
    }
}

#[test]
fn adopting_and_deploying_gives_the_same_database() {
    for (age, source) in AGES.into_iter().flat_map(|age| [(age, COOPERATIVE), (age, ODDITIES), (age, BULLETIN_BOARD)]) {
        let first = made(age, source);
        let have = read(&first);
        let files = adopt::files(postgres(), &have);
        let text: String = files.iter().map(|file| file.text.as_str()).collect();
        let want = model(&text);
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
        let second = Server::of(age).database();
        let script = script(&Model::empty(), &want);
        let deployed = connect(&second, Access::Write).deploy(&script, &release(), &mut |_| {});
        deployed.unwrap_or_else(|error| panic!("{age:?}: {error}"));
        assert!(read(&second) == want);
        // Passwords are not kept, and neither are the names of NOT NULL constraints that came from another table (version 18).
        let left_out = |statement: &String| {
            statement.contains("USER MAPPING")
                || statement.contains("_not_null NOT NULL")
                || statement.contains("CREATE TABLE public.copy")
                || statement.contains("CREATE TABLE public.rangep2")
        };
        let (a, b) = (first.structure(), second.structure());
        let keep =
            |list: Vec<String>| -> Vec<String> { list.into_iter().filter(|statement| !left_out(statement)).collect() };
        let found = structure_difference(&keep(a), &keep(b));
        assert!(found.is_empty(), "{age:?}: {found}");
    }
}

#[test]
fn psql_runs_the_script_with_the_same_result() {
    for age in AGES {
        let want = model(COOPERATIVE);
        let text = wevrun_core::script::write(&script(&Model::empty(), &want));
        let database = made(age, &text);
        let have = read(&database);
        assert!(have == want, "{age:?}: {}", difference(&have, &want));
    }
}
