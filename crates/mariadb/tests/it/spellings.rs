//! What a server made of each statement of the lists, recorded on a server: both must read as the same.

use wevrun_core::compare::{Change, Difference, compare};

use crate::{maria, model};

/// Lines that are neither empty nor comments.
fn lines(text: &str) -> Vec<&str> {
    text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with("--")).collect()
}

const COLUMNS: &str = "a int, b int, c int unsigned, s varchar(50), t text, d date, dt datetime, ts timestamp null, f double, \
     n decimal(10,2), j json, bi bigint, ti time, y year, bl blob";

fn judge(written: &[String], spelled: &str, before: &str) {
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
    let table =
        |(index, check): (usize, &&str)| format!("CREATE TABLE t{index} ({COLUMNS}, CONSTRAINT x CHECK ({check}))");
    let tables = |checks: Vec<&str>| checks.iter().enumerate().map(table).collect::<Vec<_>>();
    let written = tables(lines(include_str!("../../../engines/tests/mariadb/expressions.txt")));
    let spelled = tables(include_str!("../../../engines/tests/mariadb/spelled/expressions.sql").lines().collect());
    assert_eq!(written.len(), spelled.len());
    judge(&written, &spelled.join(";\n"), "");
}

#[test]
fn columns_are_read_as_the_server_spells_them() {
    let columns = lines(include_str!("../../../engines/tests/mariadb/columns.txt"));
    let table = |(index, column): (usize, &&str)| format!("CREATE TABLE t{index} (x {column}, y int)");
    let written: Vec<String> = columns.iter().enumerate().map(table).collect();
    judge(&written, include_str!("../../../engines/tests/mariadb/spelled/columns.sql"), "");
}

#[test]
fn tables_are_read_as_the_server_spells_them() {
    let tables = lines(include_str!("../../../engines/tests/mariadb/tables.txt"));
    let table = |(index, table): (usize, &&str)| {
        format!("CREATE TABLE t{index} {}", table.replace("SELF", &format!("t{index}")))
    };
    let written: Vec<String> = tables.iter().enumerate().map(table).collect();
    judge(&written, include_str!("../../../engines/tests/mariadb/spelled/tables.sql"), "");
}

#[test]
fn views_are_read_as_the_server_spells_them() {
    let before = "create table a (id int primary key, x int, s varchar(20), d date);
        create table b (id int primary key, a_id int, y int, s varchar(20));
        create table c (id int, z int);
        create function f(i int) returns int deterministic return i+1;
        create view v1 as select * from a;";
    let views = lines(include_str!("../../../engines/tests/mariadb/views.txt"));
    let view = |(index, view): (usize, &&str)| format!("CREATE VIEW t{index} {view}");
    let written: Vec<String> = views.iter().enumerate().map(view).collect();
    judge(&written, include_str!("../../../engines/tests/mariadb/spelled/views.sql"), before);
}

#[test]
fn alterations_are_read_as_the_server_leaves_them() {
    let changes = lines(include_str!("../../../engines/tests/mariadb/alterations.txt"));
    let change = |(index, change): (usize, &&str)| {
        let name = format!(" t{index} ");
        format!("{change} ").replace(" T ", &name).replace(" T;", &format!("{};", name.trim_end()))
    };
    let written: Vec<String> = changes.iter().enumerate().map(change).collect();
    judge(&written, include_str!("../../../engines/tests/mariadb/spelled/alterations.sql"), "");
}
