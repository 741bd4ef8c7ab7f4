//! Reads the tokens of one statement from front to back.

use std::ops::Range;

use super::token::{Token, TokenKind};
use crate::diagnostics::{Code, Diagnostic};
use crate::source::Location;

/// The result of a reading step: its value, or the finding that ends the statement.
pub type Parsed<T> = Result<T, Box<Diagnostic>>;

/// A position in the tokens of one statement. Comments are not among them.
#[derive(Clone)]
pub struct Reader<'t> {
    /// The text that the tokens' spans refer to.
    pub text: &'t str,
    /// The statement's tokens, without the semicolon.
    pub tokens: &'t [Token],
    /// Index of the next token.
    pub position: usize,
    /// Which source the text is.
    pub source: u32,
}

impl<'t> Reader<'t> {
    /// The next token.
    pub fn peek(&self) -> Option<Token> {
        self.tokens.get(self.position).copied()
    }

    /// The token `ahead` places after the next one.
    pub fn peek_at(&self, ahead: usize) -> Option<Token> {
        self.tokens.get(self.position + ahead).copied()
    }

    /// Takes the next token.
    pub fn take_any(&mut self) -> Option<Token> {
        let token = self.peek()?;
        self.position += 1;
        Some(token)
    }

    /// Whether all tokens are taken.
    pub fn at_end(&self) -> bool {
        self.position >= self.tokens.len()
    }

    /// Whether the next token is this keyword.
    pub fn sees(&self, keyword: &str) -> bool {
        self.sees_at(0, keyword)
    }

    /// Whether the token `ahead` places after the next one is this keyword.
    pub fn sees_at(&self, ahead: usize, keyword: &str) -> bool {
        self.peek_at(ahead).is_some_and(|token| token.is_word(self.text, keyword))
    }

    /// Whether the next token is this symbol.
    pub fn sees_symbol(&self, symbol: &str) -> bool {
        self.peek().is_some_and(|token| token.is_symbol(self.text, symbol))
    }

    /// Takes these keywords if they come next, all of them.
    pub fn take(&mut self, keywords: &[&str]) -> bool {
        let all = keywords.iter().enumerate().all(|(ahead, keyword)| self.sees_at(ahead, keyword));
        if all {
            self.position += keywords.len();
        }
        all
    }

    /// Takes this symbol if it is next.
    pub fn take_symbol(&mut self, symbol: &str) -> bool {
        let seen = self.sees_symbol(symbol);
        self.position += usize::from(seen);
        seen
    }

    /// Takes this keyword, which must come next.
    pub fn expect(&mut self, keyword: &str) -> Parsed<()> {
        if self.take(&[keyword]) { Ok(()) } else { Err(self.expected(&format!("`{keyword}`"))) }
    }

    /// Takes this symbol, which must come next.
    pub fn expect_symbol(&mut self, symbol: &str) -> Parsed<()> {
        if self.take_symbol(symbol) { Ok(()) } else { Err(self.expected(&format!("`{symbol}`"))) }
    }

    /// Takes a parenthesised run, which must come next; gives the token range between the parentheses.
    pub fn parenthesised(&mut self) -> Parsed<Range<usize>> {
        let open = self.position;
        self.expect_symbol("(")?;
        let mut depth = 1;
        while let Some(token) = self.take_any() {
            if token.is_symbol(self.text, "(") {
                depth += 1;
            } else if token.is_symbol(self.text, ")") {
                depth -= 1;
                if depth == 0 {
                    return Ok(open + 1..self.position - 1);
                }
            }
        }
        let location = self.location(open..open + 1);
        Err(Box::new(
            Diagnostic::new(Code::WV003, "this parenthesis is never closed").at(location, "opened here").help(
                "add the missing `)`; the statement ends at its semicolon, whether or not all parentheses are closed",
            ),
        ))
    }

    /// Ends the statement: nothing may be left.
    pub fn finish(&self) -> Parsed<()> {
        if self.at_end() { Ok(()) } else { Err(self.expected("the end of the statement")) }
    }

    /// The finding that something else was expected here.
    pub fn expected(&self, what: &str) -> Box<Diagnostic> {
        let diagnostic = match self.peek() {
            Some(token) if token.is_symbol(self.text, ")") && !self.closes_something() => {
                Diagnostic::new(Code::WV003, "this parenthesis was never opened")
                    .at(self.location(self.position..self.position + 1), "closes nothing")
            }
            Some(token) => {
                let mut found = token.text(self.text);
                if found.len() > 40 {
                    found = &found[..found.floor_char_boundary(40)];
                }
                Diagnostic::new(Code::WV005, format!("expected {what}, found `{found}`"))
                    .at(self.location(self.position..self.position + 1), format!("expected {what}"))
            }
            None => {
                let at = self.tokens.last().map_or(0, |token| token.end);
                let location = Location { source: self.source, start: at, end: at };
                Diagnostic::new(Code::WV005, format!("expected {what}, but the statement ends"))
                    .at(location, format!("expected {what}"))
            }
        };
        Box::new(diagnostic)
    }

    fn closes_something(&self) -> bool {
        let mut depth = 0i64;
        for token in &self.tokens[..self.position] {
            depth += i64::from(token.is_symbol(self.text, "(")) - i64::from(token.is_symbol(self.text, ")"));
        }
        depth > 0
    }

    /// The place of a token range.
    pub fn location(&self, range: Range<usize>) -> Location {
        let (start, end) = match self.tokens.get(range) {
            Some([first, .., last]) => (first.start, last.end),
            Some([only]) => (only.start, only.end),
            _ => self.tokens.last().map_or((0, 0), |token| (token.end, token.end)),
        };
        Location { source: self.source, start, end }
    }

    /// The text of a token range, as it was written.
    pub fn written(&self, range: Range<usize>) -> &'t str {
        let location = self.location(range);
        &self.text[location.range()]
    }

    /// Whether the next token can be a name.
    pub fn sees_name(&self) -> bool {
        self.peek().is_some_and(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted | TokenKind::Text))
    }
}
