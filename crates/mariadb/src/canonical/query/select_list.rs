//! The places of what a SELECT lists.

use wevrun_core::model::Span;
use wevrun_core::parse::{Token, TokenKind, token};

use crate::tokens;

/// Words between SELECT and its list.
const MODIFIERS: [&str; 11] = [
    "DISTINCT",
    "ALL",
    "DISTINCTROW",
    "STRAIGHT_JOIN",
    "HIGH_PRIORITY",
    "SQL_NO_CACHE",
    "SQL_CACHE",
    "SQL_CALC_FOUND_ROWS",
    "SQL_SMALL_RESULT",
    "SQL_BIG_RESULT",
    "SQL_BUFFER_RESULT",
];

/// Words after the list.
const ENDS: [&str; 13] = [
    "FROM",
    "WHERE",
    "GROUP",
    "HAVING",
    "ORDER",
    "LIMIT",
    "UNION",
    "EXCEPT",
    "INTERSECT",
    "WINDOW",
    "FOR",
    "INTO",
    "WITH",
];

/// The tokens of a text without comments.
pub fn code(text: &str) -> Vec<Token> {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect()
}

/// The outputs of the SELECT that begins at a byte, with their names.
pub fn items_of(text: &str, start: u32) -> Vec<Span> {
    items(text, &code(text), start)
}

/// The same, with the tokens of the text at hand.
pub fn items(text: &str, tokens: &[Token], start: u32) -> Vec<Span> {
    let Ok(select) = tokens.binary_search_by_key(&start, |token| token.start) else { return Vec::new() };
    let is = |index: usize, word: &str| tokens.get(index).is_some_and(|token| token.is_word(text, word));
    let mut list = select + 1;
    while MODIFIERS.iter().any(|word| is(list, word)) {
        list += 1;
    }
    let mut first = list;
    let (mut items, mut depth) = (Vec::new(), 0);
    let mut end_item = |first: usize, end: usize| {
        if let (Some(start), Some(last)) = (tokens.get(first), tokens[..end].last()) {
            items.push(Span { start: start.start, end: last.end });
        }
    };
    for (index, token) in tokens.iter().enumerate().skip(list) {
        match token.text(text) {
            "(" => depth += 1,
            ")" if depth > 0 => depth -= 1,
            "," if depth == 0 => {
                end_item(first, index);
                first = index + 1;
            }
            ")" | ";" => {
                end_item(first, index);
                return items;
            }
            _ if depth == 0 && ENDS.iter().any(|word| is(index, word)) => {
                end_item(first, index);
                return items;
            }
            _ => {}
        }
    }
    end_item(first, tokens.len());
    items
}
