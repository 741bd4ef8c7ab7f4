use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use clap::Args;
use clap_complete::ArgValueCompleter;
use rayon::prelude::*;
use wevrun_core::Engine;
use wevrun_core::adopt::files as adopted_files;
use wevrun_core::diagnostics::Code;
use wevrun_core::model::Model;
use wevrun_engines::registry::{self, dialect};

use super::context;
use super::new::settings;
use super::snapshot::contents;
use crate::choice::ChoiceOptions;
use crate::completion;
use crate::failure::{Ended, Failure, Outcome};
use crate::files::{self, reason};
use crate::output::count;
use crate::output::print::{note, say};
use crate::output::style::{self, paint};
use crate::project::FILE;
use crate::side::{Context, Loaded, Side};

/// Write a live database, or any side, as a project with one DDL file per object
///
/// Each table, view and virtual table gets a file, with its indexes and triggers, in folders by kind. The result is built and
/// compared with the side before the command reports success.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun adopt sqlite:hives.db --into honey")]
pub struct Adopt {
    /// The side to adopt
    #[arg(value_name = "SIDE", add = ArgValueCompleter::new(completion::sides))]
    pub side: String,

    /// The folder of the new project; it must be empty, or not exist yet
    #[arg(long, value_name = "DIR")]
    pub into: PathBuf,

    /// Which objects; `--mind access` also writes owners, privileges and security labels
    #[command(flatten)]
    pub choice: ChoiceOptions,

    /// The engine of a side that does not name its own
    #[arg(long, value_parser = registry::engine)]
    pub engine: Option<&'static Engine>,
}

impl Adopt {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let context = context(directory, self.engine)?;
        if !self.choice.ignore.is_empty() {
            return Err(Failure::usage("adopt writes every aspect but access; leave out --ignore"));
        }
        let mut side = context.load(&context.side(&self.side)?)?;
        let in_the_way = fs::read_dir(&self.into)
            .is_ok_and(|mut entries| entries.any(|entry| entry.is_ok_and(|entry| entry.file_name() != ".git")));
        if in_the_way || self.into.is_file() {
            return Err(Failure::new(format!("{} is not empty; nothing was written", self.into.display()))
                .help("name a folder that is empty or does not exist yet"));
        }
        let name =
            self.into.file_name().map_or_else(|| "schema".to_owned(), |name| name.to_string_lossy().into_owned());
        let dialect = dialect(side.engine);
        let chosen = self.choice.apply(&context, &Model::empty(), &mut side)?;
        chosen.print();
        let writes_access = chosen.aspects.minds_access();
        for object in side.model.objects_mut().filter(|_| writes_access) {
            object.access.retain(|clause, _| chosen.aspects.minds(dialect.access_aspect(clause)));
        }
        let mut written = vec![(PathBuf::from(FILE), settings(&name, side.engine, side.engine_version, &[]))];
        for file in adopted_files(dialect, &side.model, writes_access) {
            written.push((Path::new("schema").join(file.path), file.text));
        }
        let folders: BTreeSet<&Path> = written.iter().filter_map(|(path, _)| path.parent()).collect();
        for folder in folders.into_iter().map(|folder| self.into.join(folder)) {
            fs::create_dir_all(&folder)
                .map_err(|error| Failure::new(format!("{} can't be made: {}", folder.display(), reason(&error))))?;
        }
        let write = |(path, text): &(PathBuf, String)| files::write_new(&self.into.join(path), text.as_bytes());
        // The settings are last: without them it is no project yet.
        written[1..].par_iter().try_for_each(write)?;
        write(&written[0])?;
        let (mut built, tolerated) = self.build();
        if !tolerated.is_empty() {
            files::write_atomically(
                &self.into.join(FILE),
                settings(&name, side.engine, side.engine_version, &tolerated).as_bytes(),
            )?;
            let codes: Vec<&str> = tolerated.iter().map(|code| code.name()).collect();
            note!(
                "{}: the database has defects that the engine accepts; {FILE} tolerates them ({})",
                paint(style::WARNING, "warning"),
                codes.join(", ")
            );
            built = self.build().0;
        }
        self.prove(built, &side.model)?;
        say!(
            "{} {} into {}: {} in {}, and the source builds to the same structure ({})",
            paint(style::GOOD, "adopted"),
            side.name,
            self.into.display(),
            contents(&side.model),
            count(written.len() - 1, "file"),
            side.model.fingerprint().short()
        );
        Ok(Outcome::Done)
    }

    /// Builds the written files. Returns the codes of errors in objects that the engine has: references to missing objects, for example.
    fn build(&self) -> (Ended<Loaded>, Vec<Code>) {
        let context = Context { project: None, engine: None, second_opinion: true, scratch: None };
        let built = context.load(&Side::Folder(self.into.clone()));
        let found = built.as_ref().err().map_or(&[][..], |failure| &failure.diagnostics);
        let mut codes: Vec<Code> =
            found.iter().filter(|d| d.is_error() && d.code.is_tolerable()).map(|d| d.code).collect();
        codes.sort();
        codes.dedup();
        (built, codes)
    }

    /// The written files build, to the same structure.
    fn prove(&self, built: Ended<Loaded>, model: &Model) -> Ended<()> {
        let built = built.map_err(|failure| Failure {
            message: format!("{} was written, but needs a look before it builds", self.into.display()),
            ..failure
        })?;
        if built.model == *model {
            return Ok(());
        }
        Err(Failure::new(format!(
            "{} was written, but does not build to the structure of {}",
            self.into.display(),
            self.side
        ))
        .help(format!(
            "wevrun compare --have {} --want {} shows what differs; please report it",
            self.side,
            self.into.display()
        )))
    }
}
