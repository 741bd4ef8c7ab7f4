use std::borrow::Cow;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use chrono::Local;
use clap::{Args, ValueEnum};
use serde::Serialize;
use wevrun_core::EngineVersion;
use wevrun_core::compare::{Comparison, compare, lookalikes};
use wevrun_core::model::Model;
use wevrun_core::plan::{self, Clearance, Evidence, ExactGuard, Provenance, Risk, RiskKind, Waiver};
use wevrun_core::script::{Read, Script as Steps, ScriptHash, make_script, make_undo, split, write};
use wevrun_core::snapshot::Snapshot;
use wevrun_engines::{
    Database, LedgerEntry, LiveError,
    registry::{self, dialect},
};

use super::compare::{Sides, keep_unread, print_source_findings, scope, source_findings};
use super::context;
use super::script_options::ScriptOptions;
use crate::choice::{ChoiceOptions, Chosen, JsonChoice};
use crate::failure::{Ended, Failure, Outcome};
use crate::files;
use crate::output::diagnostics::JsonDiagnostic;
use crate::output::json::{self, JsonRisk, JsonStep};
use crate::output::print::note;
use crate::output::style::{self, paint};
use crate::output::{Format, format};
use crate::output::{count, diagnostics};
use crate::pieces;
use crate::project::WAIVERS;
use crate::side::{Context, Loaded};

/// Generate the migration script from have to want
///
/// The script is plain SQL, in one transaction where the engine can. `wevrun deploy` runs it, and so does the engine's own
/// client. A step that can lose rows or values is blocked (exit status 4) unless waivers.toml permits it.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun script production --want honey.wsnap --out release.sql --undo undo.sql")]
pub struct Script {
    /// The sides
    #[command(flatten)]
    pub sides: Sides,

    /// The script's file [default: standard output]
    #[arg(long, value_name = "FILE")]
    pub out: Option<PathBuf>,

    /// Write the script in several files, in folders by kind, with a run.sql that includes them; the folder must be empty or new
    #[arg(long, value_name = "DIR", conflicts_with = "out")]
    pub out_dir: Option<PathBuf>,

    /// Also write the undo script, to this file; its risks need their waivers now
    #[arg(long, value_name = "FILE")]
    pub undo: Option<PathBuf>,

    /// What is asked for beside
    #[command(flatten)]
    pub script_options: ScriptOptions,

    /// What gives exit status 6
    #[arg(long, value_name = "WHAT")]
    pub fail_on: Option<FailOnNothing>,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text", value_parser = format::one_of(format::SIMPLE))]
    pub format: Format,
}

/// A value of `--fail-on`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum FailOnNothing {
    /// A script without steps
    Nothing,
}

#[derive(Serialize)]
struct Report<'r> {
    ok: bool,
    have: &'r str,
    want: &'r str,
    ownership: &'static str,
    risks: Vec<JsonRisk>,
    #[serde(skip_serializing_if = "Option::is_none")]
    undo_risks: Option<Vec<JsonRisk>>,
    steps: Vec<JsonStep>,
    #[serde(skip_serializing_if = "Option::is_none")]
    choice: Option<JsonChoice>,
    diagnostics: Vec<JsonDiagnostic>,
    #[serde(skip_serializing_if = "Option::is_none")]
    script_hash: Option<ScriptHash>,
    #[serde(skip_serializing_if = "Option::is_none")]
    script: Option<String>,
}

/// A script and what it was made from.
pub struct Made<'m> {
    /// The script.
    pub script: Steps,
    /// The differences.
    pub comparison: Comparison<'m>,
    /// The options of the plan.
    pub script_options: plan::PlanOptions,
    /// The waivers that there are.
    pub waivers: Vec<Waiver>,
}

/// Adds to want have's objects that the project does not manage, and those that code in want's sources names: they stay.
pub fn keep_unmanaged(have: &Loaded, want: &mut Loaded) {
    keep_unread(have, want);
    want.scope = scope(have, want);
    let effective = want.scope.effective_want(dialect(want.engine), &have.model, &want.model);
    if let Cow::Owned(model) = effective {
        want.model = model;
    }
}

/// A former name that have has is followed, or nothing is planned: what has it would be dropped.
fn require_followed(comparison: &Comparison<'_>) -> Ended<()> {
    let unfollowed = &comparison.renames.unfollowed;
    if unfollowed.is_empty() {
        return Ok(());
    }
    let failure =
        Failure::new("a former name can't be followed, and what has it would be dropped; nothing was changed");
    let told = unfollowed.iter().map(|name| format!("{} was formerly `{}`: {}", name.what, name.old, name.why));
    Err(told.fold(failure, Failure::help))
}

/// Makes the script from have to want, asking have's data if it is live, and clears its risks. See [`keep_unmanaged`] for want.
pub fn make<'m>(
    context: &Context,
    (have_name, have): (&str, &'m Model),
    (live, live_version): (Option<&mut Box<dyn Database>>, Option<EngineVersion>),
    want: &'m Loaded,
    (script_options, chosen): (&ScriptOptions, &Chosen),
) -> Ended<Made<'m>> {
    let comparison = compare(dialect(want.engine), have, &want.model);
    require_followed(&comparison)?;
    make_of(context, ((have_name, have), live, live_version), want, (script_options, chosen), comparison)
}

/// The same to be looked at only: former names may be left as they are, and another project's ledger is no error.
pub fn make_to_look_at<'m>(
    context: &Context,
    (have_name, have): (&str, &'m Model),
    (live, live_version): (Option<&mut Box<dyn Database>>, Option<EngineVersion>),
    want: &'m Loaded,
    chosen: &Chosen,
) -> Ended<Made<'m>> {
    let script_options =
        ScriptOptions { index_builds: None, choice: ChoiceOptions::default(), waivers: None, other_project: true };
    let comparison = compare(dialect(want.engine), have, &want.model);
    make_of(context, ((have_name, have), live, live_version), want, (&script_options, chosen), comparison)
}

/// Have's name and structure, its database if it is live, and the version of that.
type Have<'h, 'm> = ((&'h str, &'m Model), Option<&'h mut Box<dyn Database>>, Option<EngineVersion>);

fn make_of<'m>(
    context: &Context,
    ((have_name, have), live, live_version): Have<'_, 'm>,
    want: &'m Loaded,
    (script_options, chosen): (&ScriptOptions, &Chosen),
    comparison: Comparison<'m>,
) -> Ended<Made<'m>> {
    let dialect = dialect(want.engine);
    let version = oldest(context, want, live_version);
    let mut plan_wishes = script_options.of(dialect, have, &comparison, chosen)?;
    plan_wishes.scope = want.scope.clone();
    let waivers = script_options.waivers(context)?;
    plan_wishes.zones = plan::zones(&waivers);
    let sides = (have, &want.model);
    let evidence = evidence((have_name, live), (have, want), &comparison, version, script_options.other_project)?;
    let project = project_name(context, want);
    let mut script = make_script(dialect, &project, sides, &comparison, plan_wishes.clone(), version, &evidence);
    script.clear(&waivers, &today());
    Ok(Made { script, comparison, script_options: plan_wishes, waivers })
}

/// The facts about have's rows, and the origin of its objects: none if it is not live.
pub fn evidence(
    (name, live): (&str, Option<&mut Box<dyn Database>>),
    (have, want): (&Model, &Loaded),
    comparison: &Comparison<'_>,
    version: EngineVersion,
    other_project: bool,
) -> Ended<Evidence> {
    let Some(database) = live else { return Ok(Evidence::default()) };
    let probes = plan::probes(dialect(want.engine), have, &want.model, comparison, version);
    let mut evidence = database.probe(&probes).map_err(|error| Failure::live(name, &error))?;
    evidence.provenance = provenance((name, have), database.as_mut(), want, other_project)?;
    Ok(evidence)
}

/// The ownership of a live database's objects, if want is a project's.
fn provenance(
    (name, have): (&str, &Model),
    database: &mut dyn Database,
    want: &Loaded,
    other_project: bool,
) -> Ended<Provenance> {
    let Some(project) = &want.project else { return Ok(Provenance::Unknown) };
    let Some(entry) = last_release(name, database)? else { return Ok(Provenance::NoLedger) };
    same_project(name, &entry, project, other_project)?;
    if entry.want == have.fingerprint().as_str() {
        return Ok(Provenance::AsReleased);
    }
    let snapshot = entry.snapshot.as_deref().and_then(|text| Snapshot::read(text, &registry::engines()).ok());
    // A ledger without a structure knows no more than none.
    Ok(snapshot.map_or(Provenance::NoLedger, |snapshot| Provenance::Released(Box::new(snapshot.model))))
}

/// The entry of the ledger; none, with a warning, if the role may not read it.
pub fn last_release(name: &str, database: &mut dyn Database) -> Ended<Option<LedgerEntry>> {
    match database.last_release() {
        Err(error @ LiveError::LedgerClosed) => {
            note!("{}: {name}: {error}; going on as without a ledger", paint(style::WARNING, "warning"));
            Ok(None)
        }
        entry => entry.map_err(|error| Failure::live(name, &error)),
    }
}

/// The last release must be of the same project, unless an option allows another one.
pub fn same_project(target: &str, entry: &LedgerEntry, project: &str, other_project: bool) -> Ended<()> {
    if other_project || [NO_PROJECT, project].contains(&entry.project.as_str()) {
        return Ok(());
    }
    let words = format!("{target} has releases of the project `{}`, and this is `{project}`", entry.project);
    Err(Failure { status: Outcome::Blocked as u8, ..Failure::new(format!("{words}; nothing was changed")) }
        .help("check the target; if the project was renamed, or two share the database, add --other-project"))
}

/// The day on which waivers must still hold.
pub fn today() -> String {
    Local::now().format("%Y-%m-%d").to_string()
}

/// The version that the script is for: want's or the project's, and if neither has one, the target's.
fn oldest(context: &Context, want: &Loaded, live: Option<EngineVersion>) -> EngineVersion {
    let project = context.project.as_ref().map(|project| project.engine_version);
    want.engine_version.or(project).or(live).unwrap_or(want.engine.default_version)
}

/// The project's name in scripts that are of none.
pub const NO_PROJECT: &str = "none";

fn project_name(context: &Context, want: &Loaded) -> String {
    let project = context.project.as_ref().map(|project| project.name.clone());
    want.project.clone().or(project).unwrap_or_else(|| NO_PROJECT.to_owned())
}

impl Script {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let mut context = self.sides.scratch.of(context(directory, self.sides.engine)?)?;
        let (mut have, mut want) = self.sides.load(&mut context)?;
        self.require_apart(&have, &want)?;
        have.resolve_names();
        want.resolve_names();
        keep_unmanaged(&have, &mut want);
        self.write(&context, &mut have, &mut want)
    }

    /// Makes the script between two sides and writes it. See [`keep_unmanaged`] for want.
    pub fn write(&self, context: &Context, have: &mut Loaded, want: &mut Loaded) -> Ended {
        let chosen = self.script_options.choice.apply(context, &have.model, want)?;
        let (have, want) = (have, &*want);
        let live = (have.live.as_mut(), have.engine_version);
        let asked = (&self.script_options, &chosen);
        let Made { mut script, comparison, script_options, waivers } =
            make(context, (&have.name, &have.model), live, want, asked)?;
        let dialect = dialect(want.engine);
        if let Some(database) = &mut have.live {
            let guard = ExactGuard::new(dialect, &have.model, &comparison);
            let before = database.facts(&guard.query).map_err(|error| Failure::live(&have.name, &error))?;
            let after = database.facts_after(&script, &guard.query);
            guard.apply(dialect, &mut script.plan, &before, after.as_deref());
        }
        if self.format == Format::Text {
            print_source_findings(&[have, want]);
            chosen.print();
        }
        diagnostics::print(&lookalikes(dialect, &comparison), &want.sources);
        let undo = match &self.undo {
            Some(_) => {
                let sides = (&have.model, &want.model);
                let version = script.engine_version;
                let mut undo =
                    make_undo(dialect, &script.project, sides, &comparison.renames, &script_options, version);
                undo.clear(&waivers, &today());
                Some(undo)
            }
            None => None,
        };
        let undo_held = undo.as_ref().is_some_and(|undo| !undo.blocked_by().is_empty());
        let held = undo_held || !script.blocked_by().is_empty();
        let text = write(dialect, &script);
        if self.format == Format::Json {
            let diagnostics = source_findings(&[have, want]);
            let (have, want) = (script.have.as_str(), script.want.as_str());
            let steps = JsonStep::all(&script.plan);
            let risks = script.plan.risks.iter().map(JsonRisk::new).collect();
            let ownership = script.ownership.name();
            let script = (!held).then(|| text.clone());
            let script_hash = (!held).then(|| ScriptHash::of(&text));
            let undo_risks = undo.as_ref().map(|undo| undo.plan.risks().map(JsonRisk::new).collect());
            json::print(&Report {
                ok: !held,
                have,
                want,
                ownership,
                risks,
                undo_risks,
                steps,
                script_hash,
                script,
                choice: chosen.json(),
                diagnostics,
            });
        }
        if held {
            if !script.blocked_by().is_empty() {
                report_blocked(&script);
            }
            if let Some(undo) = undo.filter(|_| undo_held) {
                let words =
                    "the undo script must be able to run when it is needed, so its risks need their waivers now";
                anstream::eprintln!("{}: {words}; or leave out --undo", paint(style::ERROR, "undo"));
                report_blocked(&undo);
            }
            return Ok(Outcome::Blocked);
        }
        match &self.out {
            Some(out) => {
                files::write_result(out, text.as_bytes())?;
                announce("wrote", out, &script);
            }
            None if self.out_dir.is_some() => {}
            None if self.format == Format::Text => anstream::print!("{text}"),
            None => {}
        }
        if let Some(folder) = &self.out_dir {
            pieces::write(folder, &split(dialect, &script))?;
            announce("wrote", folder, &script);
        }
        if let Some((path, undo)) = self.undo.as_ref().zip(undo) {
            files::write_result(path, write(dialect, &undo).as_bytes())?;
            announce("wrote the undo script", path, &undo);
        }
        let is_nothing = script.is_empty() && self.fail_on == Some(FailOnNothing::Nothing);
        Ok(if is_nothing { Outcome::Nothing } else { Outcome::Done })
    }
}

impl Script {
    /// No result is one of the sides' files, or another result.
    pub fn require_apart(&self, have: &Loaded, want: &Loaded) -> Ended<()> {
        let results: Vec<&Path> = self.out.iter().chain(&self.undo).map(PathBuf::as_path).collect();
        files::require_apart(&results, &Sides::files(have, want))
    }
}

fn announce(verb: &str, path: &Path, script: &Steps) {
    let steps = count(script.plan.steps().count(), "step");
    let parts = match script.plan.parts.len() {
        0 | 1 => String::new(),
        parts => format!(" in {parts} parts, so not one transaction"),
    };
    note!("{} {}: {steps}{parts}", paint(style::GOOD, verb), style::link(path));
    for risk in &script.plan.risks {
        note!("  {} {}: {}", paint(style::WARNING, risk.kind), risk.object, risk.explanation);
    }
    for step in script.plan.steps() {
        // Several columns of a step may have the same one.
        let kinds: BTreeSet<RiskKind> = step.risks.iter().map(|risk| risk.kind).collect();
        let risks: Vec<&str> = kinds.into_iter().map(RiskKind::name).collect();
        let risks =
            if risks.is_empty() { String::new() } else { format!("  {}", paint(style::WARNING, risks.join(", "))) };
        note!("  {}{risks}", step.title);
        for note in &step.notes {
            note!("    {}", paint(style::FAINT, note));
        }
    }
}

/// Prints the risks that block a script, with the way out of each.
pub fn report_blocked(script: &Steps) {
    let held = script.blocked_by();
    anstream::eprintln!(
        "{}: {} without a waiver; nothing was written or changed",
        paint(style::ERROR, "blocked"),
        count(held.len(), "risk")
    );
    for risk in &held {
        anstream::eprintln!(
            "\n  {} on {}: {}",
            paint(style::WARNING, risk.kind),
            paint(style::STRONG, &risk.object),
            risk.explanation
        );
        for way in &risk.ways_out {
            anstream::eprintln!("    - {way}");
        }
    }
    let waivable: Vec<&&Risk> = held.iter().filter(|risk| risk.clearance == Clearance::Missing).collect();
    if waivable.is_empty() {
        return;
    }
    let until = (Local::now() + chrono::Duration::days(30)).format("%Y-%m-%d");
    anstream::eprintln!(
        "\n{}: to accept a risk, add its waiver to {WAIVERS}, in the folder of wevrun.toml:\n",
        paint(style::HELP, "help")
    );
    for risk in waivable {
        let object = toml::Value::String(risk.object.clone());
        anstream::eprintln!(
            "[[waiver]]\nrisk = \"{}\"\nobject = {object}\nreason = \"why this is acceptable\"\nuntil = \"{until}\"\n",
            risk.kind
        );
    }
}

/// A script that was read from a file, or why it can't be.
pub fn read(path: &Path) -> Ended<(Read, String)> {
    let text = if path.is_dir() { pieces::read(path)? } else { files::read_text(path)? };
    let script = wevrun_core::script::read(&text, &registry::find_dialect)
        .map_err(|error| Failure::new(format!("{}: {error}", path.display())))?;
    Ok((script, text))
}
