//! The texts on the right side.

use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use wevrun_core::Dialect;
use wevrun_core::compare::Change;
use wevrun_core::pick::{Outcome, Row};

use super::{Pane, View};
use crate::output::comparison::definitions;
use crate::output::count;
use crate::output::diff::{self, Row as DiffRow};

pub const OLD: Color = Color::Magenta;
pub const NEW: Color = Color::Green;

fn plain(text: impl Into<String>) -> Line<'static> {
    Line::from(text.into())
}

fn faint(text: impl Into<String>) -> Line<'static> {
    Line::styled(text.into(), Style::new().add_modifier(Modifier::DIM))
}

fn warning(text: impl Into<String>) -> Line<'static> {
    Line::styled(text.into(), Style::new().fg(Color::Yellow))
}

impl View<'_> {
    /// The lines of the right side, which is so many columns wide.
    pub fn right_side(&self, width: usize) -> Vec<Line<'static>> {
        let dialect = self.picker.dialect();
        let row = self.picker.rows().get(self.cursor);
        match self.pane {
            Pane::Definition => row.map_or_else(Vec::new, |row| self.definition(dialect, row, width)),
            Pane::OwnScript => row.map_or_else(Vec::new, |row| script_lines(&self.picker.outcome_of(row))),
            Pane::Script => script_lines(self.picker.outcome()),
            Pane::Risks => risk_lines(self.picker.outcome()),
        }
    }

    fn definition(&self, dialect: &dyn Dialect, row: &Row, width: usize) -> Vec<Line<'static>> {
        let mut lines = Vec::new();
        for included in self.picker.reasons(row) {
            lines.push(warning(format!("included because {}", included.words())));
        }
        if let Row::Heading { objects, .. } = row {
            lines.push(faint(format!("{}. Space ticks all of them.", count(objects.len(), "object"))));
        }
        let Some(difference) = self.picker.difference(row) else { return lines };
        if let Change::Change { properties, .. } = &difference.change {
            for property in properties {
                let value = |value: &Option<String>| value.clone().unwrap_or_else(|| "–".to_owned());
                let values = format!("{} → {}", value(&property.have), value(&property.want));
                lines.push(faint(format!("{}: {}", property.name(), values.replace('\n', " "))));
            }
        }
        let (have, want) = definitions(dialect, difference);
        if !lines.is_empty() {
            lines.push(plain(""));
        }
        let rows = diff::rows(&have, &want, diff::WHOLE);
        if width >= 90 && !have.is_empty() && !want.is_empty() {
            side_by_side(&rows, width, &mut lines);
        } else {
            unified(&rows, &mut lines);
        }
        lines
    }
}

fn spans(line: &diff::Line, color: Option<Color>) -> Vec<Span<'static>> {
    let style = color.map_or(Style::new().add_modifier(Modifier::DIM), |color| Style::new().fg(color));
    let strong = style.add_modifier(Modifier::BOLD | Modifier::UNDERLINED);
    line.iter().map(|(differs, text)| Span::styled(text.clone(), if *differs { strong } else { style })).collect()
}

fn unified(rows: &[DiffRow], lines: &mut Vec<Line<'static>>) {
    let mut add = |sign: &str, line: &diff::Line, color: Option<Color>| {
        let style = color.map_or_else(Style::new, |color| Style::new().fg(color));
        let mut all = vec![Span::styled(format!("{sign} "), style)];
        all.extend(spans(line, color));
        lines.push(Line::from(all));
    };
    for row in rows {
        match row {
            DiffRow::Same(line) => add(" ", line, None),
            DiffRow::Changed(old, new) => {
                old.iter().for_each(|line| add("−", line, Some(OLD)));
                new.iter().for_each(|line| add("+", line, Some(NEW)));
            }
            DiffRow::Gap => {}
        }
    }
}

fn side_by_side(rows: &[DiffRow], width: usize, lines: &mut Vec<Line<'static>>) {
    let cell = (width - 3) / 2;
    let mut add = |left: Option<&diff::Line>, right: Option<&diff::Line>, colors: [Option<Color>; 2], mark: &str| {
        let left = left.map_or_else(|| vec![Vec::new()], |line| diff::cut(line, cell));
        let right = right.map_or_else(|| vec![Vec::new()], |line| diff::cut(line, cell));
        for at in 0..left.len().max(right.len()) {
            let empty = Vec::new();
            let (left, right) = (left.get(at).unwrap_or(&empty), right.get(at).unwrap_or(&empty));
            let length: usize = left.iter().map(|(_, text)| text.chars().count()).sum();
            let mut all = spans(left, colors[0]);
            all.push(Span::raw(format!("{} {mark} ", " ".repeat(cell - length.min(cell)))));
            all.extend(spans(right, colors[1]));
            lines.push(Line::from(all));
        }
    };
    for row in rows {
        match row {
            DiffRow::Same(line) => add(Some(line), Some(line), [None, None], "│"),
            DiffRow::Changed(old, new) => {
                for (old, new) in diff::beside(old, new) {
                    add(old, new, [Some(OLD), Some(NEW)], "≠");
                }
            }
            DiffRow::Gap => {}
        }
    }
}

fn script_lines(outcome: &Outcome) -> Vec<Line<'static>> {
    let script = match outcome {
        Outcome::Nothing => return vec![faint("Nothing is ticked.")],
        Outcome::Invalid(found) => return invalid(found.iter().map(|found| found.message.clone())),
        Outcome::Done(resolved) => &resolved.script,
    };
    let mut lines = Vec::new();
    for (number, step) in script.plan.steps().enumerate() {
        lines.push(faint(format!("-- step {}: {}", number + 1, step.title)));
        for risk in step.risks.iter().filter(|risk| risk.holds_back()) {
            lines.push(warning(format!("-- {} on {}", risk.kind, risk.object)));
        }
        for statement in &step.statements {
            lines.extend(format!("{statement};").lines().map(|line| plain(line.replace('\t', "    "))));
        }
        lines.push(plain(""));
    }
    if lines.is_empty() {
        lines.push(faint("There is nothing to do."));
    }
    lines
}

fn invalid(messages: impl Iterator<Item = String>) -> Vec<Line<'static>> {
    let head = warning("What is ticked makes no valid schema without others:");
    std::iter::once(head).chain(messages.map(plain)).collect()
}

fn risk_lines(outcome: &Outcome) -> Vec<Line<'static>> {
    let resolved = match outcome {
        Outcome::Nothing => return vec![faint("Nothing is ticked.")],
        Outcome::Invalid(found) => return invalid(found.iter().map(|found| found.message.clone())),
        Outcome::Done(resolved) => resolved,
    };
    let mut lines = Vec::new();
    for risk in resolved.script.blocked_by() {
        lines.push(warning(format!("{} on {}", risk.kind, risk.object)));
        lines.push(plain(format!("  {}", risk.explanation)));
    }
    if lines.is_empty() {
        lines.push(plain("No step needs a waiver."));
    }
    lines.push(plain(""));
    for included in &resolved.included {
        lines.push(plain(format!("{} is included because {}", included.element, included.words())));
    }
    lines
}

/// A line in pieces of at most so many columns.
pub fn cut(line: &Line<'static>, width: usize) -> Vec<Line<'static>> {
    let mut pieces = vec![(Vec::<Span<'static>>::new(), 0)];
    for span in &line.spans {
        for ch in span.content.chars() {
            let columns = Span::raw(ch.to_string()).width();
            if pieces.last().is_some_and(|(_, length)| length + columns > width) {
                pieces.push((Vec::new(), 0));
            }
            let (piece, length) = pieces.last_mut().expect("it begins with one");
            match piece.last_mut().filter(|last| last.style == span.style) {
                Some(last) => last.content.to_mut().push(ch),
                None => piece.push(Span::styled(ch.to_string(), span.style)),
            }
            *length += columns;
        }
    }
    pieces.into_iter().map(|(piece, _)| Line::from(piece).style(line.style)).collect()
}
