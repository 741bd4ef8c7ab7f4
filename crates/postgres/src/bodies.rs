//! Bodies of routines without what means nothing to the languages that read them.

use crate::clause;
use crate::tokens::rules;
use crate::write;
use wevrun_core::compare::BodyOptions;
use wevrun_core::model::Object;
use wevrun_core::parse::TokenKind;
use wevrun_core::parse::token::tokenize;

/// The languages in which white space, comments and the letter case of words mean nothing.
const LANGUAGES: [&str; 2] = ["sql", "plpgsql"];

/// The body without white space, comments or letter case; none if the language is another one, or it can't be cut into tokens.
pub fn plain(routine: &Object, body: &str, options: BodyOptions) -> Option<String> {
    let language = write::clauses(routine).value(clause::LANGUAGE)?;
    if !LANGUAGES.contains(&language) {
        return None;
    }
    let (tokens, error) = tokenize(rules(), body, 0);
    if error.is_some() {
        return None;
    }
    let mut plain = String::with_capacity(body.len());
    let mut end = 0;
    for token in tokens {
        let between = &body[end..token.start as usize];
        end = token.end as usize;
        let text = token.text(body);
        match token.kind {
            TokenKind::Comment if options.without_layout => continue,
            _ if options.without_layout => plain.push(' '),
            _ => plain.push_str(between),
        }
        match token.kind {
            TokenKind::Word if options.without_case => plain.push_str(&text.to_lowercase()),
            _ => plain.push_str(text),
        }
    }
    if !options.without_layout {
        plain.push_str(&body[end..]);
    }
    Some(plain)
}
