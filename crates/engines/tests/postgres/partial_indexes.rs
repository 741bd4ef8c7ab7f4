//! Indexes of a partitioned table of which partitions lack their parts.

use wevrun_core::script::write;
use wevrun_engines::Access;
use wevrun_testkit::postgres::{AGES, structure_difference};

use crate::{connect, difference, made, model, read, release, script};

const PARTIAL: &str = include_str!("partial.sql");

/// What lacks parts becomes whole and lacks them again, loses another part, and stands on a column that gets another type.
#[test]
fn an_index_that_lacks_parts_is_made_as_it_is() {
    let parts =
        |line: &&str| !line.contains("ATTACH") && !(line.starts_with("CREATE INDEX") && line.contains("ON weights_"));
    let whole: Vec<&str> = PARTIAL.lines().filter(parts).collect();
    let whole = whole.join("\n").replace("ON ONLY", "ON");
    let less: Vec<&str> = PARTIAL.lines().filter(|line| !line.contains("weights_2024_by_hive")).collect();
    let (less, retyped) = (less.join("\n"), PARTIAL.replace("kilograms numeric", "kilograms double precision"));
    for age in AGES {
        let database = made(age, PARTIAL);
        for wanted in [&whole, PARTIAL, &less, PARTIAL, &retyped, PARTIAL] {
            let want = model(wanted);
            let script = script(&read(&database), &want);
            assert!(!script.is_empty());
            connect(&database, Access::Write)
                .deploy(&script, &release(), &mut |_| {})
                .unwrap_or_else(|error| panic!("{age:?}: {error}\n{}", write(&script)));
            let have = read(&database);
            assert!(have == want, "{age:?}: {}", difference(&have, &want));
            let structure = database.structure().into_iter().filter(|statement| !statement.contains("wevrun"));
            let found = structure_difference(&made(age, wanted).structure(), &structure.collect::<Vec<_>>());
            assert!(found.is_empty(), "{age:?}: {found}\n{}", write(&script));
        }
    }
}
