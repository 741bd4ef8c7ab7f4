//! The words of a text, for what can't be read as anything more.

use std::collections::BTreeSet;

use sqlparser::dialect::Dialect as TokenRules;

use super::token::{TokenKind, tokenize};

/// Every word of a text in lower case, those in strings and bodies too.
pub fn words(rules: &dyn TokenRules, text: &str) -> BTreeSet<String> {
    let mut words = BTreeSet::new();
    collect(rules, text, &mut words);
    words
}

fn collect(rules: &dyn TokenRules, text: &str, words: &mut BTreeSet<String>) {
    let (tokens, _) = tokenize(rules, text, 0);
    for token in tokens {
        let written = token.text(text);
        match token.kind {
            TokenKind::Word => drop(words.insert(written.to_lowercase())),
            TokenKind::Quoted => drop(words.insert(written.trim_matches(['"', '`', '[', ']']).to_lowercase())),
            TokenKind::Text if written.starts_with('$') => {
                let tag = written[1..].find('$').map_or(0, |end| end + 2);
                collect(rules, written.get(tag..written.len() - tag).unwrap_or_default(), words);
            }
            TokenKind::Text => {
                let parts = written.split(|ch: char| !(ch.is_alphanumeric() || ch == '_'));
                words.extend(parts.filter(|part| !part.is_empty()).map(str::to_lowercase));
                words.insert(written.trim_matches('\'').to_lowercase());
            }
            _ => {}
        }
    }
}
