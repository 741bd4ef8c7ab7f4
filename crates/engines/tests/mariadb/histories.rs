//! Years of changes: the server makes them one by one, and all that it took are a source. Both must read as the same.

use rand::SeedableRng;
use rand::rngs::SmallRng;
use wevrun_testkit::mariadb::Server;
use wevrun_testkit::mariadb_history::statement;

use crate::invariants::number;
use crate::{difference, is_same, model, read};

const BEGINNING: &str = "CREATE TABLE t0 (id int AUTO_INCREMENT PRIMARY KEY, c0 int, c1 varchar(20), CHECK (c0 > 0));
CREATE TABLE t1 (id int PRIMARY KEY, c0 int, c2 date, KEY k0 (c0), up int, FOREIGN KEY (up) REFERENCES t0 (id));
CREATE TABLE t2 (id int PRIMARY KEY, c3 text, c4 int UNIQUE);
";

#[test]
fn random_histories() {
    let start = number("WEVRUN_SEED", 1);
    let mut taken = 0;
    for case in start..start + number("WEVRUN_CASES", 25) {
        let database = Server::usual().database();
        database.client(BEGINNING).expect("the beginning");
        let mut random = SmallRng::seed_from_u64(case);
        let mut source = BEGINNING.to_owned();
        for step in 0..25 {
            let statement = statement(&mut random, step);
            if database.client(&statement).is_ok() {
                source.push_str(&format!("{statement};\n"));
                taken += 1;
            }
        }
        let (have, want) = (read(&database), model(&source));
        assert!(is_same(&have, &want), "WEVRUN_SEED={case}: {}\n{source}", difference(&have, &want));
    }
    assert!(taken > 100, "the server took only {taken} statements");
}
