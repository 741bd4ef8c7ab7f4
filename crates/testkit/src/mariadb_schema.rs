//! Random schemas for MariaDB, as the statements that make them. Decisions have names: see [`Dice`].

use std::fmt::Write;

use crate::dice::Dice;

/// A column's type and a default for it.
const TYPES: &[(&str, &str)] = &[
    ("int", "0"),
    ("bigint", "(5 + 3)"),
    ("smallint unsigned", "1"),
    ("tinyint(1)", "true"),
    ("decimal(10,2)", "1.5"),
    ("decimal(12,2)", "'2'"),
    ("double", "1e3"),
    ("varchar(30)", "'it''s'"),
    ("varchar(60)", "'none'"),
    ("char(5)", "'x '"),
    ("text", "('long')"),
    ("mediumtext", "(concat('a', 'b'))"),
    ("date", "'2020-1-2'"),
    ("datetime", "current_timestamp"),
    ("datetime(3)", "now(3)"),
    ("timestamp null", "null"),
    ("time", "'1:2:3'"),
    ("year", "2020"),
    ("enum('calm','busy')", "'calm'"),
    ("enum('calm','busy','angry')", "'busy'"),
    ("set('a','b')", "'b,a'"),
    ("json", "('{}')"),
    ("bit(4)", "b'101'"),
    ("varbinary(20)", "'x'"),
    ("blob", "null"),
    ("int(5) zerofill", "7"),
    ("varchar(30) character set latin1", "'x'"),
    ("varchar(30) collate utf8mb4_bin", "'X'"),
    ("uuid", "uuid()"),
    ("inet6", "'::1'"),
];

/// Types whose values can become one another's.
const GROUPS: &[&[usize]] = &[&[0, 1], &[4, 5], &[7, 8, 10, 11], &[12, 13, 14], &[18, 19], &[26, 7], &[27, 7]];

const CHECKS: &[&str] = &[
    "NUMBER > 0",
    "not (NUMBER < 0 or NUMBER > 1000)",
    "NUMBER between 0 and 100 and NUMBER <> 13",
    "NUMBER in (1)",
    "NUMBER % 2 = 0 || NUMBER is null",
    "length(cast(NUMBER as char)) < 20",
    "!(NUMBER <=> 13)",
    "coalesce(NUMBER, 0) >= 0 xor NUMBER = -1",
];

const GENERATED: &[&str] = &[
    "NUMBER + 1",
    "mod(NUMBER, 7)",
    "concat('n', NUMBER)",
    "if(NUMBER > 3, 'many', 'few')",
    "case when NUMBER is null then 0 else NUMBER * 2 end",
    "substring(cast(NUMBER as char(20)), 1, 3)",
];

struct Column {
    name: String,
    is_number: bool,
    is_text: bool,
}

/// The statements of a schema. Sides of one seed that are not 0 differ from side 0 in about one decision of `change`.
pub fn statements(seed: u64, side: u64, change: u64) -> String {
    let dice = Dice { seed, side, change };
    let mut out = String::new();
    let mut line = |text: &str| writeln!(out, "{text};").expect("a String takes every byte");
    if dice.yes("sequence", 5) {
        let by = dice.one("sequence by", &["1", "5", "-1"]);
        let cache = dice.one("sequence cache", &["", " cache 20", " nocache"]);
        line(&format!("CREATE SEQUENCE lots INCREMENT BY {by}{cache}"));
    }
    if dice.yes("function", 6) {
        let body = dice.one("function body", &["RETURN a + 1", "RETURN a * 2"]);
        let returns = dice.one("function returns", &["int", "bigint", "varchar(20)"]);
        let says = dice.one("function says", &["DETERMINISTIC", "NOT DETERMINISTIC READS SQL DATA", "NO SQL"]);
        line(&format!("CREATE FUNCTION more(a int) RETURNS {returns} {says} {body}"));
    }
    let mut tables: Vec<(String, Vec<Column>)> = Vec::new();
    for number in 0..4 {
        if !dice.yes(&format!("table {number}"), 9) {
            continue;
        }
        let name = format!("t{number}");
        let (text, columns) = table(&dice, &name, &tables);
        line(&text);
        tables.push((name, columns));
    }
    for (name, columns) in &tables {
        if dice.yes(&format!("{name} view"), 4) {
            let first = &columns[0].name;
            let condition = dice.one(&format!("{name} view where"), &["", " where id > 3", " where not id = 3"]);
            line(&format!("CREATE VIEW v_{name} AS SELECT id, {first} AS first_one FROM {name}{condition}"));
        }
        if dice.yes(&format!("{name} trigger"), 4) {
            let timing = dice.one(&format!("{name} trigger timing"), &["BEFORE", "AFTER"]);
            let event = dice.one(&format!("{name} trigger event"), &["INSERT", "UPDATE", "DELETE"]);
            let value = dice.one(&format!("{name} trigger value"), &["1", "2"]);
            let text = format!("CREATE TRIGGER g_{name} {timing} {event} ON {name} FOR EACH ROW");
            line(&format!("DELIMITER ;;\n{text} BEGIN SET @last = {value}; END;;\nDELIMITER "));
        }
    }
    if dice.yes("procedure", 5) {
        let more =
            dice.one("procedure body", &["SELECT 1", "SELECT ';' AS semicolon", "IF a > 0 THEN SELECT a; END IF"]);
        line(&format!(
            "DELIMITER //\nCREATE PROCEDURE tell(IN a int)\nBEGIN\n  -- what it tells\n  {more};\nEND//\nDELIMITER "
        ));
    }
    if dice.yes("event", 3) {
        let every = dice.one("event every", &["1 DAY", "2 HOUR"]);
        let status = dice.one("event status", &["", " DISABLE"]);
        line(&format!("CREATE EVENT clean ON SCHEDULE EVERY {every}{status} DO SET @x = 1"));
    }
    out
}

fn table(dice: &Dice, name: &str, earlier: &[(String, Vec<Column>)]) -> (String, Vec<Column>) {
    let is = |what: &str, of_ten: u64| dice.yes(&format!("{name} {what}"), of_ten);
    let one = |what: &str, options: &[&'static str]| dice.one(&format!("{name} {what}"), options);
    let mut parts = vec!["id int unsigned NOT NULL AUTO_INCREMENT".to_owned()];
    let mut columns = Vec::new();
    for number in 0..6 {
        let column = format!("{name} c{number}");
        if !dice.yes(&column, 8) && number > 0 {
            continue;
        }
        let mut kind =
            Dice { seed: dice.seed, side: 0, change: 1 }.pick(&format!("{column} type"), TYPES.len() as u64) as usize;
        // Another side may have a type of the same group.
        if let Some(group) = GROUPS.iter().find(|group| group.contains(&kind))
            && dice.yes(&format!("{column} other type"), 3)
        {
            kind = group[dice.pick(&format!("{column} which"), group.len() as u64) as usize];
        }
        let (data_type, default) = TYPES[kind];
        let own = format!("c{number}");
        let mut text = format!("{own} {data_type}");
        if dice.yes(&format!("{column} default"), 4) {
            text.push_str(&format!(" DEFAULT {default}"));
        }
        if dice.yes(&format!("{column} comment"), 2) {
            text.push_str(" COMMENT 'it''s \\\\ a \"note\"; yes'");
        }
        parts.push(text);
        let is_number = ["int", "bigint", "smallint", "decimal", "double"].iter().any(|own| data_type.starts_with(own));
        let is_text = ["varchar", "char"].iter().any(|own| data_type.starts_with(own));
        columns.push(Column { name: own, is_number, is_text });
    }
    let numbers: Vec<&Column> = columns.iter().filter(|column| column.is_number).collect();
    if let Some(number) = numbers.first() {
        if is("generated", 4) {
            let expression = one("generated as", GENERATED).replace("NUMBER", &number.name);
            let kind = one("generated kind", &["STORED", "VIRTUAL"]);
            let data_type = if expression.contains("+") || expression.contains("mod") || expression.contains("case") {
                "bigint"
            } else {
                "varchar(40)"
            };
            parts.push(format!("made {data_type} AS ({expression}) {kind}"));
        }
        if is("check", 4) {
            let condition = one("check that", CHECKS).replace("NUMBER", &number.name);
            let constraint = one("check name", &["", "CONSTRAINT fits "]);
            parts.push(format!("{constraint}CHECK ({condition})"));
        }
    }
    parts.push("PRIMARY KEY (id)".to_owned());
    for column in &columns {
        if (column.is_number || column.is_text) && is(&format!("{} key", column.name), 2) {
            let unique = one(&format!("{} unique", column.name), &["KEY", "KEY", "UNIQUE KEY"]);
            let named = one(&format!("{} key name", column.name), &["", "named"]);
            let named = if named.is_empty() { String::new() } else { format!(" {named}_{}", column.name) };
            let length = if column.is_text { one(&format!("{} key length", column.name), &["", "(3)"]) } else { "" };
            let order = one(&format!("{} key order", column.name), &["", " DESC"]);
            parts.push(format!("{unique}{named} ({}{length}{order})", column.name));
        }
    }
    if let Some((parent, _)) = earlier.first()
        && is("foreign key", 5)
    {
        parts.insert(1, "parent int unsigned".to_owned());
        let constraint = one("foreign key name", &["", "CONSTRAINT up_NAME "]).replace("NAME", name);
        let action = one("on delete", &["", " ON DELETE CASCADE", " ON DELETE SET NULL", " ON DELETE RESTRICT"]);
        parts.push(format!("{constraint}FOREIGN KEY (parent) REFERENCES {parent} (id){action}"));
    }
    let comment = one("comment", &["", "", " COMMENT='bees'"]);
    let charset = one("charset", &["", "", "", " CHARSET=latin1", " COLLATE=utf8mb4_unicode_ci"]);
    let format = one("row format", &["", "", "", " ROW_FORMAT=DYNAMIC", " ROW_FORMAT=COMPACT"]);
    (format!("CREATE TABLE {name} (\n  {}\n){comment}{charset}{format}", parts.join(",\n  ")), columns)
}
