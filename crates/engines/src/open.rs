//! Databases by their URLs.

use wevrun_core::script::Script;

use crate::database::{Access, Database, Spelling};
use crate::error::LiveError;
use crate::registry;
use crate::url::DatabaseUrl;

/// Spells what a script creates on the server of a database: see [`LiveEngine::spell`](crate::live::LiveEngine::spell).
pub fn spell(url: &DatabaseUrl, script: &Script) -> Result<Spelling, LiveError> {
    registry::live(url.engine()).spell(url.address(), script)
}

/// Opens a database.
pub fn open(url: &DatabaseUrl, access: Access) -> Result<Box<dyn Database>, LiveError> {
    registry::live(url.engine()).open(url.address(), access)
}

/// Runs statements as a person would with the engine's own client, outside any release.
pub fn execute(url: &DatabaseUrl, sql: &str) -> Result<(), LiveError> {
    registry::live(url.engine()).execute(url.address(), sql)
}
