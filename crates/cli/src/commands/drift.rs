use std::path::Path;

use clap::Args;
use clap_complete::ArgValueCompleter;
use wevrun_core::compare::{Aspect, add_access, compare};
use wevrun_core::model::{Fingerprint, Model, Scope};
use wevrun_core::snapshot::Snapshot;
use wevrun_engines::{
    Access,
    registry::{self, dialect},
};

use super::compare::{Details, FailOn};
use super::context;
use crate::choice::ChoiceOptions;
use crate::completion;
use crate::failure::{Ended, Failure, Outcome};
use crate::files;
use crate::mapping::MapOptions;
use crate::output::comparison::{self, Group, View, Wording};
use crate::output::json::{self, JsonComparison, JsonSide};
use crate::output::print;
use crate::output::report::Report;
use crate::output::{self, Format, format};
use crate::side::shown;

/// Show what changed on a target since its last release
///
/// The target's ledger holds the last release. Exit status 0 if nothing has changed since, 3 if something has. Changes in the
/// source that are not released yet are not drift.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun drift production --fail-on unproven")]
pub struct Drift {
    /// A target's name or URL
    #[arg(value_name = "TARGET", required_unless_present = "details", add = ArgValueCompleter::new(completion::targets))]
    pub target: Option<String>,

    /// Compare with this side instead of the ledger's last release
    #[arg(long, value_name = "SIDE", add = ArgValueCompleter::new(completion::sides))]
    pub against: Option<String>,

    /// Names of the target, with the names of the side of --against
    #[command(flatten)]
    pub map: MapOptions,

    /// What is shown of an object
    #[command(flatten)]
    pub details: Details,

    /// How to group the differences in text
    #[arg(long, value_name = "WHAT", default_value = "change")]
    pub group: Group,

    /// Which differences
    #[command(flatten)]
    pub choice: ChoiceOptions,

    /// What gives exit status 3 in addition to drift
    #[arg(long, value_name = "WHAT")]
    pub fail_on: Option<FailOn>,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text", value_parser = format::one_of(format::COMPARISON))]
    pub format: Format,
}

impl Drift {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let context = context(directory, None)?;
        let mut details = self.details.clone();
        let Some(target) = self.target.clone().or_else(|| details.take_target()) else {
            return Err(Failure::usage("name the target"));
        };
        let about = details.about()?;
        let url = context.require_target(&target)?;
        let target = shown(&target);
        let mut live = context.load_live(&target, &url, Access::Read)?;
        files::require_apart(&details.results(), live.path.as_slice())?;
        let (released_name, released, recorded_scope) = match &self.against {
            Some(side) => {
                let mut loaded = context.load(&context.side(side)?)?;
                self.map.apply(&context, &live, &mut loaded)?;
                (loaded.name, loaded.model, loaded.scope)
            }
            None => last_release(&target, live.live.as_mut().expect("it is live").as_mut())?,
        };
        let dialect = dialect(live.engine);
        // The ledger's scope is in the target's names.
        let of_project = context.project.as_ref().filter(|_| !self.map.concerns(&context, &target));
        let scope = of_project.map_or(recorded_scope, |project| project.scope.clone());
        live.model = scope.part_of(dialect, &live.model).into_owned();
        let released = scope.part_of(dialect, &released).into_owned();
        // Have is the release and want is the database: a created object was added after the release.
        let live_fingerprint = live.model.fingerprint();
        let chosen = self.choice.apply(&context, &released, &mut live)?;
        let minds_order = chosen.aspects.minds(Aspect::ColumnOrder);
        let mut comparison = compare(dialect, &released, &live.model);
        if chosen.aspects.minds_access() {
            add_access(dialect, &mut comparison, &released, &live.model);
        }
        let identical = comparison.is_identical() && (comparison.reordered.is_empty() || !minds_order);
        let proven = comparison.unproven.is_empty();
        let view = View {
            have: (released_name.clone(), released.fingerprint().short().to_owned()),
            want: (live.name.clone(), live_fingerprint.short().to_owned()),
            dialect,
            wording: &Wording::DRIFT,
            group: self.group,
            details: details.are_shown(),
            layout: details.layout,
            about: about.as_ref(),
            column_order: minds_order,
            chosen: &chosen,
        };
        if self.format == Format::Json {
            let side = |name: &str, fingerprint: &Fingerprint| JsonSide {
                side: name.to_owned(),
                fingerprint: fingerprint.to_string(),
            };
            let sides = (side(&released_name, &released.fingerprint()), side(&live.name, &live_fingerprint));
            let document = JsonComparison::new(
                dialect,
                &comparison,
                sides,
                identical && proven,
                details.are_shown(),
                chosen.json(),
                Vec::new(),
            );
            json::print(&document.as_drift());
        } else if !output::print_comparison(self.format, &comparison, &view)? {
            print::begin_page();
            comparison::print_drift(&comparison, &view);
            print::end_page();
        }
        if let Some(path) = &details.report {
            let report = Report {
                title: format!("Drift of {target}"),
                comparison: &comparison,
                view: &view,
                script: None,
                settings: vec![
                    ("Engine", live.engine.title.to_owned()),
                    ("Released", released.fingerprint().to_string()),
                    ("Live", live_fingerprint.to_string()),
                    ("Options", self.choice.words()),
                ],
            };
            report.write(path)?;
        }
        let fails = !identical || (self.fail_on == Some(FailOn::Unproven) && !proven);
        Ok(if fails { Outcome::Differences } else { Outcome::Done })
    }
}

fn last_release(target: &str, database: &mut dyn wevrun_engines::Database) -> Ended<(String, Model, Scope)> {
    let entry = database.last_release().map_err(|error| Failure::live(target, &error))?;
    let Some(entry) = entry else {
        return Err(Failure::new(format!("{target} has no ledger: nothing was released there with Wevrun yet"))
            .help("name the side to compare with, a snapshot for example: --against SIDE"));
    };
    let unreadable = |problem: String| {
        Failure::new(format!("the ledger of {target} can't be read: {problem}"))
            .help("name the side to compare with, a snapshot for example: --against SIDE")
    };
    let text = entry.snapshot.ok_or_else(|| unreadable("it does not hold the last release's structure".to_owned()))?;
    let snapshot = Snapshot::read(&text, &registry::engines()).map_err(|error| unreadable(error.to_string()))?;
    Ok((format!("released {} by {}", entry.released_at, entry.released_by), snapshot.model, snapshot.scope))
}
