//! Where a database is, as its engine takes it.

use std::path::{Path, PathBuf};

/// A place as an engine takes it.
#[derive(Clone, PartialEq, Eq)]
pub enum Address {
    /// A file.
    File(PathBuf),
    /// A server and database, as the URL was given: it may hold a password.
    Server(String),
}

impl Address {
    /// The path of the file. Panics if it is a server's: engines get addresses of their own kind only.
    pub fn path(&self) -> &Path {
        match self {
            Address::File(path) => path,
            Address::Server(_) => panic!("a server's URL is no path"),
        }
    }

    /// The URL of the server. Panics if it is a file.
    pub fn url(&self) -> &str {
        match self {
            Address::Server(url) => url,
            Address::File(_) => panic!("a path is no server's URL"),
        }
    }
}
