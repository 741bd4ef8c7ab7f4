//! A comparison for people: grouped by what would happen, property by property.

use similar::{ChangeTag, TextDiff};
use wevrun_core::Dialect;
use wevrun_core::compare::{Change, Comparison, Difference, Property, Reordered, aligned};
use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::{Name, Object, ObjectKey};

use super::style::{self, paint};

/// What to print of a comparison.
pub struct View<'v> {
    /// The sides' names and short fingerprints.
    pub have: (String, String),
    /// The same for want.
    pub want: (String, String),
    /// The heads of the three groups: what comes, what changes, what goes.
    pub heads: [&'v str; 3],
    /// Lays out definitions, so that their layout is no difference.
    pub dialect: &'static dyn Dialect,
    /// What the two sides are called where their texts stand together: as many letters each.
    pub sides: [&'v str; 2],
    /// Whether to show both definitions of what changes.
    pub details: bool,
    /// Whether the order of columns counts.
    pub column_order: bool,
}

/// Prints drift: have is what was released, want is what is there.
pub fn print_drift(comparison: &Comparison<'_>, view: &View<'_>) {
    for (word, (name, fingerprint)) in [("released", &view.have), ("live", &view.want)] {
        let name = name.strip_prefix("released ").unwrap_or(name);
        anstream::println!("{word:<9} {}  {}", paint(style::STRONG, name), paint(style::FAINT, fingerprint));
    }
    body(comparison, view);
    anstream::println!();
    let (added, removed, changed) = comparison.counts();
    let same = super::count(comparison.same, "object");
    if added + removed + changed == 0 {
        let unproven = and_unproven(comparison);
        anstream::println!("{}: {same} as released{unproven}.", paint(style::GOOD, "No drift found"));
    } else {
        let drift = paint(style::WARNING, "Drift");
        anstream::println!(
            "{drift}: {added} added, {changed} changed, {removed} removed since the release; {same} as released{}.",
            and_unproven(comparison)
        );
    }
}

fn body(comparison: &Comparison<'_>, view: &View<'_>) {
    group(comparison, view, 0, style::COMES, |change| matches!(change, Change::Create(_)));
    group(comparison, view, 1, style::CHANGES, |change| matches!(change, Change::Change { .. }));
    group(comparison, view, 2, style::GOES, |change| matches!(change, Change::Remove(_)));
    unproven(&comparison.unproven);
    reordered(&comparison.reordered, view.column_order);
}

fn unproven(objects: &[ObjectKey]) {
    if objects.is_empty() {
        return;
    }
    anstream::println!("\n{} ({})", paint(style::WARNING.bold(), "Unproven"), objects.len());
    for key in objects {
        anstream::println!("  {:<13} {}", key.kind.title(), paint(style::WARNING, &key.name));
    }
    anstream::println!(
        "{:17}Only a server can tell whether these differ: --scratch URL asks one. A script leaves them as they are.",
        ""
    );
}

/// Says how many objects the project does not manage.
pub fn print_left_out(number: usize) {
    if number > 0 {
        let objects = super::count(number, "object");
        anstream::println!("Not compared: {objects} that the project does not manage.");
    }
}

/// `, 2 unproven`, if there are any.
fn and_unproven(comparison: &Comparison<'_>) -> String {
    if comparison.unproven.is_empty() { String::new() } else { format!(", {} unproven", comparison.unproven.len()) }
}

/// Prints a comparison on standard output.
pub fn print(comparison: &Comparison<'_>, hints: &[Diagnostic], view: &View<'_>) {
    for (word, (name, fingerprint)) in [("have", &view.have), ("want", &view.want)] {
        anstream::println!("{word}  {}  {}", paint(style::STRONG, name), paint(style::FAINT, fingerprint));
    }
    body(comparison, view);
    for hint in hints {
        anstream::println!("\n{}: {}", paint(style::WARNING, "hint"), hint.message);
        hint.help.iter().for_each(|help| anstream::println!("      {help}"));
    }
    let (create, remove, change) = comparison.counts();
    anstream::println!();
    if create + remove + change == 0 {
        let order =
            if view.column_order && !comparison.reordered.is_empty() { ", but for the order of columns" } else { "" };
        let all = super::count(comparison.same, "object");
        let unproven = and_unproven(comparison);
        let verdict = if comparison.unproven.is_empty() { "The same" } else { "No difference found" };
        anstream::println!("{}: {all}{order}{unproven}.", paint(style::GOOD, verdict));
    } else {
        let [comes, changes, goes] = view.heads.map(|head| head.to_lowercase());
        let unproven = and_unproven(comparison);
        anstream::println!(
            "{create} {comes}, {change} {changes}, {remove} {goes}; {} the same{unproven}.",
            comparison.same
        );
    }
}

fn group(
    comparison: &Comparison<'_>,
    view: &View<'_>,
    head: usize,
    color: anstyle::Style,
    of: fn(&Change<'_>) -> bool,
) {
    let members: Vec<&Difference<'_>> =
        comparison.differences.iter().filter(|difference| of(&difference.change)).collect();
    if members.is_empty() {
        return;
    }
    anstream::println!("\n{} ({})", paint(color.bold(), view.heads[head]), members.len());
    let laid_out = |object: &Object| view.dialect.create_statement(object);
    for difference in members {
        let kind = difference.key.kind.title();
        anstream::println!("  {kind:<13} {}", paint(color, &difference.key.name));
        match &difference.change {
            Change::Change { have, want, properties, .. } => {
                properties.iter().for_each(property);
                if view.details {
                    diff(&laid_out(&aligned(have, want)), &laid_out(want), view.sides);
                }
            }
            Change::Create(object) if view.details => diff("", &laid_out(object), view.sides),
            Change::Remove(object) if view.details => diff(&laid_out(object), "", view.sides),
            _ => {}
        }
    }
}

fn property(property: &Property) {
    let name = &property.name;
    let line = match (&property.have, &property.want) {
        (None, Some(want)) => format!("{name}: {} {want}", paint(style::COMES, "comes:")),
        (Some(have), None) => format!("{name}: {} {have}", paint(style::GOES, "goes:")),
        (Some(have), Some(want)) => format!("{name}: {have} {} {want}", paint(style::CHANGES, "→")),
        (None, None) => return,
    };
    anstream::println!("{:17}{line}", "");
}

/// Both definitions, line by line, with the words that differ in bold.
fn diff(have: &str, want: &str, [have_name, want_name]: [&str; 2]) {
    let diff = TextDiff::from_lines(have, want);
    let width = 16;
    for group in diff.grouped_ops(3) {
        for op in group {
            for change in diff.iter_inline_changes(&op) {
                let (side, color) = match change.tag() {
                    ChangeTag::Delete => (have_name, style::GOES),
                    ChangeTag::Insert => (want_name, style::COMES),
                    ChangeTag::Equal => ("", style::FAINT),
                };
                let mark = format!("{side:>4} │");
                let text: String = change
                    .iter_strings_lossy()
                    .map(|(differs, text)| {
                        let text = text.trim_end_matches(['\n', '\r']);
                        let style = if differs { color.bold().underline() } else { color };
                        paint(style, text)
                    })
                    .collect();
                anstream::println!("{:width$} {}{text}", "", paint(color, format!("{mark} ")));
            }
        }
    }
}

fn reordered(tables: &[Reordered], counts: bool) {
    if tables.is_empty() {
        return;
    }
    let note = if counts { "" } else { ", which does not count as a difference" };
    anstream::println!("\n{}{}", paint(style::STRONG, "Only the order of columns differs"), paint(style::FAINT, note));
    for order in tables {
        let list = |names: &[Name]| names.iter().map(Name::written).collect::<Vec<_>>().join(", ");
        anstream::println!("  {:<13} {}", "table", order.table);
        anstream::println!("{:17}have: {}", "", list(&order.have));
        anstream::println!("{:17}want: {}", "", list(&order.want));
    }
}
