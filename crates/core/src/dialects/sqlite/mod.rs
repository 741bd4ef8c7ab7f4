//! SQLite.

mod affinity;
mod canonical;
mod check;
mod names;
mod parse;
mod plan;
mod references;
mod rename;
mod tokens;
mod versions;
mod write;

use std::borrow::Cow;
use std::collections::BTreeSet;

use sqlparser::dialect::Dialect as TokenRules;

use super::Dialect;
use crate::check::Checks;
use crate::diagnostics::Diagnostic;
use crate::engine::{Engine, EngineVersion};
use crate::fold::Taken;
use crate::model::{Definition, Kind, Model, Name, Object, ObjectKey};
use crate::parse::{Parsed, Reader, Session, StatementKind, Token};
use crate::plan::{Plan, Planning, Probe};
use crate::script::{Frame, Mode};

/// The SQLite dialect.
pub struct Sqlite;

/// The table in a target in which Wevrun keeps its own record.
pub const LEDGER_TABLE: &str = "wevrun_ledger";

impl Dialect for Sqlite {
    fn engine(&self) -> Engine {
        Engine::Sqlite
    }

    fn token_rules(&self) -> &'static dyn TokenRules {
        &tokens::Rules
    }

    fn without_client_commands<'t>(&self, text: &'t str) -> Cow<'t, str> {
        tokens::without_client_commands(text)
    }

    fn included_files(&self, text: &str) -> Vec<(usize, String)> {
        tokens::included_files(text)
    }

    fn statement_length(&self, text: &str, tokens: &[Token]) -> usize {
        tokens::statement_length(text, tokens)
    }

    fn parse_statement(
        &self,
        reader: Reader<'_>,
        comments: &[Token],
        _: &mut Session,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Parsed<Vec<StatementKind>> {
        parse::statement(reader, comments, diagnostics).map(|kind| vec![kind])
    }

    fn created_name(&self, text: &str, statement: &[Token]) -> Option<Name> {
        parse::created_name(statement, text)
    }

    fn name(&self, written: &str) -> Name {
        names::name(written)
    }

    fn quoted(&self, name: &str) -> String {
        names::quoted(name)
    }

    fn source_text(&self, object: &Object) -> String {
        crate::adopt::layout(self, object)
    }

    fn settle(&self, object: &mut Object, _: &Taken) -> Vec<Object> {
        if let Definition::Table(table) = &mut object.definition {
            parse::settle(table);
        }
        Vec::new()
    }

    fn finish(&self, model: &mut Model) {
        remove_shadow_tables(model);
        canonical::finish(model);
    }

    fn rename_object(&self, model: &mut Model, key: &ObjectKey, to: &Name) {
        let from = &key.name;
        rename::table(model, from, to);
    }

    fn rename_column(&self, model: &mut Model, table: &Name, from: &Name, to: &Name) {
        rename::column(model, table, from, to);
    }

    fn is_internal(&self, name: &Name) -> bool {
        name.canonical().starts_with("sqlite_") || name.canonical() == LEDGER_TABLE
    }

    fn is_built_in(&self, name: &Name) -> bool {
        // Table-valued functions and virtual tables that need no CREATE: https://sqlite.org/vtab.html#epovtab
        let name = name.canonical();
        name.starts_with("pragma_")
            || matches!(name, "json_each" | "json_tree" | "generate_series" | "dbstat" | "bytecode")
    }

    fn is_row_id(&self, name: &Name) -> bool {
        matches!(name.canonical(), "rowid" | "oid" | "_rowid_")
    }

    fn share_names(&self, a: Kind, b: Kind) -> bool {
        (a == Kind::Trigger) == (b == Kind::Trigger)
    }

    fn check(&self, model: &Model, version: EngineVersion, checks: &mut Checks<'_>) {
        check::check(model, version, checks);
    }

    fn create_statement(&self, object: &Object) -> String {
        write::create_statement(object)
    }

    fn ignores_case(&self) -> bool {
        true
    }

    fn client_settings(&self) -> &'static [&'static str] {
        &[".bail on"]
    }

    fn structure_query(&self, names: &BTreeSet<Name>, exact: bool) -> String {
        plan::structure::query(names, exact)
    }

    fn structure_facts(&self, model: &Model, names: &BTreeSet<Name>) -> Vec<String> {
        plan::structure::facts(model, names)
    }

    fn structure_guard(&self, names: &BTreeSet<Name>, exact: bool, facts: &[String]) -> String {
        plan::structure::guard(names, exact, facts)
    }

    fn frame(&self, mode: Mode) -> Frame {
        plan::frame(mode)
    }

    fn client_command(&self) -> &'static str {
        "sqlite3 DATABASE < THIS_FILE"
    }

    fn probe_query(&self, probe: &Probe) -> String {
        plan::probe_query(probe)
    }

    fn probes(&self, planning: &Planning<'_>) -> Vec<Probe> {
        plan::probes(planning)
    }

    fn plan(&self, planning: &Planning<'_>) -> Plan {
        plan::plan(planning)
    }
}

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
            shadows.push(names::name(&format!("{}{suffix}", object.name.written())));
        }
    }
    for name in shadows {
        model.remove(&ObjectKey::new(Kind::Table, name));
    }
}
