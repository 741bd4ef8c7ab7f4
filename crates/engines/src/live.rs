//! The trait of an engine's live databases. Each engine implements it in its folder's `mod.rs`.

use std::path::Path;

use wevrun_core::EngineVersion;
use wevrun_core::check::Refusal;
use wevrun_core::model::Model;
use wevrun_core::script::Script;

use crate::address::Address;
use crate::database::{Access, Database, Spelling};
use crate::error::LiveError;

/// The live databases of one engine.
pub trait LiveEngine: Sync {
    /// The schemes of its URLs.
    fn schemes(&self) -> &'static [&'static str];

    /// Whether a URL is a scheme and the path of a file.
    fn is_file(&self) -> bool {
        false
    }

    /// Whether a file is a database of the engine, a backup too.
    fn is_database(&self, _: &Path) -> bool {
        false
    }

    /// Opens a database.
    fn open(&self, address: &Address, access: Access) -> Result<Box<dyn Database>, LiveError>;

    /// Spells on a server what a script creates: in a temporary database of its own, which is dropped afterwards.
    ///
    /// Errors if the engine stores definitions as they were written, if no database can be created there, or if the connection
    /// is lost.
    fn spell(&self, address: &Address, script: &Script) -> Result<Spelling, LiveError>;

    /// Runs statements as a person would with the engine's own client, outside any release.
    fn execute(&self, address: &Address, sql: &str) -> Result<(), LiveError>;

    /// Whether a file or folder is an archive of the engine's own dump program.
    fn is_archive(&self, _: &Path) -> bool {
        false
    }

    /// The definitions in such an archive as SQL.
    ///
    /// Errors if the engine's own program is missing, or can't read it.
    fn read_archive(&self, path: &Path) -> Result<Vec<u8>, LiveError> {
        Err(LiveError::NotFound(path.display().to_string()))
    }

    /// The first files of a new project of the engine.
    fn starter(&self) -> Starter;

    /// The version that is compiled in, if the engine is a library.
    fn built_in_version(&self) -> Option<EngineVersion> {
        None
    }

    /// The opinion of the compiled-in engine of a model: the objects that it refuses, ordered. Nothing where the engine is a
    /// server.
    fn second_opinion(&self, _: &Model) -> Vec<Refusal> {
        Vec::new()
    }
}

/// The first files of a new project.
pub struct Starter {
    /// The URL of a target, with an environment variable.
    pub url: &'static str,
    /// A DDL file with one object, in the engine's own types.
    pub example: &'static str,
    /// The lines of `.gitignore`.
    pub ignored: &'static str,
}
