//! Comments that speak to Wevrun: `-- wevrun: formerly OLD_NAME`.

use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::{Formerly, Object};
use wevrun_core::parse::{ColumnSpans, Instruction, Reader, Subject, Token, TokenKind, token};

use crate::{names, tokens};

/// Reads the comments before and in a CREATE statement.
pub fn formerly(
    reader: &Reader<'_>,
    comments: &[Token],
    spans: Option<&ColumnSpans>,
    object: &Object,
    diagnostics: &mut Vec<Diagnostic>,
) -> Formerly {
    let mut formerly = Formerly::default();
    for instruction in Instruction::all(reader, comments) {
        let Some(old) = former_name(&instruction.words) else {
            diagnostics.push(instruction.not_understood());
            continue;
        };
        match instruction.subject(reader, spans) {
            Subject::Object => {
                let parts =
                    wevrun_core::model::NameParts { identifier: old.as_str().into(), ..object.name.parts().clone() };
                formerly.table = Some(names::of(object.definition.kind(), parts));
            }
            Subject::Column(column) => formerly.columns.push((column, names::simple(&old))),
            Subject::Nothing => diagnostics.push(instruction.belongs_to_nothing()),
        }
    }
    formerly
}

fn former_name(instruction: &str) -> Option<String> {
    let (tokens, error) = token::tokenize(tokens::rules(), instruction, 0);
    match (&tokens[..], error) {
        ([word, name], None)
            if word.is_word(instruction, "FORMERLY") && matches!(name.kind, TokenKind::Word | TokenKind::Quoted) =>
        {
            Some(names::unquoted(*name, instruction))
        }
        _ => None,
    }
}
