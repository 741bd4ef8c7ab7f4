use std::fs;
use std::path::PathBuf;

use clap::{Args, CommandFactory};

use crate::cli::Cli;
use crate::failure::{Ended, Failure, Outcome};
use crate::files::{self, reason};
use crate::output::count;
use crate::output::print::say;
use crate::output::style::{self, paint};

/// Write the man pages to a folder: one for the program, one for each command
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun man ~/.local/share/man/man1 && man wevrun-compare")]
pub struct Man {
    /// The folder; it is created if it does not exist
    #[arg(value_name = "DIR")]
    pub folder: PathBuf,
}

impl Man {
    /// Runs the command.
    pub fn run(&self) -> Ended {
        let failed = |error: std::io::Error| {
            Failure::new(format!("{} can't be written: {}", self.folder.display(), reason(&error)))
        };
        fs::create_dir_all(&self.folder).map_err(failed)?;
        let mut program = Cli::command().disable_help_subcommand(true);
        program.build();
        let name = program.get_name().to_owned();
        let mut pages = vec![(name.clone(), program.clone())];
        for command in program.get_subcommands() {
            let page = format!("{name}-{}", command.get_name());
            pages.push((page.clone(), command.clone().name(page)));
        }
        for (page, command) in &pages {
            let mut text = Vec::new();
            clap_mangen::Man::new(command.clone()).render(&mut text).map_err(failed)?;
            files::write_result(&self.folder.join(format!("{page}.1")), &text)?;
        }
        let number = count(pages.len(), "man page");
        say!("{} {number} to {}", paint(style::GOOD, "wrote"), self.folder.display());
        Ok(Outcome::Done)
    }
}
