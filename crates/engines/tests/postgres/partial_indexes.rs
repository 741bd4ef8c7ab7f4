//! Indexes of a partitioned table of which partitions lack their parts, and parts with names of their own.

use wevrun_testkit::postgres::AGES;

use crate::{becomes, made};

const PART_NAMES: &str = include_str!("part_names.sql");
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

/// Indexes go and come again, and stand on a column that gets another type: their parts are called as they shall be.
#[test]
fn parts_keep_their_names() {
    let of_weight = ["(weight)", "lots_24_heavy", "weight_idx", "lots_by_weight"];
    let less: Vec<&str> = PART_NAMES.lines().filter(|line| !of_weight.iter().any(|part| line.contains(part))).collect();
    let (less, retyped) = (less.join("\n"), PART_NAMES.replace("weight int", "weight bigint"));
    for age in AGES {
        let database = made(age, PART_NAMES);
        for wanted in [&less, PART_NAMES, &retyped, PART_NAMES] {
            becomes(age, &database, wanted);
        }
    }
}
