//! The command line of Wevrun.

mod cli;
mod commands;
mod failure;
mod files;
mod git;
mod output;
mod project;
mod side;

use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
    // A closed pipe (`wevrun … | head`) ends the program quietly, as it does every other tool.
    let arguments = cli::Cli::parse();
    arguments.color.apply();
    match commands::run(arguments) {
        Ok(outcome) => ExitCode::from(outcome as u8),
        Err(failure) => {
            output::failure(&failure);
            ExitCode::from(failure.status)
        }
    }
}
