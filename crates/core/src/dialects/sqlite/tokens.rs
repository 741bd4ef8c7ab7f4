//! How SQLite cuts text into tokens (<https://sqlite.org/lang_keywords.html>, `tokenize.c`), and where statements end.

use std::borrow::Cow;

use sqlparser::dialect::Dialect as TokenRules;

use crate::parse::Token;

/// The rules for `sqlparser`'s tokenizer.
#[derive(Debug)]
pub struct Rules;

impl TokenRules for Rules {
    fn is_delimited_identifier_start(&self, ch: char) -> bool {
        matches!(ch, '"' | '`' | '[')
    }

    fn is_identifier_start(&self, ch: char) -> bool {
        ch.is_ascii_alphabetic() || ch == '_' || !ch.is_ascii()
    }

    fn is_identifier_part(&self, ch: char) -> bool {
        ch.is_ascii_alphanumeric() || matches!(ch, '_' | '$') || !ch.is_ascii()
    }

    fn supports_numeric_literal_underscores(&self) -> bool {
        true
    }
}

/// Blanks out the `sqlite3` client's dot commands: lines that begin with a dot where a statement could begin.
pub fn without_client_commands(text: &str) -> Cow<'_, str> {
    if !text.starts_with('.') && !text.contains("\n.") {
        return Cow::Borrowed(text);
    }
    let mut masked = String::with_capacity(text.len());
    let mut between_statements = true;
    for line in text.split_inclusive('\n') {
        let trimmed = line.trim();
        if between_statements && line.starts_with('.') {
            // As many blanks as there were bytes, so that offsets stay.
            masked.extend(line.bytes().map(|byte| if byte == b'\n' { '\n' } else { ' ' }));
        } else {
            masked.push_str(line);
            if !trimmed.is_empty() && !trimmed.starts_with("--") {
                between_statements = trimmed.ends_with(';');
            }
        }
    }
    Cow::Owned(masked)
}

/// How many tokens the first statement has, without its semicolon. A trigger ends at `; END ;`, as in the engine's own
/// `sqlite3_complete()`; one whose body is never closed ends before the next CREATE.
pub fn statement_length(text: &str, tokens: &[Token]) -> usize {
    let is = |index: usize, word: &str| tokens.get(index).is_some_and(|token| token.is_word(text, word));
    let semicolon = |index: usize| tokens.get(index).is_some_and(|token| token.is_symbol(text, ";"));
    let name = 1 + usize::from(is(1, "TEMP") || is(1, "TEMPORARY"));
    if !(is(0, "CREATE") && is(name, "TRIGGER")) {
        return (0..tokens.len()).find(|index| semicolon(*index)).unwrap_or(tokens.len());
    }
    let mut in_body = false;
    for index in name + 1..tokens.len() {
        in_body |= is(index, "BEGIN");
        if semicolon(index) && (!in_body || (is(index - 1, "END") && semicolon(index - 2)) || is(index + 1, "CREATE")) {
            return index;
        }
    }
    tokens.len()
}
