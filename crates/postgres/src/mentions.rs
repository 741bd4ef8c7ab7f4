//! What the words of an expression name, where nobody has made a tree of it.

use super::parse::identifier_of;
use super::tokens;
use wevrun_core::model::{Column, Expression, Name, Unordered};
use wevrun_core::parse::{Token, TokenKind, token};

/// The columns that an expression names, each once.
pub fn columns<'c>(columns: &'c Unordered<Column>, expression: &Expression) -> Vec<&'c Name> {
    let named = identifiers(expression);
    let names = columns.iter().map(|column| &column.name);
    names.filter(|name| named.iter().any(|named| named == name.canonical())).collect()
}

/// Whether an expression names the column.
pub fn names(expression: &Expression, column: &Name) -> bool {
    identifiers(expression).iter().any(|named| named == column.canonical())
}

/// Whether an expression calls what has this name, without its arguments.
pub fn calls(expression: &Expression, routine: &str) -> bool {
    let (tokens, text) = tokenized(expression);
    tokens.windows(2).any(|pair| identifier_of(pair[0], text) == routine && pair[1].is_symbol(text, "("))
}

/// The identifiers that can be columns: neither functions, nor qualifiers, nor types of a cast.
fn identifiers(expression: &Expression) -> Vec<String> {
    let (tokens, text) = tokenized(expression);
    let symbol = |at: usize, symbol: &str| tokens.get(at).is_some_and(|token| token.is_symbol(text, symbol));
    let can_be_one = |(index, token): &(usize, &Token)| {
        let is_another = symbol(index + 1, "(") || symbol(index + 1, ".") || *index > 0 && symbol(index - 1, "::");
        matches!(token.kind, TokenKind::Word | TokenKind::Quoted) && !is_another
    };
    tokens.iter().enumerate().filter(can_be_one).map(|(_, token)| identifier_of(*token, text)).collect()
}

fn tokenized(expression: &Expression) -> (Vec<Token>, &str) {
    let text = expression.written();
    (token::tokenize(tokens::rules(), text, 0).0, text)
}
