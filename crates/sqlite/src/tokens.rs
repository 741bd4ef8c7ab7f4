//! How SQLite cuts text into tokens (<https://sqlite.org/lang_keywords.html>, `tokenize.c`), and where statements end.

use std::borrow::Cow;
use std::ops::Range;

use sqlparser::dialect::Dialect as TokenRules;

use wevrun_core::parse::Token;

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

/// Blanks out the `sqlite3` client's own lines: those that begin with a dot or a number sign where a statement could begin.
pub fn without_client_commands(text: &str) -> Cow<'_, str> {
    let lines = client_lines(text);
    if lines.is_empty() {
        return Cow::Borrowed(text);
    }
    let mut masked = text.as_bytes().to_vec();
    // As many blanks as there were bytes, so that offsets stay.
    lines.into_iter().for_each(|line| masked[line].fill(b' '));
    Cow::Owned(String::from_utf8(masked).expect("blanks for whole lines"))
}

/// The files that `.read FILE` names, each with the byte at which the command begins.
pub fn included_files(text: &str) -> Vec<(usize, String)> {
    let included = |line: Range<usize>| {
        let (command, file) = text[line.clone()].split_once(char::is_whitespace)?;
        let file = file.trim().trim_matches(['\'', '"']);
        (command == ".read" && !file.is_empty()).then(|| (line.start, file.to_owned()))
    };
    client_lines(text).into_iter().filter_map(included).collect()
}

/// The client's own lines, without their ends. A line inside a string, a name, a comment or a statement is none.
fn client_lines(text: &str) -> Vec<Range<usize>> {
    let begins = |text: &str| text.starts_with(['.', '#']);
    if !begins(text) && !["\n.", "\n#"].iter().any(|start| text.contains(start)) {
        return Vec::new();
    }
    let (mut lines, mut at, mut in_statement) = (Vec::new(), 0, false);
    while let Some(first) = text[at..].chars().next() {
        let rest = &text[at..];
        let line_start = at == 0 || text.as_bytes()[at - 1] == b'\n';
        let until =
            |needle: &str, from: usize| rest[from..].find(needle).map_or(rest.len(), |end| from + end + needle.len());
        let line_end = rest.find('\n').unwrap_or(rest.len());
        at += match first {
            '.' | '#' if line_start && !in_statement => {
                lines.push(at..at + line_end);
                line_end
            }
            '-' if rest.starts_with("--") => line_end,
            '/' if rest.starts_with("/*") => until("*/", 2),
            '\'' | '"' | '`' => until(&first.to_string(), 1),
            '[' => until("]", 1),
            _ => first.len_utf8(),
        };
        match first {
            ';' => in_statement = false,
            '-' if rest.starts_with("--") => {}
            '/' if rest.starts_with("/*") => {}
            '.' | '#' if line_start && !in_statement => {}
            first if !first.is_whitespace() => in_statement = true,
            _ => {}
        }
    }
    lines
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
