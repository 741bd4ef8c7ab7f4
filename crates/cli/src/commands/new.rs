use std::fs;
use std::path::{Path, PathBuf};

use clap::Args;
use wevrun_core::diagnostics::Code;
use wevrun_core::{Engine, EngineVersion};
use wevrun_engines::registry;

use crate::failure::{Ended, Failure, Outcome};
use crate::files::{self, reason};
use crate::output::print::say;
use crate::output::style::{self, paint};
use crate::project::{DEFAULT_SOURCE, FILE};

/// Create a project: settings, one example object, .gitignore
///
/// Existing files are not overwritten. The folder is created if it does not exist.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun new honey --engine postgres")]
pub struct New {
    /// The folder of the new project
    #[arg(value_name = "DIR")]
    pub folder: PathBuf,

    /// The database engine
    #[arg(long, default_value = "sqlite", value_parser = registry::engine)]
    pub engine: &'static Engine,
}

impl New {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let root = directory.map_or_else(|| self.folder.clone(), |directory| directory.join(&self.folder));
        let name = root.file_name().map_or_else(|| "schema".to_owned(), |name| name.to_string_lossy().into_owned());
        let starter = registry::live(self.engine).starter();
        let contents = [
            (FILE, settings(&name, self.engine, None, &[])),
            ("schema/tables/apiaries.sql", starter.example.to_owned()),
            (".gitignore", starter.ignored.to_owned()),
        ];
        for (path, _) in &contents {
            if root.join(path).exists() {
                return Err(Failure::new(format!("{} exists already; nothing was written", root.join(path).display()))
                    .help("choose another folder, or move the file away"));
            }
        }
        for (path, text) in &contents {
            let path = root.join(path);
            let folder = path.parent().expect("a file stands in a folder");
            fs::create_dir_all(folder)
                .map_err(|error| Failure::new(format!("{} can't be made: {}", folder.display(), reason(&error))))?;
            files::write_atomically(&path, text.as_bytes())?;
            say!("{} {}", paint(style::GOOD, "wrote"), style::link(&path));
        }
        say!("\nNext: wevrun -C {} build", root.display());
        Ok(Outcome::Done)
    }
}

/// The settings of a new project that tolerates these findings.
pub fn settings(name: &str, engine: &'static Engine, version: Option<EngineVersion>, tolerate: &[Code]) -> String {
    let tolerate = match tolerate {
        [] => String::new(),
        codes => {
            let codes: Vec<String> = codes.iter().map(|code| format!("\"{code}\"")).collect();
            format!(
                "# What the adopted database has; `wevrun explain CODE` says more. Empty this list when it is mended.\n\
                     tolerate = [{}]\n",
                codes.join(", ")
            )
        }
    };
    let version = version.unwrap_or(engine.default_version);
    let url = registry::live(engine).starter().url;
    let name = toml::Value::String(name.to_owned());
    format!(
        "# Settings of a Wevrun project. docs/project-file.md describes every key.

[project]
name = {name}
engine = \"{engine}\"
# The oldest version of the engine that any target runs.
engine-version = \"{version}\"
source = [\"{DEFAULT_SOURCE}\"]
{tolerate}
# The live databases. ${{NAME}} stands for an environment variable, so that no secret stands here.
# [targets.production]
# url = \"{url}\"
"
    )
}
