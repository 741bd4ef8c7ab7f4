use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum};
use clap_complete::ArgValueCompleter;
use wevrun_core::Engine;
use wevrun_core::compare::{Aspect, add_access, compare, lookalikes};
use wevrun_core::model::{Fingerprint, ObjectKey, Pattern, Scope};
use wevrun_core::unread;
use wevrun_engines::registry::{self, dialect};

use super::object_script;
use super::script::make_to_look_at;
use super::{Scratch, context, picking};
use crate::choice::ChoiceOptions;
use crate::completion;
use crate::failure::{Ended, Failure, Outcome};
use crate::files;
use crate::mapping::MapOptions;
use crate::output::comparison::{self, Group, View, Wording};
use crate::output::diagnostics::{self, JsonDiagnostic};
use crate::output::diff::Layout;
use crate::output::json::{self, JsonComparison, JsonSide};
use crate::output::print;
use crate::output::report::Report;
use crate::output::{self, Format, format};
use crate::side::{Context, Loaded, Side, load_both};

/// Show the differences between two sides: what to create, change and remove
///
/// Exit status 0 if nothing differs, 3 if something does. Layout, comments, letter case of names, and the order of columns and
/// constraints are not differences; another order of columns is reported separately. Objects that can't be compared without the
/// engine are reported as unproven; they are not differences either.
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  wevrun compare production --only 'table:api*' --details")]
pub struct Compare {
    /// The sides
    #[command(flatten)]
    pub sides: Sides,

    /// What is shown of an object
    #[command(flatten)]
    pub details: Details,

    /// How to group the differences in text
    #[arg(long, value_name = "WHAT", default_value = "change")]
    pub group: Group,

    /// Which differences
    #[command(flatten)]
    pub choice: ChoiceOptions,

    /// Tick differences in the terminal, see what is included and which risks there are, and save the choice or write its script
    #[arg(long, conflicts_with_all = ["details", "format", "report"])]
    pub pick: bool,

    /// What gives exit status 3 in addition to a difference
    #[arg(long, value_name = "WHAT")]
    pub fail_on: Option<FailOn>,

    /// What to print
    #[arg(long, value_name = "FORMAT", default_value = "text", value_parser = format::one_of(format::COMPARISON))]
    pub format: Format,
}

/// A value of `--fail-on`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum FailOn {
    /// An object that can't be compared without the engine
    Unproven,
}

/// How much is shown of each object.
#[derive(Debug, Clone, Args)]
pub struct Details {
    /// Show both definitions, with their differences; of one object only, and the script for it, with a pattern: table:hives
    #[arg(long, value_name = "OBJECT", num_args = 0..=1, add = ArgValueCompleter::new(completion::objects))]
    #[allow(clippy::option_option, reason = "the option, with or without a value")]
    details: Option<Option<String>>,

    /// Write a page for people without the tool to this file
    #[arg(long, value_name = "FILE.html")]
    pub report: Option<PathBuf>,

    /// How two definitions are laid out
    #[arg(long, value_name = "HOW", default_value = "auto")]
    pub layout: Layout,
}

impl Details {
    /// Whether definitions are shown.
    pub fn are_shown(&self) -> bool {
        self.details.is_some()
    }

    /// The files that are written.
    pub fn results(&self) -> Vec<&Path> {
        self.report.iter().map(PathBuf::as_path).collect()
    }

    /// The objects that are shown; none: all.
    pub fn about(&self) -> Ended<Option<Pattern>> {
        let of = |text: &String| text.parse().map_err(Failure::usage);
        self.details.as_ref().and_then(Option::as_ref).map(of).transpose()
    }

    /// A target that was taken for a pattern: `--details production`.
    pub fn take_target(&mut self) -> Option<String> {
        let is_target = |text: &String| !text.contains(':') || text.contains("://") || text.starts_with("sqlite:");
        let target = self.details.as_ref()?.as_ref().filter(|text| is_target(text)).cloned()?;
        self.details = Some(None);
        Some(target)
    }
}

/// Have and want, as `compare` and `script` take them.
#[derive(Debug, Clone, Args)]
pub struct Sides {
    /// Current state: short for --have
    #[arg(value_name = "TARGET", conflicts_with = "have", add = ArgValueCompleter::new(completion::targets))]
    pub target: Option<String>,

    /// Current state
    #[arg(long, value_name = "SIDE", add = ArgValueCompleter::new(completion::sides))]
    pub have: Option<String>,

    /// Desired schema [default: the project's source]
    #[arg(long, value_name = "SIDE", add = ArgValueCompleter::new(completion::sides))]
    pub want: Option<String>,

    /// The engine of sides that do not name theirs [default: the other side's, or the project's]
    #[arg(long, value_parser = registry::engine)]
    pub engine: Option<&'static Engine>,

    /// Names of have, with the names of want
    #[command(flatten)]
    pub map: MapOptions,

    /// Where sources are spelled
    #[command(flatten)]
    pub scratch: Scratch,
}

impl Sides {
    /// Reads both.
    pub fn load(&self, context: &mut Context) -> Ended<(Loaded, Loaded)> {
        let Some(have) = self.target.as_ref().or(self.have.as_ref()) else {
            return Err(Failure::usage("have is missing: name a TARGET, or write --have SIDE"));
        };
        let have = context.side(have)?;
        let want = match &self.want {
            Some(want) => context.side(want)?,
            None if context.project.is_some() => Side::Source,
            None => {
                return Err(Failure::usage("want is missing: write --want SIDE")
                    .help("in a project, want is the project's source by default"));
            }
        };
        for side in [&have, &want] {
            if let Side::Live(_, url) = side {
                context.beside(url);
            }
        }
        let context = &*context;
        let (have, mut want) = load_both(|| context.load(&have), || context.load(&want))?;
        if have.engine != want.engine && !have.model.is_empty() && !want.model.is_empty() {
            return Err(Failure::usage(format!(
                "{} is for {} and {} for {}",
                have.name, have.engine, want.name, want.engine
            )));
        }
        self.map.apply(context, &have, &mut want)?;
        Ok((have, want))
    }

    /// The files that are read.
    pub fn files(have: &Loaded, want: &Loaded) -> Vec<PathBuf> {
        let of =
            |side: &Loaded| side.raw.iter().map(|(path, _)| path.clone()).chain(side.path.clone()).collect::<Vec<_>>();
        of(have).into_iter().chain(of(want)).collect()
    }
}

/// Whether a side is a source: findings in the definitions of a live database can't be corrected here.
pub fn is_correctable(side: &Loaded) -> bool {
    side.live.is_none()
}

fn with_sources<'l>(sides: &'l [&'l Loaded]) -> impl Iterator<Item = &'l &'l Loaded> {
    sides.iter().filter(|side| is_correctable(side))
}

/// Warnings and notes on the sources, for machines.
pub fn source_findings(sides: &[&Loaded]) -> Vec<JsonDiagnostic> {
    with_sources(sides).flat_map(|side| diagnostics::json(&side.diagnostics, &side.sources)).collect()
}

/// Prints warnings and notes on the sources on standard error.
pub fn print_source_findings(sides: &[&Loaded]) {
    with_sources(sides).for_each(|side| diagnostics::print(&side.diagnostics, &side.sources));
}

/// The part of a database that a comparison is about: that of want's project, or else of have's.
pub fn scope(have: &Loaded, want: &Loaded) -> Scope {
    if want.scope.is_everything() { have.scope.clone() } else { want.scope.clone() }
}

/// Adds to want the objects of have that code in want's sources names: that code may make them. Returns these objects.
pub fn keep_unread(have: &Loaded, want: &mut Loaded) -> Vec<ObjectKey> {
    let kept = unread::keep(&want.unread, &have.model, &mut want.model);
    want.diagnostics.extend(kept.iter().map(unread::Kept::diagnostic));
    let mut keys: Vec<ObjectKey> = kept.into_iter().map(|kept| kept.key).collect();
    keys.dedup();
    keys
}

impl Compare {
    /// Runs the command.
    pub fn run(&self, directory: Option<&Path>) -> Ended {
        let mut details = self.details.clone();
        let mut sides = self.sides.clone();
        sides.target = sides.target.or_else(|| details.take_target());
        let about = details.about()?;
        let mut context = sides.scratch.of(context(directory, sides.engine)?)?;
        let (mut have, mut want) = sides.load(&mut context)?;
        files::require_apart(&details.results(), &Sides::files(&have, &want))?;
        if self.pick || about.is_some() || details.report.is_some() || !self.choice.is_empty() {
            have.resolve_names();
            want.resolve_names();
        }
        let kept = keep_unread(&have, &mut want);
        let dialect = dialect(want.engine);
        let scope = scope(&have, &want);
        let left_out = scope.left_out(dialect, &have.model).len() + scope.left_out(dialect, &want.model).len();
        let have_model = scope.part_of(dialect, &have.model).into_owned();
        want.model = scope.part_of(dialect, &want.model).into_owned();
        // The sides are what they are, whatever is chosen of their differences.
        let fingerprints = (have_model.fingerprint(), want.model.fingerprint());
        let chosen = self.choice.apply(&context, &have_model, &mut want)?;
        if self.pick {
            return picking::run(&context, &mut have, (&want, &scope), (&sides, &self.choice, &chosen));
        }
        let minds_order = chosen.aspects.minds(Aspect::ColumnOrder);
        let mut comparison = compare(dialect, &have_model, &want.model);
        if chosen.aspects.minds_access() {
            add_access(dialect, &mut comparison, &have_model, &want.model);
        }
        comparison.unproven.extend(kept);
        let identical = comparison.is_identical() && (comparison.reordered.is_empty() || !minds_order);
        let named = |loaded: &Loaded, fingerprint: &Fingerprint| (loaded.name.clone(), fingerprint.short().to_owned());
        let view = View {
            have: named(&have, &fingerprints.0),
            want: named(&want, &fingerprints.1),
            dialect,
            wording: &Wording::TO_DO,
            group: self.group,
            details: details.are_shown(),
            layout: details.layout,
            about: about.as_ref(),
            column_order: minds_order,
            chosen: &chosen,
        };
        if self.format == Format::Json {
            let side = |loaded: &Loaded, fingerprint: &Fingerprint| JsonSide {
                side: loaded.name.clone(),
                fingerprint: fingerprint.to_string(),
            };
            let identical = identical && comparison.unproven.is_empty();
            json::print(&JsonComparison::new(
                dialect,
                &comparison,
                (side(&have, &fingerprints.0), side(&want, &fingerprints.1)),
                identical,
                details.are_shown(),
                chosen.json(),
                source_findings(&[&have, &want]),
            ));
        } else {
            print_source_findings(&[&have, &want]);
            if !output::print_comparison(self.format, &comparison, &view)? {
                print::begin_page();
                comparison::print(&comparison, &lookalikes(dialect, &comparison), &view);
                if let Some(about) = &about {
                    object_script::print(&context, (&mut have, &have_model), (&want, &scope), about, &self.choice)?;
                }
                comparison::print_left_out(left_out);
                print::end_page();
            }
        }
        if let Some(path) = &details.report {
            let effective = scope.effective_want(dialect, &have.model, &want.model).into_owned();
            let effective = want.with_model(effective, scope.clone());
            let live = (have.live.as_mut(), have.engine_version);
            let script = make_to_look_at(&context, (&have.name, &have.model), live, &effective, &chosen)?.script;
            let report = Report {
                title: format!("From {} to {}", have.name, want.name),
                comparison: &comparison,
                view: &view,
                script: Some(&script),
                settings: vec![
                    ("Engine", want.engine.title.to_owned()),
                    ("Have", fingerprints.0.to_string()),
                    ("Want", fingerprints.1.to_string()),
                    ("Names", sides.map.words(&context, &have, &want)),
                    ("Options", self.choice.words()),
                ],
            };
            report.write(path)?;
        }
        let unproven = self.fail_on == Some(FailOn::Unproven) && !comparison.unproven.is_empty();
        Ok(if identical && !unproven { Outcome::Done } else { Outcome::Differences })
    }
}
