//! Two texts, line by line, with the words that differ in bold: one below the other, or side by side.

use std::collections::BTreeSet;

use anstyle::Style;
use clap::ValueEnum;
use similar::{ChangeTag, TextDiff};

use super::print::{self, say};
use super::style::{self, paint};

/// How two texts are laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Layout {
    /// Side by side on a terminal of 120 columns or more, else unified
    Auto,
    /// The lines of both, one below the other
    Unified,
    /// Two columns
    SideBySide,
}

/// Columns of a terminal from which two texts fit beside each other.
const WIDE: usize = 120;

/// Spaces before a diff.
const INDENT: usize = 17;

impl Layout {
    /// Prints two texts; `context` is the number of lines around each change.
    pub fn print(self, (have, want): (&str, &str), context: usize, sides: [&str; 2]) {
        let width = print::width();
        let is_wide = match self {
            Layout::Auto => print::is_terminal() && width >= WIDE,
            Layout::Unified => false,
            Layout::SideBySide => true,
        };
        let rows = rows(have, want, context);
        if is_wide { side_by_side(&rows, sides, width.max(80)) } else { unified(&rows, sides) }
    }
}

/// Pieces of a line, each with whether it differs from the other side's.
pub type Line = Vec<(bool, String)>;

/// Lines side by side.
pub enum Row {
    /// The same on both sides.
    Same(Line),
    /// Lines of one place that differ: as many as there are on each side.
    Changed(Vec<Line>, Vec<Line>),
    /// Lines are left out here.
    Gap,
}

/// More lines around a change than any definition has.
pub const WHOLE: usize = 1 << 24;

/// The lines of two texts; `context` is the number of lines around each change.
pub fn rows(have: &str, want: &str, context: usize) -> Vec<Row> {
    let diff = TextDiff::from_lines(have, want);
    let mut rows = Vec::new();
    for (index, group) in diff.grouped_ops(context).into_iter().enumerate() {
        if index > 0 {
            rows.push(Row::Gap);
        }
        for op in group {
            let (mut old, mut new) = (Vec::new(), Vec::new());
            for change in diff.iter_inline_changes(&op) {
                let line: Line = change
                    .iter_strings_lossy()
                    .map(|(differs, text)| (differs, text.trim_end_matches(['\n', '\r']).replace('\t', "    ")))
                    .collect();
                match change.tag() {
                    ChangeTag::Delete => old.push(line),
                    ChangeTag::Insert => new.push(line),
                    ChangeTag::Equal => rows.push(Row::Same(line)),
                }
            }
            if !(old.is_empty() && new.is_empty()) {
                rows.push(Row::Changed(old, new));
            }
        }
    }
    rows
}

/// More lines of one place are not matched: they are side by side in order.
const MATCHED: usize = 60;

/// Lines of one place, those that are alike beside each other.
pub fn beside<'l>(old: &'l [Line], new: &'l [Line]) -> Vec<(Option<&'l Line>, Option<&'l Line>)> {
    if old.len() > MATCHED || new.len() > MATCHED {
        return (0..old.len().max(new.len())).map(|at| (old.get(at), new.get(at))).collect();
    }
    let words = |line: &Line| -> BTreeSet<String> {
        let text: String = line.iter().map(|(_, text)| text.as_str()).collect();
        text.split(|ch: char| !(ch.is_alphanumeric() || ch == '_'))
            .map(str::to_owned)
            .filter(|w| !w.is_empty())
            .collect()
    };
    let (left, right): (Vec<_>, Vec<_>) = (old.iter().map(words).collect(), new.iter().map(words).collect());
    let alike = |a: usize, b: usize| -> usize {
        let shared = left[a].intersection(&right[b]).count();
        // At least a third of the words.
        if shared * 3 >= left[a].len().max(right[b].len()) { shared } else { 0 }
    };
    // The best sum of likeness from each pair of places on.
    let mut best = vec![vec![0; new.len() + 1]; old.len() + 1];
    for a in (0..old.len()).rev() {
        for b in (0..new.len()).rev() {
            let both = alike(a, b);
            let matched = if both > 0 { both + best[a + 1][b + 1] } else { 0 };
            best[a][b] = matched.max(best[a + 1][b]).max(best[a][b + 1]);
        }
    }
    let (mut a, mut b, mut pairs) = (0, 0, Vec::new());
    while a < old.len() || b < new.len() {
        let is_match =
            a < old.len() && b < new.len() && alike(a, b) > 0 && best[a][b] == alike(a, b) + best[a + 1][b + 1];
        let takes_old = a < old.len() && (b == new.len() || best[a][b] == best[a + 1][b]);
        let pair = match (is_match, takes_old) {
            (true, _) => (old.get(a), new.get(b)),
            (_, true) => (old.get(a), None),
            _ => (None, new.get(b)),
        };
        a += usize::from(pair.0.is_some());
        b += usize::from(pair.1.is_some());
        pairs.push(pair);
    }
    pairs
}

fn painted(line: &Line, color: Style) -> String {
    let piece = |(differs, text): &(bool, String)| {
        let style = if *differs { color.bold().underline() } else { color };
        paint(style, text)
    };
    line.iter().map(piece).collect()
}

fn unified(rows: &[Row], [have, want]: [&str; 2]) {
    let indent = INDENT - 1;
    let print = |side: &str, color: Style, line: &Line| {
        let mark = format!("{side:>4} │ ");
        say!("{:indent$} {}{}", "", paint(color, mark), painted(line, color));
    };
    for row in rows {
        match row {
            Row::Same(line) => print("", style::FAINT, line),
            Row::Changed(old, new) => {
                old.iter().for_each(|line| print(have, style::REMOVED, line));
                new.iter().for_each(|line| print(want, style::ADDED, line));
            }
            Row::Gap => say!("{:indent$} {}", "", paint(style::FAINT, "     ⋮")),
        }
    }
}

fn side_by_side(rows: &[Row], [have, want]: [&str; 2], width: usize) {
    // A narrow indent leaves room for both.
    let indent = 4;
    let cell = (width - indent - 3) / 2;
    let print =
        |left: &str, middle: &str, right: &str| say!("{:indent$}{left} {} {right}", "", paint(style::FAINT, middle));
    print(&paint(style::STRONG, format!("{have:<cell$}")), "│", &paint(style::STRONG, want));
    for row in rows {
        match row {
            Row::Same(line) => {
                for piece in wrapped(line, cell, style::FAINT) {
                    print(&piece, "│", &piece);
                }
            }
            Row::Changed(old, new) => {
                for (old, new) in beside(old, new) {
                    let of = |line: Option<&Line>, color| line.map_or(Vec::new(), |line| wrapped(line, cell, color));
                    let (left, right) = (of(old, style::REMOVED), of(new, style::ADDED));
                    let mark = match (left.is_empty(), right.is_empty()) {
                        (true, _) => "›",
                        (_, true) => "‹",
                        _ => "≠",
                    };
                    for part in 0..left.len().max(right.len()) {
                        let blank = " ".repeat(cell);
                        let left = left.get(part).unwrap_or(&blank);
                        print(left, if part == 0 { mark } else { "│" }, right.get(part).map_or("", String::as_str));
                    }
                }
            }
            Row::Gap => print(&paint(style::FAINT, format!("{:<cell$}", "⋮")), "│", &paint(style::FAINT, "⋮")),
        }
    }
}

/// A line in pieces of so many columns, each filled up with spaces.
fn wrapped(line: &Line, width: usize, color: Style) -> Vec<String> {
    let length = |piece: &Line| piece.iter().map(|(_, text)| text.chars().count()).sum::<usize>();
    let filled = |piece: Line| painted(&piece, color) + &" ".repeat(width - length(&piece));
    cut(line, width).into_iter().map(filled).collect()
}

/// A line in pieces of at most so many characters.
pub fn cut(line: &Line, width: usize) -> Vec<Line> {
    let mut pieces = vec![(Line::new(), 0)];
    for (differs, text) in line {
        for ch in text.chars() {
            if pieces.last().is_some_and(|(_, length)| *length == width) {
                pieces.push((Line::new(), 0));
            }
            let (piece, length) = pieces.last_mut().expect("it begins with one");
            match piece.last_mut() {
                Some((same, text)) if same == differs => text.push(ch),
                _ => piece.push((*differs, ch.to_string())),
            }
            *length += 1;
        }
    }
    pieces.into_iter().map(|(piece, _)| piece).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_that_are_alike_stand_beside_each_other() {
        let line = |text: &str| vec![(true, text.to_owned())];
        let old = [line("CONSTRAINT known CHECK (weight > 0)"), line("gone")];
        let new = [line("note TEXT"), line("CONSTRAINT known CHECK (weight > 1)")];
        let texts = |pairs: Vec<(Option<&Line>, Option<&Line>)>| -> Vec<(String, String)> {
            let text = |line: Option<&Line>| line.map_or(String::new(), |line| line[0].1.clone());
            pairs.into_iter().map(|(old, new)| (text(old), text(new))).collect()
        };
        let pair = |a: &str, b: &str| (a.to_owned(), b.to_owned());
        let check = "CONSTRAINT known CHECK (weight > ";
        assert_eq!(
            texts(beside(&old, &new)),
            [pair("", "note TEXT"), pair(&format!("{check}0)"), &format!("{check}1)")), pair("gone", "")]
        );
        assert_eq!(beside(&old, &[]).len(), 2);
        assert_eq!(beside(&[], &[]).len(), 0);
    }
}
