//! Comments that speak to Wevrun: `-- wevrun: formerly OLD_NAME`.

use super::super::tokens;
use super::{identifier_of, names};
use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::{Formerly, Name, Object, QualifiedName};
use wevrun_core::parse::{ColumnSpans, Instruction, Reader, Subject, Token, TokenKind, token};

/// Reads the comments before and in a CREATE statement.
pub fn formerly(
    reader: &Reader<'_>,
    comments: &[Token],
    spans: Option<&ColumnSpans>,
    object: &Object,
    formerly: &mut Formerly,
    diagnostics: &mut Vec<Diagnostic>,
) {
    for instruction in Instruction::all(reader, comments) {
        let Some(old) = former_path(&instruction.words) else {
            diagnostics.push(instruction.not_understood());
            continue;
        };
        match instruction.subject(reader, spans) {
            Subject::Object => formerly.table = Some(former_name(&old, object)),
            Subject::Column(column) => {
                let old = old.last().map_or("", String::as_str);
                // A label of an enumeration is a text.
                let is_label = column.canonical().starts_with('\'');
                let literal = || Name::new(tokens::literal(old), tokens::literal(old));
                formerly.columns.push((column, if is_label { literal() } else { names::simple(old) }));
            }
            Subject::Nothing => diagnostics.push(instruction.belongs_to_nothing()),
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
