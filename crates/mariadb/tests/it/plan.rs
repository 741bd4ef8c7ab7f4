//! Scripts between two structures, as text.

use wevrun_core::compare::compare;
use wevrun_core::plan::{Evidence, PlanOptions};
use wevrun_core::script::{self, make_script};

use crate::{VERSION, maria, model};

fn script(have: &str, want: &str) -> String {
    let (have, want) = (model(have), model(want));
    let comparison = compare(maria(), &have, &want);
    let script = make_script(
        maria(),
        "honey",
        (&have, &want),
        &comparison,
        PlanOptions::default(),
        VERSION,
        &Evidence::default(),
    );
    script::write(maria(), &script)
}

/// The statements of a script, each on one line, without those around its steps.
fn statements(have: &str, want: &str) -> Vec<String> {
    let text = script(have, want);
    let code: Vec<&str> = text.lines().filter(|line| !line.starts_with("--")).collect();
    let all = code.join("\n");
    let statements = all.split(";\n").map(|text| text.split_whitespace().collect::<Vec<_>>().join(" "));
    let is_of_step =
        |text: &String| ["ALTER ", "CREATE ", "DROP ", "RENAME "].iter().any(|word| text.starts_with(word));
    statements.filter(is_of_step).collect()
}

#[test]
fn nothing_is_done_for_nothing() {
    let table = "CREATE TABLE hives (id INT PRIMARY KEY, kg DECIMAL(5,1) DEFAULT 0)";
    assert_eq!(statements(table, table), [""; 0]);
}

#[test]
fn changes_of_a_table_are_one_statement_with_the_cheapest_algorithm() {
    let found = statements(
        "CREATE TABLE hives (id INT PRIMARY KEY, kg INT)",
        "CREATE TABLE hives (id INT PRIMARY KEY, kg INT, note VARCHAR(20), site INT NOT NULL DEFAULT 1)",
    );
    assert!(found.len() == 1 && found[0].contains("note") && found[0].contains("ALGORITHM=INSTANT"), "{found:?}");
}

#[test]
fn a_view_is_created_after_the_function_and_the_view_that_it_uses() {
    let found = statements(
        "",
        "CREATE VIEW a AS SELECT f(n) AS n FROM b; CREATE VIEW b AS SELECT 1 AS n;
         CREATE FUNCTION f(n INT) RETURNS INT DETERMINISTIC RETURN n",
    );
    let names: Vec<&str> = found
        .iter()
        .filter_map(|text| text.split_whitespace().find(|word| word.len() == 1 || word.starts_with("f(")))
        .collect();
    assert_eq!(names, ["f(n", "b", "a"], "{found:?}");
}

#[test]
fn a_renamed_column_keeps_its_values() {
    let found = statements(
        "CREATE TABLE hives (id INT PRIMARY KEY, kg INT)",
        "CREATE TABLE hives (id INT PRIMARY KEY, mass INT -- wevrun: formerly kg\n)",
    );
    assert!(found.len() == 1 && found[0].contains("RENAME COLUMN"), "{found:?}");
}
