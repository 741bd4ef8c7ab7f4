//! Scripts as MariaDB's own client runs them.

use std::borrow::Cow;

use wevrun_core::plan::Mode;
use wevrun_core::script::{Client, Frame};

use crate::{MariaDb, plan, tokens, write};

impl Client for MariaDb {
    fn client_command(&self) -> &'static str {
        "mariadb --default-character-set=utf8mb4 --comments DATABASE < THIS_FILE"
    }

    fn client_settings(&self) -> &'static [&'static str] {
        &[]
    }

    fn include_command(&self, path: &str) -> String {
        // https://mariadb.com/kb/en/mariadb-command-line-client/#source
        format!("source {path}")
    }

    fn client_statement(&self, statement: &str) -> String {
        format!("{};", write::delimited(statement))
    }

    fn without_client_frames<'t>(&self, text: &'t str) -> Cow<'t, str> {
        tokens::without_delimiters(text)
    }

    fn frame(&self, mode: Mode) -> Frame {
        plan::frame(mode)
    }
}
