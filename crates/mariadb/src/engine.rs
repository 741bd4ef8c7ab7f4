//! MariaDB as data.

use wevrun_core::engine::{Capabilities, Engine, EngineVersion};

/// MariaDB.
pub static MARIADB: Engine = Engine {
    name: "mariadb",
    title: "MariaDB",
    oldest_version: EngineVersion { major: 10, minor: 6 },
    default_version: EngineVersion { major: 10, minor: 11 },
    capabilities: Capabilities {
        // Of columns and routines; the case of tables counts where `lower_case_table_names` is 0.
        has_caseless_names: false,
        has_schemas: false,
        can_build_indexes_concurrently: false,
        can_reorder_columns: false,
        has_transactional_ddl: false,
    },
};
