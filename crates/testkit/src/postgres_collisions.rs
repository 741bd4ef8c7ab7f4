//! Random PostgreSQL schemas in which every name, alias, label and literal is one of six words, so that everything collides.

use rand::Rng;
use rand::rngs::SmallRng;
use rand::seq::{IndexedRandom, SliceRandom};

use crate::collisions::{Known, WORDS};

fn word(random: &mut SmallRng) -> &'static str {
    WORDS.choose(random).expect("there are six")
}

/// A name as a person may write it.
fn spelled(random: &mut SmallRng, name: &str) -> String {
    match random.random_range(0..4) {
        0 => format!("\"{name}\""),
        1 => name.to_uppercase(),
        _ => name.to_owned(),
    }
}

fn spelled_word(random: &mut SmallRng) -> String {
    let name = word(random);
    spelled(random, name)
}

fn column(random: &mut SmallRng, table: &Known) -> String {
    let name = table.columns.choose(random).expect("a table has columns").clone();
    spelled(random, &name)
}

/// The table's name, with its schema or without.
fn named(random: &mut SmallRng, table: &Known) -> String {
    let name = spelled(random, &table.name);
    if random.random_bool(0.3) { format!("public.{name}") } else { name }
}

/// A condition over a table's columns, which are texts, with literals that are words, too.
fn condition(random: &mut SmallRng, table: &Known, qualifier: &str) -> String {
    let (own, other) = (column(random, table), column(random, table));
    let literal = word(random);
    match random.random_range(0..8) {
        0 => format!("{qualifier}{own} <> '{literal}'"),
        1 => format!("{qualifier}{own} > 'x' /* {literal} */"),
        2 => format!("{qualifier}{own} IS DISTINCT FROM {other}"),
        3 => format!("{own} NOT IN ('{literal}', 'no {literal}')"),
        4 => format!("coalesce({qualifier}{own}, '{literal}') <> E'x {literal} y'"),
        5 => format!("CASE WHEN {own} IS NULL THEN 1 ELSE length($${literal}$$) END > 0"),
        6 => format!("upper({own})::text <> 'public.{literal}'"),
        _ => format!("{own} LIKE '%{literal}%' OR {other} IS NULL"),
    }
}

/// A schema, its tables, and the statements that create it with an enumeration, two or three tables and what depends on them.
pub fn tables(random: &mut SmallRng) -> (&'static str, Vec<Known>, Vec<String>) {
    let mut names = WORDS.to_vec();
    names.shuffle(random);
    let enumeration = names.pop().expect("six");
    let schema = word(random);
    let mut statements = vec![
        format!("CREATE SCHEMA {schema}"),
        format!("SET search_path = {schema}"),
        format!("CREATE TYPE {} AS ENUM ('kg', 'new', 'note')", spelled(random, enumeration)),
    ];
    let mut made: Vec<Known> = Vec::new();
    for name in names.into_iter().take(random.random_range(2..4)) {
        let mut columns = WORDS.to_vec();
        columns.shuffle(random);
        columns.truncate(random.random_range(2..5));
        let table = Known { name: name.to_owned(), columns: columns.iter().map(|&name| name.to_owned()).collect() };
        let mut lines = Vec::new();
        for (at, name) in columns.iter().enumerate() {
            let mut line = spelled(random, name);
            line += &match random.random_range(0..8) {
                0 => format!(" text DEFAULT '{}'", word(random)),
                1 => format!(" text CHECK ({})", condition(random, &table, "")),
                2 if at > 0 => {
                    format!(" text GENERATED ALWAYS AS (upper({}) || '{}') STORED", columns[0], word(random))
                }
                3 => " text UNIQUE".to_owned(),
                4 => format!(" {enumeration} DEFAULT 'new' CHECK ({} <> '{}')", spelled(random, name), "new"),
                _ => " text".to_owned(),
            };
            lines.push(line);
        }
        if random.random_bool(0.4) {
            let qualifier = if random.random_bool(0.3) { format!("{}.", table.name) } else { String::new() };
            lines.push(format!("CONSTRAINT {} CHECK ({})", word(random), condition(random, &table, &qualifier)));
        }
        if random.random_bool(0.3) {
            let (own, other) = (column(random, &table), column(random, &table));
            lines.push(format!("PRIMARY KEY ({own}), UNIQUE ({other}, {own})"));
        }
        if let Some(parent) = made.choose(random).filter(|_| random.random_bool(0.3)) {
            let (own, of_parent) = (column(random, &table), column(random, parent));
            lines.push(format!("FOREIGN KEY ({own}) REFERENCES {} ({of_parent})", spelled(random, &parent.name)));
        }
        statements.push(format!("CREATE TABLE {} ({})", named(random, &table), lines.join(", ")));
        made.push(table);
    }
    let count = random.random_range(2..7);
    statements
        .extend((0..count).flat_map(|_| dependent(random, &made).split(";;").map(str::to_owned).collect::<Vec<_>>()));
    (schema, made, statements.into_iter().map(|text| text.replace("public.", &format!("{schema}."))).collect())
}

/// An object that depends on some of the tables; the server may refuse it.
fn dependent(random: &mut SmallRng, tables: &[Known]) -> String {
    let (t, u) = (tables.choose(random).expect("tables"), tables.choose(random).expect("tables"));
    let name = spelled_word(random);
    let (tn, w) = (named(random, t), word(random));
    match random.random_range(0..12) {
        0 => {
            let filter =
                if random.random_bool(0.5) { format!(" WHERE {}", condition(random, t, "")) } else { String::new() };
            format!(
                "CREATE INDEX {name} ON {tn} ({}, coalesce({}, '{w}')){filter}",
                column(random, t),
                column(random, t)
            )
        }
        1 => format!("CREATE POLICY {name} ON {tn} USING ({})", condition(random, t, "")),
        2 => {
            let (c, d) = (column(random, t), column(random, u));
            format!(
                "CREATE POLICY {name} ON {tn} USING (EXISTS (SELECT 1 FROM {} {w} WHERE {w}.{d} = {}.{c}))",
                named(random, u),
                t.name
            )
        }
        3 => format!("CREATE RULE {name} AS ON UPDATE TO {tn} DO ALSO {}", statement(random, t, u, "new", "old")),
        4 => {
            format!(
                "CREATE FUNCTION f_{w}({w} text) RETURNS text LANGUAGE sql BEGIN ATOMIC SELECT {} FROM {tn} WHERE {}; END",
                column(random, t),
                condition(random, t, "")
            )
        }
        5 => format!("CREATE STATISTICS {name} ON {}, {} FROM {tn}", column(random, t), column(random, t)),
        6 => {
            format!(
                "CREATE FUNCTION g_{w}() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END';;CREATE TRIGGER {name} AFTER UPDATE OF {}, {} ON {tn} FOR EACH ROW WHEN (new.{} <> '{w}') EXECUTE FUNCTION g_{w}()",
                column(random, t),
                column(random, t),
                column(random, t)
            )
        }
        _ => format!("CREATE VIEW {name} AS {}", query(random, t, u)),
    }
}

fn query(random: &mut SmallRng, t: &Known, u: &Known) -> String {
    let (c, d, e) = (column(random, t), column(random, u), column(random, t));
    let (w, x) = (word(random), word(random));
    let (tn, un) = (named(random, t), named(random, u));
    match random.random_range(0..18) {
        0 => format!("SELECT {c} AS {w}, '{x}' AS q FROM {tn}"),
        1 => format!("SELECT {w}.{c} FROM {tn} AS {w}"),
        2 => format!("SELECT p.{c} AS one, {x}.{d} FROM {tn} p JOIN {un} AS {x} ON {x}.{d} = p.{e}"),
        3 => format!("SELECT {c} FROM {tn} WHERE EXISTS (SELECT 1 FROM {un} WHERE {}.{d} = {c})", u.name),
        4 => format!("WITH {w} AS (SELECT {c} AS {x} FROM {tn}) SELECT {w}.{x} FROM {w}"),
        5 => format!("SELECT {c}::text FROM {tn} UNION SELECT {d}::text FROM {un} ORDER BY 1"),
        6 => format!("SELECT count(*) AS {w}, {c} FROM {tn} GROUP BY {c} HAVING max({e}) <> '{x}' ORDER BY {w}"),
        7 => format!("SELECT {c}, (SELECT max({d}) FROM {un}) AS {w} FROM {tn} ORDER BY {c}, {w}"),
        8 => format!("SELECT * FROM {tn}"),
        9 => format!("SELECT {w}.*, '{x}' AS more FROM {tn} {w}"),
        10 => format!("SELECT count({c}) OVER (PARTITION BY {e} ORDER BY {c}) AS {w} FROM {tn}"),
        11 => format!("SELECT {w}.{c} FROM (SELECT {c}, {e} AS {x}x FROM {tn}) AS {w}"),
        12 => format!("SELECT {}, {c} FROM {tn} WHERE {}", t.name, condition(random, t, "")),
        13 => {
            format!("SELECT a.{c} AS {w}, b.{e} FROM {tn} a, {tn} b WHERE a.{c} > b.{c} AND '{x}' NOT IN (b.{c}::text)")
        }
        14 => format!(
            "SELECT {}.{c} FROM {tn} WHERE {}.{c} IN (SELECT {d} FROM {un} {w} WHERE {w}.{d} <> '{x}')",
            t.name, t.name
        ),
        15 => format!("SELECT {w}.{c} AS {x}, {w} IS NULL AS n FROM {tn} {w} -- {x}\n WHERE {w}.{e}::text LIKE '{w}%'"),
        16 => format!("SELECT {c} FROM {tn} ORDER BY {e} LIMIT 3"),
        _ => format!("SELECT CAST({c} AS TEXT) || '{w}' AS {x}, {e}::text FROM {tn} /* {w} */"),
    }
}

/// A statement of a rule, with the rows of it.
fn statement(random: &mut SmallRng, t: &Known, u: &Known, new: &str, old: &str) -> String {
    let (c, d, e) = (column(random, t), column(random, u), column(random, t));
    let (w, un) = (word(random), named(random, u));
    match random.random_range(0..4) {
        0 => format!("INSERT INTO {un} ({d}) VALUES ({new}.{c})"),
        1 => format!("UPDATE {un} SET {d} = '{w}' WHERE {}.{d} = {old}.{e}", u.name),
        2 => format!("DELETE FROM {un} {w} WHERE {w}.{d} = {new}.{c} OR {w}.{d} = '{w}'"),
        _ => format!("INSERT INTO {un} AS {w} ({d}) VALUES ({old}.{e}) ON CONFLICT DO NOTHING"),
    }
}

/// ALTER statements; the server may refuse any.
pub fn alters(random: &mut SmallRng, own_schema: &str, tables: &[Known]) -> Vec<String> {
    let mut tables = tables.to_vec();
    let mut schema = own_schema.to_owned();
    let count = random.random_range(1..5);
    let mut found = Vec::new();
    for _ in 0..count {
        let at = random.random_range(0..tables.len());
        let name = format!("{schema}.{}", spelled(random, &tables[at].name));
        let own = tables[at].columns.choose(random).expect("columns").clone();
        let other = word(random);
        let (own_name, to) = (spelled(random, &own), spelled(random, other));
        let is_taken = |names: &[String]| names.iter().any(|name| name == other);
        match random.random_range(0..12) {
            0..=2 if tables.iter().all(|table| table.name != other) => {
                found.push(format!("ALTER TABLE {name} RENAME TO {to}"));
                tables[at].name = other.to_owned();
            }
            3..=6 if !is_taken(&tables[at].columns) => {
                found.push(format!("ALTER TABLE {name} RENAME COLUMN {own_name} TO {to}"));
                tables[at]
                    .columns
                    .iter_mut()
                    .filter(|column| **column == own)
                    .for_each(|column| other.clone_into(column));
            }
            7 | 8 if tables[at].columns.len() > 1 => {
                let cascade = if random.random_bool(0.5) { " CASCADE" } else { "" };
                found.push(format!("ALTER TABLE {name} DROP COLUMN {own_name}{cascade}"));
                tables[at].columns.retain(|column| *column != own);
            }
            9 => {
                let label = ["kg", "new", "note"].choose(random).expect("three");
                found.push(format!("ALTER TYPE {schema}.{to} RENAME VALUE '{label}' TO 'a {label}'"));
            }
            10 => {
                let others: Vec<&str> = WORDS.into_iter().filter(|word| *word != other).collect();
                let new = others.choose(random).expect("five");
                found.push(format!("ALTER TYPE {schema}.{to} RENAME TO {new}"));
            }
            11 if schema == own_schema && other != own_schema => {
                found.push(format!("ALTER SCHEMA {schema} RENAME TO {to}"));
                other.clone_into(&mut schema);
            }
            _ => {}
        }
    }
    found
}
