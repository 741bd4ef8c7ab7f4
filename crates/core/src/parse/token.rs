//! Tokens with their places. The tokenizer is `sqlparser`'s; this turns its output into spans of the text.

use sqlparser::dialect::Dialect as TokenRules;
use sqlparser::tokenizer::{Token as Raw, TokenWithSpan, Tokenizer, Whitespace};

use crate::diagnostics::{Code, Diagnostic};
use crate::source::Location;

/// The kind of a token. Its text is the source's text from `start` to `end`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TokenKind {
    /// A keyword or a name without quotes.
    Word,
    /// A name in quotes: `"x"`, `` `x` `` or `[x]`.
    Quoted,
    /// A string literal.
    Text,
    /// A blob literal.
    Blob,
    /// A number.
    Number,
    /// An operator or punctuation.
    Symbol,
    /// A comment, with its delimiters.
    Comment,
}

/// One token: bytes `start` to `end` of the text.
#[derive(Debug, Clone, Copy)]
pub struct Token {
    /// Its kind.
    pub kind: TokenKind,
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

impl Token {
    /// The token's own text.
    pub fn text<'t>(&self, text: &'t str) -> &'t str {
        &text[self.start as usize..self.end as usize]
    }

    /// Whether it is this keyword (given in upper case).
    pub fn is_word(&self, text: &str, keyword: &str) -> bool {
        self.kind == TokenKind::Word && self.text(text).eq_ignore_ascii_case(keyword)
    }

    /// Whether it is this operator or punctuation.
    pub fn is_symbol(&self, text: &str, symbol: &str) -> bool {
        self.kind == TokenKind::Symbol && self.text(text) == symbol
    }
}

/// Cuts a text into tokens, without white space. On an error, the tokens before it and the error.
pub fn tokenize(rules: &dyn TokenRules, text: &str, source: u32) -> (Vec<Token>, Option<Diagnostic>) {
    let mut raw: Vec<TokenWithSpan> = Vec::with_capacity(text.len() / 4);
    let outcome = Tokenizer::new(rules, text).with_unescape(false).tokenize_with_location_into_buf(&mut raw);
    let mut cursor = Cursor { text, byte: 0, line: 1, column: 1 };
    let mut tokens = Vec::with_capacity(raw.len() / 2);
    for token in &raw {
        let Some(kind) = kind_of(&token.token) else { continue };
        let start = cursor.advance(token.span.start.line, token.span.start.column);
        let end = cursor.advance(token.span.end.line, token.span.end.column);
        // A line comment's token may or may not hold its line end.
        let end = start + text[start..end].trim_end_matches(['\r', '\n']).len();
        tokens.push(Token { kind, start: start as u32, end: end as u32 });
    }
    let error = outcome.err().map(|error| {
        let start = cursor.advance(error.location.line, error.location.column);
        let length = text[start..].chars().next().map_or(0, char::len_utf8);
        let location = Location { source, start: start as u32, end: (start + length) as u32 };
        Diagnostic::new(Code::WV002, lower_first(&error.message)).at(location, "opened here, and never closed")
    });
    (tokens, error)
}

fn lower_first(message: &str) -> String {
    let mut chars = message.chars();
    chars.next().map_or_else(String::new, |first| first.to_lowercase().chain(chars).collect())
}

fn kind_of(token: &Raw) -> Option<TokenKind> {
    Some(match token {
        Raw::EOF => return None,
        Raw::Whitespace(Whitespace::SingleLineComment { .. } | Whitespace::MultiLineComment(_)) => TokenKind::Comment,
        Raw::Whitespace(_) => return None,
        Raw::Char(c) if c.is_whitespace() => return None,
        Raw::Word(word) if word.quote_style.is_some() => TokenKind::Quoted,
        Raw::Word(_) => TokenKind::Word,
        Raw::SingleQuotedString(_)
        | Raw::NationalStringLiteral(_)
        | Raw::EscapedStringLiteral(_)
        | Raw::UnicodeStringLiteral(_)
        | Raw::DollarQuotedString(_) => TokenKind::Text,
        // Where a name in double quotes is one, the tokenizer makes it a word.
        Raw::DoubleQuotedString(_) => TokenKind::Text,
        Raw::HexStringLiteral(_) | Raw::SingleQuotedByteStringLiteral(_) => TokenKind::Blob,
        Raw::Number(..) => TokenKind::Number,
        _ => TokenKind::Symbol,
    })
}

/// Turns lines and columns, which only grow, into byte offsets in one pass over the text.
struct Cursor<'t> {
    text: &'t str,
    byte: usize,
    line: u64,
    column: u64,
}

impl Cursor<'_> {
    fn advance(&mut self, line: u64, column: u64) -> usize {
        let bytes = self.text.as_bytes();
        while self.line < line {
            match bytes[self.byte..].iter().position(|byte| *byte == b'\n') {
                Some(newline) => self.byte += newline + 1,
                None => {
                    self.byte = bytes.len();
                    return self.byte;
                }
            }
            (self.line, self.column) = (self.line + 1, 1);
        }
        while self.column < column && self.byte < bytes.len() {
            // Skip one character: its first byte and the continuation bytes after it.
            self.byte += 1;
            while self.byte < bytes.len() && bytes[self.byte] & 0b1100_0000 == 0b1000_0000 {
                self.byte += 1;
            }
            self.column += 1;
        }
        self.byte
    }
}
