//! Indexes of a partitioned table of which partitions lack their parts.

use wevrun_testkit::postgres::AGES;

use crate::{becomes, made};

const PARTIAL: &str = include_str!("partial.sql");

/// What lacks parts becomes whole and lacks them again, loses another part, and stands on a column that gets another type.
#[test]
fn an_index_that_lacks_parts_is_made_as_it_is() {
    let whole = PARTIAL.replace("ON ONLY", "ON");
    let is_part = |line: &&str| line.starts_with("CREATE INDEX") && line.contains("ON weights_");
    let whole: Vec<&str> = whole.lines().filter(|line| !line.contains("ATTACH") && !is_part(line)).collect();
    let whole = whole.join("\n");
    let less: Vec<&str> = PARTIAL.lines().filter(|line| !line.contains("weights_2024_by_hive")).collect();
    let (less, retyped) = (less.join("\n"), PARTIAL.replace("kilograms numeric", "kilograms double precision"));
    for age in AGES {
        let database = made(age, PARTIAL);
        for wanted in [&whole, PARTIAL, &less, PARTIAL, &retyped, PARTIAL] {
            becomes(age, &database, wanted);
        }
    }
}
