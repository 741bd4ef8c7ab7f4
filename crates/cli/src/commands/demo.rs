use std::fs;
use std::io::stdout;
use std::path::{Path, PathBuf};
use std::process::Command;

use clap::Args;

use crate::failure::{Ended, Failure, Outcome};
use crate::files;
use crate::output::style::{self, paint};

/// Show the whole way on made-up data, on a real database
///
/// A honey cooperative releases its schema, somebody changes production by hand, the drift is found, and a second release is
/// built, scripted, held back, permitted, deployed and proven. Every command is shown as one would type it, with what it really
/// prints, and all files are left to play with.
#[derive(Debug, Args)]
pub struct Demo {
    /// Where to leave the demo's files [default: a new temporary folder]
    #[arg(value_name = "DIR")]
    pub folder: Option<PathBuf>,
}

macro_rules! demo_files {
    ($release:literal: $($path:literal),* $(,)?) => {
        &[$(($path, include_str!(concat!("../../demo/", $release, "/", $path)))),*]
    };
}

const RELEASE_1: &[(&str, &str)] = demo_files!("release-1":
    "tables/apiaries.sql", "tables/forage_sites.sql", "tables/harvest_lots.sql", "tables/hives.sql",
    "tables/inspections.sql", "tables/members.sql", "tables/payouts.sql", "tables/queens.sql",
    "tables/treatments.sql", "views/apiary_weights.sql",
);

const RELEASE_2: &[(&str, &str)] = demo_files!("release-2":
    "tables/hives.sql", "tables/inspections.sql", "tables/members.sql",
    "views/apiary_weights.sql", "views/season_totals.sql",
);

const SETTINGS: &str = "[project]
name = \"honey-cooperative\"
engine = \"sqlite\"
engine-version = \"3.40\"
source = [\"schema/**/*.sql\"]

[targets.production]
url = \"sqlite:production.db\"
";

const ROWS: &str = include_str!("../../demo/rows.sql");
const BY_HAND: &str = include_str!("../../demo/by-hand.sql");
const WAIVERS: &str = include_str!("../../demo/waivers.toml");

impl Demo {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let folder = match &self.folder {
            Some(folder) => directory.map_or_else(|| folder.clone(), |directory| directory.join(folder)),
            None => {
                let made = tempfile::Builder::new().prefix("wevrun-demo-").tempdir();
                made.map_err(|error| Failure::new(format!("no temporary folder: {}", files::reason(&error))))?.keep()
            }
        };
        if fs::read_dir(&folder).is_ok_and(|mut entries| entries.next().is_some()) {
            return Err(Failure::new(format!("{} is not empty; nothing was written", folder.display()))
                .help("name a folder that is empty or not there yet"));
        }
        let stage = Stage { folder };
        stage.play()?;
        anstream::println!("\nAll of it is in {}. Play with it.", paint(style::STRONG, stage.folder.display()));
        Ok(Outcome::Done)
    }
}

/// The folder in which the demo plays.
struct Stage {
    folder: PathBuf,
}

impl Stage {
    fn play(&self) -> Ended<()> {
        self.say("Release 1: the schema as code, built into one snapshot and deployed to a new database.");
        self.write("wevrun.toml", SETTINGS)?;
        self.write_all("schema", RELEASE_1)?;
        self.wevrun(&["build"], 0)?;
        self.wevrun(&["deploy", "--create", "production"], 0)?;
        self.write("rows.sql", ROWS)?;
        self.client("rows.sql", ROWS)?;
        self.wevrun(&["drift", "production"], 0)?;

        self.say("Somebody changes production by hand.");
        self.write("by-hand.sql", BY_HAND)?;
        self.client("by-hand.sql", BY_HAND)?;
        self.wevrun(&["drift", "production"], 3)?;

        self.say(
            "Release 2: both are taken into the source. Besides, a column is renamed, one gets a default, a CHECK knows one more \
             kind of hive, a view and a trigger are new, and the paint's colour goes.",
        );
        self.write_all("schema", RELEASE_2)?;
        self.wevrun(&["build"], 0)?;
        self.wevrun(&["compare", "production"], 3)?;
        self.wevrun(&["script", "production", "--out", "release-2.sql", "--undo", "release-2-undo.sql"], 4)?;

        self.say("The colours would be lost. Somebody accepts that, in writing, in waivers.toml.");
        self.write("waivers.toml", WAIVERS)?;
        self.wevrun(&["script", "production", "--out", "release-2.sql", "--undo", "release-2-undo.sql"], 0)?;
        self.wevrun(&["deploy", "release-2.sql", "production"], 0)?;
        self.wevrun(&["compare", "production"], 0)?;

        self.say("The same script can't run twice.");
        self.wevrun(&["deploy", "release-2.sql", "production"], 5)
    }

    fn say(&self, words: &str) {
        anstream::println!("\n{}", paint(style::STRONG, format!("# {words}")));
    }

    fn prompt(&self, line: &str) {
        anstream::println!("\n{} {}", paint(style::FAINT, "$"), paint(style::COMES, line));
    }

    /// Runs this very program, as a person would.
    fn wevrun(&self, arguments: &[&str], status: i32) -> Ended<()> {
        self.prompt(&format!("wevrun {}", arguments.join(" ")));
        let plain = anstream::AutoStream::choice(&stdout()) == anstream::ColorChoice::Never;
        let color = if plain { "never" } else { "always" };
        let program = std::env::current_exe().map_err(|error| Failure::new(files::reason(&error)))?;
        let run = Command::new(program).args(["--color", color]).args(arguments).current_dir(&self.folder).output();
        let output = run.map_err(|error| Failure::new(format!("wevrun can't be run: {}", files::reason(&error))))?;
        // One after the other, so that the two streams do not mix.
        anstream::print!("{}", String::from_utf8_lossy(&output.stdout));
        anstream::print!("{}", String::from_utf8_lossy(&output.stderr));
        if status != 0 {
            anstream::println!("{}", paint(style::FAINT, format!("(exit status {status})")));
        }
        if output.status.code() == Some(status) {
            Ok(())
        } else {
            Err(Failure::new(format!("the demo went wrong: {} instead of {status}; please report it", output.status)))
        }
    }

    /// What a person would do with the engine's own client; the engine that is built in does it here.
    fn client(&self, name: &str, sql: &str) -> Ended<()> {
        self.prompt(&format!("sqlite3 production.db < {name}"));
        wevrun_engines::sqlite::execute(&self.folder.join("production.db"), sql).map_err(Failure::new)
    }

    fn write_all(&self, folder: &str, contents: &[(&str, &str)]) -> Ended<()> {
        contents.iter().try_for_each(|(path, text)| self.write(&format!("{folder}/{path}"), text))
    }

    fn write(&self, path: &str, text: &str) -> Ended<()> {
        let path = self.folder.join(path);
        let folder = path.parent().expect("a file stands in a folder");
        fs::create_dir_all(folder)
            .map_err(|error| Failure::new(format!("{} can't be made: {}", folder.display(), files::reason(&error))))?;
        files::write_atomically(&path, text.as_bytes())
    }
}
