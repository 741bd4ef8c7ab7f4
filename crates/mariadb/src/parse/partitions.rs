//! Partitions (<https://mariadb.com/kb/en/partitioning-types/>). A table's partitioning is one clause, which is compared by its tokens.

use std::ops::Range;

use wevrun_core::model::{Expression, Span};
use wevrun_core::parse::token::tokenize;
use wevrun_core::parse::{Parsed, Reader, Token, TokenKind};

use crate::canonical::{constants, expression};
use crate::names;

/// PARTITION BY and all that follows, to the end of the statement.
pub fn clause(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let start = reader.position;
    reader.expect("PARTITION")?;
    reader.expect("BY")?;
    let ends = ["AS", "SELECT", "WITH"];
    while !reader.at_end() && !ends.iter().any(|word| reader.sees(word)) {
        if reader.sees_symbol("(") {
            reader.parenthesised()?;
        } else {
            reader.position += 1;
        }
    }
    let range = start..reader.position;
    Ok(spelled(reader.text, &reader.tokens[range.clone()], reader.written(range)))
}

/// A clause that is all of a text.
pub fn of_text(text: &str) -> Expression {
    let (mut tokens, _) = tokenize(crate::tokens::rules(), text, 0);
    tokens.retain(|token| token.kind != TokenKind::Comment);
    spelled(text, &tokens, text)
}

fn spelled(text: &str, tokens: &[Token], written: &str) -> Expression {
    let mut canonical = Canonical { text, tokens, position: 0, words: Vec::new(), is_sure: true };
    canonical.clause();
    // Of columns, MAXVALUE may be in parentheses or not.
    let spelling = canonical.words.join(" ").replace("less than ( maxvalue )", "less than maxvalue");
    if canonical.is_sure { Expression::new(spelling, written) } else { Expression::unsure(spelling, written) }
}

/// The token that opens the list of partitions, if there is one.
pub fn start_of_list(text: &str, tokens: &[Token]) -> Option<usize> {
    let canonical = Canonical { text, tokens, position: 0, words: Vec::new(), is_sure: true };
    canonical.starts_of_lists().next()
}

/// Where a clause has what rows are partitioned by: the parentheses after RANGE, LIST, HASH, KEY and COLUMNS.
pub fn keys(text: &str) -> Vec<Span> {
    let (mut tokens, _) = tokenize(crate::tokens::rules(), text, 0);
    tokens.retain(|token| token.kind != TokenKind::Comment);
    let (mut found, mut open): (Vec<Span>, Vec<Option<u32>>) = (Vec::new(), Vec::new());
    for (index, token) in tokens.iter().enumerate() {
        if token.is_symbol(text, "(") {
            let before = |back: usize, words: &[&str]| {
                let word = index.checked_sub(back).map(|at| tokens[at]);
                word.is_some_and(|word| words.iter().any(|own| word.is_word(text, own)))
            };
            // KEY ALGORITHM = 2 (…)
            let is_key = before(1, &["RANGE", "LIST", "HASH", "KEY", "COLUMNS"]) || before(3, &["ALGORITHM"]);
            open.push((is_key && open.is_empty()).then_some(token.start));
        } else if token.is_symbol(text, ")") {
            let start = open.pop().flatten();
            found.extend(start.map(|start| Span { start, end: token.end }));
        }
    }
    found
}

/// The options of a partition, each with the number of its words, in the order in which the server writes them.
const OPTIONS: [(&str, usize); 6] =
    [("NODEGROUP", 1), ("MAX_ROWS", 1), ("MIN_ROWS", 1), ("DATA", 2), ("INDEX", 2), ("COMMENT", 1)];

/// The tokens as the server spells them.
struct Canonical<'a> {
    text: &'a str,
    tokens: &'a [Token],
    position: usize,
    words: Vec<String>,
    /// Not if there is an expression whose value or spelling is not known.
    is_sure: bool,
}

impl Canonical<'_> {
    fn clause(&mut self) {
        let by_system_time = self.tokens.iter().any(|token| token.is_word(self.text, "SYSTEM_TIME"));
        let by_columns = self.tokens.iter().any(|token| token.is_word(self.text, "COLUMNS"));
        let has_list = self.starts_of_lists().next_back().is_some();
        let says_number = self.tokens.iter().any(|token| token.is_word(self.text, "PARTITIONS"));
        while self.position < self.tokens.len() {
            if self.sees("PARTITIONS") {
                let number = self.tokens.get(self.position + 1).map_or("", |token| token.text(self.text));
                // Those of a list are counted.
                if has_list || number == "1" {
                    self.position += 2;
                    continue;
                }
            }
            // The default is the time of the statement: it is not compared.
            if by_system_time && self.sees("STARTS") {
                self.position += 1;
                if self.sees("TIMESTAMP") {
                    self.position += 1;
                }
                self.position += 1;
                continue;
            }
            let is_list = self.starts_of_lists().any(|start| start == self.position);
            if is_list {
                self.list(by_columns);
            } else if !by_columns && self.sees_symbol("(") && self.is_after(&["RANGE", "LIST", "HASH"]) {
                self.expression();
            } else {
                self.token();
            }
        }
        if by_system_time && !has_list && !says_number {
            self.words.extend(["partitions".to_owned(), "2".to_owned()]);
        }
    }

    /// Where lists of partitions open: a parenthesis before PARTITION, or before a name and VALUES.
    fn starts_of_lists(&self) -> impl DoubleEndedIterator<Item = usize> {
        let is = |index: usize, word: &str| self.tokens.get(index).is_some_and(|token| token.is_word(self.text, word));
        (0..self.tokens.len()).filter(move |index| {
            self.tokens[*index].is_symbol(self.text, "(")
                && (is(index + 1, "PARTITION")
                    || ["VALUES", "HISTORY", "CURRENT"].iter().any(|word| is(index + 2, word)))
        })
    }

    /// The partitions, with their subpartitions.
    fn list(&mut self, by_columns: bool) {
        let end = self.closing();
        let mut depth = 0;
        while self.position < end {
            if self.sees_symbol("(") {
                depth += 1;
            } else if self.sees_symbol(")") {
                depth -= 1;
            }
            let opens = self.sees_symbol("(") || self.sees_symbol(",");
            let is_values = self.sees_symbol("(") && self.is_after(&["IN", "THAN"]);
            if is_values && !by_columns {
                self.values();
                depth -= 1;
                continue;
            }
            if OPTIONS.iter().any(|(word, _)| self.sees(word)) {
                self.options();
                continue;
            }
            self.token();
            // The word may be left out before its name.
            if opens && depth == 1 && !self.sees("PARTITION") {
                self.words.push("partition".to_owned());
            }
        }
        self.token();
    }

    /// The options of a partition, in the server's order.
    fn options(&mut self) {
        let mut found: Vec<(usize, String)> = Vec::new();
        while let Some(place) = OPTIONS.iter().position(|(word, _)| self.sees(word)) {
            let before = self.words.len();
            (0..OPTIONS[place].1).for_each(|_| self.token());
            if self.sees_symbol("=") {
                self.position += 1;
            }
            self.token();
            found.push((place, self.words.split_off(before).join(" ")));
        }
        found.sort();
        self.words.extend(found.into_iter().map(|(_, words)| words));
    }

    /// The values of a partition: constants that the server computes.
    fn values(&mut self) {
        let end = self.closing();
        let inner = self.position + 1..end;
        let is_maxvalue = inner.len() == 1 && self.tokens[inner.start].is_word(self.text, "MAXVALUE");
        let mut values = Vec::new();
        let mut start = inner.start;
        let mut depth = 0;
        for index in inner {
            let token = self.tokens[index];
            depth += i32::from(token.is_symbol(self.text, "(")) - i32::from(token.is_symbol(self.text, ")"));
            if depth == 0 && token.is_symbol(self.text, ",") {
                values.push(self.value(start..index));
                start = index + 1;
            }
        }
        values.push(self.value(start..end));
        let values = values.join(" , ");
        self.words.push(if is_maxvalue { values } else { format!("( {values} )") });
        self.position = end + 1;
    }

    fn value(&mut self, range: Range<usize>) -> String {
        let (Some(first), Some(last)) = (self.tokens.get(range.start), self.tokens.get(range.end - 1)) else {
            return String::new();
        };
        let text = &self.text[first.start as usize..last.end as usize];
        if ["maxvalue", "null", "default"].iter().any(|word| text.eq_ignore_ascii_case(word)) {
            return text.to_ascii_lowercase();
        }
        constants::value(text).map_or_else(
            || {
                self.is_sure = false;
                expression::plain_tokens(text)
            },
            |value| value.to_string(),
        )
    }

    /// The function by whose result rows are distributed, in its parentheses.
    fn expression(&mut self) {
        let end = self.closing();
        let (first, last) = (self.tokens[self.position], self.tokens[end.min(self.tokens.len() - 1)]);
        let spelled = expression::of_text(&self.text[first.start as usize..last.end as usize]);
        self.is_sure &= spelled.is_sure();
        self.words.push(spelled.canonical);
        self.position = end + 1;
    }

    /// One token, or none if it has no effect.
    fn token(&mut self) {
        let Some(token) = self.tokens.get(self.position).copied() else { return };
        let is_storage = self.sees("STORAGE");
        // The engine of each partition is that of the table; tablespaces are not kept.
        if self.sees("ENGINE") || is_storage || self.sees("TABLESPACE") {
            self.position += if is_storage { 2 } else { 1 };
            self.position += usize::from(self.sees_symbol("=")) + 1;
            return;
        }
        self.position += 1;
        let written = token.text(self.text);
        if written == "=" {
            return;
        }
        self.words.push(match token.kind {
            TokenKind::Quoted => names::unquoted(token, self.text).to_lowercase(),
            TokenKind::Text => names::literal(&names::unescaped(written)),
            TokenKind::Word => written.to_ascii_lowercase(),
            _ => written.to_owned(),
        });
    }

    fn sees(&self, word: &str) -> bool {
        self.tokens.get(self.position).is_some_and(|token| token.is_word(self.text, word))
    }

    fn sees_symbol(&self, symbol: &str) -> bool {
        self.tokens.get(self.position).is_some_and(|token| token.is_symbol(self.text, symbol))
    }

    fn is_after(&self, words: &[&str]) -> bool {
        let before = self.position.checked_sub(1).map(|before| self.tokens[before]);
        before.is_some_and(|before| words.iter().any(|word| before.is_word(self.text, word)))
    }

    /// Where the parenthesis closes that opens here.
    fn closing(&self) -> usize {
        let mut depth = 0;
        for (index, token) in self.tokens.iter().enumerate().skip(self.position) {
            depth += i32::from(token.is_symbol(self.text, "(")) - i32::from(token.is_symbol(self.text, ")"));
            if depth == 0 {
                return index;
            }
        }
        self.tokens.len()
    }
}
