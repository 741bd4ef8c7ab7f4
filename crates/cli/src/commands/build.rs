use std::path::{Path, PathBuf};
use std::time::Instant;

use clap::Args;

use super::{Scratch, context, snapshot};
use crate::failure::{Ended, Failure};
use crate::git;
use crate::output::{Format, count, format};
use crate::project::Project;
use crate::side::{Loaded, Side};

/// Build the project's DDL into one validated snapshot
///
/// All files are parsed, every reference is resolved, and the rules of the engine and the limits of its version are checked.
/// Then the engine itself, if it is built in, compiles the schema in memory. All independent errors are shown in one run. A
/// pipeline carries the snapshot, unchanged, from test to production.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun build --out honey.wsnap")]
pub struct Build {
    /// The snapshot's file [default: NAME.wsnap in the project's folder]
    #[arg(long, value_name = "FILE")]
    pub out: Option<PathBuf>,

    /// Write nothing; only list what is wrong
    #[arg(long, conflicts_with = "out")]
    pub check: bool,

    /// Where sources are spelled
    #[command(flatten)]
    pub scratch: Scratch,

    /// Do not compile the schema with the engine itself
    #[arg(long)]
    pub no_second_opinion: bool,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text", value_parser = format::one_of(format::FINDINGS))]
    pub format: Format,
}

impl Build {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let started = Instant::now();
        let project = Project::require(directory)?;
        let (root, project_name, globs) = (project.root.clone(), project.name.clone(), project.globs.clone());
        let mut context = context(directory, None)?;
        context.second_opinion = !self.no_second_opinion;
        context.project = Some(project);
        let context = self.scratch.of(context)?;
        let loaded = match context.load(&Side::Source) {
            Ok(loaded) => loaded,
            Err(failure) => return Err(Failure { message: summary(&failure), ..failure }),
        };
        let file = |name: &str| -> String {
            name.chars()
                .map(|ch| if ch.is_alphanumeric() || matches!(ch, '-' | '_' | '.') { ch } else { '-' })
                .collect()
        };
        let out = self.out.clone().unwrap_or_else(|| root.join(format!("{}.wsnap", file(&project_name))));
        let raw = loaded.raw.iter().map(|(path, bytes)| (path.as_path(), bytes.as_slice()));
        let git = git::revision(&root, raw, |path| globs.is_match(path));
        let (out, verb) = if self.check { (None, "checked") } else { (Some(out.as_path()), "built") };
        snapshot::write(Loaded { git, ..loaded }, out, verb, self.format, started)
    }
}

fn summary(failure: &Failure) -> String {
    let errors = failure.diagnostics.iter().filter(|diagnostic| diagnostic.is_error()).count();
    if errors == 0 {
        return failure.message.clone();
    }
    let code = failure.diagnostics.iter().find(|diagnostic| diagnostic.is_error()).expect("there is one").code;
    format!("{}; nothing was written; see `wevrun explain {code}`", count(errors, "error"))
}
