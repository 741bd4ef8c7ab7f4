//! Indexes of partitioned tables of which partitions lack their parts, parts with names of their own, and what indexes are set to.

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

/// Settings come, change, change places and go, those of constraints' indexes too, of which another table has need; those of
/// partitioned indexes as well.
#[test]
fn settings_of_indexes_change_as_they_stand() {
    let lots = |settings: [&str; 6]| {
        let [key, unique, exclusion, index, of_lots, by_hive] = settings;
        format!(
            "CREATE TABLE lots (id int PRIMARY KEY {key}, code int CONSTRAINT coded UNIQUE {unique}, shelves int4range,
                 weight int, CONSTRAINT apart EXCLUDE USING gist (shelves WITH &&) {exclusion});
             CREATE INDEX by_weight ON lots (weight) {index};
             CREATE TABLE jars (lot int REFERENCES lots, code int REFERENCES lots (code));
             CREATE TABLE parts (id int, hive int, PRIMARY KEY (id) {of_lots}) PARTITION BY LIST (id);
             CREATE INDEX by_hive ON parts (hive) {by_hive};
             CREATE TABLE parts_1 PARTITION OF parts FOR VALUES IN (1);"
        )
    };
    let (full, sparse) = ("WITH (fillfactor = 70)", "WITH (deduplicate_items = off, fillfactor = 50)");
    let turned = "WITH (fillfactor = 50, deduplicate_items = off)";
    let none = lots([""; 6]);
    let some = lots([full, full, "WITH (fillfactor = 80)", full, full, ""]);
    let others = lots([sparse, "", "WITH (buffering = on, fillfactor = 80)", turned, sparse, full]);
    let and_others = lots([full, sparse, "WITH (buffering = off)", "", "", sparse]);
    for age in AGES {
        let database = made(age, &none);
        for wanted in [&some, &others, &some, &and_others, &others, &none, &others] {
            becomes(age, &database, wanted);
        }
    }
}
