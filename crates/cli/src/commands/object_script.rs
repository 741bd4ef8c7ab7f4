//! The steps of a script for one object of a comparison.

use wevrun_core::model::{Model, Pattern, Scope};
use wevrun_core::plan::Risk;
use wevrun_core::select::DifferencePattern;
use wevrun_engines::registry::dialect;

use super::script::make_to_look_at;
use crate::choice::ChoiceOptions;
use crate::failure::Ended;
use crate::output::print::say;
use crate::output::style::{self, paint};
use crate::side::{Context, Loaded};

/// Prints the steps for the objects that match, with what they need. `want` is what is managed of it.
pub fn print(
    context: &Context,
    (have, have_model): (&mut Loaded, &Model),
    (want, scope): (&Loaded, &Scope),
    about: &Pattern,
    choice: &ChoiceOptions,
) -> Ended<()> {
    let mut want = want.with_model(want.model.clone(), scope.clone());
    let only = ChoiceOptions { only: vec![DifferencePattern::Object(about.clone())], ..choice.clone() };
    let chosen = only.apply(context, have_model, &mut want)?;
    // What is not managed stays, and may depend on what changes.
    want.model = scope.effective_want(dialect(want.engine), &have.model, &want.model).into_owned();
    let live = (have.live.as_mut(), have.engine_version);
    let script = make_to_look_at(context, (&have.name, &have.model), live, &want, &chosen)?.script;
    let say_risks = |risks: &[Risk]| {
        for risk in risks.iter().filter(|risk| risk.holds_back()) {
            let words = format!("-- {} on {}: {}", risk.kind, risk.object, risk.explanation);
            say!("  {}", paint(style::WARNING, words));
        }
    };
    say!("\n{}", paint(style::STRONG, "Steps of its script"));
    say_risks(&script.plan.risks);
    for step in script.plan.steps() {
        say!("\n  {}", paint(style::FAINT, format!("-- {}", step.title)));
        say_risks(&step.risks);
        for statement in &step.statements {
            format!("{statement};").lines().for_each(|line| say!("  {line}"));
        }
    }
    if script.is_empty() {
        say!("\n  {}", paint(style::FAINT, "-- nothing to do"));
    }
    Ok(())
}
