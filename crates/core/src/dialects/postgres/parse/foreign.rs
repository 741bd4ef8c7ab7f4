//! CREATE and ALTER of foreign-data wrappers, servers and user mappings
//! (<https://www.postgresql.org/docs/current/ddl-foreign-data.html>). Options that are secrets are not kept.

use super::access::{Subject, amend};
use super::{identifier, names, plain, reference, text_or_null};
use crate::model::{Clauses, Definition, Kind, Name, Object};
use crate::parse::{Parsed, Reader, StatementKind, TokenKind};

/// What follows CREATE FOREIGN DATA WRAPPER or CREATE SERVER.
pub fn object(reader: &mut Reader<'_>, kind: Kind) -> Parsed<Object> {
    let name = names::global(&identifier(reader, "a name")?);
    let mut clauses = Clauses::default();
    for (clause, value) in changes(reader, kind)? {
        if let Some(value) = value {
            clauses.say(&clause, value);
        }
    }
    Ok(plain(reader, kind, name, None, clauses))
}

/// What follows CREATE USER MAPPING.
pub fn user_mapping(reader: &mut Reader<'_>) -> Parsed<Object> {
    reader.expect("FOR")?;
    let user = names::quoted(&identifier(reader, "a role")?);
    reader.expect("SERVER")?;
    let server = names::global(&identifier(reader, "a server's name")?);
    let mut clauses = Clauses::default();
    if reader.take(&["OPTIONS"]) {
        options(reader, &mut clauses)?;
    }
    let name = format!("{user} SERVER {server}");
    Ok(plain(reader, Kind::UserMapping, Name::new(name.as_str(), name.as_str()), Some(server), clauses))
}

/// What follows ALTER of a wrapper, a server or a user mapping, and its name.
pub fn alter(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    let changes = changes(reader, subject.kinds[0])?;
    Ok(vec![amend(subject, if_exists, move |object| {
        if let Definition::Plain(plain) = &mut object.definition {
            change(&mut plain.clauses, &changes);
        }
        Ok(())
    })])
}

/// Clauses, each with what it becomes; none if it goes.
type Changes = Vec<(String, Option<String>)>;

/// The clauses that such an object can have, to the end of the statement.
fn changes(reader: &mut Reader<'_>, kind: Kind) -> Parsed<Changes> {
    let mut changes = Changes::new();
    let is_server = kind == Kind::Server;
    while !reader.at_end() {
        if reader.take(&["OPTIONS"]) {
            changes.extend(option_changes(reader)?);
        } else if is_server && reader.take(&["FOREIGN", "DATA", "WRAPPER"]) {
            changes.push(("wrapper".to_owned(), Some(names::quoted(&identifier(reader, "a wrapper's name")?))));
        } else if is_server && reader.take(&["TYPE"]) {
            changes.push(("type".to_owned(), text_or_null(reader)?));
        } else if is_server && reader.take(&["VERSION"]) {
            changes.push(("version".to_owned(), text_or_null(reader)?));
        } else if kind != Kind::ForeignDataWrapper {
            return Err(reader.expected("`OPTIONS`"));
        } else {
            let goes = reader.take(&["NO"]);
            let clause =
                if reader.take(&["HANDLER"]) { "handler" } else { reader.expect("VALIDATOR").map(|_| "validator")? };
            let function =
                if goes { None } else { Some(reference(reader, "a function's name")?.canonical().to_owned()) };
            changes.push((clause.to_owned(), function));
        }
    }
    Ok(changes)
}

/// `(name 'value', …)` of something new.
pub fn options(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    change(clauses, &option_changes(reader)?);
    Ok(())
}

/// `(ADD name 'value', SET name 'value', DROP name)`, ADD being what is meant if nothing is said.
pub fn option_changes(reader: &mut Reader<'_>) -> Parsed<Changes> {
    let mut changes = Changes::new();
    reader.expect_symbol("(")?;
    while !reader.sees_symbol(")") {
        // An option may be called as one of these words.
        let named = reader.peek_at(1).is_some_and(|token| token.kind == TokenKind::Text);
        let goes = !named && reader.take(&["DROP"]);
        let _ = !named && !goes && (reader.take(&["ADD"]) || reader.take(&["SET"]));
        let key = identifier(reader, "an option's name")?;
        let value = match reader.peek() {
            _ if goes => None,
            Some(token) if token.kind == TokenKind::Text => {
                reader.position += 1;
                Some(super::identifier_of(token, reader.text))
            }
            _ => return Err(reader.expected("a text")),
        };
        let secret = ["password", "secret", "passcode", "sslkey"].iter().any(|word| key.contains(word));
        if !secret {
            changes.push((format!("options.{key}"), value));
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    Ok(changes)
}

/// Makes the changes.
pub fn change(clauses: &mut Clauses, changes: &[(String, Option<String>)]) {
    for (clause, value) in changes {
        match value {
            Some(value) => clauses.say(clause, value.as_str()),
            None => drop(clauses.remove(clause)),
        }
    }
}
