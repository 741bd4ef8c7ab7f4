use std::path::{Path, PathBuf};

use chrono::Local;
use clap::Args;
use serde::Serialize;
use wevrun_core::EngineVersion;
use wevrun_core::compare::{Comparison, compare, lookalikes};
use wevrun_core::dialects::dialect;
use wevrun_core::model::Model;
use wevrun_core::plan::{self, Clearance, Evidence, Risk};
use wevrun_core::script::{Script as Steps, write};

use wevrun_engines::Database;

use super::compare::Sides;
use super::context;
use super::wishes::Wishes;
use crate::cli::Format;
use crate::failure::{Ended, Failure, Outcome};
use crate::files;
use crate::output::json::{self, JsonStep};
use crate::output::style::{self, paint};
use crate::output::{count, diagnostics};
use crate::project::WAIVERS;
use crate::side::{Context, Loaded, live_failure};

/// Write the ordered steps that bring have to want
///
/// The script is plain SQL, one transaction wherever the engine can, which the engine's own client runs as well as
/// `wevrun deploy`. A step that can lose rows or values is held back (exit status 4) unless waivers.toml permits it.
#[derive(Debug, Args)]
pub struct Script {
    /// The sides
    #[command(flatten)]
    pub sides: Sides,

    /// Where to write the script [default: standard output]
    #[arg(long, value_name = "FILE")]
    pub out: Option<PathBuf>,

    /// Write the way back here too
    #[arg(long, value_name = "FILE")]
    pub undo: Option<PathBuf>,

    /// What is asked for beside
    #[command(flatten)]
    pub wishes: Wishes,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    pub format: Format,
}

#[derive(Serialize)]
struct Report<'r> {
    ok: bool,
    have: &'r str,
    want: &'r str,
    steps: Vec<JsonStep>,
    #[serde(skip_serializing_if = "Option::is_none")]
    script: Option<String>,
}

/// A script and what it was made from.
pub struct Made<'m> {
    /// The script.
    pub script: Steps,
    /// What differs.
    pub comparison: Comparison<'m>,
}

/// Makes the script from have to want, asking have's data if it is live, and clears its risks.
pub fn make<'m>(
    context: &Context,
    (have_name, have): (&str, &'m Model),
    (live, live_version): (Option<&mut Box<dyn Database>>, Option<EngineVersion>),
    want: &'m Loaded,
    wishes: &Wishes,
) -> Ended<Made<'m>> {
    let dialect = dialect(want.engine);
    let version = oldest(context, want, live_version);
    let comparison = compare(dialect, have, &want.model);
    let wishes = wishes.of(dialect, have, &comparison)?;
    let evidence = match live {
        Some(database) => {
            let probes = plan::probes(dialect, have, &want.model, &comparison, version);
            database.probe(&probes).map_err(|error| live_failure(have_name, &error))?
        }
        None => Evidence::default(),
    };
    let project = project_name(context, want);
    let mut script = plan::script(dialect, &project, (have, &want.model), &comparison, wishes, version, &evidence);
    let waivers = context.project.as_ref().map_or(Ok(Vec::new()), |project| project.waivers())?;
    script.clear(&waivers, &today());
    Ok(Made { script, comparison })
}

/// The day on which waivers must still hold.
pub fn today() -> String {
    Local::now().format("%Y-%m-%d").to_string()
}

/// The version that the script is for: want's or the project's, and if neither says one, the target's.
fn oldest(context: &Context, want: &Loaded, live: Option<EngineVersion>) -> EngineVersion {
    let project = context.project.as_ref().map(|project| project.engine_version);
    want.engine_version.or(project).or(live).unwrap_or_else(|| want.engine.default_version())
}

fn project_name(context: &Context, want: &Loaded) -> String {
    let project = context.project.as_ref().map(|project| project.name.clone());
    want.project.clone().or(project).unwrap_or_else(|| "none".to_owned())
}

impl Script {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let mut context = self.sides.scratch.of(context(directory, self.sides.engine)?)?;
        let (mut have, want) = self.sides.load(&mut context)?;
        let Made { script, comparison } =
            make(&context, (&have.name, &have.model), (have.live.as_mut(), have.engine_version), &want, &self.wishes)?;
        let dialect = dialect(want.engine);
        diagnostics::print(&lookalikes(dialect, &comparison), &want.sources);
        let held = !script.held_back_by().is_empty();
        let text = write(&script);
        if self.format == Format::Json {
            let (have, want) = (script.have.as_str(), script.want.as_str());
            let steps = JsonStep::all(&script.plan);
            json::print(&Report { ok: !held, have, want, steps, script: (!held).then(|| text.clone()) });
        }
        if held {
            report_held(&script);
            return Ok(Outcome::HeldBack);
        }
        match &self.out {
            Some(out) => {
                files::write_atomically(out, text.as_bytes())?;
                announce("wrote", out, &script);
            }
            None if self.format == Format::Text => anstream::print!("{text}"),
            None => {}
        }
        if let Some(path) = &self.undo {
            let undo = plan::undo(
                dialect,
                &script.project,
                (&have.model, &want.model),
                &comparison.renames,
                self.wishes.access,
                script.engine_version,
            );
            files::write_atomically(path, write(&undo).as_bytes())?;
            announce("wrote the way back", path, &undo);
        }
        Ok(Outcome::Done)
    }
}

fn announce(verb: &str, path: &Path, script: &Steps) {
    let steps = count(script.plan.steps().count(), "step");
    let parts = match script.plan.parts.len() {
        0 | 1 => String::new(),
        parts => format!(" in {parts} parts, so not one transaction"),
    };
    anstream::eprintln!("{} {}: {steps}{parts}", paint(style::GOOD, verb), path.display());
    for step in script.plan.steps() {
        let risks: Vec<&str> = step.risks.iter().map(|risk| risk.kind.name()).collect();
        let risks =
            if risks.is_empty() { String::new() } else { format!("  {}", paint(style::WARNING, risks.join(", "))) };
        anstream::eprintln!("  {}{risks}", step.title);
        for note in &step.notes {
            anstream::eprintln!("    {}", paint(style::FAINT, note));
        }
    }
}

/// Says what holds a script back, and the way out of each.
pub fn report_held(script: &Steps) {
    let held = script.held_back_by();
    anstream::eprintln!(
        "{}: {} with a risk that nobody has accepted; no script was written",
        paint(style::ERROR, "held back"),
        count(script.plan.steps().filter(|step| step.risks.iter().any(Risk::holds_back)).count(), "step")
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
        "\n{}: to accept a risk, write its waiver into {WAIVERS}, beside wevrun.toml:\n",
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
pub fn read(path: &Path) -> Ended<(Steps, String)> {
    let text = files::read_text(path)?;
    let script =
        wevrun_core::script::read(&text).map_err(|error| Failure::new(format!("{}: {error}", path.display())))?;
    Ok((script, text))
}
