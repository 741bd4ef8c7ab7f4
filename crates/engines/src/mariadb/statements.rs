//! A text as the statements that the engine's own client sends.

use wevrun_core::parse::{Grammar as _, Reader, Token, TokenKind, token};
use wevrun_mariadb::MariaDb;

/// The statements of a text, without what ends them.
pub fn split(sql: &str) -> Vec<String> {
    let masked = MariaDb.without_client_commands(sql);
    let (tokens, _) = token::tokenize(MariaDb.token_rules(), &masked, 0);
    let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let mut rest = &tokens[..];
    let mut statements = Vec::new();
    while !rest.is_empty() {
        let length = MariaDb.statement_length(&masked, rest);
        if length > 0 {
            let reader = Reader { text: &masked, tokens: &rest[..length], position: 0, source: 0 };
            statements.push(reader.written(0..length).to_owned());
        }
        rest = &rest[(length + 1).min(rest.len())..];
    }
    statements
}
