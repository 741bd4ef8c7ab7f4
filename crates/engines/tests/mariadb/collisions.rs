//! Tables in which every name, literal and partition is one of six words: what the server's own ALTERs make of them, the model makes of
//! them.

use rand::rngs::SmallRng;
use rand::seq::{IndexedRandom, SliceRandom};
use rand::{Rng, SeedableRng};
use wevrun_core::build::build;
use wevrun_core::model::{Kind, Model};
use wevrun_core::source::Source;
use wevrun_mariadb::MariaDb;
use wevrun_testkit::collisions::WORDS;
use wevrun_testkit::mariadb::Server;

use crate::invariants::number;
use crate::{VERSION, difference, is_same, model, read};

fn word(random: &mut SmallRng) -> &'static str {
    WORDS.choose(random).expect("there are six")
}

/// A name as a person may write it; KEY must be quoted.
fn spelled(random: &mut SmallRng, name: &str) -> String {
    match random.random_range(0..3) {
        0 if name != "key" => name.to_uppercase(),
        1 if name != "key" => name.to_owned(),
        _ => format!("`{name}`"),
    }
}

fn column(random: &mut SmallRng, columns: &[&str]) -> String {
    let name = *columns.choose(random).expect("columns");
    spelled(random, name)
}

fn condition(random: &mut SmallRng, columns: &[&str]) -> String {
    let (own, other, literal) = (column(random, columns), column(random, columns), word(random));
    match random.random_range(0..6) {
        0 => format!("{own} <> '`{literal}`'"),
        1 => format!("{own} > 0 /* {literal} */"),
        2 => format!("{own} <> {other}"),
        3 => format!("{own} not in ('{literal}', 'no {literal}')"),
        4 => format!("char_length({own}) > 1 or {other} like '%`{literal}`%' -- {literal}\n"),
        _ => format!("case when {own} then 1 else char_length(\"{literal}\") end"),
    }
}

fn table(random: &mut SmallRng, name: &str) -> String {
    let mut columns = WORDS.to_vec();
    columns.shuffle(random);
    columns.truncate(random.random_range(2..5));
    let mut lines = Vec::new();
    for (at, name) in columns.iter().enumerate() {
        let spelled = spelled(random, name);
        lines.push(match random.random_range(0..7) {
            0 => format!("{spelled} varchar(20) default '{}'", word(random)),
            1 => format!("{spelled} varchar(20) check ({})", condition(random, &columns)),
            2 if at > 0 => {
                format!("{spelled} varchar(40) as (concat('`{}`', {}))", word(random), column(random, &columns[..at]))
            }
            3 if at > 0 => {
                format!("{spelled} int default (char_length('{}') + {})", word(random), column(random, &columns[..at]))
            }
            _ => format!("{spelled} int"),
        });
    }
    if random.random_bool(0.5) {
        lines.push(format!("constraint `{}` check ({})", word(random), condition(random, &columns)));
    }
    if random.random_bool(0.4) {
        lines.push(format!(
            "{} `{}` ({})",
            ["key", "unique"].choose(random).expect("two"),
            word(random),
            column(random, &columns)
        ));
    }
    if random.random_bool(0.2) {
        lines.push(format!(
            "{} `{}` ({}, {})",
            ["key", "unique"].choose(random).expect("two"),
            word(random),
            column(random, &columns),
            column(random, &columns)
        ));
    }
    let partitions = match random.random_range(0..5) {
        0 => format!(
            "\npartition by list ({}) (partition `{}` values in (1, 2), partition other values in (3))",
            column(random, &columns),
            word(random)
        ),
        1 => format!(
            "\npartition by range columns ({}) (partition `{}` values less than (maxvalue))",
            column(random, &columns),
            word(random)
        ),
        _ => String::new(),
    };
    format!("CREATE TABLE `{name}` (\n  {}\n){partitions}", lines.join(",\n  "))
}

/// ALTER TABLE; the server may refuse it.
fn alter(random: &mut SmallRng, model: &Model) -> String {
    let tables: Vec<_> = model.of_kind(Kind::Table).collect();
    let object = tables.choose(random).expect("tables");
    let table = object.as_table().expect("a table");
    let columns: Vec<&str> = table.columns.iter().map(|column| column.name.written()).collect();
    let (name, own, to) = (object.name.identifier(), column(random, &columns), word(random));
    let to = spelled(random, to);
    match random.random_range(0..8) {
        0 => format!("ALTER TABLE `{name}` RENAME TO {to}"),
        1..=3 => format!("ALTER TABLE `{name}` RENAME COLUMN {own} TO {to}"),
        4 => format!("ALTER TABLE `{name}` CHANGE COLUMN {own} {to} varchar(20)"),
        5 => format!("ALTER TABLE `{name}` DROP COLUMN {own}, DROP COLUMN {}", column(random, &columns)),
        6 => format!("ALTER TABLE `{name}` DROP COLUMN {own}"),
        _ => format!("ALTER TABLE `{name}` ADD CONSTRAINT `{}` CHECK ({})", word(random), condition(random, &columns)),
    }
}

#[test]
fn alters_follow_references_as_the_server_does() {
    let start = number("WEVRUN_SEED", 1);
    let (mut taken, mut refused) = (0, 0);
    for case in start..start + number("WEVRUN_CASES", 60) {
        let database = Server::usual().database();
        let mut random = SmallRng::seed_from_u64(case);
        let mut source = String::new();
        let mut names = WORDS.to_vec();
        names.shuffle(&mut random);
        for name in &names[..2] {
            let table = table(&mut random, name);
            if database.client(&table).is_ok() {
                source.push_str(&format!("{table};\n"));
            }
        }
        let mut live = read(&database);
        if live.is_empty() {
            continue;
        }
        for _ in 0..4 {
            let statement = alter(&mut random, &live);
            let with_it = format!("{source}{statement};\n");
            if database.client(&statement).is_ok() {
                source = with_it;
                taken += 1;
                live = read(&database);
            } else {
                let build = build(&MariaDb, VERSION, &[Source::new("a.sql", &with_it)]);
                let is_found = build.diagnostics.iter().any(|found| found.is_error());
                let is_drop = statement.contains(" DROP COLUMN ");
                assert!(is_found || !is_drop, "WEVRUN_SEED={case}: the server refuses the last statement\n{with_it}");
                refused += u32::from(is_drop);
            }
        }
        let want = model(&source);
        assert!(is_same(&live, &want), "WEVRUN_SEED={case}: {}\n{source}", difference(&live, &want));
    }
    assert!(taken > 40 && refused > 5, "the server took {taken} statements and refused {refused}");
}
