//! CREATE VIEW (<https://mariadb.com/kb/en/create-view/>).

use wevrun_core::model::{Clauses, Expression, View};
use wevrun_core::parse::{Parsed, Reader, Session};

use super::create::Head;
use super::name_list;
use crate::canonical::expression::plain_tokens;
use crate::clause;

/// The rest of CREATE VIEW, after the name. What the server makes of the query is found out when the whole schema is known.
pub fn view(reader: &mut Reader<'_>, head: &Head, session: &Session) -> Parsed<View> {
    let columns = if reader.sees_symbol("(") { name_list(reader, "a column's name")? } else { Vec::new() };
    reader.expect("AS")?;
    let start = reader.position;
    let mut end = reader.tokens.len();
    let mut clauses = Clauses::default();
    let is = |ahead: usize, word: &str| reader.tokens.get(ahead).is_some_and(|token| token.is_word(reader.text, word));
    if end >= start + 3 && is(end - 1, "OPTION") && is(end - 2, "CHECK") {
        let kind = if is(end - 3, "LOCAL") { "local" } else { "cascaded" };
        clauses.set(clause::CHECK_OPTION, kind.to_owned());
        end -= if is(end - 3, "LOCAL") || is(end - 3, "CASCADED") { 4 } else { 3 };
    }
    if end <= start {
        return Err(reader.expected("a query"));
    }
    reader.position = reader.tokens.len();
    let written = reader.written(start..end);
    let query = Expression::unsure(&without_database(&plain_tokens(written), session), written);
    match head.algorithm.as_deref() {
        None | Some("undefined") => {}
        Some(algorithm) => clauses.set(clause::ALGORITHM, algorithm.to_owned()),
    }
    super::create::program_clauses(head, &mut clauses);
    Ok(View { columns, query, clauses, unpopulated: Default::default() })
}

fn without_database(tokens: &str, session: &Session) -> String {
    match session.path.first() {
        Some(database) => {
            format!(" {tokens}").replace(&format!(" {} . ", database.to_lowercase()), " ").trim_start().to_owned()
        }
        None => tokens.to_owned(),
    }
}
