//! One stable layout for definitions that a person did not comment: only white space changes, no token does.

use crate::model::{Kind, Object};
use crate::parse::Grammar;
use crate::parse::{Token, TokenKind, token};

/// A definition's text for a source file, without a semicolon. Tables get a line for each column and constraint; everything
/// else, and what holds comments, stays as it was written.
pub fn layout(dialect: &dyn Grammar, object: &Object) -> String {
    let text = dialect.text(object);
    let text = text.trim();
    let (tokens, _) = token::tokenize(dialect.token_rules(), text, 0);
    let commented = tokens.iter().any(|token| token.kind == TokenKind::Comment);
    if commented || object.definition.kind() != Kind::Table {
        return text.to_owned();
    }
    let mut out = String::with_capacity(text.len() + 64);
    let (mut depth, mut previous): (i32, Option<Token>) = (0, None);
    for token in &tokens {
        let opens = token.is_symbol(text, "(");
        let closes = token.is_symbol(text, ")");
        depth -= i32::from(closes);
        let after = |symbol: &str| previous.is_some_and(|previous| previous.is_symbol(text, symbol));
        let had_gap = previous.is_some_and(|previous| previous.end != token.start);
        if depth == 1 && (out.ends_with("(\n") || after(",")) {
            if !out.ends_with('\n') {
                out.push('\n');
            }
            out.push_str("    ");
        } else if depth == 0 && closes {
            out.push('\n');
        } else if (had_gap && !after("(") && !closes && !token.is_symbol(text, ","))
            || (depth == 0 && opens)
            || after(",")
        {
            out.push(' ');
        }
        out.push_str(token.text(text));
        if opens && depth == 0 {
            out.push('\n');
        }
        depth += i32::from(opens);
        previous = Some(*token);
    }
    out
}
