//! GRANT, REVOKE and ALTER DEFAULT PRIVILEGES (<https://www.postgresql.org/docs/current/ddl-priv.html>).

use crate::clause;
use std::sync::Arc;

use super::access::{Subject, change_access, kinds, subject_name};
use super::{identifier, names, normalised, plain};
use crate::access::{self, EVERYBODY_STARTS_WITH_NOTHING, all, usual_for_everybody};
use wevrun_core::model::{Clauses, Kind, Model, Object};
use wevrun_core::parse::{Grant, Parsed, Reader, Session, StatementKind};

/// What a GRANT or REVOKE says, but for the objects.
#[derive(Clone)]
struct Privileges {
    grants: bool,
    /// GRANT OPTION FOR.
    option_only: bool,
    /// `select`, `update (a, b)`, `all`.
    privileges: Vec<String>,
    roles: Vec<String>,
    /// WITH GRANT OPTION.
    with_option: bool,
}

impl Privileges {
    /// What stands before ON, and that word.
    fn before_on(reader: &mut Reader<'_>, grants: bool) -> Parsed<Privileges> {
        let start = reader.position;
        let on = (start..reader.tokens.len()).find(|index| reader.tokens[*index].is_word(reader.text, "ON"));
        let on = on.ok_or_else(|| reader.expected("ON"))?;
        let option_only = !grants && reader.take(&["GRANT", "OPTION", "FOR"]);
        let privileges = split_privileges(&normalised(reader, reader.position..on));
        reader.position = on + 1;
        Ok(Privileges { grants, option_only, privileges, roles: Vec::new(), with_option: false })
    }

    /// What stands behind the objects.
    fn then_roles(self, reader: &mut Reader<'_>) -> Parsed<Privileges> {
        if !reader.take(&["TO"]) && !reader.take(&["FROM"]) {
            return Err(reader.expected(if self.grants { "TO" } else { "FROM" }));
        }
        let roles = roles(reader)?;
        let with_option = reader.take(&["WITH", "GRANT", "OPTION"]);
        Ok(Privileges { roles, with_option, ..self })
    }

    /// Changes who may do what with an object of the kind.
    fn apply(&self, kind: Kind, access: &mut Clauses) {
        for role in &self.roles {
            for privilege in &self.privileges {
                let clause = format!("grant {privilege} to {role}");
                if self.grants {
                    if self.with_option || !access.has_named(&clause) {
                        access.say_named(&clause, if self.with_option { "with grant option" } else { "" });
                    }
                } else {
                    self.revoke(privilege, role, kind, access);
                }
            }
        }
    }

    fn revoke(&self, privilege: &str, role: &str, kind: Kind, access: &mut Clauses) {
        let every = format!("grant all to {role}");
        if privilege != "all"
            && let Some(granted) = access.remove_named(&every)
        {
            // What is left of all.
            all(kind).iter().for_each(|one| access.set_named(&format!("grant {one} to {role}"), granted.clone()));
        }
        let to = format!(" to {role}");
        let is_meant = |clause: &str| match privilege {
            "all" => clause.starts_with("grant ") && clause.ends_with(&to),
            one => clause.strip_prefix("grant ").and_then(|rest| rest.strip_suffix(&to)) == Some(one),
        };
        let meant: Vec<String> =
            access.iter().map(|(clause, _)| clause.to_owned()).filter(|clause| is_meant(clause)).collect();
        for clause in meant {
            if self.option_only {
                access.say_named(&clause, "");
            } else {
                access.remove_named(&clause);
            }
        }
        let usual = usual_for_everybody(kind);
        if role == "public" && !self.option_only && (privilege == "all" || usual == Some(privilege)) && usual.is_some()
        {
            access.say_named(EVERYBODY_STARTS_WITH_NOTHING, "");
        }
    }
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

/// What follows GRANT or REVOKE. Memberships in roles, databases and tablespaces belong to the whole server.
pub fn privileges(mut reader: Reader<'_>, session: &Session, grants: bool) -> Parsed<Vec<StatementKind>> {
    if !reader.tokens.iter().any(|token| token.is_word(reader.text, "ON")) {
        return Ok(vec![StatementKind::Session]);
    }
    let said = Privileges::before_on(&mut reader, grants)?;
    if reader.take(&["ALL"]) {
        return Ok(vec![on_all(&mut reader, said)?]);
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
    let said = said.then_roles(&mut reader)?;
    let amended = subjects.into_iter().map(|name| {
        let said = said.clone();
        let about_everybody = said.roles.iter().any(|role| role == "public");
        change_access(Subject { kinds: named.to_vec(), name }, move |object| {
            let kind = object.definition.kind();
            if about_everybody && is_public_schema(object) && !object.access.has_named(EVERYBODY_STARTS_WITH_NOTHING) {
                // What everybody may do there by itself; CREATE only before version 15.
                object.access.say_named(EVERYBODY_STARTS_WITH_NOTHING, "");
                all(kind).iter().for_each(|one| object.access.say_named(&format!("grant {one} to public"), ""));
            }
            said.apply(kind, &mut object.access);
            if is_public_schema(object) && !object.access.has(clause::GRANT_USAGE_TO_PUBLIC) {
                object.access.remove(clause::GRANT_CREATE_TO_PUBLIC);
            }
        })
    });
    Ok(amended.collect())
}

/// Whether it is the schema that every database has, which is no part of a structure.
fn is_public_schema(object: &Object) -> bool {
    object.definition.kind() == Kind::Schema && object.name.canonical() == "public"
}

/// `TABLES IN SCHEMA a, b TO ida`, after ON ALL.
fn on_all(reader: &mut Reader<'_>, said: Privileges) -> Parsed<StatementKind> {
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
    let said = said.then_roles(reader)?;
    Ok(StatementKind::Grant(Grant {
        of_many: true,
        apply: Arc::new(move |model, is_about| {
            for object in model.objects_mut() {
                let kind = object.definition.kind();
                let there = || names::schema(&object.name).is_some_and(|schema| schemas.contains(&schema));
                if kinds.contains(&kind) && is_about(object) && there() {
                    said.apply(kind, &mut object.access);
                }
            }
        }),
    }))
}

fn schemas(reader: &mut Reader<'_>) -> Parsed<Vec<String>> {
    let mut schemas = vec![identifier(reader, "a schema")?];
    while reader.take_symbol(",") {
        schemas.push(identifier(reader, "a schema")?);
    }
    Ok(schemas)
}

/// What follows ALTER DEFAULT PRIVILEGES: one change for each role and schema. Those of whoever runs the statement count for what
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
    let said = Privileges::before_on(&mut reader, grants)?;
    let what = ["TABLES", "SEQUENCES", "FUNCTIONS", "TYPES", "SCHEMAS"].into_iter().find(|word| reader.take(&[word]));
    let what = match what {
        Some(what) => what,
        None if reader.take(&["ROUTINES"]) => "FUNCTIONS",
        None if reader.take(&["LARGE", "OBJECTS"]) => "LARGE OBJECTS",
        None => return Err(reader.expected("TABLES, SEQUENCES, FUNCTIONS, TYPES, SCHEMAS or LARGE OBJECTS")),
    };
    let said = said.then_roles(&mut reader)?;
    reader.finish()?;
    let mut changes = Vec::new();
    for owner in &owners {
        for place in &places {
            let mut clauses = Clauses::default();
            let mut name = format!("ON {what}");
            clauses.say(clause::ON, what);
            if let Some(schema) = place {
                name += &format!(" IN SCHEMA {}", names::quoted(schema));
                clauses.say(clause::SCHEMA, schema.as_str());
            }
            if let Some(role) = owner {
                name += &format!(" FOR ROLE {role}");
                clauses.say(clause::ROLE, role.as_str());
            }
            let name = names::described(&name);
            let object = plain(&reader, Kind::DefaultPrivileges, name.clone(), None, clauses);
            let (said, in_schema) = (said.clone(), place.is_some());
            let change = move |object: &mut Object| {
                said.apply(access::kind_granted_on(object), &mut object.access);
                if in_schema {
                    // In a schema they add to what holds everywhere.
                    object.access.remove_named(EVERYBODY_STARTS_WITH_NOTHING);
                }
            };
            if owner.is_none() {
                change(session.granted.entry(name).or_insert_with(|| object.clone()));
            }
            changes.push(change_granted_only(object, change));
        }
    }
    Ok(changes)
}

/// A change of what is kept only for what is granted there. `object` is what there is if nothing was said before.
pub fn change_granted_only(object: Object, change: impl Fn(&mut Object) + Send + Sync + 'static) -> StatementKind {
    StatementKind::Grant(Grant {
        of_many: false,
        apply: Arc::new(move |model: &mut Model, _| {
            let known = model.remove_granted_only(&object.key());
            let mut object = known.unwrap_or_else(|| object.clone());
            change(&mut object);
            if !object.access.is_empty() {
                model.insert_granted_only(object);
            }
        }),
    })
}

/// Says of a new object what the session's default privileges give.
pub fn apply_granted(object: &mut Object, session: &Session) {
    let born = access::at_birth(session.granted.values(), object);
    born.iter().for_each(|(clause, value)| object.access.set_named(clause, value.clone()));
}
