//! What a script does with one object of a comparison.

use wevrun_core::compare::{Comparison, compare};
use wevrun_core::model::{Model, Pattern};
use wevrun_core::plan::{self, Clearance, Evidence, Wishes};
use wevrun_core::script::{Script, make_script};
use wevrun_core::select::DifferencePattern;
use wevrun_core::{Engine, EngineVersion};
use wevrun_engines::Database;
use wevrun_engines::registry::dialect;

use crate::choice::ChoiceOptions;
use crate::failure::{Ended, Failure};
use crate::output::print::say;
use crate::output::style::{self, paint};
use crate::side::{Context, Loaded};

/// The script of a comparison, to be looked at. A live database is asked about its rows.
pub fn make(
    live: Option<(&str, &mut Box<dyn Database>)>,
    (have, want): (&Model, &Model),
    comparison: &Comparison<'_>,
    (engine, version): (&'static Engine, Option<EngineVersion>),
) -> Ended<Script> {
    let dialect = dialect(engine);
    let version = version.unwrap_or(engine.default_version);
    let mut evidence = Evidence::default();
    if let Some((name, database)) = live {
        let probes = plan::probes(dialect, have, want, comparison, version);
        evidence = database.probe(&probes).map_err(|error| Failure::live(name, &error))?;
    }
    Ok(make_script(dialect, "", (have, want), comparison, Wishes::default(), version, &evidence))
}

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
    let comparison = compare(dialect(want.engine), have_model, &chosen.model);
    let version = want.engine_version.or(have.engine_version);
    let script = make(None, (have_model, &chosen.model), &comparison, (want.engine, version))?;
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
