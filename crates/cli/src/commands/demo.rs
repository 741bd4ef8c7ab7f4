use std::fs;
use std::io::{self, Read, stdout};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitStatus};

use clap::Args;
use wevrun_core::Engine;
use wevrun_engines::{DatabaseUrl, registry};

use crate::failure::{Ended, Failure, Outcome};
use crate::files;
use crate::output::style::{self, paint};

/// Run the whole workflow on made-up data, in a real database
///
/// A honey cooperative releases its schema, somebody changes production by hand, and `drift` detects it. A second release is built;
/// its script is blocked, gets its waivers, and is deployed and verified. Every command is shown as it is typed, with its real
/// output. All files are kept.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun demo honey-demo")]
pub struct Demo {
    /// The folder for the demo's files [default: a new temporary folder]
    #[arg(value_name = "DIR")]
    pub folder: Option<PathBuf>,

    /// The database engine
    #[arg(long, default_value = "sqlite", value_parser = registry::engine)]
    pub engine: &'static Engine,

    /// The database to use, for an engine with a server; it must be empty, and is created if it does not exist
    #[arg(long, value_name = "URL")]
    pub url: Option<String>,
}

macro_rules! demo_files {
    ($release:literal: $($path:literal),* $(,)?) => {
        &[$(($path, include_str!(concat!("../../demo/", $release, "/", $path)))),*]
    };
}

type Files = &'static [(&'static str, &'static str)];

/// The demo on one engine.
struct Play {
    /// The engine's name.
    engine: &'static str,
    /// How its own client runs a file: what is before the file's name.
    client: &'static str,
    engine_version: &'static str,
    release_1: Files,
    release_2: Files,
    rows: &'static str,
    by_hand: &'static str,
    waivers: &'static str,
    /// The changes of release 2 besides those by hand.
    news: &'static str,
}

/// The engines that the demo knows.
const PLAYS: [Play; 3] = [SQLITE, POSTGRES, MARIADB];

const SQLITE: Play = Play {
    engine: "sqlite",
    client: "sqlite3 production.db < ",
    engine_version: "3.40",
    release_1: demo_files!("sqlite/release-1":
        "tables/apiaries.sql", "tables/forage_sites.sql", "tables/harvest_lots.sql", "tables/hives.sql",
        "tables/inspections.sql", "tables/members.sql", "tables/payouts.sql", "tables/queens.sql",
        "tables/treatments.sql", "views/apiary_weights.sql",
    ),
    release_2: demo_files!("sqlite/release-2":
        "tables/hives.sql", "tables/inspections.sql", "tables/members.sql",
        "views/apiary_weights.sql", "views/season_totals.sql",
    ),
    rows: include_str!("../../demo/sqlite/rows.sql"),
    by_hand: include_str!("../../demo/sqlite/by-hand.sql"),
    waivers: include_str!("../../demo/sqlite/waivers.toml"),
    news: "It also renames a column, adds one with a default, lets a CHECK accept one more kind of hive, adds a view and a \
           trigger, and drops column paint_colour.",
};

const POSTGRES: Play = Play {
    engine: "postgres",
    client: "psql \"$HONEY_PRODUCTION_URL\" -f ",
    engine_version: "13.0",
    release_1: demo_files!("postgres/release-1":
        "types/hive_kind.sql", "tables/apiaries.sql", "tables/harvest_lots.sql", "tables/hives.sql",
        "tables/inspections.sql", "tables/members.sql", "views/apiary_weights.sql",
    ),
    release_2: demo_files!("postgres/release-2":
        "types/hive_kind.sql", "functions/refuse_future.sql", "tables/hives.sql", "tables/inspections.sql",
        "views/apiary_weights.sql", "views/season_totals.sql",
    ),
    rows: include_str!("../../demo/postgres/rows.sql"),
    by_hand: include_str!("../../demo/postgres/by-hand.sql"),
    waivers: include_str!("../../demo/postgres/waivers.toml"),
    news: "It also renames a column, allows longer labels, adds a value to the enum of hive kinds, adds a partition, a view and a \
           trigger with its function, and drops column paint_colour.",
};

const MARIADB: Play = Play {
    engine: "mariadb",
    client: "mariadb --default-character-set=utf8mb4 honey_demo < ",
    engine_version: "10.6",
    release_1: demo_files!("mariadb/release-1":
        "tables/apiaries.sql", "tables/harvest_lots.sql", "tables/hives.sql", "tables/inspections.sql",
        "tables/members.sql", "views/apiary_weights.sql",
    ),
    release_2: demo_files!("mariadb/release-2":
        "tables/hives.sql", "tables/inspections.sql", "views/apiary_weights.sql", "views/season_totals.sql",
    ),
    rows: include_str!("../../demo/mariadb/rows.sql"),
    by_hand: include_str!("../../demo/mariadb/by-hand.sql"),
    waivers: include_str!("../../demo/mariadb/waivers.toml"),
    news: "It also renames a column, allows longer labels, adds a kind of hive, a view and a trigger, and drops column paint_colour.",
};

impl Demo {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let Some(play) = PLAYS.iter().find(|play| play.engine == self.engine.name) else {
            return Err(Failure::usage(format!("there is no demo for {} yet", self.engine.title)));
        };
        let url = match (registry::live(self.engine).is_file(), &self.url) {
            (true, None) => None,
            (true, Some(_)) => {
                return Err(Failure::usage(format!(
                    "{} plays in a file of the demo's own; leave --url out",
                    self.engine.title
                )));
            }
            (false, Some(url)) => Some(url.as_str()),
            (false, None) => {
                return Err(Failure::usage("the demo needs a database of a server")
                    .help(format!("name an empty one: --url {}://user@host/honey_demo", self.engine)));
            }
        };
        let folder = match &self.folder {
            Some(folder) => directory.map_or_else(|| folder.clone(), |directory| directory.join(folder)),
            None => {
                let made = tempfile::Builder::new().prefix("wevrun-demo-").tempdir();
                made.map_err(|error| Failure::new(format!("no temporary folder: {}", files::reason(&error))))?.keep()
            }
        };
        if fs::read_dir(&folder).is_ok_and(|mut entries| entries.next().is_some()) {
            return Err(Failure::new(format!("{} is not empty; nothing was written", folder.display()))
                .help("name a folder that is empty or does not exist yet"));
        }
        let database: DatabaseUrl = match url {
            Some(url) => url.parse().map_err(Failure::usage)?,
            None => DatabaseUrl::file(self.engine, folder.join("production.db")),
        };
        let stage = Stage { folder, engine: self.engine, play, database };
        stage.require_empty()?;
        stage.act(url)?;
        anstream::println!("\nAll files are in {}.", paint(style::STRONG, stage.folder.display()));
        Ok(Outcome::Done)
    }
}

/// The folder in which the demo plays.
struct Stage {
    folder: PathBuf,
    engine: &'static Engine,
    play: &'static Play,
    database: DatabaseUrl,
}

/// The environment variable that holds the URL, as it would in a pipeline.
const URL_VARIABLE: &str = "HONEY_PRODUCTION_URL";

impl Stage {
    /// Nobody's database is played with by mistake.
    fn require_empty(&self) -> Ended<()> {
        if self.database.path().is_some() {
            return Ok(());
        }
        let name = self.database.to_string();
        match wevrun_engines::open(&self.database, wevrun_engines::Access::Read) {
            Err(wevrun_engines::LiveError::NotFound(_)) => Ok(()),
            Err(error) => Err(Failure::live(&name, &error)),
            Ok(mut database) => match database.read() {
                Ok(content) if content.model.is_empty() => Ok(()),
                _ => Err(Failure::new(format!("{name} is not empty; nothing was done"))
                    .help("name a database that is empty or does not exist yet")),
            },
        }
    }

    fn settings(&self, url: Option<&str>) -> String {
        let url = if url.is_some() { format!("${{{URL_VARIABLE}}}") } else { "sqlite:production.db".to_owned() };
        format!(
            "[project]\nname = \"honey-cooperative\"\nengine = \"{}\"\nengine-version = \"{}\"\n\
             source = [\"schema/**/*.sql\"]\n\n[targets.production]\nurl = \"{url}\"\n",
            self.engine, self.play.engine_version
        )
    }

    fn act(&self, url: Option<&str>) -> Ended<()> {
        let play = self.play;
        self.print_line("Release 1: the schema as code, built into one snapshot and deployed to a new database.");
        self.write("wevrun.toml", &self.settings(url))?;
        if url.is_some() {
            self.prompt(&format!("export {URL_VARIABLE}={}", self.database));
        }
        self.write_all("schema", play.release_1)?;
        self.wevrun(&["build"], 0)?;
        self.wevrun(&["deploy", "--create", "production"], 0)?;
        self.write("rows.sql", play.rows)?;
        self.client("rows.sql", play.rows)?;
        self.wevrun(&["drift", "production"], 0)?;

        self.print_line("Somebody changes production by hand.");
        self.write("by-hand.sql", play.by_hand)?;
        self.client("by-hand.sql", play.by_hand)?;
        self.wevrun(&["drift", "production"], 3)?;

        self.print_line(&format!("Release 2 keeps both changes: they are written into the source. {}", play.news));
        self.write_all("schema", play.release_2)?;
        self.wevrun(&["build"], 0)?;
        self.wevrun(&["compare", "production"], 3)?;
        self.wevrun(&["script", "production", "--out", "release-2.sql", "--undo", "release-2-undo.sql"], 4)?;

        self.print_line("The release and its undo script each destroy the values of a column. Both risks get a waiver in waivers.toml.");
        self.write("waivers.toml", play.waivers)?;
        self.wevrun(&["script", "production", "--out", "release-2.sql", "--undo", "release-2-undo.sql"], 0)?;
        self.wevrun(&["deploy", "release-2.sql", "production"], 0)?;
        self.wevrun(&["compare", "production"], 0)?;

        self.print_line("The same script can't run twice.");
        self.wevrun(&["deploy", "release-2.sql", "production"], 5)
    }

    fn print_line(&self, words: &str) {
        anstream::println!("\n{}", paint(style::STRONG, format!("# {words}")));
    }

    fn prompt(&self, line: &str) {
        anstream::println!("\n{} {}", paint(style::FAINT, "$"), paint(style::ADDED, line));
    }

    /// Runs this very program, as a person would.
    fn wevrun(&self, arguments: &[&str], status: i32) -> Ended<()> {
        self.prompt(&format!("wevrun {}", arguments.join(" ")));
        let plain = anstream::AutoStream::choice(&stdout()) == anstream::ColorChoice::Never;
        let color = if plain { "never" } else { "always" };
        let program = std::env::current_exe().map_err(|error| Failure::new(files::reason(&error)))?;
        let mut command = Command::new(program);
        if self.database.path().is_none() {
            command.env(URL_VARIABLE, self.database.with_secrets());
        }
        command.args(["--color", color]).args(arguments).current_dir(&self.folder);
        let (shown, ended) = run_shown(command)
            .map_err(|error| Failure::new(format!("wevrun can't be run: {}", files::reason(&error))))?;
        anstream::print!("{}", String::from_utf8_lossy(&shown));
        if status != 0 {
            anstream::println!("{}", paint(style::FAINT, format!("(exit status {status})")));
        }
        if ended.code() == Some(status) {
            Ok(())
        } else {
            Err(Failure::new(format!("the demo went wrong: {ended} instead of {status}; please report it")))
        }
    }

    /// Statements that a user would run with the engine's own client; here they run on the same connection.
    fn client(&self, name: &str, sql: &str) -> Ended<()> {
        self.prompt(&format!("{}{name}", self.play.client));
        wevrun_engines::execute(&self.database, sql).map_err(Failure::new)
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

/// Runs a program; gives what it shows on both streams, in the order in which a person sees it.
fn run_shown(mut command: Command) -> io::Result<(Vec<u8>, ExitStatus)> {
    let (mut reader, writer) = io::pipe()?;
    let mut child = command.stdout(writer.try_clone()?).stderr(writer).spawn()?;
    // It holds the other end, too.
    drop(command);
    let mut shown = Vec::new();
    reader.read_to_end(&mut shown)?;
    Ok((shown, child.wait()?))
}
