use std::io::Write;

use clap::{Args, CommandFactory, ValueEnum};
use clap_complete::env::Shells;

use crate::cli::Cli;
use crate::failure::{Ended, Failure, Outcome};
use crate::files::reason;

/// The environment variable by which a shell asks for candidates.
pub const VARIABLE: &str = "WEVRUN_COMPLETE";

/// Print the completion script of a shell: commands, options, targets, selections, objects and codes
///
/// The script asks this program for candidates, so it knows the project in the current folder.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun completions bash > ~/.local/share/bash-completion/completions/wevrun\n  \
                        wevrun completions zsh > ~/.zfunc/_wevrun")]
pub struct Completions {
    /// The shell
    pub shell: Shell,
}

/// The shells.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub enum Shell {
    /// Bash
    Bash,
    /// Elvish
    Elvish,
    /// Fish
    Fish,
    /// PowerShell
    Powershell,
    /// Zsh
    Zsh,
}

impl Completions {
    /// Runs the command.
    pub fn run(&self) -> Ended {
        let name = self.shell.to_possible_value().expect("every shell has a name").get_name().to_owned();
        let shells = Shells::builtins();
        let completer = shells.completer(&name).expect("clap_complete has these shells");
        let mut script = Vec::new();
        let command = Cli::command();
        let program = command.get_name();
        let written = completer.write_registration(VARIABLE, program, program, program, &mut script);
        let written = written.and_then(|()| std::io::stdout().lock().write_all(&script));
        written.map_err(|error| Failure::new(format!("the script can't be written: {}", reason(&error))))?;
        Ok(Outcome::Done)
    }
}
