//! ALTER and DROP: changes of what was created before.

use crate::clause;
use std::sync::Arc;

use super::super::canonical::part_names;
use super::access::{self, Subject, amend, kinds, say, say_of_index, subject_name};
use super::{
    definitions, expression, foreign, grants, identifier, names, objects, operators, own_name, replication, sequences,
    text_search,
};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Definition, Expression, Flag, Kind, Object, ObjectKey, Plain, QualifiedName};
use wevrun_core::parse::{Amendment, Parsed, Reader, Session, StatementKind};

pub type Outcome = Result<(), Box<Diagnostic>>;
pub type Change = Box<dyn Fn(&mut Object) -> Outcome + Send + Sync>;

/// What follows ALTER.
pub fn alter(mut reader: Reader<'_>, session: &mut Session) -> Parsed<Vec<StatementKind>> {
    if reader.take(&["DEFAULT", "PRIVILEGES"]) {
        return grants::default_privileges(reader, session);
    }
    for word in ["DATABASE", "ROLE", "USER", "GROUP", "SYSTEM", "TABLESPACE", "LARGE"] {
        if reader.sees(word) && !(word == "USER" && reader.sees_at(1, "MAPPING")) {
            return Ok(vec![StatementKind::Session]);
        }
    }
    let Some(kinds) = kinds(&mut reader) else { return Err(reader.expected("a kind of object")) };
    let if_exists = reader.take(&["IF", "EXISTS"]);
    let only = reader.take(&["ONLY"]);
    let name = subject_name(&mut reader, session, kinds)?;
    reader.take_symbol("*");
    let subject = || Subject { kinds: kinds.to_vec(), name: name.clone() };
    if reader.take(&["OWNER", "TO"]) {
        return Ok(vec![access::owner(&mut reader, subject())?]);
    }
    if reader.take(&["RENAME", "TO"]) {
        let to = identifier(&mut reader, "the new name")?;
        // ALTER INDEX renames tables and the like as well: https://www.postgresql.org/docs/current/sql-alterindex.html
        let relations = [Kind::Index, Kind::Table, Kind::View, Kind::MaterializedView, Kind::Sequence];
        let kinds = if *kinds == [Kind::Index] { &relations } else { kinds };
        return Ok(vec![rename(kinds, &name, if_exists, move |old| renamed(old, None, Some(&to)))]);
    }
    if reader.take(&["SET", "SCHEMA"]) {
        let to = identifier(&mut reader, "a schema")?;
        return Ok(vec![rename(kinds, &name, if_exists, move |old| renamed(old, Some(&to), None))]);
    }
    if reader.take(&["DEPENDS", "ON"]) || reader.take(&["NO", "DEPENDS", "ON"]) {
        return Ok(vec![StatementKind::Session]);
    }
    match kinds[0] {
        Kind::Table | Kind::ForeignTable | Kind::MaterializedView | Kind::View => {
            super::alter_table::actions(&mut reader, session, kinds, &name, if_exists, only)
        }
        Kind::Sequence => {
            if reader.take(&["SET"]) {
                let unlogged = reader.take(&["UNLOGGED"]);
                if !unlogged {
                    reader.expect("LOGGED")?;
                }
                return Ok(vec![amend(subject(), if_exists, move |object| {
                    say(object, "unlogged", unlogged.then_some(""));
                    Ok(())
                })]);
            }
            let mut options = Clauses::default();
            sequences::options(&mut reader, &mut options)?;
            Ok(vec![sequence(subject(), if_exists, options, session)])
        }
        Kind::Type => data_type(&mut reader, subject(), session),
        Kind::Domain => domain(&mut reader, subject(), if_exists),
        Kind::Index => index(&mut reader, session, subject(), if_exists),
        Kind::Function | Kind::Procedure => {
            let mut fixed = Vec::new();
            let start = reader.position;
            let (text, tokens) = (reader.text.to_owned(), reader.tokens[start..].to_vec());
            // Read it once now, so that what is wrong is said here.
            super::routine::attributes(&mut reader, &mut Clauses::default())?;
            let source = reader.source;
            fixed.push(amend(subject(), if_exists, move |object| {
                let Definition::Plain(Plain { clauses, .. }) = &mut object.definition else { return Ok(()) };
                let mut again = Reader { text: &text, tokens: &tokens, position: 0, source };
                super::routine::attributes(&mut again, clauses)
            }));
            Ok(fixed)
        }
        Kind::Policy => {
            let mut clauses = Clauses::default();
            objects::policy_clauses(&mut reader, &mut clauses)?;
            reader.finish()?;
            Ok(vec![amend(subject(), if_exists, move |object| {
                if let Definition::Plain(plain) = &mut object.definition {
                    clauses.iter().for_each(|(name, value)| plain.clauses.set_named(name, value.clone()));
                }
                Ok(())
            })])
        }
        Kind::Publication => replication::alter_publication(&mut reader, session, subject()),
        Kind::Operator => operators::alter_operator(&mut reader, subject(), if_exists),
        Kind::OperatorFamily => operators::alter_family(&mut reader, subject(), if_exists),
        Kind::TextSearchConfiguration => text_search::mapping(&mut reader, subject(), if_exists),
        Kind::Statistics if reader.take(&["SET", "STATISTICS"]) => {
            let range = super::rest(&mut reader, "a number")?;
            let value = super::normalised(&reader, range);
            Ok(vec![amend(subject(), if_exists, move |object| {
                say(object, "statistics", Some(value.as_str()).filter(|value| *value != "- 1" && *value != "-1"));
                Ok(())
            })])
        }
        Kind::Server | Kind::ForeignDataWrapper | Kind::UserMapping => {
            foreign::alter(&mut reader, subject(), if_exists)
        }
        Kind::TextSearchDictionary => {
            let options = super::definitions(&mut reader)?;
            Ok(vec![amend(subject(), if_exists, move |object| {
                for (key, value) in &options {
                    say(object, &format!("with.{key}"), value.as_ref().map(|value| value.canonical.as_str()));
                }
                Ok(())
            })])
        }
        Kind::EventTrigger | Kind::Trigger | Kind::Rule => {
            let state = enabled(&mut reader)?;
            Ok(vec![amend(subject(), if_exists, move |object| {
                say(object, "enabled", state);
                Ok(())
            })])
        }
        Kind::Extension | Kind::Collation | Kind::Subscription | Kind::Language => Ok(vec![StatementKind::Session]),
        _ => Err(unknown(&reader)),
    }
}

pub fn unknown(reader: &Reader<'_>) -> Box<Diagnostic> {
    let place = reader.position.min(reader.tokens.len().saturating_sub(1));
    let word = reader.tokens[place].text(reader.text);
    Box::new(
        Diagnostic::new(Code::WV004, format!("this ALTER is not one that Wevrun can place: `{word}`"))
            .at(reader.location(place..place + 1), "not known here")
            .help("write the object as it shall be; source files say what the schema is"),
    )
}

/// ENABLE and DISABLE; the usual state says nothing.
pub fn enabled(reader: &mut Reader<'_>) -> Parsed<Option<&'static str>> {
    if reader.take(&["DISABLE"]) {
        return Ok(Some("disabled"));
    }
    reader.expect("ENABLE")?;
    Ok(if reader.take(&["REPLICA"]) {
        Some("replica")
    } else if reader.take(&["ALWAYS"]) {
        Some("always")
    } else {
        None
    })
}

/// The same name in another schema, or another name in the same schema.
fn renamed(old: &ObjectKey, schema: Option<&str>, identifier: Option<&str>) -> QualifiedName {
    let name = &old.name;
    names::moved(old.kind, name, schema.or(name.schema()), identifier.unwrap_or(name.identifier()))
}

fn rename(
    kinds: &[Kind],
    name: &QualifiedName,
    if_exists: bool,
    to: impl Fn(&ObjectKey) -> QualifiedName + Send + Sync + 'static,
) -> StatementKind {
    let index = kinds.contains(&Kind::Index).then(|| name.clone());
    StatementKind::Amend(Amendment {
        becomes: Some(to(&ObjectKey::new(kinds[0], name.clone()))),
        kinds: kinds.to_vec(),
        name: name.clone(),
        if_exists,
        apply: Arc::new(move |model, key| {
            let new = to(key);
            // The index of a constraint has the constraint's name.
            if key.kind == Kind::Table && index.as_ref().is_some_and(|index| *index != key.name) {
                if let Some(index) = &index {
                    let [from, to] = [index, &new].map(|name| names::simple(name.identifier()));
                    super::super::rename::constraint_or_part(model, key, &from, &to);
                    if let Some(object) = model.get_mut(key) {
                        object.text.clear();
                    }
                }
                return Ok(());
            }
            super::super::rename::say_identity_sequences(model, key);
            part_names::say_all(model, key);
            super::super::rename::object(model, key, &new);
            if let Some(mut object) = model.remove(&ObjectKey::new(key.kind, new)) {
                object.formerly.table.get_or_insert(key.name.clone());
                object.formerly.table.take_if(|old| *old == object.name);
                model.insert(object);
            }
            Ok(())
        }),
    })
}

fn sequence(subject: Subject, if_exists: bool, mut options: Clauses, session: &Session) -> StatementKind {
    let owner = sequences::take_owner(&mut options, session);
    amend(subject, if_exists, move |object| {
        let Definition::Plain(plain) = &mut object.definition else { return Ok(()) };
        if let Some(data_type) = options.value(clause::AS) {
            sequences::change_type(&mut plain.clauses, data_type);
        }
        options.iter().for_each(|(name, value)| plain.clauses.set_named(name, value.clone()));
        if owner.is_some() {
            plain.owner.clone_from(&owner);
        }
        let data_type = plain.clauses.value(clause::AS).unwrap_or("bigint").to_owned();
        sequences::settle(&mut plain.clauses, &data_type);
        Ok(())
    })
}

/// What follows ALTER TYPE name.
fn data_type(reader: &mut Reader<'_>, subject: Subject, _: &Session) -> Parsed<Vec<StatementKind>> {
    let literal = |reader: &mut Reader<'_>| -> Parsed<String> {
        Ok(super::super::tokens::literal(&super::text_or_null(reader)?.unwrap_or_default()))
    };
    let labels = |object: &mut Object, change: &dyn Fn(&mut Vec<String>)| {
        if let Definition::Plain(plain) = &mut object.definition {
            let mut list = super::super::enum_labels(&plain.clauses);
            change(&mut list);
            plain.clauses.say(clause::ENUM, list.join(", "));
        }
    };
    if reader.take(&["ADD", "VALUE"]) {
        reader.take(&["IF", "NOT", "EXISTS"]);
        let label = literal(reader)?;
        let before = reader.take(&["BEFORE"]);
        let neighbour = if before || reader.take(&["AFTER"]) { Some(literal(reader)?) } else { None };
        return Ok(vec![amend(subject, false, move |object| {
            labels(object, &|list| {
                if list.contains(&label) {
                    return;
                }
                let at = neighbour.as_ref().and_then(|other| list.iter().position(|label| label == other));
                list.insert(at.map_or(list.len(), |at| at + usize::from(!before)), label.clone());
            });
            Ok(())
        })]);
    }
    if reader.take(&["RENAME", "VALUE"]) {
        let from = literal(reader)?;
        reader.expect("TO")?;
        let to = literal(reader)?;
        return Ok(vec![StatementKind::Amend(Amendment {
            becomes: None,
            kinds: subject.kinds,
            name: subject.name,
            if_exists: false,
            apply: Arc::new(move |model, key| {
                if let Some(object) = model.get_mut(key) {
                    labels(object, &|list| {
                        list.iter_mut().filter(|label| **label == from).for_each(|label| *label = to.clone())
                    });
                }
                super::super::rename::label(model, &key.name, &from, &to);
                Ok(())
            }),
        })]);
    }
    if reader.take(&["SET"]) {
        let mut set = Clauses::default();
        for (key, value) in definitions(reader)? {
            let value = value.unwrap_or_else(|| Expression::plain("true"));
            set.set_named(&format!("base.{key}"), value);
        }
        return Ok(vec![amend(subject, false, move |object| {
            let Definition::Plain(plain) = &mut object.definition else { return Ok(()) };
            for (clause, value) in set.expressions() {
                if value.canonical.eq_ignore_ascii_case("none") {
                    plain.clauses.remove_named(clause);
                } else {
                    plain.clauses.set_named(clause, value.clone());
                }
            }
            Ok(())
        })]);
    }
    let mut changes: Vec<Change> = Vec::new();
    loop {
        if reader.take(&["ADD", "ATTRIBUTE"]) {
            let name = names::quoted(&identifier(reader, "an attribute")?);
            let data_type = super::data_type(reader)?.canonical;
            let _ = reader.take(&["CASCADE"]) || reader.take(&["RESTRICT"]);
            changes.push(attributes(move |list| list.push((name.clone(), data_type.clone()))));
        } else if reader.take(&["DROP", "ATTRIBUTE"]) {
            reader.take(&["IF", "EXISTS"]);
            let name = names::quoted(&identifier(reader, "an attribute")?);
            let _ = reader.take(&["CASCADE"]) || reader.take(&["RESTRICT"]);
            changes.push(attributes(move |list| list.retain(|(other, _)| *other != name)));
        } else if reader.take(&["ALTER", "ATTRIBUTE"]) {
            let name = names::quoted(&identifier(reader, "an attribute")?);
            reader.take(&["SET", "DATA"]);
            reader.expect("TYPE")?;
            let mut data_type = super::data_type(reader)?.canonical;
            if reader.take(&["COLLATE"])
                && let Some(collation) = super::table::collation(&super::path(reader, "a collation")?)
            {
                data_type += &format!(" COLLATE {collation}");
            }
            let _ = reader.take(&["CASCADE"]) || reader.take(&["RESTRICT"]);
            changes.push(attributes(move |list| {
                list.iter_mut().filter(|(other, _)| *other == name).for_each(|(_, rest)| rest.clone_from(&data_type));
            }));
        } else if reader.take(&["RENAME", "ATTRIBUTE"]) {
            let name = names::quoted(&identifier(reader, "an attribute")?);
            reader.expect("TO")?;
            let to = names::quoted(&identifier(reader, "the new name")?);
            let _ = reader.take(&["CASCADE"]) || reader.take(&["RESTRICT"]);
            changes.push(attributes(move |list| {
                list.iter_mut().filter(|(other, _)| *other == name).for_each(|(own, _)| own.clone_from(&to));
            }));
        } else {
            return Err(unknown(reader));
        }
        if !reader.take_symbol(",") {
            break;
        }
    }
    Ok(vec![amend(subject, false, move |object| changes.iter().try_for_each(|change| change(object)))])
}

/// A change of the attributes of a composite type, each its name and its type.
fn attributes(change: impl Fn(&mut Vec<(String, String)>) + Send + Sync + 'static) -> Change {
    Box::new(move |object| {
        if let Definition::Plain(plain) = &mut object.definition {
            let mut list = super::super::attributes(&plain.clauses);
            change(&mut list);
            let words: Vec<String> = list.iter().map(|(name, rest)| format!("{name} {rest}")).collect();
            plain.clauses.say(clause::ATTRIBUTES, words.join(", "));
        }
        Ok(())
    })
}

/// What follows ALTER DOMAIN name.
fn domain(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    if reader.take(&["RENAME", "CONSTRAINT"]) {
        let old = identifier(reader, "the constraint's name")?;
        reader.expect("TO")?;
        let new = identifier(reader, "the new name")?;
        return Ok(vec![amend(subject, if_exists, move |object| {
            if let Definition::Plain(plain) = &mut object.definition {
                for what in ["check", "not valid", "comment on"] {
                    if let Some(value) = plain.clauses.remove_named(&format!("{what} {old}")) {
                        plain.clauses.set_named(&format!("{what} {new}"), value);
                    }
                }
            }
            Ok(())
        })]);
    }
    let mut added = Clauses::default();
    let mut removed = Vec::new();
    if reader.take(&["SET", "DEFAULT"]) {
        let range = super::rest(reader, "an expression")?;
        added.set(clause::DEFAULT, expression(reader, range));
    } else if reader.take(&["DROP", "DEFAULT"]) {
        removed.push("default".to_owned());
    } else if reader.take(&["SET", "NOT", "NULL"]) {
        added.set(clause::NOT_NULL, Flag);
    } else if reader.take(&["DROP", "NOT", "NULL"]) {
        removed.push("not null".to_owned());
    } else if reader.take(&["ADD"]) {
        let name = super::constraints::constraint_name(reader)?;
        objects::domain_constraint(reader, &subject.name, name, &mut added)?;
    } else if reader.take(&["DROP", "CONSTRAINT"]) {
        reader.take(&["IF", "EXISTS"]);
        removed.push(format!("check {}", identifier(reader, "a constraint")?));
    } else if reader.take(&["VALIDATE", "CONSTRAINT"]) {
        removed.push(format!("not valid {}", identifier(reader, "a constraint")?));
    } else {
        return Err(unknown(reader));
    }
    Ok(vec![amend(subject, if_exists, move |object| {
        if let Definition::Plain(plain) = &mut object.definition {
            added.iter().for_each(|(name, value)| plain.clauses.set_named(name, value.clone()));
            removed.iter().for_each(|name| drop(plain.clauses.remove_named(name)));
        }
        Ok(())
    })])
}

/// What follows ALTER INDEX name.
fn index(reader: &mut Reader<'_>, session: &Session, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    if reader.take(&["ATTACH", "PARTITION"]) {
        let child = own_name(reader, session, "an index")?;
        let parent = subject.name;
        let subject = Subject { kinds: vec![Kind::Index], name: child };
        // The index of a partition's key belongs to a constraint, which is attached with the partition.
        return Ok(vec![amend(subject, true, move |object| {
            if let Definition::Index(index) = &mut object.definition {
                index.clauses.set(clause::ATTACHED_TO, parent.clone());
            }
            Ok(())
        })]);
    }
    // What the catalogue says of an index whose concurrent build failed. Nobody can wish for one.
    if reader.take(&["INVALID"]) {
        return Ok(vec![amend(subject, true, |object| {
            if let Definition::Index(index) = &mut object.definition {
                index.clauses.set(clause::INVALID, Expression::unsure("invalid", "its build failed"));
            }
            Ok(())
        })]);
    }
    let mut clauses = Clauses::default();
    let mut removed: Vec<String> = Vec::new();
    if reader.take(&["SET", "TABLESPACE"]) {
        clauses.say(clause::TABLESPACE, identifier(reader, "a tablespace")?);
    } else if reader.take(&["SET"]) {
        super::storage_parameters(reader, &mut clauses)?;
    } else if reader.take(&["RESET"]) {
        removed.extend(definitions(reader)?.into_iter().map(|(key, _)| format!("with.{key}")));
    } else if reader.take(&["ALTER"]) {
        reader.take(&["COLUMN"]);
        let number = reader.take_any().map_or("", |token| token.text(reader.text)).to_owned();
        reader.expect("SET")?;
        reader.expect("STATISTICS")?;
        let range = super::rest(reader, "a number")?;
        clauses.say_named(&format!("statistics {number}"), super::normalised(reader, range));
    } else {
        return Err(unknown(reader));
    }
    let index = subject.name.clone();
    Ok(vec![amend(subject, if_exists, move |object| {
        clauses.expressions().for_each(|(name, value)| say_of_index(object, &index, name, Some(&value.canonical)));
        removed.iter().for_each(|name| say_of_index(object, &index, name, None));
        Ok(())
    })])
}

/// What follows DROP.
pub fn drop_objects(mut reader: Reader<'_>, session: &Session) -> Parsed<Vec<StatementKind>> {
    for word in ["DATABASE", "ROLE", "USER", "GROUP", "TABLESPACE", "OWNED"] {
        if reader.sees(word) && !(word == "USER" && reader.sees_at(1, "MAPPING")) {
            return Ok(vec![StatementKind::Session]);
        }
    }
    let kinds = kinds(&mut reader).ok_or_else(|| reader.expected("a kind of object"))?;
    reader.take(&["CONCURRENTLY"]);
    let if_exists = reader.take(&["IF", "EXISTS"]);
    let mut dropped = Vec::new();
    loop {
        let name = subject_name(&mut reader, session, kinds)?;
        dropped.push((kinds[0], name));
        if !reader.take_symbol(",") {
            break;
        }
    }
    let cascade = reader.take(&["CASCADE"]);
    reader.take(&["RESTRICT"]);
    reader.finish()?;
    let drop = |(kind, name)| StatementKind::Drop { kind, name, if_exists, cascade };
    Ok(dropped.into_iter().map(drop).collect())
}
