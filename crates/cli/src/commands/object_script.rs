//! What a script does with one object of a comparison.

use wevrun_core::compare::compare;
use wevrun_core::model::{Model, Pattern};
use wevrun_core::plan::{Clearance, Evidence, Wishes};
use wevrun_core::script::make_script;
use wevrun_core::select::DifferencePattern;
use wevrun_engines::registry::dialect;

use crate::choice::ChoiceOptions;
use crate::failure::Ended;
use crate::output::print::say;
use crate::output::style::{self, paint};
use crate::side::{Context, Loaded};

/// Prints the steps for the objects that match, with what they need. Rows are not asked about here.
pub fn print(
    context: &Context,
    (have, have_model): (&Loaded, &Model),
    want: &Loaded,
    about: &Pattern,
    choice: &ChoiceOptions,
) -> Ended<()> {
    let mut chosen = Loaded::of(want.name.clone(), want.engine, want.model.clone());
    chosen.engine_version = want.engine_version;
    let only = ChoiceOptions { only: vec![DifferencePattern::Object(about.clone())], ..choice.clone() };
    only.apply(context, have_model, &mut chosen)?;
    let dialect = dialect(want.engine);
    let comparison = compare(dialect, have_model, &chosen.model);
    let version = want.engine_version.or(have.engine_version).unwrap_or(want.engine.default_version);
    let sides = (have_model, &chosen.model);
    let script = make_script(dialect, "", sides, &comparison, Wishes::default(), version, &Evidence::default());
    say!("\n{}", paint(style::STRONG, "Script"));
    for step in script.plan.steps() {
        say!("\n  {}", paint(style::FAINT, format!("-- {}", step.title)));
        for risk in step.risks.iter().filter(|risk| risk.clearance != Clearance::NotNeeded) {
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
