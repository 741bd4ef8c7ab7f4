use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::time::Instant;

use clap::Args;
use clap_complete::ArgValueCompleter;
use serde::Serialize;
use wevrun_core::Engine;
use wevrun_core::model::{Kind, Model};
use wevrun_core::snapshot;
use wevrun_engines::registry::{self, dialect};

use super::compare::is_correctable;
use super::script::NO_PROJECT;
use super::{Scratch, context};
use crate::completion;
use crate::failure::{Ended, Outcome};
use crate::files;
use crate::output::print::{note, say};
use crate::output::style::{self, paint};
use crate::output::{Format, format};
use crate::output::{count, diagnostics, findings, json};
use crate::side::{Loaded, Side};

/// Write any side as a snapshot: the baseline of a live database, or the source as of a git revision
///
/// In a project, the snapshot of a live database has the objects that the project manages. `wevrun build` makes the snapshot of the
/// project's source.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun snapshot production --out baseline.wsnap")]
pub struct Snapshot {
    /// The side
    #[arg(value_name = "SIDE", add = ArgValueCompleter::new(completion::sides))]
    pub side: String,

    /// The snapshot's file
    #[arg(long, value_name = "FILE")]
    pub out: PathBuf,

    /// The engine of a side that does not name its own [default: the project's]
    #[arg(long, value_parser = registry::engine)]
    pub engine: Option<&'static Engine>,

    /// Where sources are spelled
    #[command(flatten)]
    pub scratch: Scratch,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text", value_parser = format::one_of(format::SIMPLE))]
    pub format: Format,
}

#[derive(Serialize)]
struct Report<'r> {
    ok: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    snapshot: Option<String>,
    fingerprint: &'r str,
    objects: usize,
    diagnostics: Vec<diagnostics::JsonDiagnostic>,
}

impl Snapshot {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let started = Instant::now();
        let mut context = self.scratch.of(context(directory, self.engine)?)?;
        let side = context.side(&self.side)?;
        if let Side::Live(_, url) = &side {
            context.beside(url);
        }
        let mut loaded = context.load(&side)?;
        if let (Side::Live(..), Some(project)) = (&side, &context.project) {
            loaded.scope = project.scope.clone();
            loaded.project = Some(project.name.clone());
            let managed = loaded.scope.part_of(dialect(loaded.engine), &loaded.model).into_owned();
            loaded.model = managed;
        }
        write(loaded, Some(&self.out), "wrote", self.format, started)
    }
}

/// Writes a loaded side as a snapshot, if it is to be written, and prints a line about it.
pub fn write(loaded: Loaded, out: Option<&Path>, verb: &str, format: Format, started: Instant) -> Ended {
    let mut read: Vec<PathBuf> = loaded.raw.iter().map(|(path, _)| path.clone()).collect();
    read.extend(loaded.path.clone());
    let may_be_corrected = is_correctable(&loaded);
    let words: BTreeSet<String> = loaded.unread.into_iter().flat_map(|unread| unread.words).collect();
    let snapshot = snapshot::Snapshot {
        project: loaded.project.unwrap_or_else(|| NO_PROJECT.to_owned()),
        engine: loaded.engine,
        engine_version: loaded.engine_version.unwrap_or(loaded.engine.default_version),
        git: loaded.git,
        sources: loaded.files,
        scope: loaded.scope,
        model: loaded.model,
        unread: words.into_iter().collect(),
    };
    if let Some(out) = out {
        files::require_apart(&[out], &read)?;
        files::write_result(out, snapshot.write(dialect(snapshot.engine), &loaded.sources).as_bytes())?;
    }
    let fingerprint = snapshot.model.fingerprint();
    let found = if may_be_corrected { &loaded.diagnostics[..] } else { &[] };
    if format == Format::Json {
        json::print(&Report {
            ok: true,
            snapshot: out.map(|out| out.display().to_string()),
            fingerprint: fingerprint.as_str(),
            objects: snapshot.model.len(),
            diagnostics: diagnostics::json(found, &loaded.sources),
        });
        return Ok(Outcome::Done);
    }
    if matches!(format, Format::Junit | Format::Sarif) {
        findings::print(format, "build", &findings::of_diagnostics(found, &loaded.sources));
        return Ok(Outcome::Done);
    }
    diagnostics::print(found, &loaded.sources);
    let from = if snapshot.sources.is_empty() { loaded.name } else { count(snapshot.sources.len(), "file") };
    let mut lines = vec![format!(
        "{}{}: {} from {from} in {} ms",
        paint(style::GOOD, verb),
        out.map_or_else(String::new, |out| format!(" {}", style::link(out))),
        contents(&snapshot.model),
        started.elapsed().as_millis()
    )];
    lines.push(format!("fingerprint {}", paint(style::STRONG, fingerprint.short())));
    lines.extend(spelling(&snapshot.model, loaded.spelled));
    if let Some(git) = &snapshot.git {
        let modified = if git.modified { ", with changes that are not committed" } else { "" };
        lines.push(format!("git revision {}{modified}", &git.revision[..12.min(git.revision.len())]));
    }
    for line in lines {
        // The snapshot itself may be on standard output.
        if out == Some(Path::new("-")) { note!("{line}") } else { say!("{line}") }
    }
    Ok(Outcome::Done)
}

/// How many objects only a server could spell.
fn spelling(model: &Model, spelled: Option<usize>) -> Vec<String> {
    let share = |number: usize| {
        let percent = 100.0 * number as f64 / model.len().max(1) as f64;
        format!("{number} of {} ({percent:.1} %)", count(model.len(), "object"))
    };
    if let Some(number) = spelled {
        return vec![format!("spelled by the scratch server: {}", share(number))];
    }
    let unsure = model.unsure();
    if unsure.is_empty() {
        return Vec::new();
    }
    let mut lines = vec![format!(
        "{}: {} can't be compared exactly without a server; --scratch URL names one",
        paint(style::WARNING, "unproven"),
        share(unsure.len())
    )];
    const SHOWN: usize = 5;
    lines.extend(unsure.iter().take(SHOWN).map(|key| format!("  {key}")));
    if unsure.len() > SHOWN {
        lines.push(format!("  and {} more", unsure.len() - SHOWN));
    }
    lines
}

/// `7 tables, 2 views`.
pub fn contents(model: &Model) -> String {
    let counts: Vec<String> = Kind::ALL
        .into_iter()
        .filter_map(|kind| {
            let number = model.of_kind(kind).count();
            (number > 0).then(|| count(number, kind.title()))
        })
        .collect();
    if counts.is_empty() { "nothing".to_owned() } else { counts.join(", ") }
}
