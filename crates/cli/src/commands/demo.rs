use std::path::{Path, PathBuf};

use clap::Args;

use crate::failure::{Ended, Outcome};

/// Show the whole way on made-up data, on a real database
#[derive(Debug, Args)]
pub struct Demo {
    /// Where to leave the demo's files [default: a new temporary folder]
    #[arg(value_name = "DIR")]
    pub folder: Option<PathBuf>,
}

impl Demo {
    /// Runs the command.
    pub fn run(&self, _directory: Option<&Path>) -> Ended {
        Ok(Outcome::Done)
    }
}
