//! ALTER and DROP: changes of what was created before.

use super::access::{self, Subject, kinds, set_clauses, subject_name};
use super::{
    definitions, expression, foreign, grants, identifier, names, objects, operators, own_name, policy, replication,
    sequences, text_search,
};
use crate::change::{AttributeChange, Change, ObjectChange, Place, Rename, SequenceChange};
use crate::{clause, tokens};
use wevrun_core::change::ClauseChanges;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Expression, Flag, Kind, ObjectKey};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind};

/// The text after ALTER.
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
        let identifier = Some(identifier(&mut reader, "the new name")?);
        // ALTER INDEX renames tables and the like as well: https://www.postgresql.org/docs/current/sql-alterindex.html
        let relations = [Kind::Index, Kind::Table, Kind::View, Kind::MaterializedView, Kind::Sequence];
        let kinds = if *kinds == [Kind::Index] { relations.to_vec() } else { kinds.to_vec() };
        return Ok(vec![rename(Subject { kinds, name }, if_exists, Rename { identifier, ..Rename::default() })]);
    }
    if reader.take(&["SET", "SCHEMA"]) {
        let schema = Some(identifier(&mut reader, "a schema")?);
        return Ok(vec![rename(subject(), if_exists, Rename { schema, ..Rename::default() })]);
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
                let mut changes = ClauseChanges::default();
                if reader.take(&["UNLOGGED"]) {
                    changes.set(clause::UNLOGGED, Flag);
                } else {
                    reader.expect("LOGGED")?;
                    changes.remove(clause::UNLOGGED);
                }
                return Ok(vec![set_clauses(subject(), if_exists, changes)]);
            }
            let mut options = ClauseChanges::default();
            sequences::options(&mut reader, &mut options)?;
            let owner = sequences::take_owner(&mut options, session);
            let change = ObjectChange::Sequence(SequenceChange { options, owner });
            Ok(vec![subject().alter(if_exists, Change::Object(change))])
        }
        Kind::Type => data_type(&mut reader, subject(), session),
        Kind::Domain => domain(&mut reader, subject(), if_exists),
        Kind::Index => index(&mut reader, session, subject(), if_exists),
        Kind::Function | Kind::Procedure => {
            let mut changes = ClauseChanges::default();
            super::routine::attributes(&mut reader, &mut changes)?;
            Ok(vec![set_clauses(subject(), if_exists, changes)])
        }
        Kind::Policy => {
            let mut changes = ClauseChanges::default();
            policy::clauses(&mut reader, &mut changes)?;
            reader.finish()?;
            Ok(vec![set_clauses(subject(), if_exists, changes)])
        }
        Kind::Publication => replication::alter_publication(&mut reader, session, subject()),
        Kind::Operator => operators::alter_operator(&mut reader, subject(), if_exists),
        Kind::OperatorFamily => operators::alter_family(&mut reader, subject(), if_exists),
        Kind::TextSearchConfiguration => text_search::mapping(&mut reader, subject(), if_exists),
        Kind::Statistics if reader.take(&["SET", "STATISTICS"]) => {
            let range = super::rest(&mut reader, "a number")?;
            let value = super::normalised(&reader, range);
            let mut changes = ClauseChanges::default();
            let is_usual = value == "- 1" || value == "-1";
            changes.change(clause::STATISTICS, (!is_usual).then(|| Expression::plain(value)));
            Ok(vec![set_clauses(subject(), if_exists, changes)])
        }
        Kind::Server | Kind::ForeignDataWrapper | Kind::UserMapping => {
            foreign::alter(&mut reader, subject(), if_exists)
        }
        Kind::TextSearchDictionary => {
            let mut changes = ClauseChanges::default();
            for (key, value) in definitions(&mut reader)? {
                changes.change(clause::WITH.of(&key), value);
            }
            Ok(vec![set_clauses(subject(), if_exists, changes)])
        }
        Kind::EventTrigger | Kind::Trigger | Kind::Rule => {
            let state = enabled(&mut reader)?;
            let mut changes = ClauseChanges::default();
            changes.change(clause::ENABLED, state.map(Expression::plain));
            Ok(vec![set_clauses(subject(), if_exists, changes)])
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
            .help("write the object's final definition; source files define the schema"),
    )
}

/// ENABLE and DISABLE; the usual state has no effect.
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

fn rename(subject: Subject, if_exists: bool, mut rename: Rename) -> StatementKind {
    rename.index = subject.kinds.contains(&Kind::Index).then(|| subject.name.clone());
    let new_name = rename.new_name(&ObjectKey::new(subject.kinds[0], subject.name.clone()));
    subject.rename(new_name, if_exists, Change::Rename(rename))
}

/// The text after ALTER TYPE name.
fn data_type(reader: &mut Reader<'_>, subject: Subject, _: &Session) -> Parsed<Vec<StatementKind>> {
    let literal = |reader: &mut Reader<'_>| -> Parsed<String> {
        Ok(tokens::literal(&super::text_or_null(reader)?.unwrap_or_default()))
    };
    if reader.take(&["ADD", "VALUE"]) {
        reader.take(&["IF", "NOT", "EXISTS"]);
        let label = literal(reader)?;
        let place = if reader.take(&["BEFORE"]) {
            Some(Place::Before)
        } else {
            reader.take(&["AFTER"]).then_some(Place::After)
        };
        let neighbour = match place {
            Some(place) => Some((place, literal(reader)?)),
            None => None,
        };
        return Ok(vec![subject.alter(false, Change::Object(ObjectChange::AddLabel { label, neighbour }))]);
    }
    if reader.take(&["RENAME", "VALUE"]) {
        let from = literal(reader)?;
        reader.expect("TO")?;
        return Ok(vec![subject.alter(false, Change::RenameLabel { from, to: literal(reader)? })]);
    }
    if reader.take(&["SET"]) {
        let mut changes = ClauseChanges::default();
        for (key, value) in definitions(reader)? {
            let value = value.unwrap_or_else(|| Expression::plain("true"));
            let is_none = value.canonical.eq_ignore_ascii_case("none");
            changes.change(clause::BASE.of(&key), (!is_none).then_some(value));
        }
        return Ok(vec![set_clauses(subject, false, changes)]);
    }
    let mut changes = Vec::new();
    loop {
        changes.push(attribute_change(reader)?);
        if !reader.take_symbol(",") {
            break;
        }
    }
    Ok(vec![subject.alter(false, Change::Object(ObjectChange::Attributes(changes)))])
}

/// One action of ALTER TYPE on a composite type.
fn attribute_change(reader: &mut Reader<'_>) -> Parsed<AttributeChange> {
    let name = |reader: &mut Reader<'_>| -> Parsed<String> { Ok(names::quoted(&identifier(reader, "an attribute")?)) };
    let change = if reader.take(&["ADD", "ATTRIBUTE"]) {
        let name = name(reader)?;
        AttributeChange::Add(name, super::data_type(reader)?.canonical)
    } else if reader.take(&["DROP", "ATTRIBUTE"]) {
        reader.take(&["IF", "EXISTS"]);
        AttributeChange::Drop(name(reader)?)
    } else if reader.take(&["ALTER", "ATTRIBUTE"]) {
        let name = name(reader)?;
        reader.take(&["SET", "DATA"]);
        reader.expect("TYPE")?;
        let mut data_type = super::data_type(reader)?.canonical;
        if reader.take(&["COLLATE"])
            && let Some(collation) = super::table::collation(&super::path(reader, "a collation")?)
        {
            data_type += &format!(" COLLATE {collation}");
        }
        AttributeChange::SetType(name, data_type)
    } else if reader.take(&["RENAME", "ATTRIBUTE"]) {
        let from = name(reader)?;
        reader.expect("TO")?;
        AttributeChange::Rename(from, names::quoted(&identifier(reader, "the new name")?))
    } else {
        return Err(unknown(reader));
    };
    let _ = reader.take(&["CASCADE"]) || reader.take(&["RESTRICT"]);
    Ok(change)
}

/// The text after ALTER DOMAIN name.
fn domain(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    if reader.take(&["RENAME", "CONSTRAINT"]) {
        let from = identifier(reader, "the constraint's name")?;
        reader.expect("TO")?;
        let to = identifier(reader, "the new name")?;
        let change = ObjectChange::RenameDomainConstraint { from, to };
        return Ok(vec![subject.alter(if_exists, Change::Object(change))]);
    }
    let mut changes = ClauseChanges::default();
    if reader.take(&["SET", "DEFAULT"]) {
        let range = super::rest(reader, "an expression")?;
        changes.set(clause::DEFAULT, expression(reader, range));
    } else if reader.take(&["DROP", "DEFAULT"]) {
        changes.remove(clause::DEFAULT);
    } else if reader.take(&["SET", "NOT", "NULL"]) {
        changes.set(clause::NOT_NULL, Flag);
    } else if reader.take(&["DROP", "NOT", "NULL"]) {
        changes.remove(clause::NOT_NULL);
    } else if reader.take(&["ADD"]) {
        let name = super::constraints::constraint_name(reader)?;
        let mut added = Clauses::default();
        objects::domain_constraint(reader, &subject.name, name, &mut added)?;
        changes = ClauseChanges::from(&added);
    } else if reader.take(&["DROP", "CONSTRAINT"]) {
        reader.take(&["IF", "EXISTS"]);
        let name = identifier(reader, "a constraint")?;
        for family in [clause::CHECK, clause::NOT_VALID_CHECK, clause::COMMENT_ON] {
            changes.remove(family.of(&name));
        }
    } else if reader.take(&["VALIDATE", "CONSTRAINT"]) {
        changes.remove(clause::NOT_VALID_CHECK.of(&identifier(reader, "a constraint")?));
    } else {
        return Err(unknown(reader));
    }
    Ok(vec![set_clauses(subject, if_exists, changes)])
}

/// The text after ALTER INDEX name.
fn index(reader: &mut Reader<'_>, session: &Session, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    let mut changes = ClauseChanges::default();
    if reader.take(&["ATTACH", "PARTITION"]) {
        let name = own_name(reader, session, "an index")?;
        changes.set(clause::ATTACHED_TO, subject.name);
        // The index of a partition's key belongs to a constraint, which is attached with the partition.
        let subject = Subject { kinds: vec![Kind::Index], name };
        return Ok(vec![subject.alter(true, Change::Object(ObjectChange::OwnIndexClauses(changes)))]);
    }
    // What the catalogue says of an index whose concurrent build failed. Nobody can wish for one.
    if reader.take(&["INVALID"]) {
        changes.set(clause::INVALID, Expression::unsure("invalid".to_owned(), "its build failed"));
        return Ok(vec![subject.alter(true, Change::Object(ObjectChange::OwnIndexClauses(changes)))]);
    }
    if reader.take(&["SET", "TABLESPACE"]) {
        changes.set_text(clause::TABLESPACE, identifier(reader, "a tablespace")?);
    } else if reader.take(&["SET"]) {
        let mut parameters = Clauses::default();
        super::storage_parameters(reader, &mut parameters)?;
        changes = ClauseChanges::from(&parameters);
    } else if reader.take(&["RESET"]) {
        definitions(reader)?.iter().for_each(|(key, _)| changes.remove(clause::WITH.of(key)));
    } else if reader.take(&["ALTER"]) {
        reader.take(&["COLUMN"]);
        let number = reader.take_any().map_or("", |token| token.text(reader.text)).to_owned();
        reader.expect("SET")?;
        reader.expect("STATISTICS")?;
        let range = super::rest(reader, "a number")?;
        changes.set_text(clause::STATISTICS_OF.of(&number), super::normalised(reader, range));
    } else {
        return Err(unknown(reader));
    }
    let change = ObjectChange::IndexClauses { index: subject.name.clone(), changes };
    Ok(vec![subject.alter(if_exists, Change::Object(change))])
}

/// The text after DROP.
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
