//! Names, as PostgreSQL compares and quotes them.

use wevrun_core::Engine;
use wevrun_core::model::{Identifiers, Kind, Name, NameParts, QualifiedName};

use crate::engine::POSTGRES;
use crate::{LEDGER_SCHEMA, Postgres, names};

impl Identifiers for Postgres {
    fn engine(&self) -> &'static Engine {
        &POSTGRES
    }

    fn name(&self, written: &str) -> Name {
        names::simple(&names::folded(written))
    }

    fn object_name(&self, written: &str) -> QualifiedName {
        names::global(&names::folded(written))
    }

    fn exact_name(&self, identifier: &str) -> Name {
        names::simple(identifier)
    }

    fn name_of(&self, kind: Kind, parts: NameParts) -> QualifiedName {
        names::of(kind, parts)
    }

    fn is_called(&self, word: &str, identifier: &str) -> bool {
        let called = if word.starts_with('"') { names::unquoted(word) } else { names::folded(word) };
        called == identifier
    }

    fn quoted(&self, name: &str) -> String {
        names::quoted(name)
    }

    fn short_name(&self, name: &QualifiedName) -> Option<QualifiedName> {
        name.signature().map(|_| names::without_signature(name))
    }

    fn is_internal(&self, name: &QualifiedName) -> bool {
        let is_ledger = |name: &QualifiedName| name.schema() == Some(LEDGER_SCHEMA);
        name.canonical() == LEDGER_SCHEMA || is_ledger(name) || name.owner().is_some_and(is_ledger)
    }

    fn is_built_in(&self, name: &QualifiedName) -> bool {
        let schema = name.schema().unwrap_or_default();
        matches!(schema, "pg_catalog" | "information_schema" | "pg_toast")
            || matches!(name.canonical(), "public" | "pg_catalog" | "information_schema")
    }

    fn is_row_id(&self, name: &Name) -> bool {
        // Columns of the system: https://www.postgresql.org/docs/current/ddl-system-columns.html
        matches!(name.canonical(), "tableoid" | "xmin" | "xmax" | "cmin" | "cmax" | "ctid" | "oid")
    }

    fn share_names(&self, a: Kind, b: Kind) -> bool {
        let group = |kind: Kind| match kind {
            Kind::Table | Kind::ForeignTable | Kind::View | Kind::MaterializedView | Kind::Index | Kind::Sequence => {
                Kind::Table
            }
            Kind::Function | Kind::Procedure | Kind::Aggregate => Kind::Function,
            Kind::Type | Kind::Domain => Kind::Type,
            other => other,
        };
        group(a) == group(b)
    }
}
