//! What becomes of values when a type changes: where the script names no risk to them, they stay, or the server refuses the step.

use wevrun_core::compare::compare;
use wevrun_core::plan::{PlanOptions, RiskKind, probes};
use wevrun_core::script::make_script;
use wevrun_engines::Access;
use wevrun_testkit::mariadb::Database;

use crate::invariants::{by_rows, number};
use crate::{VERSION, connect, made, maria, model, read};

/// Types, each with values at its edges.
const TYPES: &[(&str, &[&str])] = &[
    ("tinyint", &["-128", "127", "0"]),
    ("tinyint unsigned", &["255", "0"]),
    ("smallint(5) unsigned zerofill", &["65535", "7"]),
    ("mediumint", &["-8388608", "12"]),
    ("int", &["-2147483648", "2147483647", "2"]),
    ("int unsigned", &["4294967295", "20240229"]),
    ("bigint", &["-9223372036854775808", "9007199254740993", "1"]),
    ("bigint unsigned", &["18446744073709551615"]),
    ("bit(4)", &["b'1010'", "b'1'"]),
    ("bit(64)", &["x'ffffffffffffffff'"]),
    ("decimal(10,2)", &["99999999.99", "-0.05", "1.50"]),
    ("decimal(30,10)", &["12345678901234567890.0123456789", "2"]),
    ("decimal(5,0) unsigned", &["99999"]),
    ("float", &["0.1", "3.4e38", "16777217"]),
    ("double", &["0.1", "1e300", "9007199254740993", "2"]),
    ("char(5)", &["'ab'", "''", "'größe'"]),
    ("varchar(20)", &["'ab  '", "'007'", "'2024-02-29'", "'größe 🐝'", "''"]),
    ("varchar(20) character set latin1", &["'größe'", "'3'"]),
    ("varchar(300) collate utf8mb4_bin", &["repeat('x', 300)", "'B'"]),
    ("tinytext", &["'2024-02-29 01:02:03'", "'a'"]),
    ("text", &["repeat('y', 60000)", "'12:34:56'"]),
    ("mediumtext character set ascii", &["'{}'"]),
    ("binary(4)", &["x'00ff'", "'abcd'"]),
    ("varbinary(20)", &["x'00ff20'", "'text'", "'4'"]),
    ("blob", &["x'c3a9'", "'calm'"]),
    ("date", &["'2024-02-29'", "'0001-01-01'", "'9999-12-31'"]),
    ("datetime", &["'2024-02-29 23:59:59'", "'1000-01-01 00:00:00'"]),
    ("datetime(6)", &["'2024-02-29 23:59:59.999999'", "'2024-01-01 00:00:00'"]),
    ("timestamp null", &["'2024-02-29 23:59:59'", "'1970-01-01 00:00:01'"]),
    ("timestamp(3) null", &["'2024-02-29 23:59:59.125'"]),
    ("time", &["'838:59:59'", "'-01:02:03'"]),
    ("time(2)", &["'01:02:03.25'"]),
    ("year", &["2024", "1901"]),
    ("enum('calm','busy','3')", &["'busy'", "'3'"]),
    ("enum('busy','angry','calm')", &["'busy'", "'calm'"]),
    ("enum('calm','busy','3','angry')", &["'angry'"]),
    ("set('a','b','c')", &["'a,c'", "''"]),
    ("set('c','b','a')", &["'a,c'"]),
    ("json", &["'{\"a\": 1}'", "'[]'", "'5'"]),
    ("uuid", &["'123e4567-e89b-12d3-a456-426614174000'"]),
    ("inet6", &["'::1'", "'2001:db8::ff00:42:8329'"]),
    ("inet4", &["'10.1.2.3'"]),
];

/// The values as the server's client prints them, each byte of it.
fn values(database: &Database) -> String {
    let text = "CASE WHEN c IS NULL THEN 'null' ELSE hex(CONVERT(CAST(c AS CHAR) USING utf8mb4)) END";
    database.client(&format!("SELECT id, {text} FROM t ORDER BY id")).expect("the table can be read")
}

/// Whether every value is equal to what it was, as the server compares them, and becomes what it was if the type changes back.
fn stay(database: &Database, from: &str, before: &str) -> Result<(), String> {
    let collate = "collate utf8mb4_bin";
    let text = |column: &str| format!("CONVERT(CAST({column} AS CHAR) USING utf8mb4) {collate}");
    let equal = format!("t.c <=> b.c OR {} <=> {}", text("t.c"), text("b.c"));
    // Some types can't be compared with each other.
    let joined =
        |condition: &str| format!("SELECT count(*) FROM t JOIN before_it b USING (id) WHERE NOT ({condition})");
    let others = database.client(&joined(&equal)).or_else(|_| database.client(&joined("true")))?;
    if others.trim() != "0" {
        return Err(format!("{} values are not equal", others.trim()));
    }
    // Not every conversion can be reversed: the server does not read 18446744073709551615 from a text.
    if database.client(&format!("ALTER TABLE t MODIFY c {from}")).is_err() {
        return Ok(());
    }
    let after = values(database);
    if after == before { Ok(()) } else { Err(format!("changed back:\n{before}\nbecame\n{after}")) }
}

/// Changes the type with a script; gives whether it names no risk to the values, and was run.
fn change(from: &(&str, &[&str]), to: &str) -> Result<bool, String> {
    let source = |data_type: &str| format!("CREATE TABLE t (id int PRIMARY KEY AUTO_INCREMENT, c {data_type});");
    let database = made(&source(from.0));
    for value in from.1 {
        database.client(&format!("INSERT INTO t (c) VALUES ({value})")).expect("the value is one of the type");
    }
    let before = values(&database);
    let (have, want) = (read(&database), model(&source(to)));
    let comparison = compare(maria(), &have, &want);
    let probes = probes(maria(), &have, &want, &comparison, VERSION);
    let evidence = connect(&database, Access::Read).probe(&probes).expect("the rows can be asked");
    let script = make_script(maria(), "honey", (&have, &want), &comparison, PlanOptions::default(), VERSION, &evidence);
    let names = |kind: RiskKind| script.plan.risks().any(|risk| risk.kind == kind);
    let (may_change, may_refuse) = (names(RiskKind::ChangesValues), names(RiskKind::MayRefuseRows));
    database.client("CREATE TABLE before_it AS SELECT * FROM t").expect("a copy");
    if let Err(words) = database.client(&crate::write(&script)) {
        if values(&database) != before {
            return Err(format!("the step failed, and values are others: {words}"));
        }
        let is_named = may_change || (may_refuse && by_rows(&words));
        return if is_named { Ok(false) } else { Err(format!("no risk was named: {words}")) };
    }
    if !may_change {
        stay(&database, from.0, &before)?;
    }
    Ok(!may_change)
}

#[test]
fn values_stay_unless_a_risk_is_named() {
    let (mut wrong, mut stayed) = (Vec::new(), 0);
    // One in so many pairs.
    let every = number("WEVRUN_EVERY", 37) as usize;
    for (a, from) in TYPES.iter().enumerate() {
        let others = TYPES.iter().enumerate().filter(|(b, to)| from.0 != to.0 && (a * 3 + b) % every == 0);
        for (_, (to, _)) in others {
            match change(from, to) {
                Ok(kept) => stayed += usize::from(kept),
                Err(words) => wrong.push(format!("{} to {to}: {words}", from.0)),
            }
        }
    }
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n"));
    assert!(stayed > 2, "only {stayed} changes keep the values");
}
