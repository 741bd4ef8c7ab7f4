//! Random rows that fit a schema.

use rand::Rng;
use rand::rngs::SmallRng;
use rand::seq::IndexedRandom;
use rusqlite::Connection;
use rusqlite::types::Value;

use crate::schema::{Column, Schema};

/// Fills every table with a few rows. A row that does not fit is left out.
pub fn fill(connection: &Connection, schema: &Schema, rng: &mut SmallRng) {
    connection
        .execute_batch("PRAGMA foreign_keys = ON; PRAGMA synchronous = OFF")
        .expect("pragmas that are always there");
    for table in &schema.tables {
        if rng.random_bool(0.15) {
            continue; // empty tables have their own paths
        }
        for number in 0..rng.random_range(1..8) {
            let columns: Vec<&Column> = table.columns.iter().filter(|column| column.generated.is_none()).collect();
            let names: Vec<String> = columns.iter().map(|column| quoted(&column.name)).collect();
            let places: Vec<String> = (1..=columns.len()).map(|place| format!("?{place}")).collect();
            let sql =
                format!("INSERT INTO {} ({}) VALUES ({})", quoted(&table.name), names.join(", "), places.join(", "));
            let values: Vec<Value> = columns
                .iter()
                .enumerate()
                .map(|(place, column)| value(rng, column, place, number, table.strict))
                .collect();
            let _ = connection.execute(&sql, rusqlite::params_from_iter(values));
        }
    }
    for (name, columns) in &schema.full_text {
        let values: Vec<&str> = columns.iter().map(|_| "'heather honey'").collect();
        let _ = connection.execute_batch(&format!("INSERT INTO {} VALUES ({})", quoted(name), values.join(", ")));
    }
    // A counter beyond the largest rowid, so that keeping it can be seen.
    let _ = connection.execute_batch("UPDATE sqlite_sequence SET seq = seq + 100");
}

fn value(rng: &mut SmallRng, column: &Column, place: usize, number: i64, strict: bool) -> Value {
    if place == 0 {
        return match column.data_type.as_str() {
            "TEXT" | "ANY" if strict => Value::Text(format!("row {number}")),
            "BLOB" if strict => Value::Blob(vec![number as u8]),
            _ => Value::Integer(number * 3 + 1),
        };
    }
    if column.references.is_some() {
        return if rng.random_bool(0.5) { Value::Null } else { Value::Integer(1) };
    }
    if !column.not_null && rng.random_bool(0.3) {
        return Value::Null;
    }
    match column.data_type.as_str() {
        "INTEGER" => Value::Integer(rng.random_range(-5..5)),
        "REAL" => Value::Real(f64::from(rng.random_range(-5..5)) * 0.25),
        "BLOB" => Value::Blob(vec![0, 255, 7]),
        _ => Value::Text(
            (*["Ab", "ab ", "007", "it's", "1.10", "Zoë\n;"].choose(rng).expect("there are some")).to_owned(),
        ),
    }
}

fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}
