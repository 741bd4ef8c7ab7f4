//! Names, as PostgreSQL compares and quotes them.

use wevrun_core::Engine;
use wevrun_core::model::{Identifiers, Kind, Name};

use crate::engine::POSTGRES;
use crate::{LEDGER_SCHEMA, Postgres, names};

impl Identifiers for Postgres {
    fn engine(&self) -> &'static Engine {
        &POSTGRES
    }

    fn name(&self, written: &str) -> Name {
        names::simple(&names::folded(written))
    }

    fn is_called(&self, word: &str, name: &Name) -> bool {
        let identifier = if word.starts_with('"') { names::unquoted(word) } else { names::folded(word) };
        identifier == names::identifier(name)
    }

    fn quoted(&self, name: &str) -> String {
        names::quoted(name)
    }

    fn schema_and_name(&self, name: &Name) -> (Option<String>, String) {
        let (schema, own) = names::split(name);
        // What is of a table or takes arguments is still named by its own identifier.
        (schema, own)
    }

    fn short_name(&self, name: &Name) -> Option<Name> {
        let arguments = names::signature(name);
        let short = name.canonical().strip_suffix(arguments).filter(|_| !arguments.is_empty())?;
        Some(Name::new(short, short))
    }

    fn is_internal(&self, name: &Name) -> bool {
        name.canonical() == LEDGER_SCHEMA
            || names::schema(name).as_deref() == Some(LEDGER_SCHEMA)
            || names::halves(name).is_some_and(|(_, owner)| owner.starts_with("wevrun."))
    }

    fn is_built_in(&self, name: &Name) -> bool {
        let schema = names::schema(name);
        let schema = schema.as_deref().unwrap_or_default();
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
