//! PostgreSQL as data.

use wevrun_core::engine::{Capabilities, Engine, EngineVersion};

/// PostgreSQL.
pub static POSTGRES: Engine = Engine {
    name: "postgres",
    title: "PostgreSQL",
    oldest_version: EngineVersion { major: 13, minor: 0 },
    default_version: EngineVersion { major: 18, minor: 0 },
    capabilities: Capabilities {
        has_caseless_names: false,
        has_schemas: true,
        can_build_indexes_concurrently: true,
        can_reorder_columns: true,
        has_transactional_ddl: true,
    },
};
