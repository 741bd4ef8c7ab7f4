//! How PostgreSQL cuts text into tokens, where statements end, and what its client's commands look like.

use std::borrow::Cow;
use std::ops::Range;

use sqlparser::dialect::{Dialect as TokenRules, PostgreSqlDialect};

use wevrun_core::parse::Token;

/// The rules for `sqlparser`'s expressions and queries.
pub static RULES: PostgreSqlDialect = PostgreSqlDialect {};

/// The rules for the tokenizer alone: those of PostgreSQL, but with geometric operators as operators like all others.
/// `sqlparser` 0.63 takes what follows a `&>` for a part of it.
#[derive(Debug)]
struct Tokens;

impl TokenRules for Tokens {
    fn dialect(&self) -> std::any::TypeId {
        RULES.dialect()
    }

    fn is_identifier_start(&self, ch: char) -> bool {
        RULES.is_identifier_start(ch)
    }

    fn is_identifier_part(&self, ch: char) -> bool {
        RULES.is_identifier_part(ch)
    }

    fn is_delimited_identifier_start(&self, ch: char) -> bool {
        RULES.is_delimited_identifier_start(ch)
    }

    fn is_custom_operator_part(&self, ch: char) -> bool {
        RULES.is_custom_operator_part(ch)
    }

    fn supports_unicode_string_literal(&self) -> bool {
        true
    }

    fn supports_nested_comments(&self) -> bool {
        true
    }

    fn supports_string_escape_constant(&self) -> bool {
        true
    }

    fn supports_numeric_literal_underscores(&self) -> bool {
        true
    }
}

/// The rules for the tokenizer.
pub fn rules() -> &'static dyn TokenRules {
    &Tokens
}

/// How many tokens the first statement has, without its semicolon. Semicolons in parentheses (of a rule) and in the body of an
/// SQL-standard routine (`BEGIN ATOMIC … END`) end nothing.
pub fn statement_length(text: &str, tokens: &[Token]) -> usize {
    let is = |index: usize, word: &str| tokens.get(index).is_some_and(|token| token.is_word(text, word));
    let (mut parentheses, mut body) = (0i32, 0i32);
    for (index, token) in tokens.iter().enumerate() {
        match token.text(text) {
            "(" => parentheses += 1,
            ")" => parentheses -= 1,
            ";" if parentheses <= 0 && body == 0 => return index,
            // A parenthesis that is never closed ends where the next statement clearly begins.
            ";" if body == 0 && starts_statement(text, tokens.get(index + 1)) && !is(0, "CREATE") => return index,
            _ if body == 0 && is(index, "BEGIN") && is(index + 1, "ATOMIC") => body = 1,
            _ if body > 0 && is(index, "CASE") => body += 1,
            _ if body > 0 && is(index, "END") => body -= 1,
            _ => {}
        }
    }
    if parentheses > 0 {
        // Never closed: only this statement is lost.
        let ends = |index: &usize| tokens[*index].is_symbol(text, ";") && starts_statement(text, tokens.get(index + 1));
        return (0..tokens.len()).find(ends).unwrap_or(tokens.len());
    }
    tokens.len()
}

fn starts_statement(text: &str, token: Option<&Token>) -> bool {
    token.is_none_or(|token| {
        ["CREATE", "ALTER", "DROP", "COMMENT", "GRANT"].iter().any(|word| token.is_word(text, word))
    })
}

/// Blanks out what is for `psql` and not for the server: lines that begin with a backslash, and the rows after
/// `COPY … FROM stdin` (<https://www.postgresql.org/docs/current/app-psql.html>).
pub fn without_client_commands(text: &str) -> Cow<'_, str> {
    let parts = client_parts(text);
    if parts.is_empty() {
        return Cow::Borrowed(text);
    }
    let mut masked = text.as_bytes().to_vec();
    parts.into_iter().for_each(|part| blank(&mut masked[part]));
    Cow::Owned(String::from_utf8(masked).expect("blanks for whole lines"))
}

/// The files that `\i FILE` and `\ir FILE` name, each with the byte where the command stands.
pub fn included_files(text: &str) -> Vec<(usize, String)> {
    let included = |part: Range<usize>| {
        let (command, file) = text[part.clone()].split_once(char::is_whitespace)?;
        let follows = matches!(command, "\\i" | "\\ir" | "\\include" | "\\include_relative");
        follows.then(|| (part.start, file.trim().trim_matches('\'').to_owned()))
    };
    client_parts(text).into_iter().filter_map(included).collect()
}

/// What is for the client alone: its commands, each to the end of its line, and rows after COPY … FROM stdin.
fn client_parts(text: &str) -> Vec<Range<usize>> {
    // One letter first: every text comes by here.
    let is_stdin = |window: &[u8]| window[2] | 0x20 == b'd' && window.eq_ignore_ascii_case(b"stdin");
    let has_stdin = || text.as_bytes().windows(5).any(is_stdin);
    let mut parts = Vec::new();
    if !text.starts_with('\\') && !text.contains("\n\\") && !has_stdin() {
        return parts;
    }
    let mut scan = Scan { text, at: 0 };
    let mut statement = None;
    while let Some(start) = scan.next_piece() {
        let piece = &text[start..scan.at];
        match piece {
            "\\" => {
                scan.at = line_end(text, start);
                parts.push(start..scan.at);
            }
            ";" if statement.take().is_some_and(|from| is_copy_from_stdin(&text[from..start])) => {
                let from = line_end(text, scan.at);
                let end = text[from..].find("\n\\.").map_or(text.len(), |at| line_end(text, from + at + 1));
                parts.push(from..end);
                scan.at = end;
            }
            ";" => {}
            _ if statement.is_none()
                && !piece.trim().is_empty()
                && !piece.starts_with("--")
                && !piece.starts_with("/*") =>
            {
                statement = Some(start);
            }
            _ => {}
        }
    }
    parts
}

fn is_copy_from_stdin(statement: &str) -> bool {
    let words: Vec<String> = statement.split_whitespace().map(str::to_ascii_lowercase).collect();
    words.first().is_some_and(|first| first == "copy")
        && words.windows(2).any(|pair| pair[0] == "from" && pair[1].starts_with("stdin"))
}

fn line_end(text: &str, from: usize) -> usize {
    text[from..].find('\n').map_or(text.len(), |at| from + at)
}

/// As many blanks as there were bytes, so that offsets stay; line ends stay too.
fn blank(bytes: &mut [u8]) {
    bytes.iter_mut().filter(|byte| **byte != b'\n').for_each(|byte| *byte = b' ');
}

/// Walks over a text in pieces: quoted text and comments whole, semicolons, backslashes at the start of a line, words.
struct Scan<'t> {
    text: &'t str,
    at: usize,
}

impl Scan<'_> {
    /// The start of the next piece; it ends at `self.at`.
    fn next_piece(&mut self) -> Option<usize> {
        let start = self.at;
        let rest = &self.text[start..];
        let first = rest.chars().next()?;
        let until =
            |needle: &str, from: usize| rest[from..].find(needle).map_or(rest.len(), |at| from + at + needle.len());
        let length = match first {
            '\'' | '"' => until(if first == '"' { "\"" } else { "'" }, 1),
            '-' if rest.starts_with("--") => rest.find('\n').unwrap_or(rest.len()),
            '/' if rest.starts_with("/*") => nested_comment(rest),
            '$' => match dollar_tag(rest) {
                Some(tag) => until(tag, tag.len()),
                None => 1,
            },
            '\\' if start == 0 || self.text.as_bytes()[start - 1] == b'\n' => 1,
            '\\' => {
                self.at += 1;
                return self.next_piece();
            }
            'e' | 'E' if rest[1..].starts_with('\'') => 1 + escape_string(&rest[1..]),
            ch if ch.is_alphanumeric() || ch == '_' => {
                rest.find(|ch: char| !(ch.is_alphanumeric() || ch == '_' || ch == '$')).unwrap_or(rest.len())
            }
            ch => ch.len_utf8(),
        };
        self.at = start + length;
        Some(start)
    }
}

/// How long a string with backslash escapes is, from its first quote on.
fn escape_string(text: &str) -> usize {
    let mut bytes = text.bytes().enumerate().skip(1);
    while let Some((at, byte)) = bytes.next() {
        match byte {
            b'\\' => drop(bytes.next()),
            b'\'' if text.as_bytes().get(at + 1) == Some(&b'\'') => drop(bytes.next()),
            b'\'' => return at + 1,
            _ => {}
        }
    }
    text.len()
}

/// How long a comment is that may hold others.
fn nested_comment(text: &str) -> usize {
    let (mut depth, mut at) = (0usize, 0);
    while let Some(rest) = text.get(at..).filter(|rest| !rest.is_empty()) {
        if rest.starts_with("/*") {
            depth += 1;
            at += 2;
        } else if rest.starts_with("*/") {
            depth -= 1;
            at += 2;
            if depth == 0 {
                return at;
            }
        } else {
            at += rest.chars().next().map_or(1, char::len_utf8);
        }
    }
    text.len()
}

/// `$tag$` at the start of a text.
pub fn dollar_tag(text: &str) -> Option<&str> {
    let end = text[1..].find('$')? + 2;
    let tag = &text[1..end - 1];
    let fits =
        tag.chars().all(|ch| ch.is_alphanumeric() || ch == '_') && !tag.starts_with(|ch: char| ch.is_ascii_digit());
    fits.then(|| &text[..end])
}

/// What a string constant of any form means: `'…'`, `E'…'`, `$tag$…$tag$`. None if it is no string constant.
pub fn string_value(token: &str) -> Option<String> {
    if token.starts_with('$') {
        let tag = dollar_tag(token)?;
        return Some(token.strip_prefix(tag)?.strip_suffix(tag)?.to_owned());
    }
    let (escapes, rest) = match token.as_bytes() {
        [b'e' | b'E', b'\'', ..] => (true, &token[1..]),
        _ => (false, token),
    };
    let inner = rest.strip_prefix('\'')?.strip_suffix('\'')?.replace("''", "'");
    Some(if escapes { unescaped(&inner) } else { inner })
}

/// C-style escapes (<https://www.postgresql.org/docs/current/sql-syntax-lexical.html#SQL-SYNTAX-STRINGS-ESCAPE>).
fn unescaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut chars = text.chars().peekable();
    while let Some(ch) = chars.next() {
        if ch != '\\' {
            out.push(ch);
            continue;
        }
        let Some(escape) = chars.next() else { break };
        let mut digits = |count: usize, radix: u32, first: Option<char>| {
            let mut number = first.and_then(|digit| digit.to_digit(radix)).unwrap_or(0);
            for _ in 0..count {
                let Some(digit) = chars.peek().and_then(|ch| ch.to_digit(radix)) else { break };
                number = number * radix + digit;
                chars.next();
            }
            char::from_u32(number).unwrap_or('\u{fffd}')
        };
        out.push(match escape {
            'n' => '\n',
            't' => '\t',
            'r' => '\r',
            'b' => '\u{8}',
            'f' => '\u{c}',
            'x' => digits(2, 16, None),
            'u' => digits(4, 16, None),
            'U' => digits(8, 16, None),
            digit @ '0'..='7' => digits(2, 8, Some(digit)),
            other => other,
        });
    }
    out
}

/// A string constant. Backslashes need the escape form, as `pg_get_expr()` writes it.
pub fn literal(value: &str) -> String {
    let quoted = value.replace('\'', "''");
    if quoted.contains('\\') { format!("E'{}'", quoted.replace('\\', "\\\\")) } else { format!("'{quoted}'") }
}

/// A dollar-quoted constant with a tag that the text does not hold.
pub fn dollar_quoted(value: &str, tag: &str) -> String {
    let mut tag = format!("${tag}$");
    while value.contains(&tag) || value.ends_with('$') && value.ends_with(&tag[..tag.len() - 1]) {
        tag.insert(tag.len() - 1, 'x');
    }
    format!("{tag}{value}{tag}")
}
