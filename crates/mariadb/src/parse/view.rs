//! CREATE VIEW (<https://mariadb.com/kb/en/create-view/>).

use wevrun_core::model::{Clauses, Expression, Name, View};
use wevrun_core::parse::{Parsed, Reader, Session, TokenKind, token};

use super::create::Head;
use super::name_list;
use crate::canonical::expression::plain_tokens;
use crate::{clause, tokens};

/// The rest of CREATE VIEW, after the name. What the server makes of the query is found out when the whole schema is known.
///
/// The server keeps no list of columns: it gives their names to the outputs of the query. So the list is a part of the query's text.
pub fn view(reader: &mut Reader<'_>, head: &Head, session: &Session) -> Parsed<View> {
    let list = reader.position;
    let columns = if reader.sees_symbol("(") { name_list(reader, "a column's name")? } else { Vec::new() };
    reader.expect("AS")?;
    let start = if columns.is_empty() { reader.position } else { list };
    let mut end = reader.tokens.len();
    let mut clauses = Clauses::default();
    let is = |ahead: usize, word: &str| reader.tokens.get(ahead).is_some_and(|token| token.is_word(reader.text, word));
    if end >= start + 3 && is(end - 1, "OPTION") && is(end - 2, "CHECK") {
        let kind = if is(end - 3, "LOCAL") { "local" } else { "cascaded" };
        clauses.set(clause::CHECK_OPTION, kind.to_owned());
        end -= if is(end - 3, "LOCAL") || is(end - 3, "CASCADED") { 4 } else { 3 };
    }
    if end <= reader.position {
        return Err(reader.expected("a query"));
    }
    reader.position = reader.tokens.len();
    let written = without_database(reader.written(start..end), session);
    let query = Expression::unsure(plain_tokens(&written), &written);
    match head.algorithm.as_deref() {
        None | Some("undefined") => {}
        Some(algorithm) => clauses.set(clause::ALGORITHM, algorithm.to_owned()),
    }
    super::create::program_clauses(head, &mut clauses);
    Ok(View { columns: Vec::new(), query, clauses, unpopulated: Default::default() })
}

/// The names of the columns that a view's text lists, and the query.
pub fn columns_of(written: &str) -> (Vec<Name>, &str) {
    if !written.starts_with('(') {
        return (Vec::new(), written);
    }
    let (tokens, _) = token::tokenize(tokens::rules(), written, 0);
    let tokens: Vec<_> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let mut reader = Reader { text: written, tokens: &tokens, position: 0, source: 0 };
    match name_list(&mut reader, "a column's name") {
        Ok(columns) if reader.take(&["AS"]) => {
            let start = reader.peek().map_or(written.len(), |token| token.start as usize);
            (columns, &written[start..])
        }
        _ => (Vec::new(), written),
    }
}

/// The text without the session's own database before names.
fn without_database(text: &str, session: &Session) -> String {
    let Some(database) = session.path.first() else { return text.to_owned() };
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let (mut out, mut done) = (String::with_capacity(text.len()), 0);
    for (index, token) in tokens.iter().enumerate() {
        let is_name = matches!(token.kind, TokenKind::Word | TokenKind::Quoted);
        let dot = |index: usize| tokens.get(index).is_some_and(|token| token.is_symbol(text, "."));
        let after_dot = index > 0 && dot(index - 1);
        if is_name && !after_dot && dot(index + 1) && crate::names::unquoted(*token, text) == database.as_str() {
            // Of two parts the first may be a table of this name.
            let three = dot(index + 3);
            let is_call = tokens.get(index + 3).is_some_and(|token| token.is_symbol(text, "("));
            let before =
                index.checked_sub(1).map(|before| tokens[before].text(text).to_ascii_lowercase()).unwrap_or_default();
            let at_table = matches!(before.as_str(), "from" | "join" | "straight_join" | "(" | ",");
            if three || is_call || at_table {
                out.push_str(&text[done..token.start as usize]);
                done = tokens[index + 1].end as usize;
            }
        }
    }
    out.push_str(&text[done..]);
    out
}
