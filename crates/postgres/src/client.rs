//! Scripts as PostgreSQL's own client runs them.

use wevrun_core::plan::Mode;
use wevrun_core::script::{Client, Frame};

use crate::{Postgres, plan};

impl Client for Postgres {
    fn client_command(&self) -> &'static str {
        "psql -X -v ON_ERROR_STOP=1 -f THIS_FILE DATABASE"
    }

    fn client_settings(&self) -> &'static [&'static str] {
        &["\\set ON_ERROR_STOP on"]
    }

    fn include_command(&self, path: &str) -> String {
        // https://www.postgresql.org/docs/current/app-psql.html
        format!("\\ir {path}")
    }

    fn frame(&self, mode: Mode) -> Frame {
        plan::frame(mode)
    }
}
