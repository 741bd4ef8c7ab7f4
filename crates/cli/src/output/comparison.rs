//! A comparison for people: grouped by what would happen, property by property.

use std::collections::BTreeMap;

use anstyle::Style;
use clap::ValueEnum;
use wevrun_core::Dialect;
use wevrun_core::compare::{Aspect, Change, Comparison, Difference, Property, Reordered, aligned};
use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::{Name, Object, ObjectKey, Pattern};
use wevrun_core::select::ElementPart;

use super::diff::Layout;
use super::print::say;
use super::style::{self, paint};
use crate::choice::Chosen;

/// The words for changes of objects.
#[derive(Debug, Clone, Copy)]
pub struct ChangeWords {
    create: &'static str,
    change: &'static str,
    remove: &'static str,
}

impl ChangeWords {
    /// As `compare` has them: what there is to do.
    pub const TO_DO: ChangeWords = ChangeWords { create: "create", change: "change", remove: "remove" };
    /// As `drift` has them: what has happened.
    pub const DONE: ChangeWords = ChangeWords { create: "added", change: "changed", remove: "removed" };

    /// All of them.
    pub fn by_change(&self) -> BTreeMap<&'static str, &'static str> {
        BTreeMap::from([("create", self.create), ("change", self.change), ("remove", self.remove)])
    }

    /// The word of a changed object.
    pub fn changed(&self) -> &'static str {
        self.change
    }

    /// The word of a change.
    pub fn of(&self, change: &Change<'_>) -> &'static str {
        match change {
            Change::Create(_) => self.create,
            Change::Change { .. } => self.change,
            Change::Remove(_) => self.remove,
        }
    }
}

/// The words of a comparison.
#[derive(Debug)]
pub struct Wording {
    /// The heads of the three groups: added, changed, removed objects.
    pub heads: [&'static str; 3],
    /// The words of changes.
    pub words: ChangeWords,
    /// The names of the two sides as columns of a table.
    pub columns: [&'static str; 2],
    /// The names of the two sides beside their texts: as many letters each.
    pub sides: [&'static str; 2],
    /// The line if nothing at all differs.
    identical: &'static str,
    /// The line if no difference was found.
    nothing: &'static str,
    /// The line if no chosen difference was found.
    nothing_chosen: &'static str,
}

impl Wording {
    /// As `compare` has them.
    pub const TO_DO: Wording = Wording {
        heads: ["To create", "To change", "To remove"],
        words: ChangeWords::TO_DO,
        columns: ["have", "want"],
        sides: ["have", "want"],
        identical: "Identical",
        nothing: "No difference found",
        nothing_chosen: "No chosen difference",
    };
    /// As `drift` has them.
    pub const DRIFT: Wording = Wording {
        heads: ["Added since the release", "Changed since the release", "Removed since the release"],
        words: ChangeWords::DONE,
        columns: ["released", "live"],
        sides: ["then", "now"],
        identical: "No drift found",
        nothing: "No drift found",
        nothing_chosen: "No chosen drift",
    };
}

/// The parts of a comparison to print.
pub struct View<'v> {
    /// The sides' names and short fingerprints.
    pub have: (String, String),
    /// The same for want.
    pub want: (String, String),
    /// How it is worded.
    pub wording: &'static Wording,
    /// Lays out definitions, so that their layout is no difference.
    pub dialect: &'static dyn Dialect,
    /// How differences are grouped.
    pub group: Group,
    /// Whether to show both definitions of what changes.
    pub details: bool,
    /// How they are laid out.
    pub layout: Layout,
    /// Only the objects that match.
    pub about: Option<&'v Pattern>,
    /// Whether the order of columns counts.
    pub column_order: bool,
    /// The chosen differences.
    pub chosen: &'v Chosen,
}

impl View<'_> {
    /// The tables whose columns are in another order, where that counts.
    pub fn reordered<'c>(&self, comparison: &'c Comparison<'_>) -> &'c [Reordered] {
        if self.column_order { &comparison.reordered } else { &[] }
    }

    /// The line if nothing is to be shown: "Identical" only if nothing differs at all, the order of columns included.
    pub fn verdict(&self, comparison: &Comparison<'_>) -> &'static str {
        if !self.chosen.left.is_empty() {
            return self.wording.nothing_chosen;
        }
        let is_whole = comparison.unproven.is_empty() && comparison.reordered.is_empty();
        if is_whole && self.chosen.notes().is_empty() { self.wording.identical } else { self.wording.nothing }
    }

    /// The definitions of both sides, laid out; empty for a side that has none.
    pub fn definitions(&self, difference: &Difference<'_>) -> (String, String) {
        definitions(self.dialect, difference)
    }
}

/// The definitions of both sides of a difference, laid out alike, so that only what differs looks different.
pub fn definitions(dialect: &dyn Dialect, difference: &Difference<'_>) -> (String, String) {
    let laid_out = |object: &Object| dialect.create_statement(object);
    match &difference.change {
        Change::Create(object) => (String::new(), laid_out(object)),
        Change::Remove(object) => (laid_out(object), String::new()),
        Change::Change { have, want, .. } => (laid_out(&aligned(have, want)), laid_out(want)),
    }
}

/// The names of columns in a list.
pub fn column_list(names: &[Name]) -> String {
    names.iter().map(Name::written).collect::<Vec<_>>().join(", ")
}

/// Prints drift: have is what was released, want is what is there.
pub fn print_drift(comparison: &Comparison<'_>, view: &View<'_>) {
    for (word, (name, fingerprint)) in [("released", &view.have), ("live", &view.want)] {
        let name = name.strip_prefix("released ").unwrap_or(name);
        say!("{word:<9} {}  {}", paint(style::STRONG, name), paint(style::FAINT, fingerprint));
    }
    body(comparison, view);
    say!();
    let has_choice = !view.chosen.left.is_empty();
    summary(comparison, view.verdict(comparison), ["added", "changed", "removed"], "the release", ("", has_choice));
    view.chosen.notes().iter().for_each(|note| say!("{note}"));
}

/// `2 differ from want: create 1, change 1; 14 match.` Of a choice: `2 chosen: create 1, change 1.`
fn summary(
    comparison: &Comparison<'_>,
    verdict: &str,
    words: [&str; 3],
    from: &str,
    (order, has_choice): (&str, bool),
) {
    let (create, remove, change) = comparison.counts();
    let differing = create + remove + change;
    let unproven = if comparison.unproven.is_empty() {
        String::new()
    } else {
        format!(", {} unproven", comparison.unproven.len())
    };
    if differing == 0 && has_choice {
        say!("{}{unproven}.", paint(style::GOOD, verdict));
        return;
    }
    if differing == 0 {
        let objects = super::count(comparison.same, "object");
        let verb = if comparison.same == 1 { "matches" } else { "match" };
        say!("{}: {objects} {verb} {from}{order}{unproven}.", paint(style::GOOD, verdict));
        return;
    }
    let parts = words.into_iter().zip([create, change, remove]).filter(|(_, number)| *number > 0);
    let parts: Vec<String> = parts.map(|(word, number)| format!("{word} {number}")).collect();
    if has_choice {
        let head = paint(style::WARNING, format!("{differing} chosen"));
        say!("{head}: {}{unproven}.", parts.join(", "));
        return;
    }
    let verb = if differing == 1 { "differs" } else { "differ" };
    let same = if comparison.same == 1 { "1 matches".to_owned() } else { format!("{} match", comparison.same) };
    let head = paint(style::WARNING, format!("{differing} {verb} from {from}"));
    say!("{head}: {}; {same}{unproven}.", parts.join(", "));
}

fn body(comparison: &Comparison<'_>, view: &View<'_>) {
    sections(comparison, view).iter().for_each(|section| print_section(section, view));
    if view.about.is_none() {
        unproven(&comparison.unproven);
        reordered(&comparison.reordered, view.column_order);
    }
}

fn unproven(objects: &[ObjectKey]) {
    if objects.is_empty() {
        return;
    }
    say!("\n{} ({})", paint(style::WARNING.bold(), "Unproven"), objects.len());
    for key in objects {
        say!("  {:<13} {}", key.kind.title(), paint(style::WARNING, &key.name));
    }
    say!(
        "{:17}These can't be compared without the engine: --scratch URL compares them on a server. A script does not change them.",
        ""
    );
}

/// Prints the number of objects that the project does not manage.
pub fn print_left_out(number: usize) {
    if number > 0 {
        let objects = super::count(number, "object");
        say!("Not compared: {objects} that the project does not manage.");
    }
}

/// Prints a comparison on standard output.
pub fn print(comparison: &Comparison<'_>, hints: &[Diagnostic], view: &View<'_>) {
    for (word, (name, fingerprint)) in [("have", &view.have), ("want", &view.want)] {
        say!("{word}  {}  {}", paint(style::STRONG, name), paint(style::FAINT, fingerprint));
    }
    body(comparison, view);
    for hint in hints {
        say!("\n{}: {}", paint(style::WARNING, "hint"), hint.message);
        hint.help.iter().for_each(|help| say!("      {help}"));
    }
    say!();
    let order =
        if view.column_order && !comparison.reordered.is_empty() { ", except for the column order" } else { "" };
    let has_choice = !view.chosen.left.is_empty();
    summary(comparison, view.verdict(comparison), ["create", "change", "remove"], "want", (order, has_choice));
    view.chosen.notes().iter().for_each(|note| say!("{note}"));
}

/// How differences are grouped in text.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, ValueEnum)]
pub enum Group {
    /// By what happens to the object
    #[default]
    Change,
    /// By the kind of object
    Kind,
    /// By the schema that the object is in
    Schema,
}

/// Differences under one heading.
struct Section<'c, 'm> {
    heading: String,
    color: Style,
    members: Vec<&'c Difference<'m>>,
}

fn color(change: &Change<'_>) -> Style {
    match change {
        Change::Create(_) => style::ADDED,
        Change::Change { .. } => style::CHANGED,
        Change::Remove(_) => style::REMOVED,
    }
}

fn sections<'c, 'm>(comparison: &'c Comparison<'m>, view: &View<'_>) -> Vec<Section<'c, 'm>> {
    // The number keeps the usual order of changes; kinds and schemas are in the order of their names.
    let heading = |difference: &Difference<'_>| -> (usize, String) {
        let order = match &difference.change {
            Change::Create(_) => 0,
            Change::Change { .. } => 1,
            Change::Remove(_) => 2,
        };
        match view.group {
            Group::Change => (order, view.wording.heads[order].to_owned()),
            Group::Kind => (0, difference.key.kind.plural()),
            Group::Schema => (0, difference.key.name.schema().unwrap_or("no schema").to_owned()),
        }
    };
    let mut sections: BTreeMap<(usize, String), Vec<&Difference<'_>>> = BTreeMap::new();
    let is_shown =
        |difference: &&Difference<'_>| view.about.is_none_or(|about| about.matches(view.dialect, &difference.key));
    for difference in comparison.differences.iter().filter(is_shown) {
        sections.entry(heading(difference)).or_default().push(difference);
    }
    let section = |((_, heading), members): ((usize, String), Vec<&'c Difference<'m>>)| {
        let color = if view.group == Group::Change { color(&members[0].change) } else { Style::new() };
        Section { heading, color, members }
    };
    sections.into_iter().map(section).collect()
}

fn print_section(section: &Section<'_, '_>, view: &View<'_>) {
    say!("\n{} ({})", paint(section.color.bold(), &section.heading), section.members.len());
    for difference in &section.members {
        let color = color(&difference.change);
        let word = if view.group == Group::Change { "" } else { view.wording.words.of(&difference.change) };
        let word = if word.is_empty() { String::new() } else { format!("{} ", paint(color, format!("{word:<7}"))) };
        let kind = difference.key.kind.title();
        say!("  {word}{kind:<13} {}", paint(color, &difference.key.name));
        for included in view.chosen.included.iter().filter(|included| included.element.object == difference.key) {
            let part = match &included.element.part {
                ElementPart::Object => String::new(),
                _ => format!("{}: ", included.element),
            };
            let reason = format!("{part}included because {}", included.words());
            say!("{:17}{}", "", paint(style::FAINT, reason));
        }
        if let Change::Change { properties, .. } = &difference.change {
            properties.iter().for_each(|one| property(one, view));
        }
        if view.details {
            let (have, want) = view.definitions(difference);
            view.layout.print((&have, &want), 3, view.wording.sides);
        }
    }
}

fn property(property: &Property, view: &View<'_>) {
    let name = property.name();
    let line = match (&property.have, &property.want) {
        (None, Some(want)) => format!("{name} {}: {want}", paint(style::ADDED, "added")),
        (Some(have), None) => format!("{name} {}: {have}", paint(style::REMOVED, "removed")),
        (Some(have), Some(_)) if property.aspect == Aspect::Name => {
            let part = property.part.to_string();
            let colon = if part.is_empty() { "" } else { ": " };
            format!("{part}{colon}{} {have}", paint(style::CHANGED, "renamed from"))
        }
        (Some(have), Some(want))
            if have.contains('\n')
                || want.contains('\n')
                || matches!(property.aspect, Aspect::Body | Aspect::Query) =>
        {
            say!("{:17}{name} {}:", "", paint(style::CHANGED, "changed"));
            return view.layout.print((have, want), 1, view.wording.sides);
        }
        (Some(have), Some(want)) => format!("{name}: {have} {} {want}", paint(style::CHANGED, "→")),
        (None, None) => return,
    };
    say!("{:17}{line}", "");
}

fn reordered(tables: &[Reordered], counts: bool) {
    if tables.is_empty() {
        return;
    }
    let note = if counts { "" } else { " (not compared)" };
    say!("\n{}{}", paint(style::STRONG, "Column order differs"), paint(style::FAINT, note));
    for order in tables {
        say!("  {:<13} {}", "table", order.table);
        say!("{:17}have: {}", "", column_list(&order.have));
        say!("{:17}want: {}", "", column_list(&order.want));
    }
}
