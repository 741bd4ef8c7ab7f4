//! Names, as MariaDB compares and quotes them.

use wevrun_core::Engine;
use wevrun_core::model::{Identifiers, Kind, Name, NameParts, QualifiedName};

use crate::engine::MARIADB;
use crate::{JOURNAL_TABLE, LEDGER_TABLE, MariaDb, names};

impl Identifiers for MariaDb {
    fn engine(&self) -> &'static Engine {
        &MARIADB
    }

    fn name(&self, written: &str) -> Name {
        names::simple(written)
    }

    fn object_name(&self, written: &str) -> QualifiedName {
        names::table(None, written)
    }

    fn name_of(&self, kind: Kind, parts: NameParts) -> QualifiedName {
        names::of(kind, parts)
    }

    fn quoted(&self, name: &str) -> String {
        names::quoted(name)
    }

    fn is_internal(&self, name: &QualifiedName) -> bool {
        let own = |name: &QualifiedName| matches!(name.identifier(), LEDGER_TABLE | JOURNAL_TABLE);
        own(name) || name.owner().is_some_and(own)
    }

    fn is_built_in(&self, name: &QualifiedName) -> bool {
        // What is in another database is not ours to check.
        name.schema().is_some() || name.canonical() == "dual"
    }

    fn is_row_id(&self, _: &Name) -> bool {
        false
    }

    fn share_names(&self, a: Kind, b: Kind) -> bool {
        let group = |kind: Kind| match kind {
            Kind::Table | Kind::View | Kind::Sequence => Kind::Table,
            Kind::Function | Kind::Aggregate => Kind::Function,
            other => other,
        };
        group(a) == group(b)
    }
}
