//! The arguments. Every command's are in its own file, and its doc comment is its help.

use std::path::{Path, PathBuf};

use clap::{ArgAction, Parser, Subcommand, ValueEnum};
use wevrun_engines::registry;

use crate::commands::{
    adopt, build, compare, completions, demo, deploy, drift, explain, man, new, script, snapshot, status,
};
use crate::failure::Ended;
use crate::output::Format;

/// Builds database schemas from version-controlled DDL, detects drift in live databases, and generates migration scripts.
///
/// A SIDE is a database structure: a folder of DDL files, a snapshot (.wsnap), a SQL file (.sql, .sql.gz, .sql.zst), an archive
/// of pg_dump, an SQLite file, a target's name from wevrun.toml, a URL (sqlite:PATH), a git revision (git:REV or git:REV:PATH), or
/// `empty`.
///
/// Exit status: 0 done, or no difference; 1 failed; 2 wrong usage; 3 differences or drift found; 4 blocked by a rule or an
/// unwaived risk; 5 the target is no longer in the state that the script was made for; 6 nothing to do, if `script --fail-on nothing` asks.
#[derive(Debug, Parser)]
#[command(name = "wevrun", version, long_version = long_version(), arg_required_else_help = true, max_term_width = 100)]
pub struct Cli {
    /// The project's folder [default: the nearest parent folder with a wevrun.toml]
    #[arg(short = 'C', value_name = "DIR", global = true)]
    pub directory: Option<PathBuf>,

    /// When to use colour
    #[arg(long, value_name = "WHEN", default_value = "auto", global = true)]
    pub color: Color,

    /// Print errors and requested output (a script, `--format`) only; the exit status is the result
    #[arg(short, long, global = true)]
    pub quiet: bool,

    /// Log what is done, and how long it takes, on standard error; twice: in more detail
    #[arg(short, long, action = ArgAction::Count, global = true, conflicts_with = "quiet")]
    pub verbose: u8,

    /// Print long output at once, not through a pager (the one in PAGER, or less)
    #[arg(long, global = true)]
    pub no_pager: bool,

    /// What to do
    #[command(subcommand)]
    pub command: Command,
}

/// The commands. Their help is the doc comment of their arguments.
#[derive(Debug, Subcommand)]
pub enum Command {
    New(new::New),
    Adopt(adopt::Adopt),
    Build(build::Build),
    Snapshot(snapshot::Snapshot),
    Compare(compare::Compare),
    Drift(drift::Drift),
    Script(script::Script),
    Deploy(deploy::Deploy),
    Status(status::Status),
    Explain(explain::Explain),
    Completions(completions::Completions),
    Man(man::Man),
    Demo(demo::Demo),
}

impl Command {
    /// Runs the command, in the project of a folder if one is given.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        match self {
            Command::New(command) => command.run(directory),
            Command::Adopt(command) => command.run(directory),
            Command::Build(command) => command.run(directory),
            Command::Snapshot(command) => command.run(directory),
            Command::Compare(command) => command.run(directory),
            Command::Drift(command) => command.run(directory),
            Command::Script(command) => command.run(directory),
            Command::Deploy(command) => command.run(directory),
            Command::Status(command) => command.run(directory),
            Command::Explain(command) => command.run(),
            Command::Completions(command) => command.run(),
            Command::Man(command) => command.run(),
            Command::Demo(command) => command.run(directory),
        }
    }

    /// The format of the command's result.
    pub fn format(&self) -> Format {
        match self {
            Command::Build(command) => command.format,
            Command::Snapshot(command) => command.format,
            Command::Compare(command) => command.format,
            Command::Drift(command) => command.format,
            Command::Script(command) => command.format,
            Command::Deploy(command) => command.format,
            Command::Status(command) => command.format,
            Command::New(_)
            | Command::Adopt(_)
            | Command::Explain(_)
            | Command::Completions(_)
            | Command::Man(_)
            | Command::Demo(_) => Format::Text,
        }
    }
}

/// The program's version, the commit that it was built from, and the engines.
fn long_version() -> String {
    let engine = |engine: &&'static wevrun_core::Engine| match registry::live(engine).built_in_version() {
        Some(version) => {
            format!("{} {version}, built in; databases of {} and later", engine.title, engine.oldest_version)
        }
        None => format!("{} {} and later", engine.title, engine.oldest_version),
    };
    let engines: Vec<String> = registry::engines().iter().map(engine).collect();
    format!("{}\ncommit {}\n{}", env!("CARGO_PKG_VERSION"), env!("WEVRUN_COMMIT"), engines.join("\n"))
}

/// When to use colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Color {
    /// On a terminal, unless NO_COLOR is set
    Auto,
    /// Always
    Always,
    /// Never
    Never,
}

impl Color {
    /// Makes it so for everything that is printed from now on.
    pub fn apply(self) {
        match self {
            Color::Auto => anstream::ColorChoice::Auto,
            Color::Always => anstream::ColorChoice::Always,
            Color::Never => anstream::ColorChoice::Never,
        }
        .write_global();
    }
}

#[cfg(test)]
mod tests {
    use clap::CommandFactory;

    use super::*;

    /// `docs/cli.md` is clap's description of the commands. Regenerate it with WEVRUN_WRITE_DOCS=1.
    #[test]
    fn the_reference_is_what_the_program_says() {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/cli.md");
        let options = clap_markdown::MarkdownOptions::new().title("Command reference".to_owned()).show_footer(false);
        let reference = clap_markdown::help_markdown_custom::<Cli>(&options);
        if std::env::var_os("WEVRUN_WRITE_DOCS").is_some() {
            std::fs::write(path, &reference).expect("docs/ is there");
        }
        let written = std::fs::read_to_string(path).unwrap_or_default();
        assert!(written == reference, "docs/cli.md is out of date: run WEVRUN_WRITE_DOCS=1 cargo test -p wevrun-cli");
    }

    #[test]
    fn the_arguments_are_consistent() {
        Cli::command().debug_assert();
    }
}
