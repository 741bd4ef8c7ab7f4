//! SQLite as data.

use wevrun_core::engine::{Capabilities, Engine, EngineVersion};

/// SQLite. The oldest version is the first with `PRAGMA legacy_alter_table` (<https://sqlite.org/changes.html>).
pub static SQLITE: Engine = Engine {
    name: "sqlite",
    title: "SQLite",
    oldest_version: EngineVersion { major: 3, minor: 26 },
    default_version: EngineVersion { major: 3, minor: 40 },
    capabilities: Capabilities {
        has_caseless_names: true,
        has_schemas: false,
        can_build_indexes_concurrently: false,
        can_reorder_columns: false,
        has_transactional_ddl: true,
    },
};
