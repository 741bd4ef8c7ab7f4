//! Compares structure and rows of two SQLite files, by what the engine itself reports: pragmas, and the
//! tokens of what only the catalogue's text holds. It shares no code with the core.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use rusqlite::types::Value;
use rusqlite::{Connection, OpenFlags};

/// Every fact about a structure, one a line.
pub fn facts(path: &Path) -> BTreeSet<String> {
    let connection = open(path);
    let mut facts = BTreeSet::new();
    let objects = rows(
        &connection,
        "SELECT type, name, tbl_name, sql FROM sqlite_schema WHERE name NOT LIKE 'sqlite\\_%' ESCAPE '\\'",
    );
    let virtual_tables: Vec<String> =
        objects.iter().filter(|o| o[3].to_lowercase().starts_with("create virtual")).map(|o| o[1].clone()).collect();
    for object in &objects {
        let (kind, name, table, sql) = (&object[0], object[1].to_lowercase(), object[2].to_lowercase(), &object[3]);
        if name == "wevrun_ledger" || virtual_tables.iter().any(|v| name.starts_with(&format!("{}_", v.to_lowercase())))
        {
            continue;
        }
        match kind.as_str() {
            "table" => {
                facts.insert(format!("table {name}"));
                table_facts(&connection, &object[1], sql, &mut facts);
            }
            "index" => {
                let words = tokens(sql);
                facts.insert(format!("index {name} on {table}: {}", words[3..].join(" ")));
            }
            _ => {
                facts.insert(format!("{kind} {name}: {}", tokens(sql)[2..].join(" ")));
            }
        }
    }
    facts
}

fn table_facts(connection: &Connection, name: &str, sql: &str, facts: &mut BTreeSet<String>) {
    let table = name.to_lowercase();
    let literal = format!("'{}'", name.replace('\'', "''"));
    if sql.to_lowercase().starts_with("create virtual") {
        facts.insert(format!("virtual {table}: {}", tokens(sql)[4..].join(" ")));
        return;
    }
    for row in rows(
        connection,
        &format!("SELECT wr, strict FROM pragma_table_list WHERE name = {literal} AND schema = 'main'"),
    ) {
        facts.insert(format!("{table}: without rowid {} strict {}", row[0], row[1]));
    }
    for row in rows(
        connection,
        &format!("SELECT name, type, \"notnull\", dflt_value, pk, hidden FROM pragma_table_xinfo({literal})"),
    ) {
        let default = tokens(&row[3]).join(" ");
        let data_type: String = row[1].to_lowercase().split_whitespace().collect();
        facts.insert(format!(
            "{table}.{}: {data_type} notnull {} default {default} pk {} hidden {}",
            row[0].to_lowercase(),
            row[2],
            row[4],
            row[5]
        ));
    }
    let mut keys: BTreeMap<String, Vec<String>> = BTreeMap::new();
    let sql_keys = format!(
        "SELECT id, seq, \"table\", \"from\", \"to\", on_update, on_delete FROM pragma_foreign_key_list({literal})"
    );
    for row in rows(connection, &sql_keys) {
        keys.entry(row[0].clone()).or_default().push(row[2..].join(" ").to_lowercase());
    }
    for key in keys.values() {
        facts.insert(format!("{table} foreign key {}", key.join(", ")));
    }
    for row in rows(connection, &format!("SELECT name, \"unique\", origin, partial FROM pragma_index_list({literal})"))
    {
        let index = format!("'{}'", row[0].replace('\'', "''"));
        let columns =
            rows(connection, &format!("SELECT name, \"desc\", coll FROM pragma_index_xinfo({index}) WHERE key"));
        let columns: Vec<String> = columns.iter().map(|column| column.join(" ").to_lowercase()).collect();
        let own = if row[2] == "c" { row[0].to_lowercase() } else { String::new() };
        facts.insert(format!(
            "{table} index {own} unique {} {} partial {}: {}",
            row[1],
            row[2],
            row[3],
            columns.join(", ")
        ));
    }
    let words = tokens(sql);
    for (at, word) in words.iter().enumerate() {
        if (word == "check" || word == "as") && words.get(at + 1).is_some_and(|next| next == "(") {
            let mut depth = 0;
            let end = words[at + 1..].iter().position(|word| {
                depth += i32::from(word == "(") - i32::from(word == ")");
                depth == 0
            });
            facts.insert(format!("{table} {word} {}", words[at + 1..at + 2 + end.expect("it is closed")].join(" ")));
        }
    }
    if words.iter().any(|word| word == "autoincrement") {
        facts.insert(format!("{table} autoincrement"));
    }
    let deferred = words.windows(2).filter(|pair| pair[0] == "initially" && pair[1] == "deferred").count();
    facts.insert(format!("{table} deferred keys {deferred}"));
}

/// The words of a statement: without comments, names without quotes and in lower case.
fn tokens(sql: &str) -> Vec<String> {
    let chars: Vec<char> = sql.chars().collect();
    let (mut out, mut at) = (Vec::new(), 0);
    while at < chars.len() {
        let (ch, next) = (chars[at], chars.get(at + 1).copied());
        let start = at;
        if ch.is_whitespace() {
            at += 1;
        } else if ch == '-' && next == Some('-') {
            while at < chars.len() && chars[at] != '\n' {
                at += 1;
            }
        } else if ch == '/' && next == Some('*') {
            at += 2;
            while at < chars.len() && !(chars[at] == '*' && chars.get(at + 1) == Some(&'/')) {
                at += 1;
            }
            at += 2;
        } else if let Some(close) = match ch {
            '\'' | '"' | '`' => Some(ch),
            '[' => Some(']'),
            _ => None,
        } {
            let mut inner = String::new();
            at += 1;
            while at < chars.len() {
                if chars[at] == close {
                    if close != ']' && chars.get(at + 1) == Some(&close) {
                        at += 1;
                    } else {
                        break;
                    }
                }
                inner.push(chars[at]);
                at += 1;
            }
            at += 1;
            out.push(if ch == '\'' { format!("'{inner}'") } else { inner.to_lowercase() });
        } else if ch.is_alphanumeric() || ch == '_' {
            while at < chars.len() && (chars[at].is_alphanumeric() || matches!(chars[at], '_' | '$' | '.')) {
                at += 1;
            }
            out.push(chars[start..at].iter().collect::<String>().to_lowercase());
        } else {
            at += 1;
            out.push(ch.to_string());
        }
    }
    out
}

/// The lines that only one of two files has: `-` the first, `+` the second.
pub fn differences(a: &Path, b: &Path) -> Vec<String> {
    let (a, b) = (facts(a), facts(b));
    let only = |mark: &str, facts: &BTreeSet<String>, other: &BTreeSet<String>| -> Vec<String> {
        facts.difference(other).map(|fact| format!("{mark} {fact}")).collect()
    };
    [only("-", &a, &b), only("+", &b, &a)].concat()
}

/// The rows of a table over some columns, in a stable order. The first column may be `rowid`.
pub fn table_rows(path: &Path, table: &str, columns: &[String]) -> Vec<String> {
    let connection = open(path);
    let quoted =
        |name: &String| if name == "rowid" { name.clone() } else { format!("\"{}\"", name.replace('"', "\"\"")) };
    let list: Vec<String> = columns.iter().map(quoted).collect();
    let mut found: Vec<String> =
        rows(&connection, &format!("SELECT {} FROM {}", list.join(", "), quoted(&table.to_owned())))
            .iter()
            .map(|row| row.join(" | "))
            .collect();
    found.sort();
    found
}

fn open(path: &Path) -> Connection {
    Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY).expect("a database to judge")
}

fn rows(connection: &Connection, sql: &str) -> Vec<Vec<String>> {
    let mut statement = connection.prepare(sql).unwrap_or_else(|error| panic!("{error}: {sql}"));
    let width = statement.column_count();
    let read = |row: &rusqlite::Row<'_>| {
        (0..width)
            .map(|at| {
                Ok(match row.get::<_, Value>(at)? {
                    Value::Null => "NULL".to_owned(),
                    Value::Integer(number) => number.to_string(),
                    Value::Real(number) => format!("{number:?}"),
                    Value::Text(text) => text,
                    Value::Blob(bytes) => format!("{bytes:?}"),
                })
            })
            .collect::<rusqlite::Result<Vec<String>>>()
    };
    statement.query_map([], read).and_then(Iterator::collect).unwrap_or_else(|error| panic!("{error}: {sql}"))
}
