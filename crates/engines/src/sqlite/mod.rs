//! SQLite, through the engine that is compiled in.

mod connection;
mod ledger;
mod probe;
mod read;
mod run;
mod second_opinion;

pub use connection::{SqliteDatabase, execute};
pub use second_opinion::second_opinion;
