//! The canonical spelling of expressions, queries and bodies.
//!
//! SQLite keeps what it was given, word by word, except what its ALTER TABLE rewrites: that puts quotes around names.
//! So the canonical form is the run of tokens with one blank between them, names and keywords in lower case and names
//! without quotes. Which words in double quotes are strings is known once names are resolved (`resolve`).

use super::names::{is_reserved, literal, unquoted};
use wevrun_core::model::{Definition, Expression, Span};
use wevrun_core::parse::{Reader, Token, TokenKind};

/// The expression that a range of the statement's tokens holds.
pub fn expression(reader: &Reader<'_>, range: std::ops::Range<usize>) -> Expression {
    let written = reader.written(range.clone());
    let mut expression = Expression::new(canonical(reader.text, &reader.tokens[range.clone()], None), written);
    expression.place.0 = reader.tokens.get(range.start).map(|first| first.start);
    expression
}

/// The canonical spelling of a run of tokens. The words in double quotes at `strings` are string literals; while names are not
/// resolved (no `strings`), all words in double quotes stay as they are.
pub fn canonical(text: &str, tokens: &[Token], strings: Option<&[Span]>) -> String {
    let mut out = String::new();
    for token in tokens.iter().filter(|token| token.kind != TokenKind::Comment) {
        if !out.is_empty() {
            out.push(' ');
        }
        let written = token.text(text);
        match token.kind {
            TokenKind::Word | TokenKind::Number | TokenKind::Blob => {
                out.extend(written.chars().map(|ch| ch.to_ascii_lowercase()));
            }
            TokenKind::Quoted if written.starts_with('"') => match strings {
                None => out.push_str(written),
                Some(strings) if strings.iter().any(|span| span.start == token.start) => {
                    out.push_str(&literal(&unquoted(*token, text)));
                }
                Some(_) => push_name(&mut out, &unquoted(*token, text)),
            },
            TokenKind::Quoted => push_name(&mut out, &unquoted(*token, text)),
            TokenKind::Text | TokenKind::Symbol => out.push_str(written),
            TokenKind::Comment => {}
        }
    }
    out
}

fn push_name(out: &mut String, name: &str) {
    let lower = name.to_ascii_lowercase();
    if is_reserved(&lower)
        || lower.is_empty()
        || lower.chars().any(|ch| ch.is_ascii() && !ch.is_ascii_alphanumeric() && ch != '_')
    {
        out.push('"');
        out.push_str(&lower.replace('"', "\"\""));
        out.push('"');
    } else {
        out.push_str(&lower);
    }
}

/// The canonical spelling of a type name: `decimal(10,2)`.
pub fn type_name(text: &str, tokens: &[Token]) -> String {
    let mut out = String::new();
    for token in tokens {
        let part = if token.kind == TokenKind::Symbol { token.text(text).to_owned() } else { unquoted(*token, text) };
        if token.kind != TokenKind::Symbol && out.ends_with(|last: char| !matches!(last, '(' | ',' | '+' | '-')) {
            out.push(' ');
        }
        out.push_str(&part.to_ascii_lowercase());
    }
    out
}

/// The expressions of a definition that can have names.
pub fn expressions(definition: &Definition) -> Vec<&Expression> {
    match definition {
        Definition::Table(table) => (table.columns.iter())
            .flat_map(|column| column.default.iter().chain(column.generated.iter().map(|g| &g.expression)))
            .chain(table.checks.iter().map(|check| &check.condition))
            .collect(),
        Definition::Index(index) => index.parts.iter().map(|part| &part.expression).chain(&index.predicate).collect(),
        Definition::View(view) => vec![&view.query],
        Definition::Trigger(trigger) => trigger.condition.iter().chain([&trigger.body]).collect(),
        Definition::VirtualTable(_) | Definition::Plain(_) => Vec::new(),
    }
}

/// The same, to change them.
pub fn expressions_mut(definition: &mut Definition) -> Vec<&mut Expression> {
    match definition {
        Definition::Table(table) => (table.columns.iter_mut())
            .flat_map(|column| column.default.iter_mut().chain(column.generated.iter_mut().map(|g| &mut g.expression)))
            .chain(table.checks.iter_mut().map(|check| &mut check.condition))
            .collect(),
        Definition::Index(index) => {
            index.parts.iter_mut().map(|part| &mut part.expression).chain(&mut index.predicate).collect()
        }
        Definition::View(view) => vec![&mut view.query],
        Definition::Trigger(trigger) => trigger.condition.iter_mut().chain([&mut trigger.body]).collect(),
        Definition::VirtualTable(_) | Definition::Plain(_) => Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tokens::Rules;
    use wevrun_core::parse::token::tokenize;

    fn canonical_of(text: &str, strings: &[Span]) -> String {
        let (tokens, error) = tokenize(&Rules, text, 0);
        assert!(error.is_none());
        canonical(text, &tokens, Some(strings))
    }

    #[test]
    fn layout_case_and_quotes_do_not_matter() {
        assert_eq!(canonical_of("Weight_G>0 AND [Label] <> 'Ab' -- why", &[]), "weight_g > 0 and label <> 'Ab'");
        assert_eq!(canonical_of("`order` IS NOT NULL", &[]), "\"order\" is not null");
    }

    #[test]
    fn quoted_words_are_names_or_strings() {
        let text = "\"Kind\" IN (\"Box\", 'a\"b')";
        assert_eq!(canonical_of(text, &[Span { start: 11, end: 16 }]), "kind in ( 'Box' , 'a\"b' )");
    }
}
