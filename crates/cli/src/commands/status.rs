use std::path::Path;
use std::sync::mpsc::{Receiver, channel};
use std::thread;
use std::time::{Duration, Instant};

use clap::Args;
use serde::Serialize;
use wevrun_engines::registry::dialect;
use wevrun_engines::{Access, LedgerEntry};

use super::context;
use super::snapshot::contents;
use crate::failure::{Ended, Failure, Outcome};
use crate::mapping::MapOptions;
use crate::output::print::say;
use crate::output::style::{self, paint};
use crate::output::{Format, count, format, json};
use crate::project::Project;
use crate::side::{Context, Side};

/// Show the project, whether its source builds, and the last release of each target
///
/// All targets are asked at the same time. Exit status 1 if the source can't be built or a target can't be asked.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun status --timeout 2")]
pub struct Status {
    /// How many seconds to wait for a target
    #[arg(long, value_name = "SECONDS", default_value = "5", value_parser = clap::value_parser!(u64).range(1..=3600))]
    pub timeout: u64,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text", value_parser = format::one_of(format::SIMPLE))]
    pub format: Format,
}

/// The result for `--format json`.
#[derive(Serialize)]
struct Report {
    ok: bool,
    project: String,
    engine: &'static str,
    engine_version: String,
    folder: String,
    source: SourceState,
    targets: Vec<TargetState>,
}

/// The project's source.
#[derive(Serialize)]
struct SourceState {
    builds: bool,
    /// Its state in words, or the error.
    summary: String,
    /// The fingerprint of what it builds to.
    #[serde(skip_serializing_if = "Option::is_none")]
    fingerprint: Option<String>,
}

/// A target.
#[derive(Serialize)]
struct TargetState {
    name: String,
    /// The URL, without secrets.
    #[serde(skip_serializing_if = "Option::is_none")]
    url: Option<String>,
    /// Whether it could be asked.
    reachable: bool,
    /// Why not.
    #[serde(skip_serializing_if = "Option::is_none")]
    problem: Option<String>,
    /// The last release; nothing if there is no ledger.
    #[serde(skip_serializing_if = "Option::is_none")]
    release: Option<ReleaseState>,
}

/// The last release of a target.
#[derive(Serialize)]
struct ReleaseState {
    released_at: String,
    released_by: String,
    project: String,
    /// The fingerprint of what was released.
    fingerprint: String,
    /// Whether that is the present source; nothing if the source can't be built, or the target has other names.
    #[serde(skip_serializing_if = "Option::is_none")]
    is_source: Option<bool>,
}

/// A target that is asked.
struct Asked {
    name: String,
    url: Option<String>,
    /// Where the answer arrives; or why it can't be asked.
    answer: Result<Receiver<Answer>, String>,
}

/// The answer of a target.
type Answer = Result<Option<LedgerEntry>, String>;

impl Asked {
    /// The answer, if it arrives in time.
    fn wait(&self, until: Instant) -> Answer {
        let answer = self.answer.as_ref().map_err(Clone::clone)?;
        let left = until.saturating_duration_since(Instant::now());
        answer.recv_timeout(left).unwrap_or_else(|_| Err("no answer in time".to_owned()))
    }
}

impl Status {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let project = Project::require(directory)?;
        let (name, engine, folder) = (project.name.clone(), project.engine, project.root.display().to_string());
        let engine_version = project.engine_version.to_string();
        let until = Instant::now() + Duration::from_secs(self.timeout);
        let asked = ask(&project);
        let mut context = context(directory, None)?;
        context.project = Some(project);
        let source = source(&context);
        let is_mapped = |target: &str| MapOptions::default().concerns(&context, target);
        let targets: Vec<TargetState> = asked
            .into_iter()
            .map(|asked| {
                let answer = asked.wait(until);
                let release = answer.as_ref().ok().and_then(Option::as_ref).map(|entry| ReleaseState {
                    released_at: entry.released_at.clone(),
                    released_by: entry.released_by.clone(),
                    project: entry.project.clone(),
                    fingerprint: entry.want.clone(),
                    is_source: source
                        .fingerprint
                        .as_ref()
                        .filter(|_| !is_mapped(&asked.name))
                        .map(|own| *own == entry.want),
                });
                TargetState {
                    name: asked.name,
                    url: asked.url,
                    reachable: answer.is_ok(),
                    problem: answer.err(),
                    release,
                }
            })
            .collect();
        let ok = source.builds && targets.iter().all(|target| target.reachable);
        let report = Report { ok, project: name, engine: engine.title, engine_version, folder, source, targets };
        if self.format == Format::Json {
            json::print(&report);
        } else {
            print(&report);
        }
        if ok { Ok(Outcome::Done) } else { Ok(Outcome::Problems) }
    }
}

/// Whether the source builds.
fn source(context: &Context) -> SourceState {
    match context.load(&Side::Source) {
        Ok(loaded) => {
            // As far as the project manages it: so the ledger has it.
            let managed = loaded.scope.part_of(dialect(loaded.engine), &loaded.model);
            SourceState {
                builds: true,
                summary: contents(&loaded.model),
                fingerprint: Some(managed.fingerprint().to_string()),
            }
        }
        Err(failure) => SourceState { builds: false, summary: in_words(&failure), fingerprint: None },
    }
}

fn in_words(failure: &Failure) -> String {
    let errors = failure.diagnostics.iter().filter(|found| found.is_error()).count();
    if errors == 0 {
        failure.message.clone()
    } else {
        format!("{}: see `wevrun build --check`", count(errors, "error"))
    }
}

/// Asks every target, each in a thread of its own. Who does not answer in time is left behind.
fn ask(project: &Project) -> Vec<Asked> {
    let of = |name: &str| match project.target(name) {
        Ok(url) => {
            let url = url.expect("it is one of the targets");
            let shown = url.to_string();
            let (answer, answered) = channel();
            thread::spawn(move || {
                let opened = wevrun_engines::open(&url, Access::Read);
                let entry = opened.and_then(|mut database| database.last_release());
                // If it took too long, the answer is not waited for any more.
                let _ = answer.send(entry.map_err(|error| error.to_string()));
            });
            Asked { name: name.to_owned(), url: Some(shown), answer: Ok(answered) }
        }
        Err(failure) => {
            let found = failure.diagnostics.first().map(|found| found.message.clone());
            Asked { name: name.to_owned(), url: None, answer: Err(found.unwrap_or(failure.message)) }
        }
    };
    project.target_names().map(of).collect()
}

fn print(report: &Report) {
    say!("project  {}  {}", paint(style::STRONG, &report.project), paint(style::FAINT, &report.folder));
    say!("engine   {} {} or later", report.engine, report.engine_version);
    match &report.source.fingerprint {
        Some(fingerprint) => {
            let short = &fingerprint[..fingerprint.len().min(12)];
            say!(
                "source   {}: {}  {}",
                paint(style::GOOD, "builds"),
                report.source.summary,
                paint(style::FAINT, short)
            );
        }
        None => say!("source   {}: {}", paint(style::ERROR, "does not build"), report.source.summary),
    }
    if report.targets.is_empty() {
        say!("targets  none in wevrun.toml");
        return;
    }
    say!("\n{}", paint(style::STRONG, "Targets"));
    let width = report.targets.iter().map(|target| target.name.chars().count()).max().unwrap_or_default();
    for target in &report.targets {
        let name = format!("{:<width$}", target.name);
        let state = match (&target.problem, &target.release) {
            (Some(problem), _) => format!("{}: {problem}", paint(style::ERROR, "can't be asked")),
            (None, None) => "no ledger: nothing was released there yet".to_owned(),
            (None, Some(release)) => {
                let what = match release.is_source {
                    Some(true) => paint(style::GOOD, "the present source"),
                    Some(false) => paint(style::WARNING, "another fingerprint than the source"),
                    None => "a release".to_owned(),
                };
                let short = &release.fingerprint[..release.fingerprint.len().min(12)];
                let (at, by) = (&release.released_at, &release.released_by);
                format!("{what}, released {at} by {by}  {}", paint(style::FAINT, short))
            }
        };
        say!("  {}  {state}", paint(style::STRONG, name));
        if let Some(url) = &target.url {
            say!("  {:width$}  {}", "", paint(style::FAINT, url));
        }
    }
}
