//! What a statement is about, and COMMENT, SECURITY LABEL, OWNER.

use std::sync::Arc;

use super::{identifier, names, objects, operators, own_name, path, routine};
use crate::change::{AccessChange, Change, GrantedOnly, ObjectChange};
use crate::clause;
use wevrun_core::change::{self, ClauseChanges};
use wevrun_core::model::{Expression, Kind, QualifiedName};
use wevrun_core::parse::{Alter, Grant, Parsed, Reader, Session, StatementKind, TokenKind};

/// An object that exists, as `TABLE hives` or `FUNCTION weigh(integer)` or `TRIGGER touch ON hives` names it.
pub struct Subject {
    /// The kinds that the words may mean.
    pub kinds: Vec<Kind>,
    /// The object.
    pub name: QualifiedName,
}

impl Subject {
    /// A table.
    pub fn table(name: QualifiedName) -> Subject {
        Subject { kinds: vec![Kind::Table, Kind::ForeignTable], name }
    }

    /// A change of it.
    pub fn alter(self, if_exists: bool, change: Change) -> StatementKind {
        let Subject { kinds, name } = self;
        let change = change::Change::Engine(Arc::new(change));
        StatementKind::Alter(Box::new(Alter { kinds, name, new_name: None, if_exists, change }))
    }

    /// A change that gives it another name.
    pub fn rename(self, new_name: QualifiedName, if_exists: bool, change: Change) -> StatementKind {
        let Subject { kinds, name } = self;
        let change = change::Change::Engine(Arc::new(change));
        StatementKind::Alter(Box::new(Alter { kinds, name, new_name: Some(new_name), if_exists, change }))
    }
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
            names::on_table(&name, &own_name(reader, session, "a table's name")?)
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

/// A change of an object's clauses.
pub fn set_clauses(subject: Subject, if_exists: bool, changes: ClauseChanges) -> StatementKind {
    subject.alter(if_exists, Change::Object(ObjectChange::Clauses(changes)))
}

/// A change of an object's owner, privileges or labels. Those of the schema that every database has are kept apart.
pub fn change_access(subject: Subject, change: AccessChange) -> StatementKind {
    if subject.kinds == [Kind::Schema] && subject.name.canonical() == "public" {
        let change = Arc::new(GrantedOnly { object: super::public_schema(), change });
        return StatementKind::Grant(Grant { of_many: false, change });
    }
    subject.alter(true, Change::Access(change))
}

/// The text after COMMENT.
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
        let change = ObjectChange::CommentOnColumn(column, text);
        return Ok(vec![Subject { kinds, name }.alter(false, Change::Object(change))]);
    }
    if reader.take(&["CONSTRAINT"]) {
        let constraint = names::simple(&identifier(&mut reader, "a constraint's name")?);
        reader.expect("ON")?;
        let domain = reader.take(&["DOMAIN"]);
        let name = own_name(&mut reader, session, "a table's name")?;
        let text = objects::comment_text(&mut reader)?;
        reader.finish()?;
        let kinds = if domain { vec![Kind::Domain] } else { vec![Kind::Table, Kind::ForeignTable] };
        let change = ObjectChange::CommentOnConstraint(constraint, text);
        return Ok(vec![Subject { kinds, name }.alter(false, Change::Object(change))]);
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
    let mut changes = ClauseChanges::default();
    changes.change(clause::COMMENT, text.map(Expression::plain));
    let change = ObjectChange::IndexClauses { index: name.clone(), changes };
    Ok(vec![Subject { kinds: kinds.to_vec(), name }.alter(built_in, Change::Object(change))])
}

/// The text after SECURITY LABEL.
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
    let mut changes = ClauseChanges::default();
    changes.change(clause::LABEL.of(&format!("{provider}{on}")), text.map(Expression::plain));
    Ok(vec![change_access(subject, AccessChange::Clauses(changes))])
}

/// `OWNER TO role`.
pub fn owner(reader: &mut Reader<'_>, subject: Subject) -> Parsed<StatementKind> {
    let role = match reader.take_any() {
        Some(token) if token.kind != TokenKind::Symbol => names::quoted(&super::identifier_of(token, reader.text)),
        _ => return Err(reader.expected("a role")),
    };
    let mut changes = ClauseChanges::default();
    changes.set_text(clause::OWNER, role);
    Ok(change_access(subject, AccessChange::Clauses(changes)))
}
