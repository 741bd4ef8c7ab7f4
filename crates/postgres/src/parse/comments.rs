//! Comments that speak to Wevrun: `-- wevrun: formerly OLD_NAME`.

use super::super::tokens;
use super::table::ColumnSpans;
use super::{identifier_of, names};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Formerly, Name, Object, QualifiedName};
use wevrun_core::parse::{Reader, Token, TokenKind, token};
use wevrun_core::source::Location;

/// Reads the comments before and in a CREATE statement.
pub fn formerly(
    reader: &Reader<'_>,
    comments: &[Token],
    spans: Option<&ColumnSpans>,
    object: &Object,
    formerly: &mut Formerly,
    diagnostics: &mut Vec<Diagnostic>,
) {
    for comment in comments {
        let text = comment.text(reader.text);
        let inner = text.strip_prefix("--").unwrap_or_else(|| text.trim_start_matches("/*").trim_end_matches("*/"));
        let Some(instruction) = inner.trim().strip_prefix("wevrun:").map(str::trim) else { continue };
        let place = Location { source: reader.source, start: comment.start, end: comment.end };
        let Some(old) = former_path(instruction) else {
            diagnostics.push(
                Diagnostic::new(Code::WV009, format!("`wevrun: {instruction}` is not an instruction"))
                    .at(place, "not understood")
                    .help("write `-- wevrun: formerly OLD_NAME`"),
            );
            continue;
        };
        match subject(reader, *comment, spans) {
            Subject::Object => formerly.table = Some(former_name(&old, object)),
            Subject::Column(column) => {
                let old = old.last().map_or("", String::as_str);
                // A label of an enumeration is a text.
                let is_label = column.canonical().starts_with('\'');
                let literal = || Name::new(tokens::literal(old), tokens::literal(old));
                formerly.columns.push((column, if is_label { literal() } else { names::simple(old) }));
            }
            Subject::Nothing => diagnostics.push(
                Diagnostic::new(Code::WV009, "this comment belongs to no column")
                    .at(place, "belongs to nothing")
                    .help("put it on the line of the column that was renamed, or on the line before it"),
            ),
        }
    }
}

fn former_path(instruction: &str) -> Option<Vec<String>> {
    let (found, error) = token::tokenize(tokens::rules(), instruction, 0);
    let [first, rest @ ..] = &found[..] else { return None };
    if error.is_some() || !first.is_word(instruction, "FORMERLY") || rest.is_empty() {
        return None;
    }
    let names = rest.iter().filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted | TokenKind::Text));
    let path: Vec<String> = names
        .map(|token| match token.kind {
            TokenKind::Text => tokens::string_value(token.text(instruction)).unwrap_or_default(),
            _ => identifier_of(*token, instruction),
        })
        .collect();
    (path.len() * 2 - 1 == rest.len()).then_some(path)
}

/// The former name in the form of the present one: in the same schema and with the same arguments or table, if not said
/// otherwise.
fn former_name(path: &[String], object: &Object) -> QualifiedName {
    let (schema, last) = match path {
        [.., schema, last] => (Some(schema.as_str()), last),
        [last] => (object.name.schema(), last),
        [] => return QualifiedName::plain(Name::none()),
    };
    let schema = schema.filter(|_| object.name.owner().is_none());
    names::moved(object.definition.kind(), &object.name, schema, last)
}

enum Subject {
    Object,
    Column(Name),
    Nothing,
}

/// What the comment stands on.
fn subject(reader: &Reader<'_>, comment: Token, spans: Option<&ColumnSpans>) -> Subject {
    let Some(spans) = spans.filter(|spans| spans.open > 0) else { return Subject::Object };
    if comment.start < spans.open {
        return Subject::Object;
    }
    let last = reader.tokens[..reader.tokens.partition_point(|token| token.start < comment.start)].last();
    let same_line = last.is_some_and(|last| !reader.text[last.end as usize..comment.start as usize].contains('\n'));
    let opening = last.is_some_and(|last| last.start == spans.open);
    if (same_line && opening) || comment.start > spans.close {
        return Subject::Object;
    }
    let column = if same_line {
        spans.columns.iter().rev().find(|(_, start)| *start < comment.start)
    } else {
        spans.columns.iter().find(|(_, start)| *start > comment.start)
    };
    column.map_or(Subject::Nothing, |(name, _)| Subject::Column(name.clone()))
}
