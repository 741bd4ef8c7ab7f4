//! Live databases: read the catalogue, ask about rows, run a script, keep the ledger.
//!
//! A new engine is a dialect crate, a folder here that implements [`LiveEngine`], and a line in [`registry`].

mod address;
mod database;
mod deployer;
mod error;
mod ledger;
mod live;
#[cfg(feature = "mariadb")]
pub mod mariadb;
mod open;
#[cfg(feature = "postgres")]
pub mod postgres;
pub mod registry;
#[cfg(any(feature = "mariadb", feature = "postgres"))]
mod server_url;
#[cfg(feature = "sqlite")]
pub mod sqlite;
mod url;
mod user;

pub use address::Address;
pub use database::{Access, Content, Database, Deployment, Event, Release, Spelling};
pub use error::{Broken, LiveError};
pub use ledger::LedgerEntry;
pub use live::{LiveEngine, Starter};
pub use open::{execute, open, spell};
pub use url::{DatabaseUrl, UrlError};
pub use user::user;
