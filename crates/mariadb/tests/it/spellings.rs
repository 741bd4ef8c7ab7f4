//! Statements, and the spellings of them that were recorded on a server: both must be equal.

use wevrun_core::compare::{Change, Difference, compare};

use crate::{maria, model, statements};

fn judge(written: Vec<(String, String)>, spelled: &str, before: &str) {
    let written: Vec<String> = written.into_iter().map(|(_, statement)| statement).collect();
    let (want, have) = (model(&format!("{before}{}", written.join(";\n"))), model(&format!("{before}{spelled}")));
    let comparison = compare(maria(), &have, &want);
    // The server shows it in its catalogue only.
    let is_shown = |difference: &&Difference<'_>| match &difference.change {
        Change::Change { properties, .. } => properties.iter().any(|property| property.detail != "ref_system_id"),
        _ => true,
    };
    let found: Vec<_> = comparison.differences.iter().filter(is_shown).collect();
    assert!(found.is_empty(), "{found:#?}");
    assert!(comparison.unproven.len() * 20 <= written.len(), "{:?}", comparison.unproven);
}

#[test]
fn expressions_are_read_as_the_server_spells_them() {
    let spelled: Vec<&str> = include_str!("../../../engines/tests/mariadb/spelled/expressions.sql").lines().collect();
    let spelled: Vec<String> = statements::checks(&spelled).into_iter().map(|(_, statement)| statement).collect();
    assert_eq!(spelled.len(), statements::expressions().len());
    judge(statements::expressions(), &spelled.join(";\n"), "");
}

#[test]
fn columns_are_read_as_the_server_spells_them() {
    judge(statements::columns(), include_str!("../../../engines/tests/mariadb/spelled/columns.sql"), "");
}

#[test]
fn tables_are_read_as_the_server_spells_them() {
    judge(statements::tables(), include_str!("../../../engines/tests/mariadb/spelled/tables.sql"), "");
}

#[test]
fn views_are_read_as_the_server_spells_them() {
    let spelled = include_str!("../../../engines/tests/mariadb/spelled/views.sql");
    judge(statements::views(), spelled, statements::READ_BY_VIEWS);
}

#[test]
fn alterations_are_read_as_the_server_leaves_them() {
    judge(statements::alterations(), include_str!("../../../engines/tests/mariadb/spelled/alterations.sql"), "");
}
