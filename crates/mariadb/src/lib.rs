//! The MariaDB dialect: values in, values out. It may use the core, and no driver.
//!
//! Each trait of the core's stages is implemented in a file of its own: `identifiers`, `writing`, `grammar`, `semantics`, `rules`,
//! `privileges`, `mapping`, `planning`, `client`.

mod canonical;
mod change;
mod charset;
mod clause;
mod client;
mod engine;
mod finish;
mod follow;
mod grammar;
mod grants;
mod identifiers;
mod mapping;
mod names;
mod own_columns;
mod parse;
mod partitions;
mod plan;
mod planning;
mod privileges;
mod rename;
mod resolve;
mod rules;
mod semantics;
mod syntax;
mod tokens;
mod write;
mod writing;

pub use engine::MARIADB;
pub use grants::{granted, privileges_are_unread, user};
pub use names::{literal, quoted};
pub use plan::{ANOTHER_STRUCTURE, ROWS_WOULD_BE_LOST};

/// The MariaDB dialect.
pub struct MariaDb;

/// The table in a target in which Wevrun keeps its own record.
pub const LEDGER_TABLE: &str = "wevrun_ledger";

/// The table in a target in which a deployment writes down which step it is at.
pub const JOURNAL_TABLE: &str = "wevrun_journal";
