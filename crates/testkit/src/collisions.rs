//! Random SQLite schemas in which every name, alias and literal is one of six words, so that everything collides.

use rand::Rng;
use rand::rngs::SmallRng;
use rand::seq::{IndexedRandom, SliceRandom};

/// The words.
pub const WORDS: [&str; 6] = ["kg", "kind", "note", "bees", "new", "key"];

/// A table that a random statement can name: its name and columns.
#[derive(Debug, Clone)]
pub struct Known {
    /// The name.
    pub name: String,
    /// The columns.
    pub columns: Vec<String>,
}

fn word(rng: &mut SmallRng) -> &'static str {
    WORDS.choose(rng).expect("there are six")
}

/// A name as a person may write it.
fn spelled(rng: &mut SmallRng, name: &str) -> String {
    match rng.random_range(0..6) {
        0 => format!("\"{name}\""),
        1 => format!("[{name}]"),
        2 => name.to_uppercase(),
        _ => name.to_owned(),
    }
}

fn spelled_word(rng: &mut SmallRng) -> String {
    let name = word(rng);
    spelled(rng, name)
}

fn column(rng: &mut SmallRng, table: &Known) -> String {
    let name = table.columns.choose(rng).expect("a table has columns").clone();
    spelled(rng, &name)
}

/// A condition over a table's columns, with literals that are words, too.
fn condition(rng: &mut SmallRng, table: &Known, qualifier: &str) -> String {
    let (own, other) = (column(rng, table), column(rng, table));
    let literal = word(rng);
    match rng.random_range(0..7) {
        0 => format!("{qualifier}{own} <> '{literal}'"),
        1 => format!("{qualifier}{own} > 0"),
        2 => format!("{qualifier}{own} IS NOT {other}"),
        3 => format!("{own} NOT IN ('{literal}', \"no {literal}\")"),
        4 => format!("coalesce({qualifier}{own}, '{literal}') /* {literal} */ <> 'x {literal} y'"),
        5 => format!("CASE WHEN {own} THEN 1 ELSE length('{literal}') END"),
        _ => format!("{own} LIKE '%{literal}%' OR {other} IS NULL"),
    }
}

/// CREATE TABLE for two or three tables.
pub fn tables(rng: &mut SmallRng) -> Vec<(Known, String)> {
    let mut names = WORDS.to_vec();
    names.shuffle(rng);
    let count = rng.random_range(2..4);
    let mut made = Vec::new();
    for name in names.into_iter().take(count) {
        let mut columns = WORDS.to_vec();
        columns.shuffle(rng);
        columns.truncate(rng.random_range(2..5));
        let table = Known { name: name.to_owned(), columns: columns.iter().map(|&name| name.to_owned()).collect() };
        let mut lines = Vec::new();
        for (at, name) in columns.iter().enumerate() {
            let mut line = spelled(rng, name);
            match rng.random_range(0..7) {
                0 if at > 0 => line += &format!(" TEXT DEFAULT '{}'", word(rng)),
                1 => line += &format!(" CHECK ({})", condition(rng, &table, "")),
                2 if at > 0 => line += &format!(" AS ('{}' || {})", word(rng), spelled(rng, columns[0])),
                3 => line += " UNIQUE",
                _ => line += " INT",
            }
            lines.push(line);
        }
        if rng.random_bool(0.4) {
            let qualifier = if rng.random_bool(0.3) { format!("{}.", table.name) } else { String::new() };
            lines.push(format!("CONSTRAINT {} CHECK ({})", word(rng), condition(rng, &table, &qualifier)));
        }
        if rng.random_bool(0.3) {
            lines.push(format!("PRIMARY KEY ({})", column(rng, &table)));
        }
        let parents: Vec<&(Known, String)> = made.iter().collect();
        if let Some((parent, _)) = parents.choose(rng).filter(|_| rng.random_bool(0.4)) {
            let (own, parent_column) = (column(rng, &table), column(rng, parent));
            lines.push(format!("FOREIGN KEY ({own}) REFERENCES {} ({parent_column})", spelled(rng, &parent.name)));
        }
        let text = format!("CREATE TABLE {} (\n  {}\n)", spelled(rng, &table.name), lines.join(",\n  "));
        made.push((table, text));
    }
    made
}

/// A view, index or trigger on some of the tables; the engine may refuse it.
pub fn dependent(rng: &mut SmallRng, tables: &[Known]) -> String {
    let (t, u) = (tables.choose(rng).expect("tables"), tables.choose(rng).expect("tables"));
    let name = spelled_word(rng);
    match rng.random_range(0..4) {
        0 => index(rng, &name, t),
        1 => trigger(rng, &name, t, u),
        _ => format!("CREATE VIEW {name} AS {}", query(rng, t, u)),
    }
}

fn index(rng: &mut SmallRng, name: &str, t: &Known) -> String {
    let part = match rng.random_range(0..3) {
        0 => format!("coalesce({}, '{}')", column(rng, t), word(rng)),
        _ => column(rng, t),
    };
    let filter = if rng.random_bool(0.3) { format!(" WHERE {}", condition(rng, t, "")) } else { String::new() };
    format!("CREATE INDEX {name} ON {} ({part}){filter}", spelled(rng, &t.name))
}

fn query(rng: &mut SmallRng, t: &Known, u: &Known) -> String {
    let (c, d, e) = (column(rng, t), column(rng, u), column(rng, t));
    let (w, x) = (word(rng), word(rng));
    let (tn, un) = (spelled(rng, &t.name), spelled(rng, &u.name));
    match rng.random_range(0..16) {
        0 => format!("SELECT {c} AS {w}, '{x}' AS q FROM {tn}"),
        1 => format!("SELECT {w}.{c} FROM {tn} AS {w}"),
        2 => format!("SELECT p.{c} AS one, {x}.{d} FROM {tn} p JOIN {un} AS {x} ON {x}.{d} = p.{e}"),
        3 => format!("SELECT {c} FROM {tn} WHERE EXISTS (SELECT 1 FROM {un} WHERE {un}.{d} = {c})"),
        4 => format!("WITH {w} AS (SELECT {c} AS {x} FROM {tn}) SELECT {w}.{x} FROM {w}"),
        5 => format!("SELECT {c} FROM {tn} UNION SELECT {d} FROM {un} ORDER BY {c}"),
        6 => format!("SELECT count(*) AS {w}, {c} FROM {tn} GROUP BY {c} HAVING max({e}) <> '{x}' ORDER BY {w}"),
        7 => format!("SELECT {c}, (SELECT max({d}) FROM {un}) AS {w} FROM {tn} ORDER BY {c}, {w}"),
        8 => format!("SELECT {tn}.* FROM {tn} NATURAL JOIN {un}"),
        9 => format!("SELECT {d} FROM {tn} JOIN {un} USING ({d})"),
        10 => format!("SELECT sum({c}) OVER (PARTITION BY {e} ORDER BY {c}) AS {w} FROM {tn}"),
        11 => format!("SELECT {w}.{c} FROM (SELECT {c}, {e} AS {x}x FROM {tn}) AS {w}"),
        12 => format!("SELECT \"{w}\", {c} FROM {tn} WHERE {}", condition(rng, t, "")),
        13 => format!("SELECT a.{c} AS {w}, b.{c} FROM {tn} a, {tn} b WHERE a.{c} > b.{e} AND '{x}' NOT IN (b.{c})"),
        14 => format!("SELECT {tn}.{c} FROM {tn} WHERE {tn}.{c} IN (SELECT {d} FROM {un} {w} WHERE {w}.{d} <> '{x}')"),
        _ => format!("SELECT CAST({c} AS TEXT) || '{w}' AS {x} FROM {tn} /* {w} */ WHERE {e} -- {x}\n LIKE '{w}%'"),
    }
}

fn trigger(rng: &mut SmallRng, name: &str, t: &Known, u: &Known) -> String {
    let (c, d, e) = (column(rng, t), column(rng, u), column(rng, t));
    let (w, x) = (word(rng), word(rng));
    let (tn, un) = (spelled(rng, &t.name), spelled(rng, &u.name));
    let statement = match rng.random_range(0..6) {
        0 => format!("INSERT INTO {un} ({d}) VALUES (new.{c}), ('{w}')"),
        1 => format!("UPDATE {un} SET {d} = (SELECT max({c}) FROM {tn}) WHERE {d} <> '{w}' OR {d} = old.{e}"),
        2 => format!("DELETE FROM {un} WHERE {d} = new.{c} OR {d} = '{w}'"),
        3 => format!("SELECT {w}.{c} AS {x} FROM {tn} AS {w} WHERE {w}.{e} = new.{c}"),
        // Not EXCLUDED: RENAME TO replaces it by the table's name, which means another row.
        4 => format!(
            "INSERT INTO {un} ({d}) SELECT {c} FROM {tn} WHERE true ON CONFLICT DO UPDATE SET {d} = {d} || '{w}'"
        ),
        _ => format!(
            "UPDATE {un} SET {d} = (SELECT '{x}') WHERE EXISTS (SELECT 1 FROM {tn} {w} WHERE {w}.{c} IS old.{c})"
        ),
    };
    let when = if rng.random_bool(0.5) { format!(" WHEN new.{c} IS NOT '{w}'") } else { String::new() };
    format!("CREATE TRIGGER {name} AFTER UPDATE OF {e} ON {tn}{when} BEGIN {statement}; END")
}

/// ALTER TABLE; the engine may refuse it.
pub fn alter(rng: &mut SmallRng, tables: &[Known]) -> String {
    let table = tables.choose(rng).expect("tables");
    let (name, own) = (spelled(rng, &table.name), column(rng, table));
    let others: Vec<&str> = WORDS.into_iter().filter(|word| *word != table.name.to_lowercase()).collect();
    let other = *others.choose(rng).expect("five others");
    let to = spelled(rng, other);
    match rng.random_range(0..8) {
        0 | 1 => format!("ALTER TABLE {name} RENAME TO {to}"),
        2..=4 => format!("ALTER TABLE {name} RENAME COLUMN {own} TO {to}"),
        5 | 6 => format!("ALTER TABLE {name} DROP COLUMN {own}"),
        _ => {
            let added = word(rng);
            format!(
                "ALTER TABLE {name} ADD COLUMN {added} TEXT DEFAULT '{}' CHECK ({added} <> '{}')",
                word(rng),
                word(rng)
            )
        }
    }
}
