//! The statements of the lists beside this file, each with its line. The dialect's tests include this file, too.

/// Lines that are neither empty nor comments.
fn lines(text: &str) -> Vec<&str> {
    text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with("--")).collect()
}

/// The statements of lines, by their numbers.
fn statements(lines: &[&str], statement: impl Fn(usize, &str) -> String) -> Vec<(String, String)> {
    lines.iter().enumerate().map(|(index, line)| ((*line).to_owned(), statement(index, line))).collect()
}

/// The columns that expressions name.
const COLUMNS: &str = "a int, b int, c int unsigned, s varchar(50), t text, d date, dt datetime, ts timestamp null, f double, \
     n decimal(10,2), j json, bi bigint, ti time, y year, bl blob";

/// Tables with one CHECK each.
pub fn checks(checks: &[&str]) -> Vec<(String, String)> {
    statements(checks, |index, check| format!("CREATE TABLE t{index} ({COLUMNS}, CONSTRAINT x CHECK ({check}))"))
}

/// Tables with an expression in a CHECK.
pub fn expressions() -> Vec<(String, String)> {
    checks(&lines(include_str!("expressions.txt")))
}

/// Tables with a column in all its forms.
pub fn columns() -> Vec<(String, String)> {
    let columns = lines(include_str!("columns.txt"));
    statements(&columns, |index, column| format!("CREATE TABLE t{index} (x {column}, y int)"))
}

/// Tables with keys, constraints and options.
pub fn tables() -> Vec<(String, String)> {
    let tables = lines(include_str!("tables.txt"));
    statements(&tables, |index, table| format!("CREATE TABLE t{index} {}", table.replace("SELF", &format!("t{index}"))))
}

/// The objects that the views read.
pub const READ_BY_VIEWS: &str = "create table a (id int primary key, x int, s varchar(20), d date);
    create table b (id int primary key, a_id int, y int, s varchar(20));
    create table c (id int, z int);
    create function f(i int) returns int deterministic return i+1;
    create view v1 as select * from a;";

/// Views of these objects.
pub fn views() -> Vec<(String, String)> {
    statements(&lines(include_str!("views.txt")), |index, view| format!("CREATE VIEW t{index} {view}"))
}

/// Tables that are altered after they are created.
pub fn alterations() -> Vec<(String, String)> {
    statements(&lines(include_str!("alterations.txt")), |index, change| {
        let name = format!(" t{index} ");
        format!("{change} ").replace(" T ", &name).replace(" T;", &format!("{};", name.trim_end()))
    })
}
