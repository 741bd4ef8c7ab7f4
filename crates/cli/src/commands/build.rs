use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::time::Instant;

use clap::Args;
use serde::Serialize;
use wevrun_core::model::{Kind, Model};
use wevrun_core::snapshot::Snapshot;
use wevrun_engines::registry::dialect;

use super::{Scratch, context};
use crate::failure::{Ended, Failure, Outcome};
use crate::output::Format;
use crate::output::style::{self, paint};
use crate::output::{count, diagnostics, json};
use crate::project::Project;
use crate::side::Side;
use crate::{files, git};

/// Build the project's DDL into one validated snapshot
///
/// All files are parsed, every reference is resolved, and the rules of the engine and the limits of its version are checked.
/// Then the engine itself, if it is built in, compiles the schema in memory. All independent errors are shown in one run. A
/// pipeline carries the snapshot, unchanged, from test to production.
#[derive(Debug, Args)]
pub struct Build {
    /// The snapshot's file [default: NAME.wsnap in the project's folder]
    #[arg(long, value_name = "FILE")]
    pub out: Option<PathBuf>,

    /// Where sources are spelled
    #[command(flatten)]
    pub scratch: Scratch,

    /// Do not compile the schema with the engine itself
    #[arg(long)]
    pub no_second_opinion: bool,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub format: Format,
}

#[derive(Serialize)]
struct Report<'r> {
    ok: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    snapshot: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    fingerprint: Option<&'r str>,
    objects: usize,
    diagnostics: Vec<diagnostics::JsonDiagnostic>,
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
        let snapshot = Snapshot {
            project: project_name,
            engine: loaded.engine,
            engine_version: loaded.engine_version.unwrap_or(loaded.engine.default_version),
            git: git::revision(&root, raw, |path| globs.is_match(path)),
            sources: loaded.files,
            scope: loaded.scope,
            model: loaded.model,
            unread: {
                let words: BTreeSet<String> = loaded.unread.into_iter().flat_map(|unread| unread.words).collect();
                words.into_iter().collect()
            },
        };
        let read: Vec<PathBuf> = loaded.raw.iter().map(|(path, _)| path.clone()).collect();
        files::require_apart(&[&out], &read)?;
        files::write_result(&out, snapshot.write(dialect(snapshot.engine), &loaded.sources).as_bytes())?;
        let fingerprint = snapshot.model.fingerprint();
        if self.format == Format::Json {
            json::print(&Report {
                ok: true,
                snapshot: Some(out.display().to_string()),
                fingerprint: Some(fingerprint.as_str()),
                objects: snapshot.model.len(),
                diagnostics: diagnostics::json(&loaded.diagnostics, &loaded.sources),
            });
            return Ok(Outcome::Done);
        }
        diagnostics::print(&loaded.diagnostics, &loaded.sources);
        anstream::println!(
            "{} {}: {} from {} in {} ms",
            paint(style::GOOD, "built"),
            out.display(),
            contents(&snapshot.model),
            count(snapshot.sources.len(), "file"),
            started.elapsed().as_millis()
        );
        anstream::println!("fingerprint {}", paint(style::STRONG, fingerprint.short()));
        spelling(&snapshot.model, loaded.spelled);
        if let Some(git) = &snapshot.git {
            let modified = if git.modified { ", with changes that are not committed" } else { "" };
            anstream::println!("git revision {}{modified}", &git.revision[..12.min(git.revision.len())]);
        }
        Ok(Outcome::Done)
    }
}

/// How many objects only a server could spell.
fn spelling(model: &Model, spelled: Option<usize>) {
    let share = |number: usize| {
        let percent = 100.0 * number as f64 / model.len().max(1) as f64;
        format!("{number} of {} ({percent:.1} %)", count(model.len(), "object"))
    };
    if let Some(number) = spelled {
        anstream::println!("spelled by the scratch server: {}", share(number));
        return;
    }
    let unsure = model.unsure();
    if unsure.is_empty() {
        return;
    }
    anstream::println!(
        "{}: {} can't be compared exactly without a server; --scratch URL names one",
        paint(style::WARNING, "unproven"),
        share(unsure.len())
    );
    const SHOWN: usize = 5;
    unsure.iter().take(SHOWN).for_each(|key| anstream::println!("  {key}"));
    if unsure.len() > SHOWN {
        anstream::println!("  and {} more", unsure.len() - SHOWN);
    }
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

fn summary(failure: &Failure) -> String {
    let errors = failure.diagnostics.iter().filter(|diagnostic| diagnostic.is_error()).count();
    if errors == 0 {
        return failure.message.clone();
    }
    let code = failure.diagnostics.iter().find(|diagnostic| diagnostic.is_error()).expect("there is one").code;
    format!("{}; nothing was written; see `wevrun explain {code}`", count(errors, "error"))
}
