//! Expressions of CHECKs, defaults and generated columns in one spelling, whether a person wrote them or the server wrote them back.
//!
//! Both spellings are parsed into a tree and printed by `tree.rs`, which takes the same steps as the server: keywords become
//! operators, synonyms of functions one name, negations are pushed to comparisons.

use std::ops::Range;

use sqlparser::ast::Expr;
use sqlparser::parser::Parser;
use wevrun_core::model::Expression;
use wevrun_core::parse::{Reader, TokenKind, token};

use super::tree;
use crate::names::{literal, unescaped};
use crate::syntax::{DEPTH, Syntax};
use crate::tokens;

/// The expression of a token range.
pub fn of(reader: &Reader<'_>, range: Range<usize>) -> Expression {
    of_text(reader.written(range))
}

/// The expression of a text; an approximate one where the text can't be read as a tree.
pub fn of_text(text: &str) -> Expression {
    let run = || {
        stacker::maybe_grow(128 * 1024, 4 * 1024 * 1024, || {
            parse(text).and_then(|tree| tree::Printer { names: &tree::OwnColumns }.print(&tree))
        })
    };
    match run() {
        Some(printed) => printed.of(text),
        None => Expression::unsure(plain_tokens(text), text),
    }
}

/// The tree of a text; none if `sqlparser` can't read it.
pub fn parse(text: &str) -> Option<Expr> {
    let parser = Parser::new(&Syntax).with_recursion_limit(DEPTH).try_with_sql(text);
    let mut parser = parser.ok()?;
    let tree = parser.parse_expr().ok()?;
    parser.expect_token(&sqlparser::tokenizer::Token::EOF).ok()?;
    Some(tree)
}

/// The tokens of a text with one space between them, words in lower case, without quotes that mean nothing.
pub fn plain_tokens(text: &str) -> String {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let words = tokens.iter().filter(|token| token.kind != TokenKind::Comment).map(|token| {
        let written = token.text(text);
        match token.kind {
            TokenKind::Word => written.to_ascii_lowercase(),
            TokenKind::Quoted => crate::names::unquoted(*token, text).to_lowercase(),
            TokenKind::Text if written.starts_with(['\'', '"']) => literal(&unescaped(written)),
            _ => written.to_owned(),
        }
    });
    words.collect::<Vec<_>>().join(" ")
}

/// The tokens of a body, as they are written, without comments. A body that can't be read is compared as text.
pub fn statement_tokens(text: &str) -> String {
    let (tokens, error) = token::tokenize(tokens::rules(), text, 0);
    if error.is_some() {
        return text.to_owned();
    }
    let counts = |token: &&token::Token| token.kind != TokenKind::Comment;
    tokens.iter().filter(counts).map(|token| token.text(text)).collect::<Vec<_>>().join(" ")
}

/// Whether a canonical text is a single string literal.
pub fn is_one_literal(text: &str) -> bool {
    let (tokens, error) = token::tokenize(tokens::rules(), text, 0);
    error.is_none() && matches!(&tokens[..], [only] if only.kind == TokenKind::Text && only.end as usize == text.len())
}
