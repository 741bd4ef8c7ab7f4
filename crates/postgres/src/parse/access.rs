//! What a statement is about, and COMMENT, SECURITY LABEL, OWNER.

use crate::clause;
use std::sync::Arc;

use super::{grants, identifier, names, objects, operators, own_name, path, routine};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Definition, Flag, Kind, Name, Object, QualifiedName, Table};
use wevrun_core::parse::{Amendment, Parsed, Reader, Session, StatementKind, TokenKind};

/// An object that exists, as `TABLE hives` or `FUNCTION weigh(integer)` or `TRIGGER touch ON hives` names it.
pub struct Subject {
    /// The kinds that the words may mean.
    pub kinds: Vec<Kind>,
    /// The object.
    pub name: QualifiedName,
}

/// The kinds by their words; longer ones first.
#[rustfmt::skip]
const KINDS: &[(&[&str], &[Kind])] = &[
    (&["MATERIALIZED", "VIEW"], &[Kind::MaterializedView]),
    (&["FOREIGN", "TABLE"], &[Kind::ForeignTable, Kind::Table]),
    (&["FOREIGN", "DATA", "WRAPPER"], &[Kind::ForeignDataWrapper]),
    (&["FOREIGN", "SERVER"], &[Kind::Server]),
    (&["EVENT", "TRIGGER"], &[Kind::EventTrigger]),
    (&["OPERATOR", "CLASS"], &[Kind::OperatorClass]),
    (&["OPERATOR", "FAMILY"], &[Kind::OperatorFamily]),
    (&["TEXT", "SEARCH", "CONFIGURATION"], &[Kind::TextSearchConfiguration]),
    (&["TEXT", "SEARCH", "DICTIONARY"], &[Kind::TextSearchDictionary]),
    (&["TEXT", "SEARCH", "PARSER"], &[Kind::TextSearchParser]),
    (&["TEXT", "SEARCH", "TEMPLATE"], &[Kind::TextSearchTemplate]),
    (&["ACCESS", "METHOD"], &[Kind::AccessMethod]),
    (&["PROCEDURAL", "LANGUAGE"], &[Kind::Language]),
    (&["USER", "MAPPING"], &[Kind::UserMapping]),
    (&["TABLE"], &[Kind::Table, Kind::ForeignTable, Kind::View, Kind::MaterializedView, Kind::Sequence, Kind::Index]),
    (&["VIEW"], &[Kind::View]),
    (&["INDEX"], &[Kind::Index]),
    (&["SEQUENCE"], &[Kind::Sequence]),
    (&["TYPE"], &[Kind::Type, Kind::Domain]),
    (&["DOMAIN"], &[Kind::Domain]),
    (&["SCHEMA"], &[Kind::Schema]),
    (&["EXTENSION"], &[Kind::Extension]),
    (&["FUNCTION"], &[Kind::Function, Kind::Aggregate]),
    (&["PROCEDURE"], &[Kind::Procedure]),
    (&["ROUTINE"], &[Kind::Function, Kind::Procedure, Kind::Aggregate]),
    (&["AGGREGATE"], &[Kind::Aggregate]),
    (&["TRIGGER"], &[Kind::Trigger]),
    (&["RULE"], &[Kind::Rule]),
    (&["POLICY"], &[Kind::Policy]),
    (&["OPERATOR"], &[Kind::Operator]),
    (&["CAST"], &[Kind::Cast]),
    (&["COLLATION"], &[Kind::Collation]),
    (&["CONVERSION"], &[Kind::Conversion]),
    (&["STATISTICS"], &[Kind::Statistics]),
    (&["SERVER"], &[Kind::Server]),
    (&["PUBLICATION"], &[Kind::Publication]),
    (&["SUBSCRIPTION"], &[Kind::Subscription]),
    (&["LANGUAGE"], &[Kind::Language]),
    (&["TRANSFORM"], &[Kind::Transform]),
];

/// The kinds that the next words name, if they name any.
pub fn kinds(reader: &mut Reader<'_>) -> Option<&'static [Kind]> {
    KINDS.iter().find(|(words, _)| reader.take(words)).map(|(_, kinds)| *kinds)
}

/// The name of an object of these kinds.
pub fn subject_name(reader: &mut Reader<'_>, session: &Session, kinds: &[Kind]) -> Parsed<QualifiedName> {
    Ok(match kinds[0] {
        Kind::Function | Kind::Procedure | Kind::Aggregate => {
            let base = own_name(reader, session, "a routine's name")?;
            if !reader.sees_symbol("(") {
                return Ok(base);
            }
            let mut probe = reader.clone();
            let inner = probe.parenthesised()?;
            if reader.tokens[inner].iter().any(|token| token.is_symbol(reader.text, "*")) {
                reader.position = probe.position;
                return Ok(names::with_signature(kinds[0], &base, Vec::new()));
            }
            let arguments = routine::arguments(reader)?;
            routine::with_signature(&base, &arguments, false)
        }
        Kind::Trigger | Kind::Rule | Kind::Policy => {
            let name = identifier(reader, "a name")?;
            reader.expect("ON")?;
            names::standing_on(&name, &own_name(reader, session, "a table's name")?)
        }
        Kind::OperatorClass | Kind::OperatorFamily => {
            let base = own_name(reader, session, "a name")?;
            reader.expect("USING")?;
            operators::with_method(reader, kinds[0], &base)?
        }
        Kind::Operator => {
            let symbol = operators::operator_name(reader, session)?;
            reader.expect_symbol("(")?;
            let side = |reader: &mut Reader<'_>| {
                if reader.take(&["NONE"]) { Ok("NONE".to_owned()) } else { operators::one_type(reader) }
            };
            let left = side(reader)?;
            reader.expect_symbol(",")?;
            let right = side(reader)?;
            reader.expect_symbol(")")?;
            names::with_signature(Kind::Operator, &symbol, vec![left.into(), right.into()])
        }
        Kind::Cast => operators::cast_name(reader)?,
        Kind::Transform => operators::transform_name(reader)?,
        Kind::UserMapping => {
            reader.expect("FOR")?;
            let user = identifier(reader, "a role")?;
            reader.expect("SERVER")?;
            names::user_mapping(&user, &names::global(&identifier(reader, "a server")?))
        }
        Kind::Schema
        | Kind::Extension
        | Kind::EventTrigger
        | Kind::ForeignDataWrapper
        | Kind::Server
        | Kind::Publication
        | Kind::Subscription
        | Kind::Language
        | Kind::AccessMethod => names::global(&identifier(reader, "a name")?),
        _ => own_name(reader, session, "a name")?,
    })
}

/// A change of one object; its text is written anew afterwards.
pub fn amend(
    subject: Subject,
    if_exists: bool,
    change: impl Fn(&mut Object) -> Result<(), Box<Diagnostic>> + Send + Sync + 'static,
) -> StatementKind {
    StatementKind::Amend(Amendment {
        becomes: None,
        kinds: subject.kinds,
        name: subject.name,
        if_exists,
        apply: Arc::new(move |model, key| {
            let Some(object) = model.get_mut(key) else { return Ok(()) };
            object.text.clear();
            change(object)
        }),
    })
}

/// A change of whose an object is or who may do what with it, which is no part of its text. That of the schema that every
/// database has is kept apart.
pub fn change_access(subject: Subject, change: impl Fn(&mut Object) + Send + Sync + 'static) -> StatementKind {
    if subject.kinds == [Kind::Schema] && subject.name.canonical() == "public" {
        return grants::change_granted_only(super::public_schema(), change);
    }
    StatementKind::Amend(Amendment {
        becomes: None,
        kinds: subject.kinds,
        name: subject.name,
        if_exists: true,
        apply: Arc::new(move |model, key| {
            model.get_mut(key).into_iter().for_each(&change);
            Ok(())
        }),
    })
}

/// Says a clause of whatever the object is; an empty one is said no more.
pub fn say(object: &mut Object, clause: &str, value: Option<&str>) {
    let clauses = match &mut object.definition {
        Definition::Table(table) => &mut table.clauses,
        Definition::Index(index) => &mut index.clauses,
        Definition::View(view) => &mut view.clauses,
        Definition::Plain(plain) => &mut plain.clauses,
        Definition::VirtualTable(_) | Definition::Trigger(_) => return,
    };
    match value {
        Some("") => clauses.set_named(clause, Flag),
        Some(value) => clauses.say_named(clause, value),
        None => {
            clauses.remove_named(clause);
        }
    }
}

/// What follows COMMENT.
pub fn comment(mut reader: Reader<'_>, session: &Session) -> Parsed<Vec<StatementKind>> {
    reader.expect("ON")?;
    if reader.take(&["COLUMN"]) {
        let mut path = path(&mut reader, "table.column")?;
        let column = names::simple(&path.pop().unwrap_or_default());
        if path.is_empty() {
            return Err(reader.expected("a column with its table"));
        }
        let name = super::in_schema(path, session);
        let text = objects::comment_text(&mut reader)?;
        reader.finish()?;
        let kinds = vec![Kind::Table, Kind::View, Kind::MaterializedView, Kind::ForeignTable, Kind::Type, Kind::Index];
        return Ok(vec![amend(Subject { kinds, name }, false, move |object| {
            match &mut object.definition {
                Definition::Table(table) if table.column(&column).is_some() => {
                    let found = table.columns.iter_mut().find(|other| other.name == column).expect("just seen");
                    match &text {
                        Some(text) => found.clauses.say(clause::COMMENT, text.as_str()),
                        None => drop(found.clauses.remove(clause::COMMENT)),
                    }
                }
                // The columns of a partition or of a copy may be its parent's, which are not known yet.
                _ => say(object, &format!("comment on {}", names::quoted(column.canonical())), text.as_deref()),
            }
            Ok(())
        })]);
    }
    if reader.take(&["CONSTRAINT"]) {
        let constraint = names::simple(&identifier(&mut reader, "a constraint's name")?);
        reader.expect("ON")?;
        let domain = reader.take(&["DOMAIN"]);
        let name = own_name(&mut reader, session, "a table's name")?;
        let text = objects::comment_text(&mut reader)?;
        reader.finish()?;
        let kinds = if domain { vec![Kind::Domain] } else { vec![Kind::Table, Kind::ForeignTable] };
        return Ok(vec![amend(Subject { kinds, name }, false, move |object| {
            comment_on_constraint(object, &constraint, text.as_deref());
            Ok(())
        })]);
    }
    if ["DATABASE", "ROLE", "TABLESPACE"].iter().any(|word| reader.take(&[word])) {
        return Ok(vec![StatementKind::Session]);
    }
    if reader.take(&["LARGE", "OBJECT"]) {
        return Ok(vec![StatementKind::Session]);
    }
    let kinds = kinds(&mut reader).ok_or_else(|| reader.expected("a kind of object"))?;
    let name = subject_name(&mut reader, session, kinds)?;
    let text = objects::comment_text(&mut reader)?;
    reader.finish()?;
    // What every database has is no part of a schema under version control.
    let built_in = matches!((kinds[0], name.canonical()), (Kind::Extension, "plpgsql") | (Kind::Schema, "public"))
        || kinds[0] == Kind::Language;
    let subject = Subject { kinds: kinds.to_vec(), name: name.clone() };
    Ok(vec![amend(subject, built_in, move |object| {
        say_of_index(object, &name, "comment", text.as_deref());
        Ok(())
    })])
}

/// Says a clause of an index, which may be that of a table's constraint; of anything else, of the object itself.
pub fn say_of_index(object: &mut Object, index: &QualifiedName, clause: &str, value: Option<&str>) {
    let constraint = names::simple(&names::identifier(index));
    let clauses = match &mut object.definition {
        Definition::Table(table) if object.name != *index => constraint_clauses(table, &constraint),
        _ => return say(object, clause, value),
    };
    let clause = if clause == "comment" { "index comment" } else { clause };
    match (clauses, value) {
        (Some(clauses), Some(value)) => clauses.say_named(clause, value),
        (Some(clauses), None) => drop(clauses.remove_named(clause)),
        (None, _) => {}
    }
}

/// The clauses of the constraint of this name.
fn constraint_clauses<'t>(table: &'t mut Table, name: &Name) -> Option<&'t mut Clauses> {
    let keys = table.primary_key.iter_mut().chain(table.unique_keys.iter_mut());
    let mut clauses = keys.filter(|key| key.name == *name).map(|key| &mut key.clauses).next();
    clauses = clauses.or(table.foreign_keys.iter_mut().find(|key| key.name == *name).map(|key| &mut key.clauses));
    let checks = table.checks.iter_mut().chain(table.exclusions.iter_mut());
    clauses.or(checks.filter(|check| check.name.as_ref() == Some(name)).map(|check| &mut check.clauses).next())
}

fn comment_on_constraint(object: &mut Object, name: &Name, text: Option<&str>) {
    let Definition::Table(table) = &mut object.definition else {
        return say(object, &format!("comment on {}", names::quoted(name.canonical())), text);
    };
    match (constraint_clauses(table, name), text) {
        (Some(clauses), Some(text)) => clauses.say(clause::COMMENT, text),
        (Some(clauses), None) => drop(clauses.remove(clause::COMMENT)),
        (None, _) => say(object, &format!("comment on constraint {}", names::quoted(name.canonical())), text),
    }
}

/// What follows SECURITY LABEL.
pub fn label(mut reader: Reader<'_>, session: &Session) -> Parsed<Vec<StatementKind>> {
    let provider = if reader.take(&["FOR"]) {
        reader.take_any().map(|token| super::identifier_of(token, reader.text)).unwrap_or_default()
    } else {
        String::new()
    };
    reader.expect("ON")?;
    let (subject, column) = if reader.take(&["COLUMN"]) {
        let mut path = path(&mut reader, "table.column")?;
        let column = path.pop().unwrap_or_default();
        (Subject { kinds: vec![Kind::Table, Kind::View], name: super::in_schema(path, session) }, Some(column))
    } else {
        let Some(kinds) = kinds(&mut reader) else { return Ok(vec![StatementKind::Session]) };
        (Subject { kinds: kinds.to_vec(), name: subject_name(&mut reader, session, kinds)? }, None)
    };
    let text = objects::comment_text(&mut reader)?;
    let on = column.map_or_else(String::new, |column| format!(" on {}", names::quoted(&column)));
    Ok(vec![change_access(subject, move |object| {
        let clause = format!("label {provider}{on}");
        match &text {
            Some(text) => object.access.say_named(&clause, text.as_str()),
            None => drop(object.access.remove_named(&clause)),
        }
    })])
}

/// `OWNER TO role`.
pub fn owner(reader: &mut Reader<'_>, subject: Subject) -> Parsed<StatementKind> {
    let role = match reader.take_any() {
        Some(token) if token.kind != TokenKind::Symbol => names::quoted(&super::identifier_of(token, reader.text)),
        _ => return Err(reader.expected("a role")),
    };
    Ok(change_access(subject, move |object| object.access.say(clause::OWNER, role.as_str())))
}

/// An unknown part of an object, as a finding.
pub fn missing(what: &str, object: &Object, name: &Name) -> Box<Diagnostic> {
    Box::new(Diagnostic::new(Code::WV111, format!("{} has no {what} `{name}`", object.key())))
}
