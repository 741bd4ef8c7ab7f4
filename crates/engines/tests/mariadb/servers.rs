//! Servers that are set up otherwise.

use wevrun_testkit::mariadb::Server;
use wevrun_testkit::mariadb_schema::statements;

use crate::invariants::{number, pair_on};

fn pairs(server: &'static Server, opening: &str) {
    let start = number("WEVRUN_SEED", 500);
    for case in start..start + number("WEVRUN_CASES", 4) {
        let side = |side: u64| format!("{opening}{}", statements(case, side, 4));
        let outcome =
            std::panic::catch_unwind(|| pair_on(server, &side(0), &side(case % 3 + 1), case.is_multiple_of(2)));
        assert!(outcome.is_ok(), "WEVRUN_SEED={case}");
    }
}

#[test]
fn names_of_tables_without_letter_case() {
    pairs(Server::caseless(), "");
}

/// The client that makes the databases to be compared with sets what the sources mean.
#[test]
fn other_defaults_for_everything() {
    let opening = "SET autocommit = 1;
        SET sql_mode = 'STRICT_TRANS_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_AUTO_CREATE_USER,NO_ENGINE_SUBSTITUTION';
        SET default_storage_engine = InnoDB, time_zone = '+00:00', explicit_defaults_for_timestamp = ON;
        ";
    pairs(Server::unusual(), opening);
}
