//! CREATE INDEX (<https://mariadb.com/kb/en/create-index/>).

use wevrun_core::model::Kind;
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind};

use super::create::Head;
use super::keys::{self, KeyKind};
use super::{a_name, own_name, word};
use crate::{clause, names};

/// The rest of CREATE INDEX, after the keyword.
pub fn create(
    mut reader: Reader<'_>,
    head: &Head,
    if_not_exists: bool,
    session: &Session,
) -> Parsed<Vec<StatementKind>> {
    let whole = reader.location(0..reader.tokens.len());
    let name = a_name(&mut reader, "the index's name")?;
    let mut using = None;
    if reader.take(&["USING"]) || reader.take(&["TYPE"]) {
        using = Some(word(&mut reader, "an index type")?.to_ascii_lowercase());
    }
    reader.expect("ON")?;
    let table = names::of(Kind::Table, own_name(&mut reader, session, "a table")?);
    let kind = head.key.unwrap_or(KeyKind::Plain);
    let mut key = keys::key_after_name(&mut reader, kind, Some(name))?;
    if let Some(using) = using {
        key.clauses.set(clause::USING, using);
    }
    while reader.take(&["ALGORITHM"]) || reader.take(&["LOCK"]) {
        reader.take_symbol("=");
        word(&mut reader, "a word")?;
    }
    super::alter::wait(&mut reader)?;
    reader.finish()?;
    let mut object = key.index(&table, key.name.as_ref().map_or("", |name| name.written()));
    object.text = reader.text[whole.range()].to_owned();
    object.location = Some(whole);
    Ok(vec![StatementKind::Create { object: Box::new(object), if_not_exists, or_replace: head.or_replace }])
}
