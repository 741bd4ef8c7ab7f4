//! From text to statements: tokens, the end of each statement, and its meaning.
//!
//! Tokens come from `sqlparser`; the statement grammar is a dialect's own.

mod comments;
mod grammar;
mod places;
mod reader;
mod rows;
mod statement;
mod temporary;
pub mod token;
mod words;

pub use comments::{ColumnSpans, Instruction, Subject};
pub use grammar::Grammar;
pub use places::Places;
pub use reader::{Parsed, Reader};
pub use rows::{RowFilter, RowRules, WithoutRows};
pub use statement::{Alter, Grant, Session, Statement, StatementKind};
pub use token::{Token, TokenKind};
pub use words::words;

use crate::diagnostics::{Code, Diagnostic};
use crate::model::QualifiedName;
use crate::source::Source;
use temporary::Temporary;

/// The statements of one source, in order, and what was found wrong with it.
#[derive(Debug, Default)]
pub struct ParsedSource {
    /// The statements.
    pub statements: Vec<Statement>,
    /// Errors, warnings and notes.
    pub diagnostics: Vec<Diagnostic>,
    /// Names that statements with errors try to create, so that no later finding calls them missing.
    pub unreadable: Vec<QualifiedName>,
}

/// Reads a whole source. `index` is its place in the list of sources.
///
/// An error ends its statement only: the rest of the source is still read.
pub fn parse_source(grammar: &dyn Grammar, source: &Source, index: u32) -> ParsedSource {
    parse_source_in(grammar, source, index, &Session::default())
}

/// The same with settings that are applied before the source.
pub fn parse_source_in(grammar: &dyn Grammar, source: &Source, index: u32, settings: &Session) -> ParsedSource {
    let mut parsed = ParsedSource::default();
    if let Some(diagnostic) = not_text(source, index) {
        parsed.diagnostics.push(diagnostic);
        return parsed;
    }
    let masked = grammar.without_client_commands(&source.text);
    let text: &str = &masked;
    let (tokens, error) = token::tokenize(grammar.token_rules(), text, index);
    let unreadable = error.is_some();
    parsed.diagnostics.extend(error);
    let comments: Vec<Token> = tokens.iter().filter(|token| token.kind == TokenKind::Comment).copied().collect();
    let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();

    let mut session = settings.clone();
    let mut temporary = Temporary::default();
    let mut rest = &tokens[..];
    let mut comments = &comments[..];
    while !rest.is_empty() {
        let length = grammar.statement_length(text, rest);
        let ended = length < rest.len();
        if !ended && unreadable {
            break; // the statement that the error cut off
        }
        let statement = &rest[..length];
        rest = &rest[length + usize::from(ended)..];
        // A comment on the line of the closing semicolon still belongs to the statement.
        let until = rest.first().map_or(u32::MAX, |next| {
            let line_end = statement.last().map_or(0, |last| last.end as usize);
            let line_end = text[line_end..].find('\n').map_or(text.len(), |newline| line_end + newline);
            next.start.min(line_end as u32)
        });
        let own = comments.partition_point(|comment| comment.start < until);
        let (own, later) = comments.split_at(own);
        comments = later;
        if statement.is_empty() {
            continue;
        }
        let reader = Reader { text, tokens: statement, position: 0, source: index };
        let location = reader.location(0..statement.len());
        match grammar.parse_statement(reader, own, &mut session, &mut parsed.diagnostics) {
            Ok(kinds) => {
                let kinds = kinds.into_iter().filter(|kind| temporary.is_other(kind));
                parsed.statements.extend(kinds.map(|kind| Statement { location, kind }));
            }
            Err(diagnostic) => {
                parsed.diagnostics.push(*diagnostic);
                parsed.unreadable.extend(grammar.created_name(text, statement));
            }
        }
    }
    parsed
}

fn not_text(source: &Source, index: u32) -> Option<Diagnostic> {
    let nul = source.text.find('\0')?;
    let location = crate::source::Location { source: index, start: nul as u32, end: nul as u32 + 1 };
    Some(
        Diagnostic::new(Code::WV001, "the file holds a NUL byte, so it is no text")
            .at(location, "NUL byte")
            .help("if it is no DDL, leave it out with the `source` globs in wevrun.toml"),
    )
}
