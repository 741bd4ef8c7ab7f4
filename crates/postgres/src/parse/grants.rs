//! GRANT, REVOKE and ALTER DEFAULT PRIVILEGES (<https://www.postgresql.org/docs/current/ddl-priv.html>).

use std::sync::Arc;

use super::access::{Subject, change_access, kinds, subject_name};
use super::{identifier, names, normalised, plain};
use crate::change::{AccessChange, GrantOnAll, GrantedOnly, Privileges};
use crate::{access, clause};
use wevrun_core::model::{Clauses, Kind, Object};
use wevrun_core::parse::{Grant, Parsed, Reader, Session, StatementKind};

/// The words before ON, and that word.
fn privileges_before_on(reader: &mut Reader<'_>, grants: bool) -> Parsed<Privileges> {
    let start = reader.position;
    let on = (start..reader.tokens.len()).find(|index| reader.tokens[*index].is_word(reader.text, "ON"));
    let on = on.ok_or_else(|| reader.expected("ON"))?;
    let option_only = !grants && reader.take(&["GRANT", "OPTION", "FOR"]);
    let privileges = split_privileges(&normalised(reader, reader.position..on));
    reader.position = on + 1;
    Ok(Privileges { grants, option_only, privileges, roles: Vec::new(), with_option: false })
}

/// The words after the objects.
fn with_roles(privileges: Privileges, reader: &mut Reader<'_>) -> Parsed<Privileges> {
    if !reader.take(&["TO"]) && !reader.take(&["FROM"]) {
        return Err(reader.expected(if privileges.grants { "TO" } else { "FROM" }));
    }
    let roles = roles(reader)?;
    let with_option = reader.take(&["WITH", "GRANT", "OPTION"]);
    Ok(Privileges { roles, with_option, ..privileges })
}

/// Roles between commas.
fn roles(reader: &mut Reader<'_>) -> Parsed<Vec<String>> {
    let mut roles = Vec::new();
    loop {
        reader.take(&["GROUP"]);
        roles.push(names::quoted(&identifier(reader, "a role")?));
        if !reader.take_symbol(",") {
            return Ok(roles);
        }
    }
}

/// `select, update (a, b)` as its parts; all is one part.
fn split_privileges(text: &str) -> Vec<String> {
    let mut depth = 0;
    let parts = text.split(|ch| {
        depth += i32::from(ch == '(') - i32::from(ch == ')');
        ch == ',' && depth == 0
    });
    parts.map(|part| part.trim().trim_end_matches(" privileges").to_owned()).collect()
}

/// The text after GRANT or REVOKE. Memberships in roles, databases and tablespaces belong to the whole server.
pub fn privileges(mut reader: Reader<'_>, session: &Session, grants: bool) -> Parsed<Vec<StatementKind>> {
    if !reader.tokens.iter().any(|token| token.is_word(reader.text, "ON")) {
        return Ok(vec![StatementKind::Session]);
    }
    let privileges = privileges_before_on(&mut reader, grants)?;
    if reader.take(&["ALL"]) {
        return Ok(vec![on_all(&mut reader, privileges)?]);
    }
    if ["DATABASE", "TABLESPACE", "PARAMETER", "LARGE"].iter().any(|word| reader.take(&[word])) {
        return Ok(vec![StatementKind::Session]);
    }
    let named = kinds(&mut reader).unwrap_or(&[
        Kind::Table,
        Kind::ForeignTable,
        Kind::View,
        Kind::MaterializedView,
        Kind::Sequence,
    ]);
    let mut subjects = vec![subject_name(&mut reader, session, named)?];
    while reader.take_symbol(",") {
        subjects.push(subject_name(&mut reader, session, named)?);
    }
    let privileges = with_roles(privileges, &mut reader)?;
    let altered = subjects.into_iter().map(|name| {
        let change = AccessChange::Privileges(privileges.clone());
        change_access(Subject { kinds: named.to_vec(), name }, change)
    });
    Ok(altered.collect())
}

/// `TABLES IN SCHEMA a, b TO ida`, after ON ALL.
fn on_all(reader: &mut Reader<'_>, privileges: Privileges) -> Parsed<StatementKind> {
    const MEANT: [(&str, &[Kind]); 5] = [
        ("TABLES", &[Kind::Table, Kind::ForeignTable, Kind::View, Kind::MaterializedView]),
        ("SEQUENCES", &[Kind::Sequence]),
        ("FUNCTIONS", &[Kind::Function, Kind::Aggregate]),
        ("PROCEDURES", &[Kind::Procedure]),
        ("ROUTINES", &[Kind::Function, Kind::Aggregate, Kind::Procedure]),
    ];
    let kinds = MEANT.iter().find(|(word, _)| reader.take(&[word])).map(|(_, kinds)| *kinds);
    let kinds = kinds.ok_or_else(|| reader.expected("TABLES, SEQUENCES, FUNCTIONS, PROCEDURES or ROUTINES"))?;
    reader.expect("IN")?;
    reader.expect("SCHEMA")?;
    let schemas = schemas(reader)?;
    let privileges = with_roles(privileges, reader)?;
    let change = Arc::new(GrantOnAll { kinds, schemas, privileges });
    Ok(StatementKind::Grant(Grant { of_many: true, change }))
}

fn schemas(reader: &mut Reader<'_>) -> Parsed<Vec<String>> {
    let mut schemas = vec![identifier(reader, "a schema")?];
    while reader.take_symbol(",") {
        schemas.push(identifier(reader, "a schema")?);
    }
    Ok(schemas)
}

/// The text after ALTER DEFAULT PRIVILEGES: one change for each role and schema. Those of the role that runs the statement count for what
/// the rest of the source creates.
pub fn default_privileges(mut reader: Reader<'_>, session: &mut Session) -> Parsed<Vec<StatementKind>> {
    let mut owners: Vec<Option<String>> = vec![None];
    let mut places: Vec<Option<String>> = vec![None];
    loop {
        if reader.take(&["FOR", "ROLE"]) || reader.take(&["FOR", "USER"]) {
            owners = roles(&mut reader)?.into_iter().map(Some).collect();
        } else if reader.take(&["IN", "SCHEMA"]) {
            places = schemas(&mut reader)?.into_iter().map(Some).collect();
        } else {
            break;
        }
    }
    let grants = reader.take(&["GRANT"]);
    if !grants {
        reader.expect("REVOKE")?;
    }
    let privileges = privileges_before_on(&mut reader, grants)?;
    let what = ["TABLES", "SEQUENCES", "FUNCTIONS", "TYPES", "SCHEMAS"].into_iter().find(|word| reader.take(&[word]));
    let what = match what {
        Some(what) => what,
        None if reader.take(&["ROUTINES"]) => "FUNCTIONS",
        None if reader.take(&["LARGE", "OBJECTS"]) => "LARGE OBJECTS",
        None => return Err(reader.expected("TABLES, SEQUENCES, FUNCTIONS, TYPES, SCHEMAS or LARGE OBJECTS")),
    };
    let privileges = with_roles(privileges, &mut reader)?;
    reader.finish()?;
    let mut changes = Vec::new();
    for owner in &owners {
        for place in &places {
            let mut clauses = Clauses::default();
            let mut name = format!("ON {what}");
            clauses.set_text(clause::ON, what);
            if let Some(schema) = place {
                name += &format!(" IN SCHEMA {}", names::quoted(schema));
                clauses.set_text(clause::SCHEMA, schema.as_str());
            }
            if let Some(role) = owner {
                name += &format!(" FOR ROLE {role}");
                clauses.set_text(clause::ROLE, role.as_str());
            }
            let name = names::described(&name);
            let object = plain(&reader, Kind::DefaultPrivileges, name.clone(), None, clauses);
            if owner.is_none() {
                privileges.apply(session.granted.entry(name).or_insert_with(|| object.clone()));
            }
            let change = AccessChange::Privileges(privileges.clone());
            let change = Arc::new(GrantedOnly { object, change });
            changes.push(StatementKind::Grant(Grant { of_many: false, change }));
        }
    }
    Ok(changes)
}

/// Says of a new object what the session's default privileges give.
pub fn apply_granted(object: &mut Object, session: &Session) {
    let born = access::at_birth(session.granted.values(), object);
    born.iter().for_each(|(clause, value)| object.access.set_named(clause, value.clone()));
}
