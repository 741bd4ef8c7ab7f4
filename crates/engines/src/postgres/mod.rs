//! PostgreSQL, over its own protocol.

mod connection;
mod ledger;
mod probe;
mod read;
mod run;
mod settings;
mod tls;

pub use connection::{PostgresDatabase, execute, spell};
pub use settings::Settings;
