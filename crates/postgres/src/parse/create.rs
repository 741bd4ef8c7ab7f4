//! CREATE: which kind of object, and who reads the rest.

use super::super::canonical;
use super::{
    comments, foreign, identifier, names, objects, operators, own_name, plain, policy, replication, routine, sequences,
    table,
};
use crate::clause;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Clauses, Expression, Flag, Formerly, Kind, Name, Object, ObjectKey};
use wevrun_core::parse::{ColumnSpans, Parsed, Reader, Session, StatementKind, Token, TokenKind};

pub fn create(
    mut reader: Reader<'_>,
    comments: &[Token],
    session: &mut Session,
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<Vec<StatementKind>> {
    let head = reader.position;
    let replace = reader.take(&["OR", "REPLACE"]);
    let _ = reader.take(&["GLOBAL"]) || reader.take(&["LOCAL"]);
    let temporary = reader.take(&["TEMP"]) || reader.take(&["TEMPORARY"]);
    let unlogged = reader.take(&["UNLOGGED"]);
    let reader = &mut reader;
    let mut formerly = Formerly::default();
    let mut spans = None;
    let mut if_not_exists = false;
    let mut objects: Vec<Object> = if reader.take(&["TABLE"]) || reader.take(&["FOREIGN", "TABLE"]) {
        let foreign = reader.tokens[reader.position - 2].is_word(reader.text, "FOREIGN");
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        if is_from_query(reader) {
            let name = own_name(reader, session, "the table's name")?;
            if !temporary {
                return Err(from_query(reader));
            }
            return Ok(left_out(reader, &ObjectKey::new(Kind::Table, name)));
        }
        let (table, found) = table::table(reader, session, foreign)?;
        spans = Some(found);
        vec![table]
    } else if reader.take(&["SEQUENCE"]) {
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        vec![sequences::create(reader, session)?]
    } else if reader.take(&["VIEW"]) || reader.take(&["RECURSIVE", "VIEW"]) {
        let recursive = reader.tokens[reader.position - 2].is_word(reader.text, "RECURSIVE");
        vec![objects::view(reader, session, recursive)?]
    } else if reader.take(&["MATERIALIZED", "VIEW"]) {
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        vec![objects::materialized_view(reader, session)?]
    } else if reader.sees("UNIQUE") || reader.sees("INDEX") {
        let unique = reader.take(&["UNIQUE"]);
        reader.expect("INDEX")?;
        reader.take(&["CONCURRENTLY"]);
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        vec![objects::index(reader, session, unique)?]
    } else if reader.take(&["SCHEMA"]) {
        return schema(reader, comments, session, diagnostics);
    } else if reader.take(&["EXTENSION"]) || takes_bare_language(reader) {
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        match objects::extension(reader)? {
            Some(extension) => vec![extension],
            None => return Ok(vec![StatementKind::Session]),
        }
    } else if reader.take(&["TYPE"]) {
        vec![objects::data_type(reader, session)?]
    } else if reader.take(&["DOMAIN"]) {
        vec![objects::domain(reader, session)?]
    } else if reader.take(&["FUNCTION"]) {
        vec![routine::routine(reader, session, Kind::Function)?]
    } else if reader.take(&["PROCEDURE"]) {
        vec![routine::routine(reader, session, Kind::Procedure)?]
    } else if reader.take(&["AGGREGATE"]) {
        vec![routine::aggregate(reader, session)?]
    } else if reader.sees("TRIGGER") || (reader.sees("CONSTRAINT") && reader.sees_at(1, "TRIGGER")) {
        vec![objects::trigger(reader, session)?]
    } else if reader.take(&["EVENT", "TRIGGER"]) {
        vec![objects::event_trigger(reader)?]
    } else if reader.take(&["RULE"]) {
        vec![objects::rule(reader, session)?]
    } else if reader.take(&["POLICY"]) {
        vec![policy::create(reader, session)?]
    } else if reader.take(&["COLLATION"]) {
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        vec![objects::defined(reader, session, Kind::Collation)?]
    } else if reader.take(&["OPERATOR", "CLASS"]) {
        operators::operator_class(reader, session)?
    } else if reader.take(&["OPERATOR", "FAMILY"]) {
        vec![operators::operator_family(reader, session)?]
    } else if reader.take(&["OPERATOR"]) {
        vec![operators::operator(reader, session)?]
    } else if reader.take(&["CAST"]) {
        vec![operators::cast(reader)?]
    } else if reader.take(&["TRANSFORM"]) {
        vec![operators::transform(reader)?]
    } else if reader.take(&["CONVERSION"]) || reader.take(&["DEFAULT", "CONVERSION"]) {
        let default = reader.tokens[reader.position - 2].is_word(reader.text, "DEFAULT");
        let name = own_name(reader, session, "the conversion's name")?;
        let mut clauses = Clauses::default();
        clauses.set(clause::DEFINITION, objects::remainder(reader)?);
        if default {
            clauses.set_text(clause::DEFAULT, "");
        }
        vec![plain(reader, Kind::Conversion, name, None, clauses)]
    } else if reader.take(&["TEXT", "SEARCH"]) {
        const KINDS: [(&str, Kind); 4] = [
            ("CONFIGURATION", Kind::TextSearchConfiguration),
            ("DICTIONARY", Kind::TextSearchDictionary),
            ("PARSER", Kind::TextSearchParser),
            ("TEMPLATE", Kind::TextSearchTemplate),
        ];
        let found = KINDS.into_iter().find(|(word, _)| reader.take(&[word]));
        let (_, kind) = found.ok_or_else(|| reader.expected("CONFIGURATION, DICTIONARY, PARSER or TEMPLATE"))?;
        vec![objects::defined(reader, session, kind)?]
    } else if reader.take(&["STATISTICS"]) {
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        vec![objects::statistics(reader, session)?]
    } else if reader.take(&["PUBLICATION"]) {
        vec![replication::publication(reader, session)?]
    } else if reader.take(&["SUBSCRIPTION"]) {
        vec![replication::subscription(reader)?]
    } else if let Some(kind) = global_kind(reader) {
        vec![objects::global(reader, kind)?]
    } else if reader.take(&["FOREIGN", "DATA", "WRAPPER"]) {
        vec![foreign::object(reader, Kind::ForeignDataWrapper)?]
    } else if reader.take(&["SERVER"]) {
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        vec![foreign::object(reader, Kind::Server)?]
    } else if reader.take(&["USER", "MAPPING"]) {
        if_not_exists |= reader.take(&["IF", "NOT", "EXISTS"]);
        vec![foreign::user_mapping(reader)?]
    } else if ["ROLE", "USER", "GROUP", "DATABASE", "TABLESPACE"].iter().any(|word| reader.take(&[word])) {
        let what = reader.tokens[reader.position - 1].text(reader.text).to_lowercase();
        let whole = reader.location(0..reader.tokens.len());
        let note = Diagnostic::new(
            Code::WV008,
            format!("a {what} belongs to the whole server, so it is no part of a database's schema"),
        )
        .at(whole, "left out of the snapshot");
        return Ok(vec![StatementKind::Aside { note: Box::new(note), temporary: None, runs_code: false }]);
    } else {
        reader.position = head;
        return Err(unknown_kind(reader));
    };
    reader.finish()?;
    let temporary = temporary || names::schema(&objects[0].name).as_deref() == Some("pg_temp");
    if temporary {
        return Ok(left_out(reader, &objects[0].key()));
    }
    let whole = reader.location(0..reader.tokens.len());
    objects.iter_mut().for_each(|object| foreign::left_out(object, whole, diagnostics));
    let spans = spans.or_else(|| label_spans(reader, &objects[0]));
    comments::formerly(reader, comments, spans.as_ref(), &objects[0], &mut formerly, diagnostics);
    objects[0].formerly = formerly;
    if unlogged {
        for object in &mut objects {
            match &mut object.definition {
                wevrun_core::model::Definition::Table(table) => table.clauses.set(clause::UNLOGGED, Flag),
                wevrun_core::model::Definition::Plain(plain) => plain.clauses.set(clause::UNLOGGED, Flag),
                _ => {}
            }
        }
    }
    for object in &mut objects {
        let first = super::first_schema(session);
        if canonical::home_schema(object) != first {
            object.names_in = Some(first.into());
        }
    }
    let created = objects.into_iter().map(|object| StatementKind::Create {
        // The family that a class makes for itself may be there by now.
        if_not_exists: if_not_exists || object.text.is_empty() && object.definition.kind() == Kind::OperatorFamily,
        object: Box::new(object),
        or_replace: replace,
    });
    Ok(created.collect())
}

/// Where the labels of an enumeration stand.
fn label_spans(reader: &Reader<'_>, object: &Object) -> Option<ColumnSpans> {
    let wevrun_core::model::Definition::Plain(plain) = &object.definition else { return None };
    if !plain.clauses.has(clause::ENUM) {
        return None;
    }
    let symbol = |wanted: &str| reader.tokens.iter().position(|token| token.is_symbol(reader.text, wanted));
    let (open, close) = (symbol("(")?, symbol(")")?);
    let labels = reader.tokens[open..close].iter().filter(|token| token.kind == TokenKind::Text);
    let columns =
        labels.map(|token| (Name::new(token.text(reader.text), token.text(reader.text)), token.start)).collect();
    Some(ColumnSpans { open: reader.tokens[open].start, close: reader.tokens[close].start, columns })
}

/// Something temporary.
fn left_out(reader: &Reader<'_>, what: &ObjectKey) -> Vec<StatementKind> {
    let whole = reader.location(0..reader.tokens.len());
    let message = format!("{what} is temporary, so it is no part of the schema");
    let note = Diagnostic::new(Code::WV008, message).at(whole, "left out of the snapshot");
    vec![StatementKind::Aside { note: Box::new(note), temporary: Some(what.name.clone()), runs_code: false }]
}

/// A language without a handler is the extension of that name
/// (<https://www.postgresql.org/docs/current/sql-createlanguage.html>).
fn takes_bare_language(reader: &mut Reader<'_>) -> bool {
    let start = reader.position;
    let bare = global_kind(reader) == Some(Kind::Language) && reader.position + 1 == reader.tokens.len();
    if !bare {
        reader.position = start;
    }
    bare
}

fn global_kind(reader: &mut Reader<'_>) -> Option<Kind> {
    const KINDS: [(&[&str], Kind); 5] = [
        (&["ACCESS", "METHOD"], Kind::AccessMethod),
        (&["LANGUAGE"], Kind::Language),
        (&["TRUSTED", "LANGUAGE"], Kind::Language),
        (&["PROCEDURAL", "LANGUAGE"], Kind::Language),
        (&["TRUSTED", "PROCEDURAL", "LANGUAGE"], Kind::Language),
    ];
    KINDS.into_iter().find(|(words, _)| reader.take(words)).map(|(_, kind)| kind)
}

/// Whether CREATE TABLE takes its columns from a query.
fn is_from_query(reader: &Reader<'_>) -> bool {
    let mut depth = 0;
    let mut previous = "";
    for token in &reader.tokens[reader.position..] {
        let text = token.text(reader.text);
        depth += i32::from(text == "(") - i32::from(text == ")");
        if depth == 0 && token.is_word(reader.text, "AS") && !previous.eq_ignore_ascii_case("always") {
            return true;
        }
        previous = text;
    }
    false
}

fn from_query(reader: &Reader<'_>) -> Box<Diagnostic> {
    Box::new(
        Diagnostic::new(Code::WV006, "CREATE TABLE … AS can't be used here")
            .at(reader.location(0..2), "takes its columns from a query")
            .help("write the columns out: CREATE TABLE name (column type, …)"),
    )
}

fn unknown_kind(reader: &Reader<'_>) -> Box<Diagnostic> {
    let word = reader.peek().map_or("nothing", |token| token.text(reader.text));
    let shown = &word[..word.floor_char_boundary(40)];
    const KINDS: [&str; 14] = [
        "TABLE",
        "INDEX",
        "VIEW",
        "SEQUENCE",
        "TYPE",
        "DOMAIN",
        "FUNCTION",
        "PROCEDURE",
        "TRIGGER",
        "SCHEMA",
        "EXTENSION",
        "POLICY",
        "MATERIALIZED",
        "UNIQUE",
    ];
    Box::new(
        Diagnostic::new(Code::WV004, format!("PostgreSQL has no CREATE {shown}"))
            .at(reader.location(0..(reader.position + 1).min(reader.tokens.len())), "not a kind of object")
            .suggest(shown, KINDS),
    )
}

/// CREATE SCHEMA, with the elements that may follow it.
fn schema(
    reader: &mut Reader<'_>,
    comments: &[Token],
    session: &Session,
    diagnostics: &mut Vec<Diagnostic>,
) -> Parsed<Vec<StatementKind>> {
    let if_not_exists = reader.take(&["IF", "NOT", "EXISTS"]);
    let mut name = if reader.sees("AUTHORIZATION") { String::new() } else { identifier(reader, "the schema's name")? };
    let mut owner = None;
    if reader.take(&["AUTHORIZATION"]) {
        let role = identifier(reader, "a role")?;
        if name.is_empty() {
            name.clone_from(&role);
        }
        owner = Some(role);
    }
    let head = reader.position;
    let mut object = plain(reader, Kind::Schema, names::global(&name), None, Clauses::default());
    if let Some(owner) = owner {
        object.access.set(clause::OWNER, Expression::plain(names::quoted(&owner)));
    }
    let mut formerly = Formerly::default();
    comments::formerly(reader, comments, None, &object, &mut formerly, diagnostics);
    object.formerly = formerly;
    let mut kinds = Vec::new();
    // Older dumps create the schema that every database has.
    if name != "public" {
        kinds.push(StatementKind::Create { object: Box::new(object), if_not_exists, or_replace: false });
    }
    let mut inside = Session {
        path: [name.as_str().into()].into_iter().chain(session.path.iter().cloned()).collect(),
        ..session.clone()
    };
    let mut start = head;
    while start < reader.tokens.len() {
        let mut depth = 0;
        let next = (start + 1..reader.tokens.len()).find(|index| {
            let token = reader.tokens[*index];
            depth += i32::from(token.is_symbol(reader.text, "(")) - i32::from(token.is_symbol(reader.text, ")"));
            depth == 0 && (token.is_word(reader.text, "CREATE") || token.is_word(reader.text, "GRANT"))
        });
        let end = next.unwrap_or(reader.tokens.len());
        let element = Reader { tokens: &reader.tokens[start..end], position: 0, ..reader.clone() };
        kinds.extend(super::statement(element, &[], &mut inside, diagnostics)?);
        start = end;
    }
    Ok(kinds)
}
