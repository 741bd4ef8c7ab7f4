//! Views and programs in which every name, alias, variable and literal is one of six words: under mapped names, the server takes them and
//! they do the same.

use rand::rngs::SmallRng;
use rand::seq::{IndexedRandom, SliceRandom};
use rand::{Rng, SeedableRng};
use wevrun_core::mapping::{MapKind, MapRule, Mapped, map};
use wevrun_core::model::{Kind, Model, Object, Scope};
use wevrun_testkit::collisions::WORDS;
use wevrun_testkit::mariadb::{Database, Server};

use crate::invariants::number;
use crate::{VERSION, maria, model};

/// Two tables: the name and the columns of each.
type Tables = [(&'static str, Vec<&'static str>); 2];

/// A word in backticks.
fn word(random: &mut SmallRng) -> String {
    format!("`{}`", WORDS.choose(random).expect("there are six"))
}

fn tables(random: &mut SmallRng) -> Tables {
    let mut names = WORDS.to_vec();
    names.shuffle(random);
    [names[0], names[1]].map(|name| {
        let mut columns = WORDS.to_vec();
        columns.shuffle(random);
        columns.truncate(random.random_range(2..5));
        (name, columns)
    })
}

/// A query; the server may refuse it.
fn query(random: &mut SmallRng, tables: &Tables) -> String {
    let (t, u) = if random.random_bool(0.5) { (&tables[0], &tables[1]) } else { (&tables[1], &tables[0]) };
    let mut column = |of: &(&str, Vec<&'static str>)| format!("`{}`", of.1.choose(random).expect("columns"));
    let (a, b, c, x, y) = (column(t), column(t), column(t), column(u), column(u));
    let [w, z, alias] = [word(random), word(random), word(random)];
    let (t, u) = (format!("`{}`", t.0), format!("`{}`", u.0));
    match random.random_range(0..18) {
        0 => format!("SELECT {alias}.{a}, {b} AS {w} FROM {t} {alias} WHERE {c} <> '{z}' /* {w} */"),
        1 => format!("SELECT {t}.{a}, {u}.{x} AS {w} FROM {t} JOIN {u} ON {t}.{b} = {u}.{y}"),
        2 => format!("SELECT {alias}.n FROM (SELECT {a} AS n FROM {t}) {alias}"),
        3 => format!("SELECT {a} FROM (SELECT {a} FROM {t}) {alias} ORDER BY {a}"),
        4 => format!("WITH {alias} AS (SELECT {a} FROM {t}) SELECT * FROM {alias}"),
        5 => format!("SELECT {a}, COUNT(*) AS {w} FROM {t} GROUP BY {a} HAVING {w} > 0 ORDER BY {z}"),
        6 => format!("SELECT {a} + 1, {b} FROM {t} WHERE EXISTS (SELECT 1 FROM {u} WHERE {u}.{x} = {c})"),
        7 => format!("SELECT * FROM {t}"),
        8 => format!("SELECT {t}.*, {alias}.{x} AS y FROM {t} JOIN {u} {alias} ON {alias}.{y} >= {t}.{a}"),
        9 => format!("SELECT {a} FROM {t} UNION ALL SELECT {x} FROM {u} ORDER BY {a}"),
        10 => format!("SELECT {a} AS {w}, {b} AS {z} FROM {t} WHERE {c} > 0 ORDER BY {w}"),
        11 => format!("SELECT {w}.{a} FROM {t} AS {w} LEFT JOIN {u} AS {z} USING ({a})"),
        12 => format!("SELECT (SELECT MAX({x}) FROM {u} WHERE {w} = {a}) AS n FROM {t}"),
        13 => format!("SELECT {a} FROM {t} WHERE {b} IN (SELECT {x} FROM {u} {alias} WHERE {alias}.{y} > {z})"),
        14 => format!(
            "SELECT SUM({a}) OVER {w} AS n, RANK() OVER (ORDER BY {b}) AS m FROM {t} WINDOW {w} AS (ORDER BY {c})"
        ),
        15 => format!("SELECT CASE WHEN {a} > 1 THEN '{w}' ELSE CONCAT({b}, \"{z}\") END AS {z} FROM {t} -- {a}"),
        16 => format!("SELECT {t}.{a}, m.{x} FROM {t} NATURAL JOIN (SELECT {x} FROM {u}) m"),
        _ => format!(
            "WITH RECURSIVE {w} AS (SELECT 1 AS {z} UNION ALL SELECT {z} + 1 FROM {w} WHERE {z} < 3) SELECT {w}.{z}, {a} FROM {w} JOIN {t}"
        ),
    }
}

/// A trigger or routine; the server may refuse it.
fn program(random: &mut SmallRng, tables: &Tables) -> String {
    let (t, u) = if random.random_bool(0.5) { (&tables[0], &tables[1]) } else { (&tables[1], &tables[0]) };
    let mut column = |of: &(&str, Vec<&'static str>)| format!("`{}`", of.1.choose(random).expect("columns"));
    let (a, b, x, y) = (column(t), column(t), column(u), column(u));
    let [name, w, z] = [word(random), word(random), word(random)];
    let inner = query(random, tables);
    let (t, u) = (format!("`{}`", t.0), format!("`{}`", u.0));
    match random.random_range(0..9) {
        0 => {
            format!("CREATE TRIGGER {name} AFTER INSERT ON {t} FOR EACH ROW INSERT INTO {u} ({x}) VALUES (NEW.{a} + 1)")
        }
        1 => format!(
            "CREATE TRIGGER {name} BEFORE INSERT ON {t} FOR EACH ROW BEGIN
               DECLARE {w} INT DEFAULT 2; SELECT MAX({x}) INTO {w} FROM {u};
               IF {w} > 0 THEN SET NEW.{a} = NEW.{a} + {w} + {z}; END IF; END"
        ),
        2 => format!(
            "CREATE TRIGGER {name} AFTER INSERT ON {t} FOR EACH ROW UPDATE {u} SET {x} = NEW.{b} WHERE {u}.{y} > 1"
        ),
        3 => format!(
            "CREATE FUNCTION {name}({w} INT) RETURNS INT READS SQL DATA RETURN (SELECT COUNT({a}) + {w} FROM {t})"
        ),
        4 => format!(
            "CREATE PROCEDURE {name}({w} INT) BEGIN DELETE {z} FROM {t} {z} WHERE {z}.{a} > 5;
               INSERT INTO {t} ({b}) SELECT {x} FROM {u} WHERE {y} < {w}; {inner}
             ; END"
        ),
        5 => format!(
            "CREATE PROCEDURE {name}() BEGIN FOR {w} IN (SELECT {a}, {b} FROM {t}) DO
               INSERT INTO {u} ({x}) VALUES ({w}.{a}); END FOR; END"
        ),
        6 => format!(
            "CREATE PROCEDURE {name}() {z}: BEGIN DECLARE {w} CURSOR FOR SELECT {a} FROM {t};
               DECLARE EXIT HANDLER FOR NOT FOUND, SQLSTATE '42000' BEGIN UPDATE {u} SET {x} = {y} + 1; END;
               OPEN {w}; LOOP FETCH {w} INTO @value; END LOOP; END"
        ),
        7 => format!(
            "CREATE PROCEDURE {name}({z} INT) BEGIN DECLARE {w} TYPE OF {t}.{a} DEFAULT 3; WHILE {w} > 0 DO
               CASE {w} WHEN 1 THEN UPDATE {u} SET {x} = {w}; ELSE REPLACE INTO {t} SET {b} = {z}; END CASE;
               SET {w} = {w} - 1; END WHILE; END"
        ),
        _ => format!("CREATE PROCEDURE {name}() {inner}"),
    }
}

/// The behaviour of a schema after the same rows are inserted: the columns and rows of views, what routines return and leave.
fn behaviour(database: &Database, tables: [(&str, usize); 2], model: &Model) -> Vec<String> {
    let mut shown = Vec::new();
    for (table, columns) in tables {
        for row in 1..4 {
            let values: Vec<String> = (0..columns).map(|column| ((row * 7 + column * 3) % 5).to_string()).collect();
            let insert = format!("INSERT INTO `{table}` VALUES ({})", values.join(", "));
            shown.push(format!("{row} {}", database.client(&insert).is_ok()));
        }
    }
    let mut ask = |question: &str, sql: &str| {
        let answer = database.client(sql).map(|rows| {
            let mut rows: Vec<&str> = rows.lines().collect();
            rows.sort();
            rows.join("\n")
        });
        shown.push(format!("{question}: {}", answer.unwrap_or_else(|_| "an error".to_owned())));
    };
    for view in model.of_kind(Kind::View) {
        let name = view.name.identifier();
        ask(
            name,
            &format!(
                "SELECT column_name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = '{name}'"
            ),
        );
        ask(name, &format!("SELECT * FROM `{name}`"));
    }
    for function in model.of_kind(Kind::Function) {
        ask("function", &format!("SELECT `{}`(2)", function.name.identifier()));
    }
    for procedure in model.of_kind(Kind::Procedure) {
        let name = procedure.name.identifier();
        let argument = if procedure.text.contains(" INT) ") { "3" } else { "" };
        ask("procedure", &format!("CALL `{name}`({argument})"));
    }
    for (table, _) in tables {
        ask("table", &format!("SELECT * FROM `{table}`"));
    }
    shown
}

/// The statements of a kind in the order of the source, in which triggers fire.
fn in_order(model: &Model, kind: Kind) -> Vec<&str> {
    let mut objects: Vec<&Object> = model.of_kind(kind).collect();
    objects.sort_by_key(|object| object.location.map(|location| location.start));
    objects.into_iter().map(|object| object.text.as_str()).collect()
}

/// The result of a case.
#[derive(PartialEq)]
enum Outcome {
    Same,
    /// Some words were left, with a warning.
    Doubts,
    /// The names are taken.
    Refused,
}

fn case(seed: u64) -> Outcome {
    let mut random = SmallRng::seed_from_u64(seed);
    let tables = tables(&mut random);
    let database = Server::usual().database();
    let mut source = String::new();
    for (name, columns) in &tables {
        let columns: Vec<String> = columns.iter().map(|column| format!("`{column}` INT DEFAULT 1")).collect();
        let table = format!("CREATE TABLE `{name}` ({})", columns.join(", "));
        database.client(&table).expect("a table");
        source.push_str(&format!("{table};\n"));
    }
    for number in 0..random.random_range(2..4) {
        let view = format!("CREATE VIEW v{number} AS {}", query(&mut random, &tables));
        if database.client(&format!("{view}\n;")).is_ok() {
            source.push_str(&format!("{view}\n;\n"));
        }
    }
    source.push_str("DELIMITER //\n");
    for _ in 0..3 {
        let program = program(&mut random, &tables);
        if database.client(&format!("DELIMITER //\n{program}\n//")).is_ok() {
            source.push_str(&format!("{program}\n//\n"));
        }
    }
    source.push_str("DELIMITER ;\n");
    let want = model(&source);
    let (table, columns) = tables.choose(&mut random).expect("two");
    let renamed = if random.random_bool(0.7) { *WORDS.choose(&mut random).expect("six") } else { table };
    let column = columns.choose(&mut random).expect("columns");
    let to = WORDS.choose(&mut random).expect("six");
    let mut rules = Vec::new();
    if renamed != *table {
        let what = MapKind::Objects(Some(Kind::Table));
        rules.push(MapRule { what, have: renamed.to_owned(), want: (*table).to_owned() });
    }
    if to != column {
        let (have, want) = (format!("{renamed}.{to}"), format!("{table}.{column}"));
        rules.push(MapRule { what: MapKind::Column, have, want });
    }
    let Ok(Mapped { want: mapped, doubts, .. }) = map(maria(), VERSION, (&want, &want), &Scope::default(), &rules)
    else {
        return Outcome::Refused;
    };
    if !doubts.is_empty() {
        return Outcome::Doubts;
    }
    let other = Server::usual().database();
    let kinds = [Kind::Table, Kind::View, Kind::Trigger, Kind::Function, Kind::Procedure];
    for text in kinds.into_iter().flat_map(|kind| in_order(&mapped, kind)) {
        if let Err(error) = other.client(&format!("DELIMITER //\n{text}\n//")) {
            panic!("WEVRUN_SEED={seed} {rules:?}: {error}\n{text}\nof\n{source}");
        }
    }
    let sizes = tables.clone().map(|(name, columns)| (name, columns.len()));
    let renamed_sizes = sizes.map(|(name, count)| (if name == *table { renamed } else { name }, count));
    let (before, after) = (behaviour(&database, sizes, &want), behaviour(&other, renamed_sizes, &want));
    assert!(
        before == after,
        "WEVRUN_SEED={seed} {rules:?}\n{source}\nbecomes\n{}\n{before:#?}\n{after:#?}",
        kinds.map(|kind| in_order(&mapped, kind).join("\n")).join("\n")
    );
    Outcome::Same
}

#[test]
fn mapped_views_and_programs_do_the_same() {
    let (start, cases) = (number("WEVRUN_SEED", 1), number("WEVRUN_CASES", 40));
    let (mut outcomes, mut wrong) = (Vec::new(), Vec::new());
    for seed in start..start + cases {
        match std::panic::catch_unwind(|| case(seed)) {
            Ok(outcome) => outcomes.push(outcome),
            Err(_) => wrong.push(seed),
        }
    }
    assert!(wrong.is_empty(), "{} of {cases} are wrong: WEVRUN_SEED is one of {wrong:?}", wrong.len());
    let count = |outcome: Outcome| outcomes.iter().filter(|own| **own == outcome).count();
    let (same, doubts, refused) = (count(Outcome::Same), count(Outcome::Doubts), count(Outcome::Refused));
    println!("{same} are the same, {doubts} have doubts, {refused} are refused");
    assert!(same * 2 > outcomes.len() - refused, "{same} are the same, {doubts} have doubts, {refused} are refused");
}
