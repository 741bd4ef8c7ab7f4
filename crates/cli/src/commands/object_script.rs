//! What a script does with one object of a comparison.

use wevrun_core::compare::compare;
use wevrun_core::model::{Model, Pattern, Scope};
use wevrun_core::plan::Wishes;
use wevrun_core::script::{Script, make_script};
use wevrun_core::select::DifferencePattern;
use wevrun_core::{Engine, EngineVersion};
use wevrun_engines::Database;
use wevrun_engines::registry::dialect;

use super::script::evidence;
use crate::choice::ChoiceOptions;
use crate::failure::Ended;
use crate::output::print::say;
use crate::output::style::{self, paint};
use crate::side::{Context, Loaded};

/// What the script is made of.
pub struct Made<'m> {
    /// Have's name, and its database if it is live.
    pub live: (&'m str, Option<&'m mut Box<dyn Database>>),
    /// The whole of have.
    pub have: &'m Model,
    /// Want, as far as it is managed.
    pub want: &'m Model,
    /// What the project manages.
    pub scope: &'m Scope,
    /// Whether owners, privileges and labels are compared.
    pub access: bool,
    /// The engine, and the version that the script is for.
    pub engine: (&'static Engine, Option<EngineVersion>),
}

/// The script from one to the other, to be looked at. A live database is asked about its rows.
pub fn make(made: Made<'_>) -> Ended<Script> {
    let Made { live, have, want, scope, access, engine: (engine, version) } = made;
    let dialect = dialect(engine);
    let version = version.unwrap_or(engine.default_version);
    // What is not managed stays, and may depend on what changes.
    let want = scope.effective_want(dialect, have, want);
    let comparison = compare(dialect, have, &want);
    let evidence = evidence(live, dialect, (have, &want), &comparison, version)?;
    let wishes = Wishes { access, scope: scope.clone(), ..Wishes::default() };
    Ok(make_script(dialect, "", (have, &want), &comparison, wishes, version, &evidence))
}

/// Prints the steps for the objects that match, with what they need. Rows are not asked about here.
pub fn print(
    context: &Context,
    (have, have_model): (&Loaded, &Model),
    (want, scope): (&Loaded, &Scope),
    about: &Pattern,
    choice: &ChoiceOptions,
) -> Ended<()> {
    let mut chosen = Loaded::of(want.name.clone(), want.engine, want.model.clone());
    chosen.engine_version = want.engine_version;
    let only = ChoiceOptions { only: vec![DifferencePattern::Object(about.clone())], ..choice.clone() };
    let aspects = only.apply(context, have_model, &mut chosen)?.aspects;
    let script = make(Made {
        live: (&have.name, None),
        have: &have.model,
        want: &chosen.model,
        scope,
        access: aspects.minds_access(),
        engine: (want.engine, want.engine_version.or(have.engine_version)),
    })?;
    say!("\n{}", paint(style::STRONG, "Steps of its script"));
    for step in script.plan.steps() {
        say!("\n  {}", paint(style::FAINT, format!("-- {}", step.title)));
        for risk in step.risks.iter().filter(|risk| risk.holds_back()) {
            let words = format!("-- {} on {}: {}", risk.kind, risk.object, risk.explanation);
            say!("  {}", paint(style::WARNING, words));
        }
        for statement in &step.statements {
            format!("{statement};").lines().for_each(|line| say!("  {line}"));
        }
    }
    if script.is_empty() {
        say!("\n  {}", paint(style::FAINT, "-- nothing to do"));
    }
    Ok(())
}
