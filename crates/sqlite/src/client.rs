//! Scripts as SQLite's own client runs them.

use wevrun_core::plan::Mode;
use wevrun_core::script::{Client, Frame};

use crate::{Sqlite, plan};

impl Client for Sqlite {
    fn client_command(&self) -> &'static str {
        "sqlite3 DATABASE < THIS_FILE"
    }

    fn client_settings(&self) -> &'static [&'static str] {
        &[".bail on"]
    }

    fn include_command(&self, path: &str) -> String {
        // The client looks for it in its own folder: https://sqlite.org/cli.html
        format!(".read {path}")
    }

    fn frame(&self, mode: Mode) -> Frame {
        plan::frame(mode)
    }
}
