//! PostgreSQL, over its own protocol.

mod connection;
mod digest;
mod ledger;
mod probe;
mod read;
mod run;
mod scratch;
mod settings;
mod tls;

pub use connection::{PostgresDatabase, execute};
pub use scratch::spell;
pub use settings::Settings;
