//! The SQLite dialect: values in, values out. It may use the core, and no driver.
//!
//! Each trait of the core's stages is implemented in a file of its own: `identifiers`, `writing`, `grammar`, `semantics`, `rules`,
//! `privileges`, `mapping`, `planning`, `client`.

mod affinity;
mod canonical;
mod client;
mod engine;
mod grammar;
mod identifiers;
mod mapping;
mod names;
mod parse;
mod plan;
mod planning;
mod privileges;
mod rename;
mod resolve;
mod rules;
mod semantics;
mod syntax;
mod tokens;
mod versions;
mod write;
mod writing;

pub use engine::SQLITE;
use wevrun_core::model::{Definition, Kind, Model, ObjectKey};

/// The SQLite dialect.
pub struct Sqlite;

/// The table in a target in which Wevrun keeps its own record.
pub const LEDGER_TABLE: &str = "wevrun_ledger";

/// The suffixes of the tables in which a module keeps its data (<https://sqlite.org/fts5.html>, `fts3.html`, `rtree.html`).
fn shadow_suffixes(module: &str) -> &'static [&'static str] {
    match module {
        "fts5" => &["_data", "_idx", "_content", "_docsize", "_config"],
        "fts3" | "fts4" => &["_content", "_segments", "_segdir", "_docsize", "_stat"],
        "rtree" | "rtree_i32" | "geopoly" => &["_node", "_rowid", "_parent"],
        _ => &[],
    }
}

/// A virtual table's shadow tables belong to it: its module makes and drops them.
fn remove_shadow_tables(model: &mut Model) {
    let mut shadows = Vec::new();
    for object in model.of_kind(Kind::VirtualTable) {
        let Definition::VirtualTable(table) = &object.definition else { continue };
        for suffix in shadow_suffixes(table.module.canonical()) {
            shadows.push(names::object_name(&format!("{}{suffix}", object.name.written())));
        }
    }
    for name in shadows {
        model.remove(&ObjectKey::new(Kind::Table, name));
    }
}
