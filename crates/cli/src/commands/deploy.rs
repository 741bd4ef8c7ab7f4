use std::io::Write;
use std::path::{Path, PathBuf};
use std::time::Duration;

use clap::Args;
use clap_complete::ArgValueCompleter;
use serde::Serialize;
use wevrun_core::EngineVersion;
use wevrun_core::compare::{Comparison, compare};
use wevrun_core::model::Model;
use wevrun_core::plan::Mode;
use wevrun_core::script::{Read, Script as Steps, ScriptHash, write};
use wevrun_engines::{
    Access, Database, DatabaseUrl, Event, LiveError, Release,
    registry::{self, dialect},
};

use super::compare::print_source_findings;
use super::script::{Made, keep_unmanaged, last_release, make, read, report_blocked, same_project, today};
use super::script_options::ScriptOptions;
use super::{Scratch, context};
use crate::choice::Chosen;
use crate::completion;
use crate::failure::{Ended, Failure, Outcome};
use crate::mapping::MapOptions;
use crate::output::comparison::{self, Group, View, Wording};
use crate::output::diagnostics::JsonDiagnostic;
use crate::output::diff::Layout;
use crate::output::json::JsonRisk;
use crate::output::print::{self, note, say};
use crate::output::style::{self, paint};
use crate::output::{Format, format};
use crate::output::{count, json};
use crate::progress;
use crate::side::{Context, Side, load_both, shown};

/// Run a script on a target and verify the result
///
/// `wevrun deploy SCRIPT TARGET` runs a script that was written before; `wevrun deploy TARGET` makes the script from the target to
/// the project's source and runs it. The target must still be in the state that the script starts from (else exit status 5).
/// Where the engine can, the script is one transaction, which is committed only after the result was read back and compared. A
/// script of several parts that failed between two of them continues there when it is deployed again.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun deploy release.sql production")]
pub struct Deploy {
    /// A script and a target, or a target alone
    #[arg(value_name = "[SCRIPT] TARGET", num_args = 1..=2, required = true, add = ArgValueCompleter::new(completion::sides))]
    pub arguments: Vec<String>,

    /// Desired schema, when no script is given [default: the project's source]
    #[arg(long, value_name = "SIDE", add = ArgValueCompleter::new(completion::sides))]
    pub want: Option<String>,

    /// Create the database if it does not exist
    #[arg(long)]
    pub create: bool,

    /// Run the script although it was edited after it was written; the ledger keeps the reason
    #[arg(long, value_name = "REASON")]
    pub edited: Option<String>,

    /// Names of the target, with the names of the desired schema
    #[command(flatten)]
    pub map: MapOptions,

    /// What is asked for beside, when no script is given
    #[command(flatten)]
    pub script_options: ScriptOptions,

    /// Where sources are spelled
    #[command(flatten)]
    pub scratch: Scratch,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text", value_parser = format::one_of(format::SIMPLE))]
    pub format: Format,
}

/// A completed deployment for `--format json`.
#[derive(Serialize)]
struct Report<'r> {
    ok: bool,
    target: &'r str,
    script_hash: &'r str,
    have: &'r str,
    want: &'r str,
    /// Objects that can't be compared without the engine.
    unproven: Vec<&'r str>,
    steps: Vec<StepTime>,
    milliseconds: f64,
}

/// A step and how long it took.
#[derive(Serialize)]
struct StepTime {
    number: usize,
    part: usize,
    title: String,
    milliseconds: f64,
}

/// A blocked deployment for `--format json`.
#[derive(Serialize)]
struct Held {
    ok: bool,
    risks: Vec<JsonRisk>,
    diagnostics: Vec<JsonDiagnostic>,
}

/// The target of a deployment.
struct Target<'t> {
    /// Its name on the command line.
    name: &'t str,
    url: &'t DatabaseUrl,
    /// The desired structure, if it is known.
    want: Option<&'t Model>,
}

/// The target's engine is not older than what the script was made for.
fn old_enough(target: &str, live: Option<EngineVersion>, script: &Steps) -> Ended<()> {
    match live.or_else(|| registry::live(script.engine).built_in_version()) {
        Some(version) if version < script.engine_version => Err(Failure::new(format!(
            "{target} runs {} {version}, and the script is for {} or later; nothing was changed",
            script.engine, script.engine_version
        ))
        .help("set engine-version in wevrun.toml to the oldest version that any target runs, and build again")),
        _ => Ok(()),
    }
}

impl Deploy {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let mut context = self.scratch.of(context(directory, None)?)?;
        let (script, target) = match &self.arguments[..] {
            [script, target] => (Some(PathBuf::from(script)), target),
            [target] => (None, target),
            _ => unreachable!("clap takes one or two"),
        };
        if script.is_some() && self.want.is_some() {
            return Err(Failure::usage(
                "--want can't be used with a script: the script already holds the desired schema",
            ));
        }
        if script.is_some() && !(self.script_options.is_empty() && self.map.is_empty()) {
            let options = "--index-builds, --map, and those that choose differences or aspects, are for `wevrun script`, or for deploy without a script";
            return Err(Failure::usage(format!("the options were chosen when the script was made; {options}")));
        }
        let url = context.require_target(target)?;
        context.beside(&url);
        let target = &shown(target);
        let access = if self.create { Access::Create } else { Access::Write };
        match script {
            Some(path) => {
                let (Read { mut script, edited }, text) = read(&path)?;
                self.require_unedited(&path, edited)?;
                if script.engine != url.engine() {
                    let words = format!("the script is for {}, and {target} is {}", script.engine, url.engine());
                    return Err(Failure::usage(format!("{words}; nothing was changed")));
                }
                // A waiver holds only as long as it is in the file, and as its last day is not over.
                script.forget_expired_waivers(&today());
                if context.project.is_some() || self.script_options.waivers.is_some() || edited {
                    script.forget_waivers();
                }
                let waivers = self.script_options.waivers(&context)?;
                script.clear(&waivers, &today());
                if !script.blocked_by().is_empty() {
                    return Ok(self.held(&script));
                }
                let mut live = context.load_live(target, &url, access)?;
                let live_version = live.engine_version;
                let database = live.live.as_mut().expect("it is live").as_mut();
                old_enough(target, live_version, &script)?;
                if let Some(entry) = last_release(target, database)? {
                    same_project(target, &entry, &script.project, self.script_options.other_project)?;
                }
                self.deploy(&Target { name: target, url: &url, want: None }, database, &script, &text)
            }
            None => {
                let want = self.want.as_ref().map_or(Ok(Side::Source), |side| context.side(side))?;
                let load = |context: &Context| context.load_live(target, &url, access);
                let (mut live, mut want) = if self.create {
                    // No database is created for a source with errors.
                    let want = context.load(&want)?;
                    (load(&context)?, want)
                } else {
                    load_both(|| load(&context), || context.load(&want))?
                };
                self.map.apply(&context, &live, &mut want)?;
                want.resolve_names();
                let live_version = live.engine_version;
                keep_unmanaged(&live, &mut want);
                let chosen = self.script_options.choice.apply(&context, &live.model, &mut want)?;
                if self.format == Format::Text {
                    print_source_findings(&[&want]);
                    chosen.print();
                }
                let asked = (&self.script_options, &chosen);
                let Made { script, comparison, .. } =
                    make(&context, (target, &live.model), (live.live.as_mut(), live_version), &want, asked)?;
                old_enough(target, live_version, &script)?;
                let nothing = comparison.is_identical() && script.is_empty();
                if !script.blocked_by().is_empty() {
                    return Ok(self.held(&script));
                }
                if nothing && self.format == Format::Text {
                    let is_whole = chosen.notes().is_empty();
                    let verdict = if is_whole { "is up to date" } else { "needs no step for what is chosen" };
                    say!("{target} {verdict}: {}", script.want.short());
                }
                let text = write(dialect(script.engine), &script);
                let database = live.live.as_mut().expect("it is live").as_mut();
                let target = Target { name: target, url: &url, want: Some(&want.model) };
                self.deploy(&target, database, &script, &text)
            }
        }
    }

    /// A script is run as it was written, unless the user gives a reason for an edit.
    fn require_unedited(&self, path: &Path, edited: bool) -> Ended<()> {
        match &self.edited {
            None if edited => Err(Failure::new(format!(
                "{} was edited after it was written: its hash does not fit; nothing was changed",
                path.display()
            ))
            .help("write the script again; or read it, and give `--edited REASON`, which the ledger keeps")),
            Some(_) if !edited => Err(Failure::usage(format!("{} was not edited; leave --edited out", path.display()))),
            Some(reason) if reason.trim().is_empty() => Err(Failure::usage("--edited needs a reason")),
            _ => Ok(()),
        }
    }

    /// Prints the risks that block the script.
    fn held(&self, script: &Steps) -> Outcome {
        if self.format == Format::Json {
            let risks = script.blocked_by().into_iter().map(JsonRisk::new).collect();
            json::print(&Held { ok: false, risks, diagnostics: Vec::new() });
        }
        report_blocked(script);
        Outcome::Blocked
    }

    /// The reason why the built-in engine can't run the script, if it can't.
    fn for_client_only(&self, script: &Steps) -> Option<Outcome> {
        let built_in = registry::live(script.engine).built_in_version()?;
        if script.plan.client_only.is_empty() || built_in <= script.engine_version {
            return None;
        }
        let message = format!(
            "this script must be run by {} {}, and the built-in version is {built_in}; nothing was changed",
            script.engine, script.engine_version
        );
        let mut help = script.plan.client_only.clone();
        let client = dialect(script.engine).client_command();
        help.push(format!(
            "write the script with `wevrun script`, and run it with the client of the version that the database is used with: {client}"
        ));
        if self.format == Format::Json {
            let diagnostics = vec![JsonDiagnostic::error(&message, &help)];
            json::print(&Held { ok: false, risks: Vec::new(), diagnostics });
        }
        anstream::eprintln!("{}: {message}", paint(style::ERROR, "stopped"));
        help.iter().for_each(|line| anstream::eprintln!("  {}: {line}", paint(style::HELP, "help")));
        Some(Outcome::Blocked)
    }

    fn deploy(&self, to: &Target<'_>, database: &mut dyn Database, script: &Steps, text: &str) -> Ended {
        if let Some(outcome) = self.for_client_only(script) {
            return Ok(outcome);
        }
        let release = Release {
            released_by: wevrun_engines::user(),
            script_hash: ScriptHash::of(text),
            tool: env!("CARGO_PKG_VERSION").to_owned(),
            project: script.project.clone(),
            edited: self.edited.clone(),
        };
        let target = to.name;
        let mut steps: Vec<StepTime> = Vec::new();
        let mut watch = |event: Event<'_>| match (self.format, event) {
            (Format::Text, _) if print::is_quiet() => {}
            (Format::Text, event) => report(event),
            (Format::Json, Event::StepDone { step, title, took }) => steps.push(StepTime {
                number: step.number,
                part: step.part,
                title: title.to_owned(),
                milliseconds: took.as_secs_f64() * 1000.0,
            }),
            _ => {}
        };
        if !script.engine.capabilities.has_transactional_ddl && !script.is_empty() {
            let title = script.engine.title;
            note!(
                "{}: {title} commits each step by itself. If a step fails, the steps before it stay, and deploying the same script \
                 continues there. A backup is the only way back to the rows of now.",
                paint(style::WARNING, "note")
            );
        }
        let all = script.plan.steps().count() as u64;
        let deployed = progress::while_stepping(&format!("deploying to {target}"), all, |bar| {
            database.deploy(script, &release, &mut |event| {
                if let Event::StepDone { step, title, took } = &event {
                    bar.set_position(step.number as u64);
                    tracing::info!(step = step.number, title, ms = took.as_secs_f64() * 1000.0, "step done");
                }
                bar.suspend(|| watch(event));
            })
        });
        match deployed {
            Ok(deployment) if self.format == Format::Json => {
                let (have, want) = (script.have.as_str(), script.want.as_str());
                let milliseconds = deployment.took.as_secs_f64() * 1000.0;
                let unproven = script.unproven.iter().chain(&deployment.respelled).map(String::as_str).collect();
                let script_hash = release.script_hash.as_str();
                json::print(&Report { ok: true, target, script_hash, have, want, unproven, steps, milliseconds });
                Ok(Outcome::Done)
            }
            Ok(deployment) => {
                say!(
                    "{} {target} is {} now: {} in {}, read back by a new connection and verified{}",
                    paint(style::GOOD, "done"),
                    paint(style::STRONG, script.want.short()),
                    count(script.plan.steps().count(), "step"),
                    milliseconds(deployment.took),
                    if script.unproven.is_empty() && deployment.respelled.is_empty() { "" } else { " but for:" }
                );
                for object in &script.unproven {
                    say!("  {} {object}", paint(style::WARNING, "unproven"));
                }
                for object in &deployment.respelled {
                    let why = "created by the script's statements; the server stores its expressions in an unexpected spelling";
                    say!("  {} {object}: {why}", paint(style::WARNING, "unproven"));
                }
                Ok(Outcome::Done)
            }
            Err(LiveError::PartlyApplied { ref cause, done, .. }) if lost_at_commit(cause) => Err(Failure::new(format!(
                "the connection was lost at the commit of part {}, so it is not known whether it was done; the parts before it are",
                done + 1
            ))
            .help("deploy the same script again: it continues where needed")),
            Err(LiveError::PartlyApplied { done, parts, cause }) => {
                let left = match done {
                    0 if parts == 1 => "The steps before it are done, and stay".to_owned(),
                    0 => "The earlier steps of this part stay in effect".to_owned(),
                    1 => format!("The first of {parts} parts is done, and stays"),
                    _ => format!("The first {done} of {parts} parts are done, and stay"),
                };
                let alone = script.plan.parts.get(done).is_some_and(|part| part.mode == Mode::EachStatement);
                let concurrent = script.engine.capabilities.can_build_indexes_concurrently;
                let left = if alone && concurrent {
                    format!("{left}; an index that was not finished is left invalid")
                } else {
                    left
                };
                if let LiveError::StateDiffers { .. } = &*cause {
                    let next = done + 1;
                    let words =
                        format!("{target} changed meanwhile: it is not in the state in which part {next} begins");
                    return Err(Failure::new(format!("{words}. {left}"))
                        .help("look at its current state with `wevrun compare`, and make a new script"));
                }
                let again =
                    "deploy the same script again to continue there; or make a new script from the target's current state";
                failed(to, script, &cause, &left).map_err(|failure| failure.help(again))
            }
            Err(error @ (LiveError::NotCommitted { .. } | LiveError::NotReadBack(_) | LiveError::TransactionEnded)) => {
                Err(Failure::new(format!("{target}: {error}"))
                    .help("look at its current state with `wevrun compare`; do not treat it as released"))
            }
            Err(error) if lost_at_commit(&error) => Err(Failure::new(format!(
                "the connection was lost at the commit, so it is not known whether {target} was changed"
            ))
            .help("`wevrun compare` shows its current state; it is safe to deploy the same script again")),
            // What a person reads of it is on standard output, too.
            Err(LiveError::StateDiffers { .. } | LiveError::UnknownState(_)) if self.format == Format::Json => {
                let message = format!("{target} is not in the state that the script was made for; nothing was changed");
                let help = ["make a new script from the target's current state".to_owned()];
                let diagnostics = vec![JsonDiagnostic::error(&message, &help)];
                json::print(&Held { ok: false, risks: Vec::new(), diagnostics });
                Ok(Outcome::StateChanged)
            }
            Err(error) => failed(to, script, &error, &format!("Nothing was changed: {target} is as it was")),
        }
    }
}

/// Whether the server may have committed without an answer.
fn lost_at_commit(error: &LiveError) -> bool {
    matches!(error, LiveError::StepFailed { statement, cause, .. }
        if statement == "COMMIT" && matches!(**cause, LiveError::ConnectionLost(_)))
}

/// One line a step, with its time. A deployment continues even if its output can't be written.
fn report(event: Event<'_>) {
    let mut out = anstream::stdout().lock();
    let _ = match event {
        Event::StateConfirmed => writeln!(out, "target matches the script's starting state"),
        Event::StepsFound { done, steps } => {
            writeln!(out, "{done} of {steps} steps are done already; running the others")
        }
        Event::Resumed { part, parts } => {
            writeln!(out, "the earlier parts are done; continuing with part {part} of {parts}")
        }
        Event::StepStarted { step, steps, title } => {
            write!(out, "step {} of {steps}: {title} ", step.number).and_then(|()| out.flush())
        }
        Event::StepDone { took, .. } => writeln!(out, "{}", paint(style::FAINT, milliseconds(took))),
        Event::Checked => writeln!(out, "result checked; committing"),
        Event::Committed | Event::Verified => Ok(()),
    };
}

fn milliseconds(took: Duration) -> String {
    format!("{:.1} ms", took.as_secs_f64() * 1000.0)
}

/// Prints the error, and the state in which it `left` the database.
fn failed(to: &Target<'_>, script: &Steps, error: &LiveError, left: &str) -> Ended {
    let target = to.name;
    match error {
        LiveError::StateDiffers { expected, found } => {
            anstream::eprintln!(
                "{}: {target} is not in the state that the script was made for; nothing was changed",
                paint(style::ERROR, "stopped")
            );
            anstream::eprintln!(
                "  the script starts from {}, and the target is {}",
                expected.short(),
                found.fingerprint().short()
            );
            if found.fingerprint() == script.want {
                anstream::eprintln!("  the target already has the structure that the script produces");
            } else {
                since_the_script(to, found);
            }
            anstream::eprintln!("{}: make a new script from the target's current state", paint(style::HELP, "help"));
            Ok(Outcome::StateChanged)
        }
        LiveError::UnknownState(objects) => {
            anstream::eprintln!(
                "{}: {target} is neither in the state that the script was made for nor between two of its steps; nothing was changed",
                paint(style::ERROR, "stopped")
            );
            anstream::eprintln!("  in another state: {}", objects.join(", "));
            anstream::eprintln!("{}: make a new script from the target's current state", paint(style::HELP, "help"));
            Ok(Outcome::StateChanged)
        }
        LiveError::StepFailed { number, title, statement, message, cause } => {
            // The line of the step that failed has no end yet.
            anstream::eprintln!();
            let place = if *number == 0 { title.clone() } else { format!("step {number}, {title}") };
            let mut failure = Failure::new(format!("{place}: {message}. {left}"));
            match &**cause {
                LiveError::ForeignKeysBroken(rows) => {
                    for broken in rows {
                        failure = failure.help(format!(
                            "foreign key {}: no row there for the value {}",
                            broken.foreign_key, broken.value
                        ));
                    }
                }
                LiveError::WouldLoseRows => {
                    failure =
                        failure.help("make a new script from the target's current state, and look at its risks again");
                }
                LiveError::AnotherStructure => {
                    failure = failure.help("make a new script from the target's current state");
                }
                LiveError::Locked => failure = failure.help("try again when the other connection is done"),
                LiveError::DiskFull(_) => failure = failure.help("make room and try again"),
                LiveError::ReadOnly(_) => {
                    failure = failure.help(
                        "check who may write there: it may be a file that is not yours, a replica, or set to read-only",
                    )
                }
                _ => failure = failure.help(format!("the statement was: {}", shortened(statement))),
            }
            Err(failure)
        }
        LiveError::ProofFailed { expected, found } => {
            let failure = Failure::new(format!(
                "the steps ran, but led to {} instead of {}. {left}",
                found.fingerprint().short(),
                expected.short()
            ));
            Err(match to.want {
                None => failure.help("`wevrun script` makes a new one from the target's current state"),
                Some(want) => not_as_wanted(failure, &compare(dialect(script.engine), found, want)),
            })
        }
        LiveError::LedgerNotWritten { rights, .. } => {
            let failure = Failure::new(format!("{target}: {error}. {left}"));
            Err(rights.iter().fold(failure, Failure::help))
        }
        other => Err(Failure::live(target, other)),
    }
}

/// Objects that differ from want after a deployment; if there are none, objects whose spelling can't be read.
fn not_as_wanted(failure: Failure, comparison: &Comparison<'_>) -> Failure {
    let differing: Vec<String> = comparison.differences.iter().map(|difference| difference.key.to_string()).collect();
    let (heading, objects) = if differing.is_empty() {
        let unproven: Vec<String> = comparison.unproven.iter().map(ToString::to_string).collect();
        ("add `--scratch URL`: these can't be compared without the engine:", unproven)
    } else {
        ("please report it; these differ from the desired schema:", differing)
    };
    objects.into_iter().take(10).fold(failure.help(heading), Failure::help)
}

fn shortened(statement: &str) -> String {
    let line = statement.split_whitespace().collect::<Vec<_>>().join(" ");
    if line.chars().count() > 200 { format!("{}…", line.chars().take(200).collect::<String>()) } else { line }
}

/// The differences between the target and its last release, if the ledger has it.
fn since_the_script(to: &Target<'_>, found: &Model) {
    let target = to.name;
    let Ok(mut database) = wevrun_engines::open(to.url, Access::Read) else { return };
    let Ok(Some(entry)) = database.last_release() else { return };
    let Some(Ok(released)) =
        entry.snapshot.map(|text| wevrun_core::snapshot::Snapshot::read(&text, &registry::engines()))
    else {
        return;
    };
    let comparison: Comparison<'_> = compare(dialect(released.engine), &released.model, found);
    if comparison.is_identical() {
        anstream::eprintln!("  it is the last release there, {} by {}", entry.released_at, entry.released_by);
        return;
    }
    let view = View {
        have: (format!("released {}", entry.released_at), released.model.fingerprint().short().to_owned()),
        want: (target.to_owned(), found.fingerprint().short().to_owned()),
        dialect: dialect(released.engine),
        wording: &Wording::DRIFT,
        group: Group::default(),
        details: false,
        layout: Layout::Auto,
        about: None,
        column_order: false,
        chosen: &Chosen::default(),
    };
    comparison::print_drift(&comparison, &view);
}

#[cfg(test)]
mod tests {
    use super::*;
    use wevrun_core::model::{Kind, Name, ObjectKey, QualifiedName};

    #[test]
    fn an_outcome_that_only_a_server_could_tell_is_no_fault_to_report() {
        let nothing = Model::empty();
        let dialect = registry::find_dialect("postgres").expect("it is compiled in");
        let mut comparison = compare(dialect, &nothing, &nothing);
        let view = ObjectKey::new(Kind::View, QualifiedName::plain(Name::new("public.frames", "public.frames")));
        comparison.unproven.push(view);
        let told = not_as_wanted(Failure::new("the outcome is not proven"), &comparison);
        assert!(told.help[0].starts_with("add `--scratch URL`"), "{:?}", told.help);
        assert_eq!(told.help[1..], ["view public.frames"]);
    }
}
