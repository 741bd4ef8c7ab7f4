//! Comments that speak to Wevrun: `-- wevrun: formerly OLD_NAME`.

use super::super::names;
use super::super::tokens::Rules;
use wevrun_core::diagnostics::{Code, Diagnostic, Severity};
use wevrun_core::model::{Formerly, Kind, Name, QualifiedName};
use wevrun_core::parse::{ColumnSpans, Instruction, Reader, Subject, Token, TokenKind, token};

/// Reads the comments before and in CREATE TABLE.
pub fn formerly(
    reader: &Reader<'_>,
    comments: &[Token],
    spans: Option<&ColumnSpans>,
    formerly: &mut Formerly,
    diagnostics: &mut Vec<Diagnostic>,
) {
    for instruction in Instruction::all(reader, comments) {
        let Some(old) = former_name(&instruction.words) else {
            diagnostics.push(instruction.not_understood());
            continue;
        };
        match instruction.subject(reader, spans) {
            Subject::Object => formerly.table = Some(QualifiedName::plain(old)),
            Subject::Column(column) => formerly.columns.push((column, old)),
            Subject::Nothing => diagnostics.push(instruction.belongs_to_nothing()),
        }
    }
}

/// Warns of instructions where none has a meaning.
pub fn none_expected(reader: &Reader<'_>, comments: &[Token], kind: Kind, diagnostics: &mut Vec<Diagnostic>) {
    for Instruction { place, .. } in Instruction::all(reader, comments) {
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
