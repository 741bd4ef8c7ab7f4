use std::fs;
use std::path::{Path, PathBuf};

use clap::Args;
use wevrun_core::diagnostics::Code;
use wevrun_core::{Engine, EngineVersion};

use crate::failure::{Ended, Failure, Outcome};
use crate::files::{self, reason};
use crate::output::style::{self, paint};
use crate::project::{DEFAULT_SOURCE, FILE};

/// Make a new project: settings, one example object, .gitignore
///
/// Nothing that exists is overwritten. The folder is made if it is not there.
#[derive(Debug, Args)]
pub struct New {
    /// The folder of the new project
    #[arg(value_name = "DIR")]
    pub folder: PathBuf,

    /// The database engine
    #[arg(long, default_value = "sqlite")]
    pub engine: Engine,
}

impl New {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let root = directory.map_or_else(|| self.folder.clone(), |directory| directory.join(&self.folder));
        let name = root.file_name().map_or_else(|| "schema".to_owned(), |name| name.to_string_lossy().into_owned());
        let contents = [
            (FILE, settings(&name, self.engine, None, &[])),
            ("schema/tables/apiaries.sql", example(self.engine).to_owned()),
            (".gitignore", ignored(self.engine).to_owned()),
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
            anstream::println!("{} {}", paint(style::GOOD, "wrote"), path.display());
        }
        anstream::println!("\nNext: wevrun -C {} build", root.display());
        Ok(Outcome::Done)
    }
}

/// The settings of a new project that tolerates these findings.
pub fn settings(name: &str, engine: Engine, version: Option<EngineVersion>, tolerate: &[Code]) -> String {
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
    let version = version.unwrap_or_else(|| engine.default_version());
    let url = match engine {
        Engine::Sqlite => "sqlite:${PRODUCTION_DB}",
        Engine::Postgres => "${PRODUCTION_URL}",
    };
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

/// One object in the engine's own types.
fn example(engine: Engine) -> &'static str {
    match engine {
        Engine::Sqlite => {
            "-- One file an object, with the indexes and triggers that belong to it.
CREATE TABLE apiaries (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    founded_on TEXT NOT NULL CHECK (founded_on LIKE '____-__-__')
);
"
        }
        Engine::Postgres => {
            "-- One file an object, with the indexes, triggers and comments that belong to it.
CREATE TABLE apiaries (
    id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL UNIQUE,
    founded_on date NOT NULL CHECK (founded_on >= DATE '1900-01-01'),
    created_at timestamptz NOT NULL DEFAULT now()
);
COMMENT ON TABLE apiaries IS 'Where hives stand';
"
        }
    }
}

/// What a repository of the project does not hold.
fn ignored(engine: Engine) -> &'static str {
    match engine {
        Engine::Sqlite => "# Databases\n*.db\n*.db-journal\n*.db-wal\n*.db-shm\n",
        Engine::Postgres => "# Passwords, and rows that were dumped\n.pgpass\n.env\n*.dump\n",
    }
}
