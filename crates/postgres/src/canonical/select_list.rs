//! The places of the items in the list of a SELECT, by the tokens between the words that begin and end it.

use super::super::{names, tokens};
use super::references::{ListedColumn, SelectList};
use wevrun_core::model::Span;
use wevrun_core::parse::{Token, TokenKind, token};

/// Words after a list.
const ENDS: [&str; 15] = [
    "FROM",
    "INTO",
    "WHERE",
    "GROUP",
    "HAVING",
    "WINDOW",
    "UNION",
    "INTERSECT",
    "EXCEPT",
    "ORDER",
    "LIMIT",
    "OFFSET",
    "FETCH",
    "FOR",
    "RETURNING",
];

/// The tokens of a text without comments.
fn words(text: &str) -> Vec<Token> {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect()
}

/// The places of the items; none if the tokens and the tree do not have as many.
pub fn items(text: &str, list: &SelectList<Span>) -> Option<Vec<Span>> {
    let tokens = words(text);
    let mut at = tokens.iter().position(|token| Some(token.start) == list.word.map(|word| word.start))? + 1;
    let is = |at: usize, word: &str| tokens.get(at).is_some_and(|token| token.is_word(text, word));
    if is(at, "ALL") {
        at += 1;
    } else if is(at, "DISTINCT") {
        at += 1;
        if is(at, "ON") {
            at = after_parentheses(text, &tokens, at + 1)?;
        }
    }
    let (mut found, mut depth, mut start) = (Vec::new(), 0, at);
    loop {
        let token = tokens.get(at);
        let symbol =
            |symbols: &[&str]| token.is_some_and(|token| symbols.iter().any(|symbol| token.is_symbol(text, symbol)));
        let is_end = depth == 0 && (token.is_none() || symbol(&[")", ";"]) || ends(text, &tokens, at));
        if is_end || depth == 0 && symbol(&[","]) {
            if start == at {
                return None;
            }
            found.push(Span { start: tokens[start].start, end: tokens[at - 1].end });
            start = at + 1;
        }
        if is_end || token.is_none() {
            break;
        }
        depth += i32::from(symbol(&["(", "["])) - i32::from(symbol(&[")", "]"]));
        at += 1;
    }
    (found.len() == list.items.len()).then_some(found)
}

/// Whether a list ends before the token: not in `IS DISTINCT FROM`, `WITHIN GROUP`, or after a dot or AS.
fn ends(text: &str, tokens: &[Token], at: usize) -> bool {
    let is_word = ENDS.iter().any(|word| tokens[at].is_word(text, word));
    let before = at.checked_sub(1).map(|before| tokens[before]);
    let is_part = before.is_some_and(|before| {
        before.is_symbol(text, ".") || ["DISTINCT", "WITHIN", "AS"].iter().any(|word| before.is_word(text, word))
    });
    is_word && !is_part
}

fn after_parentheses(text: &str, tokens: &[Token], open: usize) -> Option<usize> {
    let mut depth = 0;
    let close = (open..tokens.len()).find(|at| {
        depth += i32::from(tokens[*at].is_symbol(text, "(")) - i32::from(tokens[*at].is_symbol(text, ")"));
        depth == 0
    })?;
    Some(close + 1)
}

/// The list whose columns are those of the whole query: the first that the fewest parentheses are around.
pub fn outermost<'l>(text: &str, lists: &'l [SelectList<Span>]) -> Option<&'l SelectList<Span>> {
    let tokens = words(text);
    let depth = |list: &&SelectList<Span>| {
        let start = list.word.map_or(u32::MAX, |word| word.start);
        let before = tokens.iter().take_while(|token| token.start < start);
        let depth: i32 =
            before.map(|token| i32::from(token.is_symbol(text, "(")) - i32::from(token.is_symbol(text, ")"))).sum();
        (depth, start)
    };
    lists.iter().min_by_key(depth)
}

/// The place of the last token in a part of a text.
pub fn last_token(text: &str, part: Span) -> Option<Span> {
    let tokens = words(text);
    let last = tokens.iter().rfind(|token| token.end <= part.end)?;
    Some(Span { start: last.start, end: last.end })
}

/// A column with the names that the table and the list have for it.
pub fn column(of: &ListedColumn, name: &str, called: &str) -> String {
    let qualifier = of.qualifier.as_ref().map(|qualifier| format!("{}.", names::quoted(qualifier))).unwrap_or_default();
    let alias = if name == called { String::new() } else { format!(" AS {}", names::quoted(called)) };
    format!("{qualifier}{}{alias}", names::quoted(name))
}

#[cfg(test)]
mod tests {
    use super::super::references::ListItem;
    use super::*;

    fn found(text: &str, count: usize) -> Option<Vec<&str>> {
        let start = text.find("SELECT").expect("a SELECT") as u32;
        let items = vec![ListItem::Alias(String::new()); count];
        let list = SelectList { word: Some(Span { start, end: start + 6 }), items };
        Some(super::items(text, &list)?.into_iter().map(|span| span.of(text)).collect())
    }

    #[test]
    fn items_end_at_commas_and_at_the_next_clause() {
        let text = "SELECT DISTINCT ON (a, b) kg, f(a, ARRAY[1, 2]) AS \"x, y\", a IS DISTINCT FROM b FROM t";
        let items = ["kg", "f(a, ARRAY[1, 2]) AS \"x, y\"", "a IS DISTINCT FROM b"];
        assert_eq!(found(text, 3), Some(items.to_vec()));
        assert_eq!(found("(SELECT t.from, 'a, b' /* , */)", 2), Some(vec!["t.from", "'a, b'"]));
        assert_eq!(found("SELECT a, b", 3), None);
    }
}
