//! `DO` blocks of the kind that lets a script run twice: what they create if it is not there yet is part of the schema.
//!
//! `IF NOT EXISTS (SELECT … FROM pg_…) THEN … END IF` and `… EXCEPTION WHEN duplicate_object THEN NULL` around plain statements are
//! read; what any other block does can't be known without running it.

use std::ops::Range;

use crate::tokens;
use wevrun_core::parse::{Reader, Token, TokenKind, token};

/// The tokens of the schema statements in a block, with places in the whole text; none if it does anything else. `reader` stands after DO.
pub fn statements(reader: &Reader<'_>) -> Option<Vec<Vec<Token>>> {
    let rest = &reader.tokens[reader.position..];
    let body = rest.iter().find(|token| token.kind == TokenKind::Text)?;
    let written = body.text(reader.text);
    let tag = written.starts_with('$').then(|| tokens::dollar_tag(written)).flatten()?;
    let base = body.start + tag.len() as u32;
    let inner = written.strip_prefix(tag)?.strip_suffix(tag)?;
    let other_language = rest.windows(2).any(|pair| {
        pair[0].is_word(reader.text, "LANGUAGE")
            && !pair[1].text(reader.text).trim_matches('"').eq_ignore_ascii_case("plpgsql")
    });
    if other_language {
        return None;
    }
    let (found, error) = token::tokenize(tokens::rules(), inner, reader.source);
    if error.is_some() {
        return None;
    }
    let moved = |token: Token| Token { start: token.start + base, end: token.end + base, ..token };
    let found: Vec<Token> = found.into_iter().filter(|token| token.kind != TokenKind::Comment).map(moved).collect();
    let mut block = Block { text: reader.text, tokens: &found, at: 0, statements: Vec::new() };
    let read = block.whole();
    let ranges = read.map(|()| block.statements)?;
    Some(ranges.into_iter().map(|range| found[range].to_vec()).collect())
}

struct Block<'t> {
    text: &'t str,
    tokens: &'t [Token],
    at: usize,
    statements: Vec<Range<usize>>,
}

impl Block<'_> {
    fn sees(&self, words: &[&str]) -> bool {
        let is = |(ahead, word): (usize, &&str)| {
            self.tokens.get(self.at + ahead).is_some_and(|token| token.is_word(self.text, word))
        };
        words.iter().enumerate().all(is)
    }

    fn take(&mut self, words: &[&str]) -> Option<()> {
        self.sees(words).then(|| self.at += words.len())
    }

    fn symbol(&mut self, symbol: &str) -> Option<()> {
        self.tokens.get(self.at).is_some_and(|token| token.is_symbol(self.text, symbol)).then(|| self.at += 1)
    }

    /// `BEGIN … [EXCEPTION …] END`, and nothing else.
    fn whole(&mut self) -> Option<()> {
        self.block()?;
        let _ = self.symbol(";");
        (self.at == self.tokens.len()).then_some(())
    }

    fn block(&mut self) -> Option<()> {
        self.take(&["BEGIN"])?;
        while !self.sees(&["EXCEPTION"]) && !self.sees(&["END"]) {
            self.item()?;
        }
        if self.take(&["EXCEPTION"]).is_some() {
            while self.take(&["WHEN"]).is_some() {
                let handled = self.until("THEN")?;
                let is_duplicate = |token: &Token| {
                    let word = token.text(self.text).to_ascii_lowercase();
                    word.starts_with("duplicate_") || word == "or"
                };
                if !self.tokens[handled].iter().all(is_duplicate) {
                    return None;
                }
                while !self.sees(&["WHEN"]) && !self.sees(&["END"]) {
                    self.no_effect()?;
                }
            }
        }
        self.take(&["END"])
    }

    fn item(&mut self) -> Option<()> {
        if self.sees(&["BEGIN"]) {
            self.block()?;
            return self.symbol(";");
        }
        if self.take(&["IF"]).is_some() {
            let condition = self.until("THEN")?;
            if !self.is_absence_of_object(condition) {
                return None;
            }
            while !self.sees(&["END", "IF"]) {
                self.item()?;
            }
            self.at += 2;
            return self.symbol(";");
        }
        const READ: [&str; 5] = ["CREATE", "ALTER", "COMMENT", "GRANT", "REVOKE"];
        if READ.iter().any(|word| self.sees(&[word])) {
            let start = self.at;
            let length = tokens::statement_length(self.text, &self.tokens[start..]);
            self.at += length;
            self.statements.push(start..self.at);
            return self.symbol(";");
        }
        self.no_effect()
    }

    /// `NULL` or `RAISE NOTICE …`: it changes nothing.
    fn no_effect(&mut self) -> Option<()> {
        let is_said = self.sees(&["NULL"])
            || ["NOTICE", "INFO", "DEBUG", "LOG", "WARNING"].iter().any(|level| self.sees(&["RAISE", level]));
        if !is_said {
            return None;
        }
        while self.symbol(";").is_none() {
            self.tokens.get(self.at)?;
            self.at += 1;
        }
        Some(())
    }

    /// The tokens before this word, which is taken too.
    fn until(&mut self, word: &str) -> Option<Range<usize>> {
        let start = self.at;
        while !self.sees(&[word]) {
            self.tokens.get(self.at)?;
            self.at += 1;
        }
        self.at += 1;
        Some(start..self.at - 1)
    }

    /// Whether the condition holds wherever the object is missing: `NOT EXISTS (…)` over the catalogue, or `to_regclass('x') IS NULL`.
    /// One about rows, settings or anything else may be false on an empty database.
    fn is_absence_of_object(&self, condition: Range<usize>) -> bool {
        let tokens = &self.tokens[condition];
        let is = |at: usize, word: &str| tokens.get(at).is_some_and(|token| token.is_word(self.text, word));
        let words = tokens.iter().filter(|token| matches!(token.kind, TokenKind::Word));
        let words: Vec<String> = words.map(|token| token.text(self.text).to_ascii_lowercase()).collect();
        let is_one_test = !words.iter().any(|word| word == "or") && !self.joins_more(tokens);
        let is_of_the_catalogue = |word: &String| word.starts_with("pg_") || word == "information_schema";
        let exists = words.iter().filter(|word| *word == "exists").count() == 1;
        let not_exists = is(0, "NOT") && exists && words.iter().any(is_of_the_catalogue);
        let length = tokens.len();
        let is_null = words.first().is_some_and(|word| word.starts_with("to_reg"))
            && length > 2
            && is(length - 2, "IS")
            && is(length - 1, "NULL");
        is_one_test && (not_exists || is_null)
    }

    /// Whether another condition is joined to the first one, outside the query of EXISTS.
    fn joins_more(&self, tokens: &[Token]) -> bool {
        let query = tokens.iter().position(|token| token.is_word(self.text, "SELECT")).unwrap_or(tokens.len());
        let before = tokens[..query].iter().filter(|token| token.is_symbol(self.text, "(")).count();
        let mut depth = 0;
        tokens.iter().any(|token| {
            depth += i32::from(token.is_symbol(self.text, "(")) - i32::from(token.is_symbol(self.text, ")"));
            depth < before as i32 && token.is_word(self.text, "AND")
        })
    }
}
