//! Comments that speak to Wevrun: `-- wevrun: formerly OLD_NAME`.

use super::super::names;
use super::super::tokens::Rules;
use super::table::ColumnSpans;
use wevrun_core::diagnostics::{Code, Diagnostic, Severity};
use wevrun_core::model::{Formerly, Kind, Name, QualifiedName};
use wevrun_core::parse::{Reader, Token, TokenKind, token};
use wevrun_core::source::Location;

/// Reads the comments before and in CREATE TABLE.
pub fn formerly(
    reader: &Reader<'_>,
    comments: &[Token],
    spans: Option<&ColumnSpans>,
    formerly: &mut Formerly,
    diagnostics: &mut Vec<Diagnostic>,
) {
    for (comment, instruction) in instructions(reader, comments) {
        let place = Location { source: reader.source, start: comment.start, end: comment.end };
        let Some(old) = former_name(&instruction) else {
            diagnostics.push(
                Diagnostic::new(Code::WV009, format!("`wevrun: {instruction}` is not an instruction"))
                    .at(place, "not understood")
                    .help("write `-- wevrun: formerly OLD_NAME`"),
            );
            continue;
        };
        match subject(reader, comment, spans) {
            Subject::Table => formerly.table = Some(QualifiedName::plain(old)),
            Subject::Column(column) => formerly.columns.push((column, old)),
            Subject::Nothing => diagnostics.push(
                Diagnostic::new(Code::WV009, "this comment belongs to no column")
                    .at(place, "belongs to nothing")
                    .help("put it on the line of the column that was renamed, or on the line before it"),
            ),
        }
    }
}

/// Warns of instructions where none has a meaning.
pub fn none_expected(reader: &Reader<'_>, comments: &[Token], kind: Kind, diagnostics: &mut Vec<Diagnostic>) {
    for (comment, _) in instructions(reader, comments) {
        let place = Location { source: reader.source, start: comment.start, end: comment.end };
        let message = format!("a former name is of no use on {} {}", article(kind), kind.title());
        let mut diagnostic = Diagnostic::new(Code::WV009, message)
            .at(place, "has no effect")
            .help("nothing is lost when it is dropped and created; only tables and columns hold rows");
        diagnostic.severity = Severity::Warning;
        diagnostics.push(diagnostic);
    }
}

fn article(kind: Kind) -> &'static str {
    if kind == Kind::Index { "an" } else { "a" }
}

/// The comments that begin with `wevrun:`, and what follows it.
fn instructions(reader: &Reader<'_>, comments: &[Token]) -> Vec<(Token, String)> {
    let read = |comment: &Token| {
        let text = comment.text(reader.text);
        let inner = text.strip_prefix("--").unwrap_or_else(|| text.trim_start_matches("/*").trim_end_matches("*/"));
        Some((*comment, inner.trim().strip_prefix("wevrun:")?.trim().to_owned()))
    };
    comments.iter().filter_map(read).collect()
}

fn former_name(instruction: &str) -> Option<Name> {
    let (tokens, error) = token::tokenize(&Rules, instruction, 0);
    match (&tokens[..], error) {
        ([word, name], None)
            if word.is_word(instruction, "FORMERLY") && matches!(name.kind, TokenKind::Word | TokenKind::Quoted) =>
        {
            Some(names::name(&names::unquoted(*name, instruction)))
        }
        _ => None,
    }
}

enum Subject {
    Table,
    Column(Name),
    Nothing,
}

/// What the comment stands on.
fn subject(reader: &Reader<'_>, comment: Token, spans: Option<&ColumnSpans>) -> Subject {
    let Some(spans) = spans else { return Subject::Table };
    if comment.start < spans.open {
        return Subject::Table;
    }
    let last = reader.tokens[..reader.tokens.partition_point(|token| token.start < comment.start)].last();
    let same_line = last.is_some_and(|last| !reader.text[last.end as usize..comment.start as usize].contains('\n'));
    let opening = last.is_some_and(|last| last.start == spans.open);
    if (same_line && opening) || comment.start > spans.close {
        return Subject::Table;
    }
    let column = if same_line {
        spans.columns.iter().rev().find(|(_, start)| *start < comment.start)
    } else {
        spans.columns.iter().find(|(_, start)| *start > comment.start)
    };
    column.map_or(Subject::Nothing, |(name, _)| Subject::Column(name.clone()))
}
