//! `compare --pick`: what is done with what was ticked.

use wevrun_core::compare::compare;
use wevrun_core::model::Scope;
use wevrun_core::pick::{Picker, Sides};
use wevrun_core::plan;
use wevrun_core::select::Selection;
use wevrun_engines::registry::dialect;

use super::compare::Sides as SideOptions;
use super::script::{Script, evidence, today};
use super::script_options::ScriptOptions;
use crate::choice::{ChoiceOptions, Chosen};
use crate::failure::{Ended, Failure, Outcome};
use crate::files;
use crate::output::print::say;
use crate::output::{Format, count};
use crate::pick::{PickResult, pick};
use crate::project::FILE;
use crate::side::{Context, Loaded};

/// Shows the differences to be ticked, and carries out the decision.
pub fn run(
    context: &Context,
    have: &mut Loaded,
    (want, scope): (&Loaded, &Scope),
    (sides, choice, chosen): (&SideOptions, &ChoiceOptions, &Chosen),
) -> Ended {
    let dialect = dialect(want.engine);
    let version = want.engine_version.or(have.engine_version).unwrap_or(want.engine.default_version);
    // What is not managed stays, and may depend on what changes.
    let effective = scope.effective_want(dialect, &have.model, &want.model).into_owned();
    let mut effective = want.with_model(effective, scope.clone());
    let models = (&have.model, &effective.model);
    let comparison = compare(dialect, models.0, models.1);
    let live = (have.name.as_str(), have.live.as_mut());
    let evidence = evidence(live, (models.0, &effective), &comparison, version, true)?;
    let asked =
        ScriptOptions { index_builds: None, choice: ChoiceOptions::default(), waivers: None, other_project: true };
    let mut plan_options = asked.of(dialect, models.0, &comparison, chosen)?;
    plan_options.scope = scope.clone();
    let (waivers, today) = (asked.waivers(context)?, today());
    plan_options.zones = plan::zones(&waivers);
    let of = Sides {
        dialect,
        version,
        have: models.0,
        want: models.1,
        plan_options: &plan_options,
        evidence: &evidence,
        waivers: (&waivers, &today),
    };
    let picker = Picker::new(of).map_err(|problem| {
        Failure::found("the differences can't be ticked one by one", problem.diagnostics, problem.sources)
    })?;
    if picker.rows().is_empty() {
        say!("There is no difference to tick.");
        chosen.notes().iter().for_each(|note| say!("{note}"));
        if !comparison.unproven.is_empty() {
            say!("{} can't be compared without the engine.", count(comparison.unproven.len(), "object"));
        }
        return Ok(Outcome::Done);
    }
    let save = |name: &str, selection: &Selection| save(context, name, selection);
    match pick(picker, (have.name.clone(), want.name.clone()), &save)? {
        PickResult::Quit => {
            say!("No script was written.");
            Ok(Outcome::Done)
        }
        PickResult::Write(path, selection) => {
            let choice = ChoiceOptions {
                only: selection.only,
                except: selection.except,
                ignore: choice.ignore.clone(),
                mind: choice.mind.clone(),
                ..ChoiceOptions::default()
            };
            let script = Script {
                sides: sides.clone(),
                out: Some(path),
                out_dir: None,
                undo: None,
                script_options: ScriptOptions { index_builds: None, choice, waivers: None, other_project: false },
                fail_on: None,
                format: Format::Text,
            };
            script.require_apart(have, want)?;
            script.write(context, have, &mut effective)
        }
    }
}

/// Adds a selection to wevrun.toml.
fn save(context: &Context, name: &str, selection: &Selection) -> Result<String, String> {
    let Some(project) = &context.project else { return Err(format!("there is no {FILE} here")) };
    let is_plain = |ch: char| ch.is_ascii_alphanumeric() || ch == '-' || ch == '_';
    if name.is_empty() || !name.chars().all(is_plain) {
        return Err("a name has letters, digits, hyphens and underscores".to_owned());
    }
    if project.selections.contains_key(name) {
        return Err(format!("{FILE} has a selection `{name}`"));
    }
    let path = project.root.join(FILE);
    let text = files::read_text(&path).map_err(|failure| failure.message)?;
    let head = format!("[selections.{name}]");
    if text.lines().any(|line| line.trim() == head) {
        return Err(format!("{FILE} has a selection `{name}`"));
    }
    let list = |patterns: &[wevrun_core::select::DifferencePattern]| {
        toml::Value::Array(patterns.iter().map(|pattern| toml::Value::String(pattern.to_string())).collect())
    };
    let mut text = format!("{}\n\n{head}\nonly = {}\n", text.trim_end(), list(&selection.only));
    if !selection.except.is_empty() {
        text += &format!("except = {}\n", list(&selection.except));
    }
    files::write_atomically(&path, text.as_bytes()).map_err(|failure| failure.message)?;
    Ok(format!("saved as [selections.{name}] in {FILE}"))
}
