//! Partitions (<https://mariadb.com/kb/en/partitioning-types/>). A table's partitioning is one clause, which is compared by its tokens.

use wevrun_core::model::Expression;
use wevrun_core::parse::{Parsed, Reader, Token, TokenKind};

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
    Ok(Expression::new(canonical(reader.text, &reader.tokens[range.clone()]), reader.written(range)))
}

/// The tokens as the server spells them. Where expressions have to be evaluated, the spelling is not sure.
fn canonical(text: &str, tokens: &[Token]) -> String {
    let mut words: Vec<String> = Vec::with_capacity(tokens.len());
    let mut index = 0;
    while index < tokens.len() {
        let token = tokens[index];
        let written = token.text(text);
        let follows =
            |ahead: usize, word: &str| tokens.get(index + ahead).is_some_and(|token| token.is_word(text, word));
        // The engine of each partition is that of the table.
        if follows(0, "ENGINE") || (follows(0, "STORAGE") && follows(1, "ENGINE")) {
            index += if follows(0, "STORAGE") { 2 } else { 1 };
            index += usize::from(tokens.get(index).is_some_and(|token| token.is_symbol(text, "="))) + 1;
            continue;
        }
        if follows(0, "PARTITIONS") && tokens.get(index + 1).is_some_and(|token| token.text(text) == "1") {
            index += 2;
            continue;
        }
        words.push(match token.kind {
            TokenKind::Quoted => names::unquoted(token, text).to_lowercase(),
            TokenKind::Text => names::literal(&names::unescaped(written)),
            TokenKind::Word => written.to_ascii_lowercase(),
            _ => written.to_owned(),
        });
        index += 1;
    }
    // MAXVALUE may be in parentheses.
    let mut text = words.join(" ");
    for (from, to) in [("less than ( maxvalue )", "less than maxvalue"), ("values in ( null )", "values in ( NULL )")] {
        text = text.replace(from, to);
    }
    text
}
