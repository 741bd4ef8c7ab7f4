//! The view on the terminal: the list on the left, the chosen row's texts on the right, what results below.

use std::collections::BTreeSet;

use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Block, Clear, Paragraph};
use wevrun_core::pick::{Group, Grouping, Outcome, Row, Tick};
use wevrun_core::select::{ChangeKind, ElementPart};

use super::keys::KEYS;
use super::texts::{NEW, OLD, cut};
use super::{Mode, Pane, View};
use crate::output::count;

/// Draws everything.
pub fn draw(frame: &mut Frame<'_>, view: &mut View<'_>) {
    let [head, body, foot] =
        Layout::vertical([Constraint::Length(1), Constraint::Min(3), Constraint::Length(2)]).areas(frame.area());
    let (have, want) = &view.names;
    let title =
        Line::from(vec![Span::raw(" have "), bold(have), Span::raw("  want "), bold(want), Span::raw("   ? keys")]);
    frame.render_widget(Paragraph::new(title).style(Style::new().add_modifier(Modifier::REVERSED)), head);
    let list_width = if body.width >= 120 { body.width * 2 / 5 } else { body.width * 45 / 100 };
    let [left, right] = Layout::horizontal([Constraint::Length(list_width), Constraint::Min(10)]).areas(body);
    list(frame, view, left);
    text(frame, view, right);
    results(frame, view, foot);
    if view.mode == Mode::Help {
        help(frame);
    }
}

fn bold(text: &str) -> Span<'static> {
    Span::styled(text.to_owned(), Style::new().add_modifier(Modifier::BOLD))
}

fn list(frame: &mut Frame<'_>, view: &View<'_>, area: Rect) {
    let grouping = match view.picker.grouping() {
        Grouping::Change => "By change",
        Grouping::Kind => "By kind",
        Grouping::Schema => "By schema",
    };
    let title = match view.picker.filter() {
        "" => format!(" {grouping} "),
        words => format!(" {grouping}: {words} "),
    };
    let block = Block::bordered().title(title);
    let inside = block.inner(area);
    frame.render_widget(block, area);
    let height = usize::from(inside.height).max(1);
    let rows = view.picker.rows();
    let first = view.cursor.saturating_sub(height / 2).min(rows.len().saturating_sub(height));
    let shown = rows.iter().enumerate().skip(first).take(height);
    let lines: Vec<Line<'_>> = shown.map(|(at, row)| line(view, row, at == view.cursor)).collect();
    let lines = if lines.is_empty() { vec![Line::from("nothing has these words")] } else { lines };
    frame.render_widget(Paragraph::new(lines), inside);
}

fn color(change: ChangeKind) -> Color {
    match change {
        ChangeKind::Create => NEW,
        ChangeKind::Change => Color::Blue,
        ChangeKind::Remove => OLD,
    }
}

fn line(view: &View<'_>, row: &Row, is_current: bool) -> Line<'static> {
    let tick = match view.picker.tick_of(row) {
        Tick::None => "[ ]",
        Tick::Included => "[+]",
        Tick::Some => "[~]",
        Tick::All => "[x]",
    };
    let (sign, words) = match row {
        Row::Heading { group, objects } => {
            let name = match group {
                Group::Change(ChangeKind::Create) => "To create".to_owned(),
                Group::Change(ChangeKind::Change) => "To change".to_owned(),
                Group::Change(ChangeKind::Remove) => "To remove".to_owned(),
                Group::Kind(kind) => kind.clone(),
                Group::Schema(schema) => schema.clone().unwrap_or_else(|| "no schema".to_owned()),
            };
            (Span::raw(""), bold(&format!("{name} ({})", objects.len())))
        }
        Row::Object(key) => {
            let change = view.picker.change_of(key);
            let sign = match change {
                ChangeKind::Create => "+ ",
                ChangeKind::Change => "≠ ",
                ChangeKind::Remove => "− ",
            };
            (Span::styled(sign, Style::new().fg(color(change))), Span::raw(key.to_string()))
        }
        Row::Part(element) => {
            let name = match &element.part {
                ElementPart::Object => "  its own properties".to_owned(),
                ElementPart::Column(name) => format!("  column {name}"),
                ElementPart::Constraint(kind, label) => format!("  {} {label}", kind.title()),
            };
            (Span::raw("  "), Span::raw(name))
        }
    };
    let style = if is_current { Style::new().add_modifier(Modifier::REVERSED) } else { Style::new() };
    Line::from(vec![Span::raw(format!("{tick} ")), sign, words]).style(style)
}

fn text(frame: &mut Frame<'_>, view: &mut View<'_>, area: Rect) {
    let title = match view.pane {
        Pane::Definition => " Definition ",
        Pane::OwnScript => " Script for this alone ",
        Pane::Script => " Script for what is ticked ",
        Pane::Risks => " Risks and what is included ",
    };
    let block = Block::bordered().title(title).title_bottom(" Tab ");
    let inside = block.inner(area);
    frame.render_widget(block, area);
    let width = usize::from(inside.width).max(1);
    let lines: Vec<Line<'_>> = view.right_side(width).iter().flat_map(|line| cut(line, width)).collect();
    // No further than to the last page.
    view.scroll = view.scroll.min(lines.len().saturating_sub(usize::from(inside.height)));
    let shown: Vec<Line<'_>> = lines.into_iter().skip(view.scroll).take(usize::from(inside.height)).collect();
    frame.render_widget(Paragraph::new(shown), inside);
}

fn results(frame: &mut Frame<'_>, view: &View<'_>, area: Rect) {
    let [first, second] = Layout::vertical([Constraint::Length(1), Constraint::Length(1)]).areas(area);
    let (ticked, all) = view.picker.counts();
    let mut words = format!(" {ticked} of {all} ticked");
    let mut style = Style::new();
    match view.picker.outcome() {
        Outcome::Nothing => {}
        Outcome::Invalid(found) => {
            words += &format!(", no valid schema: {}", found.first().map_or("", |found| found.message.as_str()));
            style = style.fg(Color::Red);
        }
        Outcome::Done(resolved) => {
            words += &format!(", {} included", resolved.included.len());
            words += &format!("; {}", count(resolved.script.plan.steps().count(), "step"));
            let risks = resolved.script.blocked_by();
            if !risks.is_empty() {
                let kinds: BTreeSet<&str> = risks.iter().map(|risk| risk.kind.name()).collect();
                let kinds: Vec<&str> = kinds.into_iter().collect();
                words += &format!("; {}: {}", count(risks.len(), "risk"), kinds.join(", "));
                style = style.fg(Color::Yellow);
            }
        }
    }
    frame.render_widget(Paragraph::new(words).style(style), first);
    let line = match &view.mode {
        Mode::Filter => format!(" Filter: {}▏  Enter keeps it, Esc removes it", view.picker.filter()),
        Mode::Name(text) => format!(" Name of the selection: {text}▏"),
        Mode::File(text) => format!(" Write the script to: {text}▏"),
        Mode::Leaving => " Quit and forget what is ticked? y: quit, any other key: stay".to_owned(),
        Mode::List | Mode::Help if view.message.is_empty() => {
            " Space ticks  / filters  Tab changes the right side  s saves  w writes  q quits".to_owned()
        }
        Mode::List | Mode::Help => format!(" {}", view.message),
    };
    frame.render_widget(Paragraph::new(line).style(Style::new().add_modifier(Modifier::BOLD)), second);
}

fn help(frame: &mut Frame<'_>) {
    let whole = frame.area();
    let width = 76.min(whole.width);
    let height = (KEYS.len() as u16 + 8).min(whole.height);
    let area = Rect { x: (whole.width - width) / 2, y: (whole.height - height) / 2, width, height };
    let mut lines: Vec<Line<'_>> = KEYS.iter().map(|(key, words)| Line::from(format!(" {key:<18} {words}"))).collect();
    lines.push(Line::from(""));
    lines.push(Line::from(" [x] ticked   [~] in part   [+] included, since what is ticked needs it"));
    lines.push(Line::from(" + create   ≠ change   − remove"));
    lines.push(Line::from(""));
    lines.push(Line::from(" Any key closes this."));
    frame.render_widget(Clear, area);
    frame.render_widget(Paragraph::new(lines).block(Block::bordered().title(" Keys ")), area);
}
