//! Names, as SQLite compares and quotes them.

use wevrun_core::Engine;
use wevrun_core::model::{Identifiers, Kind, Name, NameParts, QualifiedName};

use crate::engine::SQLITE;
use crate::{LEDGER_TABLE, Sqlite, names};

impl Identifiers for Sqlite {
    fn engine(&self) -> &'static Engine {
        &SQLITE
    }

    fn name(&self, written: &str) -> Name {
        names::name(written)
    }

    fn object_name(&self, written: &str) -> QualifiedName {
        names::object_name(written)
    }

    fn name_of(&self, _: Kind, parts: NameParts) -> QualifiedName {
        names::object_name(&parts.identifier)
    }

    fn quoted(&self, name: &str) -> String {
        names::quoted(name)
    }

    fn is_internal(&self, name: &QualifiedName) -> bool {
        name.canonical().starts_with("sqlite_") || name.canonical() == LEDGER_TABLE
    }

    fn is_built_in(&self, name: &QualifiedName) -> bool {
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
}
