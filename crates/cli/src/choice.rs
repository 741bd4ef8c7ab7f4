//! Which differences a command is about: patterns, named selections, and the aspects that count.

use std::collections::BTreeSet;

use clap::{Args, ValueEnum};
use clap_complete::ArgValueCompleter;
use serde::Serialize;
use wevrun_core::compare::Aspect;
use wevrun_core::model::Model;
use wevrun_core::select::{
    Aspects, ChangeKind, Choice, Chooser, DifferencePattern, Element, IgnoredCounts, Included, Selected, Selection,
    aspects_of, ignore, select,
};
use wevrun_engines::registry::dialect;

use crate::completion;
use crate::failure::{Ended, Failure, Outcome};
use crate::output::print::note;
use crate::output::style::{self, paint};
use crate::project::FILE;
use crate::side::{Context, Loaded};

/// The options that choose differences
#[derive(Debug, Clone, Default, Args)]
pub struct ChoiceOptions {
    /// Only the differences that match: table:hives, view:*, schema:sales, column:hives.weight, constraint:hives.hives_pkey
    ///
    /// A pattern is a kind and a name, with `*` for any characters and `?` for one. A name with a dot is matched with its schema,
    /// else without it. What is on a table follows it. What a chosen object needs is included, and so is what depends on a removed one.
    #[arg(long, value_name = "PATTERN", add = ArgValueCompleter::new(completion::objects))]
    pub only: Vec<DifferencePattern>,

    /// Not the differences that match
    #[arg(long, value_name = "PATTERN", add = ArgValueCompleter::new(completion::objects))]
    pub except: Vec<DifferencePattern>,

    /// Only objects to create, to change or to remove
    #[arg(long, value_name = "CHANGE")]
    pub change: Vec<ChangeOption>,

    /// The differences of a selection in wevrun.toml
    #[arg(long, value_name = "NAME", add = ArgValueCompleter::new(completion::selections))]
    pub selection: Vec<String>,

    /// Fail (exit status 4) instead of including what the chosen differences need
    #[arg(long)]
    pub strict: bool,

    /// Aspects that are no difference; `wevrun explain aspects` lists them
    #[arg(long, value_name = "ASPECT", value_delimiter = ',', add = ArgValueCompleter::new(completion::aspects))]
    pub ignore: Vec<String>,

    /// Aspects that are a difference although they are ignored by default or in wevrun.toml
    #[arg(long, value_name = "ASPECT", value_delimiter = ',', add = ArgValueCompleter::new(completion::aspects))]
    pub mind: Vec<String>,
}

/// The kinds of change, as options have them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, serde::Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum ChangeOption {
    /// Objects to create
    Create,
    /// Objects to change
    Change,
    /// Objects to remove
    Remove,
}

impl From<ChangeOption> for ChangeKind {
    fn from(option: ChangeOption) -> ChangeKind {
        match option {
            ChangeOption::Create => ChangeKind::Create,
            ChangeOption::Change => ChangeKind::Change,
            ChangeOption::Remove => ChangeKind::Remove,
        }
    }
}

/// Want after a choice.
#[derive(Debug, Default)]
pub struct Chosen {
    /// The aspects that count.
    pub aspects: Aspects,
    /// Elements that were included because they are needed.
    pub included: Vec<Included>,
    /// Differences that are left out.
    pub left: BTreeSet<Element>,
    /// The same as the result calls it.
    pub kept: Vec<Element>,
    /// How many differences are ignored, by aspect.
    pub ignored: IgnoredCounts,
}

/// A choice in a document.
#[derive(Debug, Serialize)]
pub struct JsonChoice {
    /// Included elements, with the reasons.
    included: Vec<JsonIncluded>,
    /// Differences that are left out.
    left_out: Vec<String>,
    /// How many differences are ignored, by aspect.
    ignored: std::collections::BTreeMap<&'static str, usize>,
}

#[derive(Debug, Serialize)]
struct JsonIncluded {
    object: String,
    because: String,
}

impl ChoiceOptions {
    /// Whether nothing is asked for.
    pub fn is_empty(&self) -> bool {
        self.only.is_empty()
            && self.except.is_empty()
            && self.change.is_empty()
            && self.selection.is_empty()
            && !self.strict
            && self.ignore.is_empty()
            && self.mind.is_empty()
    }

    /// The options as they are written; `none`, if there are none.
    pub fn words(&self) -> String {
        let mut words: Vec<String> = Vec::new();
        words.extend(self.only.iter().map(|pattern| format!("--only {pattern}")));
        words.extend(self.except.iter().map(|pattern| format!("--except {pattern}")));
        words.extend(
            self.change
                .iter()
                .filter_map(ValueEnum::to_possible_value)
                .map(|value| format!("--change {}", value.get_name())),
        );
        words.extend(self.selection.iter().map(|name| format!("--selection {name}")));
        words.extend(self.strict.then(|| "--strict".to_owned()));
        words.extend(self.ignore.iter().map(|aspect| format!("--ignore {aspect}")));
        words.extend(self.mind.iter().map(|aspect| format!("--mind {aspect}")));
        if words.is_empty() { "none".to_owned() } else { words.join(" ") }
    }

    /// The aspects that count: by default, by the project, by the options.
    pub fn aspects(&self, context: &Context) -> Ended<Aspects> {
        let mut aspects = context.project.as_ref().map_or_else(Aspects::default, |project| project.aspects.clone());
        let named = |names: &[String]| -> Ended<Vec<Aspect>> {
            let found: Result<Vec<_>, String> = names.iter().map(|name| aspects_of(name)).collect();
            Ok(found.map_err(Failure::usage)?.into_iter().flatten().collect())
        };
        let (ignored, minded) = (named(&self.ignore)?, named(&self.mind)?);
        if let Some(both) = ignored.iter().find(|aspect| minded.contains(aspect)) {
            return Err(Failure::usage(format!("--ignore and --mind both name the aspect `{}`", both.name())));
        }
        aspects.ignore(ignored);
        aspects.mind(minded);
        Ok(aspects)
    }

    /// The choice that the options and the project's selections make.
    fn choice(&self, context: &Context) -> Ended<Choice> {
        let mut selections = Vec::new();
        for name in &self.selection {
            let found = context.project.as_ref().and_then(|project| project.selections.get(name));
            let known = || context.project.iter().flat_map(|project| project.selections.keys()).map(String::as_str);
            selections.push(found.cloned().ok_or_else(|| {
                let failure = Failure::usage(format!("there is no selection `{name}` in {FILE}"));
                match wevrun_core::diagnostics::nearest(name, known()) {
                    Some(near) => failure.help(format!("did you mean `{near}`?")),
                    None => failure.help(format!("add [selections.{name}] with `only`, `except` or `change`")),
                }
            })?);
        }
        let narrowed = Selection {
            only: self.only.clone(),
            except: self.except.clone(),
            changes: self.change.iter().map(|change| (*change).into()).collect(),
        };
        Ok(Choice { selections, narrowed })
    }

    /// Makes want what have is with the chosen differences resolved. The scope must be applied already.
    pub fn apply(&self, context: &Context, have: &Model, want: &mut Loaded) -> Ended<Chosen> {
        let aspects = self.aspects(context)?;
        let dialect = dialect(want.engine);
        let (model, ignored) = ignore(dialect, have, &want.model, &aspects);
        if !ignored.is_empty() {
            want.model = model.into_owned();
        }
        let choice = self.choice(context)?;
        if choice.is_everything() {
            return Ok(Chosen { aspects, ignored, ..Chosen::default() });
        }
        let version = want.engine_version.or(context.project.as_ref().map(|project| project.engine_version));
        let version = version.unwrap_or(want.engine.default_version);
        let selected =
            select(dialect, version, (have, &want.model), Chooser::Patterns(&choice), aspects.minds_access());
        let Selected { want: model, included, left, kept, unmatched, .. } = selected.map_err(|problem| {
            let message = "the chosen differences don't make a valid schema without others";
            Failure::found(message, problem.diagnostics, problem.sources)
                .help("the places are in the schema that would result; choose these objects as well")
        })?;
        for pattern in unmatched {
            note!("{}: no object of either side matches `{pattern}`", paint(style::WARNING, "warning"));
        }
        if self.strict && !included.is_empty() {
            let failure = Failure {
                status: Outcome::Blocked as u8,
                ..Failure::new("the chosen differences need others, and --strict includes nothing; nothing was changed")
            };
            return Err(included.iter().map(in_words).fold(failure, Failure::help));
        }
        want.model = model;
        Ok(Chosen { aspects, included, left, kept, ignored })
    }
}

fn in_words(included: &Included) -> String {
    format!("{} is not chosen: {}", included.element, included.words())
}

impl Chosen {
    /// For machines; nothing if everything is chosen and nothing ignored.
    pub fn json(&self) -> Option<JsonChoice> {
        if self.included.is_empty() && self.left.is_empty() && self.ignored.is_empty() {
            return None;
        }
        let included = self
            .included
            .iter()
            .map(|included| JsonIncluded { object: included.element.to_string(), because: included.words() });
        Some(JsonChoice {
            included: included.collect(),
            left_out: self.left.iter().map(ToString::to_string).collect(),
            ignored: self.ignored.iter().map(|(aspect, number)| (aspect.name(), *number)).collect(),
        })
    }

    /// Prints what was included, left out and ignored, on standard error.
    pub fn print(&self) {
        for included in &self.included {
            note!("{}: {} is included: {}", paint(style::HELP, "note"), included.element, included.words());
        }
        self.notes().iter().for_each(|note| note!("{note}"));
    }

    /// The differences that were left out and ignored: a line each.
    pub fn notes(&self) -> Vec<String> {
        let mut notes = Vec::new();
        if !self.left.is_empty() {
            notes.push(format!("Not chosen: {}.", crate::output::count(self.left.len(), "difference")));
        }
        if !self.ignored.is_empty() {
            let of = |(aspect, number): (&Aspect, &usize)| format!("{} {number}", aspect.name());
            let list: Vec<String> = self.ignored.iter().map(of).collect();
            notes.push(format!("Ignored: {}.", list.join(", ")));
        }
        notes
    }
}
