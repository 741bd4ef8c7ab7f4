//! Diagnostics as a good compiler shows them. `annotate-snippets` draws them.

use std::ops::Range;

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use serde::Serialize;
use wevrun_core::diagnostics::{Diagnostic, Label, Severity};
use wevrun_core::source::{Location, Source};

/// Longer excerpts are cut around the place itself.
const LONGEST_EXCERPT: usize = 4_000;

/// Prints all findings on standard error, in order.
pub fn print(found: &[Diagnostic], sources: &[Source]) {
    let renderer = Renderer::styled();
    let is_shown = |found: &&Diagnostic| found.is_error() || !super::print::is_quiet();
    for diagnostic in found.iter().filter(is_shown) {
        let title = level(diagnostic.severity).primary_title(diagnostic.message.as_str()).id(diagnostic.code.name());
        let mut group = Group::with_title(title);
        let excerpts = excerpts(diagnostic, sources);
        for excerpt in &excerpts {
            let annotations = excerpt.labels.iter().map(|(kind, range, text)| {
                let annotation = kind.span(range.clone());
                if text.is_empty() { annotation } else { annotation.label(text.as_str()) }
            });
            group = group.element(
                Snippet::source(excerpt.text)
                    .line_start(excerpt.first_line)
                    .path(excerpt.path)
                    .annotations(annotations),
            );
        }
        for help in &diagnostic.help {
            group = group.element(Level::HELP.message(help.as_str()));
        }
        anstream::eprintln!("{}\n", renderer.render(&[group]));
    }
}

fn level(severity: Severity) -> Level<'static> {
    match severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    }
}

/// A part of one source, with the labels in it.
struct Excerpt<'s> {
    path: &'s str,
    text: &'s str,
    first_line: usize,
    labels: Vec<(AnnotationKind, Range<usize>, String)>,
}

/// The parts of sources that a finding points at: one a source, the primary place's first.
fn excerpts<'s>(diagnostic: &Diagnostic, sources: &'s [Source]) -> Vec<Excerpt<'s>> {
    let Some(primary) = &diagnostic.primary else { return Vec::new() };
    let mut order = vec![primary.location.source];
    for label in &diagnostic.secondary {
        if !order.contains(&label.location.source) {
            order.push(label.location.source);
        }
    }
    let labels: Vec<(AnnotationKind, &Label)> = std::iter::once((AnnotationKind::Primary, primary))
        .chain(diagnostic.secondary.iter().map(|label| (AnnotationKind::Context, label)))
        .collect();
    let of_source = |index: u32| -> Option<Excerpt<'s>> {
        let source = sources.get(index as usize)?;
        let own: Vec<_> = labels.iter().filter(|(_, label)| label.location.source == index).collect();
        let (mut start, mut end) = lines(&source.text, own.iter().map(|(_, label)| label.location));
        if end - start > LONGEST_EXCERPT {
            let at = own[0].1.location.range();
            start = source.text.floor_char_boundary(start.max(at.start.saturating_sub(60)));
            end = source.text.ceil_char_boundary(end.min(at.end.min(at.start + 60) + 60));
        }
        let inside = |location: Location| {
            let range = location.range();
            (range.start >= start && range.start <= end).then(|| range.start - start..range.end.min(end) - start)
        };
        Some(Excerpt {
            path: &source.name,
            text: &source.text[start..end],
            first_line: source.position(start).line,
            labels: own
                .into_iter()
                .filter_map(|(kind, label)| Some((*kind, inside(label.location)?, label.text.clone())))
                .collect(),
        })
    };
    order.into_iter().filter_map(of_source).collect()
}

/// From the start of the first line to the end of the last that hold any of the places.
fn lines(text: &str, places: impl Iterator<Item = Location>) -> (usize, usize) {
    let (mut first, mut last) = (text.len(), 0);
    for place in places {
        first = first.min(place.start as usize);
        last = last.max(place.end as usize);
    }
    let start = text[..first].rfind('\n').map_or(0, |newline| newline + 1);
    let end = text[last..].find('\n').map_or(text.len(), |newline| last + newline);
    (start, end)
}

/// A finding in `--format json`.
#[derive(Debug, Serialize)]
pub struct JsonDiagnostic {
    #[serde(skip_serializing_if = "Option::is_none")]
    code: Option<&'static str>,
    severity: String,
    message: String,
    #[serde(flatten)]
    place: Option<JsonPlace>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    related: Vec<JsonPlace>,
    help: Vec<String>,
}

/// A place: line and column are counted from 1, columns in characters.
#[derive(Debug, Serialize)]
struct JsonPlace {
    file: String,
    line: usize,
    column: usize,
    label: String,
}

impl JsonDiagnostic {
    /// An error that is no finding in a source.
    pub fn error(message: &str, help: &[String]) -> JsonDiagnostic {
        JsonDiagnostic {
            code: None,
            severity: Severity::Error.to_string(),
            message: message.to_owned(),
            place: None,
            related: Vec::new(),
            help: help.to_vec(),
        }
    }
}

/// The findings for `--format json`.
pub fn json(found: &[Diagnostic], sources: &[Source]) -> Vec<JsonDiagnostic> {
    let place = |label: &Label| {
        let source = sources.get(label.location.source as usize)?;
        let position = source.position(label.location.start as usize);
        Some(JsonPlace {
            file: source.name.to_string(),
            line: position.line,
            column: position.column,
            label: label.text.clone(),
        })
    };
    found
        .iter()
        .map(|diagnostic| JsonDiagnostic {
            code: Some(diagnostic.code.name()),
            severity: diagnostic.severity.to_string(),
            message: diagnostic.message.clone(),
            place: diagnostic.primary.as_ref().and_then(place),
            related: diagnostic.secondary.iter().filter_map(place).collect(),
            help: diagnostic.help.clone(),
        })
        .collect()
}
