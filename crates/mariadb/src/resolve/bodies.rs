//! Bodies of routines, triggers and events: their statements and expressions, one by one
//! (<https://mariadb.com/kb/en/programmatic-compound-statements/>).

use std::collections::BTreeSet;
use std::ops::Range;

use sqlparser::ast::{Ident, Visit};
use sqlparser::parser::{Parser, ParserError};
use sqlparser::tokenizer::{Token, TokenWithSpan, Tokenizer};
use wevrun_core::model::{QualifiedName, Reference, Usage};
use wevrun_core::parse::Places;

use super::found::Found;
use super::walk::{Variable, Walk};
use crate::canonical::query::Known;
use crate::names;
use crate::syntax::{DEPTH, Syntax};

/// A body that is read from its beginning to its end.
struct Body<'b> {
    known: &'b Known,
    walk: Walk<'b>,
    places: &'b Places<'b>,
    tokens: Vec<TokenWithSpan>,
    at: usize,
    /// The tokens that were preceded by INTO and variables.
    into: Vec<usize>,
    /// The number of variables when each open block began.
    blocks: Vec<usize>,
    /// Words of statements that could not be read.
    unread: Vec<Ident>,
    /// Whether the body runs statements that it makes of texts.
    is_dynamic: bool,
}

/// The references of a body. `parameters` is the text between the parentheses of a routine, `row` the table of a trigger.
pub fn find(known: &Known, text: &str, parameters: &str, row: Option<&QualifiedName>) -> Found {
    let places = Places::of(text);
    let Some(tokens) = tokens(text) else { return Found::default() };
    let (tokens, into) = without_targets(tokens);
    let mut walk = Walk::new(known, &places, row);
    let parameters = parameter_names(parameters).into_iter();
    walk.variables = parameters.map(|name| Variable { name, is_row: false }).collect();
    let mut body = Body { into, ..Body::new(known, walk, &places, tokens) };
    while body.at < body.tokens.len() {
        let start = body.at;
        if body.step().is_none() {
            body.at = start;
            body.skip_unread();
        }
    }
    body.finish()
}

/// The references of a text whose grammar is unknown: a word with the name of an object is possibly the object.
pub fn possible(known: &Known, text: &str) -> Found {
    let places = Places::of(text);
    let Some(tokens) = tokens(text) else { return Found::default() };
    let mut body = Body::new(known, Walk::new(known, &places, None), &places, tokens);
    body.is_dynamic = true;
    body.unread = body.tokens.iter().filter_map(identifier).collect();
    body.finish()
}

fn tokens(text: &str) -> Option<Vec<TokenWithSpan>> {
    let mut tokens = Tokenizer::new(&Syntax, text).tokenize_with_location().ok()?;
    tokens.retain(|token| !matches!(token.token, Token::Whitespace(_)));
    Some(tokens)
}

fn identifier(token: &TokenWithSpan) -> Option<Ident> {
    match &token.token {
        Token::Word(word) => Some(word.to_ident(token.span)),
        _ => None,
    }
}

/// A word without quotes, in lower case.
fn word(token: Option<&TokenWithSpan>) -> Option<String> {
    match &token?.token {
        Token::Word(word) if word.quote_style.is_none() => Some(word.value.to_lowercase()),
        _ => None,
    }
}

/// The tokens without INTO and the variables after it, which the grammar of queries lacks; and where they were.
fn without_targets(tokens: Vec<TokenWithSpan>) -> (Vec<TokenWithSpan>, Vec<usize>) {
    const BEFORE_TABLE: [&str; 6] = ["insert", "replace", "ignore", "low_priority", "high_priority", "delayed"];
    let (mut kept, mut places): (Vec<TokenWithSpan>, Vec<usize>) = (Vec::with_capacity(tokens.len()), Vec::new());
    let mut at = 0;
    while at < tokens.len() {
        let is_into = word(tokens.get(at)).as_deref() == Some("into");
        let before = word(kept.last());
        if !is_into || before.is_some_and(|before| BEFORE_TABLE.contains(&before.as_str())) {
            kept.push(tokens[at].clone());
            at += 1;
            continue;
        }
        places.push(kept.len());
        at += 1;
        loop {
            at += 1;
            while tokens.get(at).is_some_and(|token| token.token == Token::Period) {
                at += 2;
            }
            if tokens.get(at).is_none_or(|token| token.token != Token::Comma) {
                break;
            }
            at += 1;
        }
    }
    (kept, places)
}

/// The names of parameters in lower case.
fn parameter_names(text: &str) -> Vec<String> {
    let (mut names, mut depth, mut is_start) = (Vec::new(), 0, true);
    for token in tokens(text).unwrap_or_default() {
        match &token.token {
            Token::LParen => depth += 1,
            Token::RParen => depth -= 1,
            Token::Comma if depth == 0 => is_start = true,
            Token::Word(own) if is_start => {
                let lower = own.value.to_lowercase();
                if own.quote_style.is_some() || !["in", "out", "inout"].contains(&lower.as_str()) {
                    names.push(lower);
                    is_start = false;
                }
            }
            _ => {}
        }
    }
    names
}

impl<'b> Body<'b> {
    fn new(known: &'b Known, walk: Walk<'b>, places: &'b Places<'b>, tokens: Vec<TokenWithSpan>) -> Body<'b> {
        Body {
            known,
            walk,
            places,
            tokens,
            at: 0,
            into: Vec::new(),
            blocks: Vec::new(),
            unread: Vec::new(),
            is_dynamic: false,
        }
    }

    fn word(&self, ahead: usize) -> Option<String> {
        word(self.tokens.get(self.at + ahead))
    }

    fn sees(&self, ahead: usize, token: &Token) -> bool {
        self.tokens.get(self.at + ahead).is_some_and(|own| own.token == *token)
    }

    fn take_word(&mut self, expected: &str) -> bool {
        let is_it = self.word(0).as_deref() == Some(expected);
        self.at += usize::from(is_it);
        is_it
    }

    fn take(&mut self, token: &Token) -> bool {
        let is_it = self.sees(0, token);
        self.at += usize::from(is_it);
        is_it
    }

    fn identifier(&mut self) -> Option<Ident> {
        let found = self.tokens.get(self.at).and_then(identifier)?;
        self.at += 1;
        Some(found)
    }

    /// The end of the statement: its semicolon, or the end of the body.
    fn end(&self) -> usize {
        let rest = self.tokens.iter().skip(self.at);
        self.at + rest.take_while(|token| token.token != Token::SemiColon).count()
    }

    fn skip(&mut self) -> Option<()> {
        self.at = self.end();
        Some(())
    }

    fn skip_unread(&mut self) {
        let end = self.end();
        self.unread.extend(self.tokens[self.at..end].iter().filter_map(identifier));
        self.at = if end == self.at { end + 1 } else { end };
    }

    /// Reads a part of the statement with the grammar of queries.
    fn read<T: Visit>(&mut self, parse: impl Fn(&mut Parser) -> Result<T, ParserError>) -> Option<T> {
        let rest: Vec<TokenWithSpan> = self.tokens[self.at..self.end()].to_vec();
        let (tree, taken) = stacker::maybe_grow(128 * 1024, 4 * 1024 * 1024, || {
            let parser = Parser::new(&Syntax).with_recursion_limit(DEPTH);
            let mut parser = parser.with_tokens_with_locations(rest);
            Some((parse(&mut parser).ok()?, parser.index()))
        })?;
        self.at += taken;
        Some(tree)
    }

    fn expression(&mut self) -> Option<()> {
        let tree = self.read(|parser| parser.parse_expr())?;
        self.walk.tree(&tree);
        Some(())
    }

    fn expressions(&mut self) -> Option<()> {
        self.expression()?;
        while self.take(&Token::Comma) {
            self.expression()?;
        }
        Some(())
    }

    fn query(&mut self) -> Option<()> {
        let range = self.at..self.end();
        let tree = self.read(|parser| parser.parse_query())?;
        if self.has_into(&range) {
            self.walk.ignore_names(&tree);
        }
        self.walk.tree(&tree);
        Some(())
    }

    fn has_into(&self, range: &Range<usize>) -> bool {
        self.into.iter().any(|at| range.contains(at) || *at == range.end)
    }

    /// One statement, or one word of a compound statement; none if it can't be read.
    fn step(&mut self) -> Option<()> {
        if self.take(&Token::SemiColon) {
            return Some(());
        }
        if self.sees(1, &Token::Colon) {
            self.at += 2;
            return Some(());
        }
        if self.sees(0, &Token::LParen) {
            return self.query();
        }
        let first = self.word(0)?;
        match first.as_str() {
            "select" | "with" | "values" => self.query(),
            "insert" | "replace" | "update" | "delete" => {
                let tree = self.read(|parser| parser.parse_statement())?;
                self.walk.tree(&tree);
                Some(())
            }
            "begin" => {
                self.at += if self.word(1).as_deref() == Some("not") { 3 } else { 1 };
                self.blocks.push(self.walk.variables.len());
                Some(())
            }
            "end" => {
                self.at += 1;
                let inner = self.word(0);
                if !matches!(inner.as_deref(), Some("if" | "case" | "loop" | "repeat" | "while")) {
                    let start = self.blocks.pop().unwrap_or(self.walk.variables.len());
                    self.walk.variables.truncate(start);
                }
                self.skip()
            }
            "if" | "elseif" | "while" | "until" | "when" => {
                self.at += 1;
                self.expression()?;
                let _ = self.take_word("then") || self.take_word("do");
                Some(())
            }
            "else" | "loop" | "repeat" => {
                self.at += 1;
                Some(())
            }
            "case" => {
                self.at += 1;
                if self.word(0).as_deref() == Some("when") { Some(()) } else { self.expression() }
            }
            "return" => {
                self.at += 1;
                self.expression()
            }
            "do" => {
                self.at += 1;
                self.expressions()
            }
            "set" => self.set(),
            "declare" => self.declare(),
            "for" => self.for_loop(),
            "call" => self.call(),
            "truncate" => {
                self.at += 1;
                self.take_word("table");
                let table = self.identifier()?;
                self.walk.object(names::table(None, &table.value), Usage::Writes, &table);
                self.skip()
            }
            "prepare" | "execute" | "deallocate" => {
                self.is_dynamic = true;
                self.skip()
            }
            "close" | "fetch" | "leave" | "iterate" | "signal" | "resignal" | "get" | "commit" | "rollback"
            | "start" | "savepoint" | "release" => self.skip(),
            "open" if !self.sees(2, &Token::LParen) => self.skip(),
            _ => None,
        }
    }

    fn set(&mut self) -> Option<()> {
        self.at += 1;
        loop {
            let _ = self.take_word("global") || self.take_word("session") || self.take_word("local");
            let mut target = vec![self.identifier()?];
            while self.take(&Token::Period) {
                target.push(self.identifier()?);
            }
            if let [row, column] = &target[..] {
                self.walk.row_column(row, column, Usage::Writes);
            }
            if !self.take(&Token::Eq) && !self.take(&Token::Assignment) {
                return None;
            }
            self.expression()?;
            if !self.take(&Token::Comma) {
                return Some(());
            }
        }
    }

    fn declare(&mut self) -> Option<()> {
        self.at += 1;
        if self.word(1).as_deref() == Some("handler") {
            self.at += 3;
            loop {
                match self.word(0).as_deref() {
                    Some("not") => self.at += 2,
                    Some("sqlstate") => self.at += if self.word(1).as_deref() == Some("value") { 3 } else { 2 },
                    _ => self.at += 1,
                }
                if !self.take(&Token::Comma) {
                    return Some(());
                }
            }
        }
        let mut names = vec![self.identifier()?.value.to_lowercase()];
        while self.take(&Token::Comma) {
            names.push(self.identifier()?.value.to_lowercase());
        }
        if self.take_word("cursor") {
            if self.sees(0, &Token::LParen) {
                return None;
            }
            self.take_word("for");
            // Nothing reads its outputs by their names.
            self.into.push(self.at);
            return self.query();
        }
        let is_row = self.word(0).as_deref() == Some("row");
        self.walk.variables.extend(names.into_iter().map(|name| Variable { name, is_row }));
        let end = self.end();
        while self.at < end {
            if self.take_word("default") {
                return self.expression();
            }
            // `TYPE OF hives.kg`, `ROW TYPE OF hives`.
            if self.take_word("of") {
                let table = self.identifier()?;
                let name = names::table(None, &table.value);
                self.walk.object(name.clone(), Usage::Type, &table);
                if self.take(&Token::Period) {
                    let column = self.identifier()?;
                    self.walk.read(&name, &column, Usage::Type);
                }
                continue;
            }
            self.at += 1;
        }
        Some(())
    }

    /// `FOR variable IN query DO`, `FOR variable IN cursor DO`, `FOR variable IN first .. last DO`.
    fn for_loop(&mut self) -> Option<()> {
        self.at += 1;
        self.blocks.push(self.walk.variables.len());
        let variable = self.identifier()?;
        if !self.take_word("in") {
            return None;
        }
        let mut is_row = true;
        if self.sees(0, &Token::LParen) {
            self.query()?;
        } else {
            let end = self.end();
            is_row = self.word(1).as_deref() == Some("do");
            while self.at < end && self.word(0).as_deref() != Some("do") {
                self.unread.extend(self.tokens.get(self.at).and_then(identifier));
                self.at += 1;
            }
        }
        self.walk.variables.push(Variable { name: variable.value.to_lowercase(), is_row });
        self.take_word("do").then_some(())
    }

    fn call(&mut self) -> Option<()> {
        self.at += 1;
        let mut name = vec![self.identifier()?];
        while self.take(&Token::Period) {
            name.push(self.identifier()?);
        }
        if let [own] = &name[..] {
            let routine = self.known.procedure(&own.value);
            routine.into_iter().for_each(|routine| self.walk.object(routine, Usage::Calls, own));
        }
        if self.take(&Token::LParen) && !self.take(&Token::RParen) {
            self.expressions()?;
        }
        self.skip()
    }

    fn finish(mut self) -> Found {
        let mut words = std::mem::take(&mut self.unread);
        if self.is_dynamic {
            for token in &self.tokens {
                if let Token::SingleQuotedString(text) | Token::DoubleQuotedString(text) = &token.token {
                    let inner = Tokenizer::new(&Syntax, text).tokenize().unwrap_or_default();
                    words.extend(inner.into_iter().filter_map(|inner| match inner {
                        Token::Word(word) => Some(word.to_ident(token.span)),
                        _ => None,
                    }));
                }
            }
        }
        let is_object = |word: &Ident| self.known.has_relation(&word.value).then(|| names::table(None, &word.value));
        for name in &words {
            let routine = || self.known.function(&name.value).or_else(|| self.known.procedure(&name.value));
            if let Some(object) = is_object(name).or_else(routine) {
                self.walk.object(object, Usage::Possible, name);
            }
        }
        // A column is only meant where its table is named, too.
        let named: BTreeSet<QualifiedName> =
            self.walk.found.references.iter().map(|reference| reference.object.clone()).collect();
        for name in &words {
            let lower = name.value.to_lowercase();
            let has = |table: &&QualifiedName| {
                self.known.all_columns(table.canonical()).is_some_and(|columns| columns.contains(&lower))
            };
            let span = Some(self.places.span(name.span));
            self.walk.found.references.extend(named.iter().filter(has).map(|table| Reference {
                object: table.clone(),
                column: Some(names::simple(&name.value)),
                usage: Usage::Possible,
                span,
            }));
        }
        self.walk.found
    }
}
