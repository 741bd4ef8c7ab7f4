//! CREATE of everything but tables and routines.

use crate::clause;
use std::ops::Range;

use super::{
    after_keyword, column_list, data_type as read_type, definitions, expression, identifier, names, object, own_name,
    path, plain, reference, rest, run, storage_parameters, text_or_null, whole,
};
use super::{constraints, table};
use wevrun_core::model::{
    Beside, Clauses, Definition, Expression, Flag, Index, IndexPart, Kind, Name, Object, QualifiedName, View, is,
};
use wevrun_core::parse::{Parsed, Reader, Session, TokenKind};

/// The rest of the statement, kept whole.
pub fn remainder(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let range = rest(reader, "the rest of the definition")?;
    Ok(whole(reader, range))
}

fn view_columns(reader: &mut Reader<'_>) -> Parsed<Vec<Name>> {
    if reader.sees_symbol("(") { column_list(reader) } else { Ok(Vec::new()) }
}

/// The text after CREATE VIEW.
pub fn view(reader: &mut Reader<'_>, session: &Session, recursive: bool) -> Parsed<Object> {
    let name = own_name(reader, session, "the view's name")?;
    let columns = view_columns(reader)?;
    let mut clauses = Clauses::default();
    if reader.take(&["WITH"]) {
        storage_parameters(reader, &mut clauses)?;
    }
    reader.expect("AS")?;
    let mut range = rest(reader, "a query")?;
    for (words, check) in [
        (&["WITH", "CASCADED", "CHECK", "OPTION"][..], "cascaded"),
        (&["WITH", "LOCAL", "CHECK", "OPTION"], "local"),
        (&["WITH", "CHECK", "OPTION"], "cascaded"),
    ] {
        let start = range.end.saturating_sub(words.len());
        let fits = words.iter().enumerate().all(|(ahead, word)| {
            reader.tokens.get(start + ahead).is_some_and(|token| token.is_word(reader.text, word))
        });
        if fits && start > range.start {
            range.end = start;
            clauses.set_text(clause::WITH_CHECK_OPTION, check);
            break;
        }
    }
    let mut query = expression(reader, range);
    if recursive {
        let list: Vec<String> = columns.iter().map(|column| names::quoted(column.canonical())).collect();
        let own = names::quoted(&names::identifier(&name));
        let list = list.join(", ");
        query = Expression::plain(format!(
            "WITH RECURSIVE {own} ({list}) AS ({}) SELECT {list} FROM {own}",
            query.written()
        ));
    }
    Ok(object(reader, name, Definition::View(View { columns, query, clauses, unpopulated: Beside(false) })))
}

/// The text after CREATE MATERIALIZED VIEW.
pub fn materialized_view(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = own_name(reader, session, "the view's name")?;
    let columns = view_columns(reader)?;
    let mut clauses = Clauses::default();
    clauses.set_text(is::MATERIALIZED, "");
    loop {
        if let Some(method) = after_keyword(reader, &["USING"], "a table access method")? {
            if method != "heap" {
                clauses.set_text(clause::USING, method);
            }
        } else if reader.take(&["WITH"]) {
            storage_parameters(reader, &mut clauses)?;
        } else if let Some(space) = after_keyword(reader, &["TABLESPACE"], "a tablespace")? {
            clauses.set_text(clause::TABLESPACE, space);
        } else {
            break;
        }
    }
    reader.expect("AS")?;
    let mut range = rest(reader, "a query")?;
    let mut unpopulated = false;
    for words in [&["WITH", "NO", "DATA"][..], &["WITH", "DATA"]] {
        let start = range.end.saturating_sub(words.len());
        let fits = |(ahead, word): (usize, &&str)| reader.tokens[start + ahead].is_word(reader.text, word);
        if start > range.start && words.iter().enumerate().all(fits) {
            range.end = start;
            unpopulated = words.len() == 3;
            break;
        }
    }
    let query = expression(reader, range);
    Ok(object(reader, name, Definition::View(View { columns, query, clauses, unpopulated: Beside(unpopulated) })))
}

/// The text after `CREATE [UNIQUE] INDEX`.
pub fn index(reader: &mut Reader<'_>, session: &Session, unique: bool) -> Parsed<Object> {
    let given = if reader.sees("ON") { None } else { Some(identifier(reader, "the index's name")?) };
    if given.is_some() && reader.take_symbol(".") {
        identifier(reader, "the index's name")?;
    }
    reader.expect("ON")?;
    let mut clauses = Clauses::default();
    if reader.take(&["ONLY"]) {
        clauses.set(clause::ONLY, Flag);
    }
    let table = own_name(reader, session, "the table's name")?;
    if let Some(method) = after_keyword(reader, &["USING"], "an index method")?
        && method != "btree"
    {
        // The server takes gist for it (`DefineIndex()` of indexcmds.c).
        clauses.set_text(clause::USING, if method == "rtree" { "gist" } else { method.as_str() });
    }
    let parts = index_parts(reader)?;
    if reader.take(&["INCLUDE"]) {
        let columns = column_list(reader)?;
        let columns: Vec<String> = columns.iter().map(|column| names::quoted(column.canonical())).collect();
        clauses.set_text(clause::INCLUDE, columns.join(", "));
    }
    if constraints::nulls_not_distinct(reader) {
        clauses.set(clause::NULLS_NOT_DISTINCT, Flag);
    }
    if reader.take(&["WITH"]) {
        storage_parameters(reader, &mut clauses)?;
    }
    if let Some(space) = after_keyword(reader, &["TABLESPACE"], "a tablespace")? {
        clauses.set_text(clause::TABLESPACE, space);
    }
    let predicate = if reader.take(&["WHERE"]) {
        let range = rest(reader, "a condition")?;
        Some(expression(reader, range))
    } else {
        None
    };
    let schema = names::schema(&table).unwrap_or_else(|| "public".to_owned());
    let name = given.map_or_else(|| QualifiedName::plain(Name::none()), |given| names::qualified(&schema, &given));
    Ok(object(reader, name, Definition::Index(Index { table, unique, parts, predicate, clauses })))
}

fn index_parts(reader: &mut Reader<'_>) -> Parsed<Vec<IndexPart>> {
    reader.expect_symbol("(")?;
    let mut parts = Vec::new();
    loop {
        parts.push(index_part(reader)?);
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    Ok(parts)
}

/// `(name COLLATE "C")` is a column: the server takes collations away before it looks (`ComputeIndexAttrs()` of indexcmds.c).
fn collated_column(reader: &mut Reader<'_>) -> Option<(Range<usize>, Option<QualifiedName>)> {
    let mut ahead = reader.clone();
    ahead.expect_symbol("(").ok()?;
    let start = ahead.position;
    path(&mut ahead, "a column").ok()?;
    let column = start..ahead.position;
    let collation = ahead.take(&["COLLATE"]).then(|| path(&mut ahead, "a collation's name"))?.ok()?;
    ahead.expect_symbol(")").ok()?;
    reader.position = ahead.position;
    Some((column, table::collation(&collation)))
}

fn index_part(reader: &mut Reader<'_>) -> Parsed<IndexPart> {
    let start = reader.position;
    let (range, collation) = if let Some(column) = collated_column(reader) {
        column
    } else {
        if !reader.sees_symbol("(") {
            path(reader, "a column or an expression")?;
        }
        if reader.sees_symbol("(") {
            reader.parenthesised()?;
        }
        (start..reader.position, None)
    };
    let expression = expression(reader, range);
    let mut part = IndexPart { expression, collation, descending: false, clauses: Clauses::default() };
    if reader.take(&["COLLATE"]) {
        part.collation = table::collation(&path(reader, "a collation's name")?);
    }
    let ends = ["ASC", "DESC", "NULLS"];
    if !reader.at_end()
        && !reader.sees_symbol(",")
        && !reader.sees_symbol(")")
        && !ends.iter().any(|word| reader.sees(word))
    {
        let class = reference(reader, "an operator class")?;
        part.clauses.set(clause::OPERATOR_CLASS, Expression::new(without_catalogue(&class), class.canonical()));
        if reader.sees_symbol("(") {
            let parameters = definitions(reader)?;
            let words: Vec<String> = parameters
                .into_iter()
                .map(|(key, value)| {
                    format!("{key}={}", value.map_or_else(|| "true".to_owned(), |value| value.canonical))
                })
                .collect();
            part.clauses.set_text(clause::OPERATOR_CLASS_PARAMETERS, words.join(", "));
        }
    }
    if reader.take(&["DESC"]) {
        part.descending = true;
    } else {
        reader.take(&["ASC"]);
    }
    // The default is that NULLs come last, or first where the order is descending.
    if reader.take(&["NULLS", "FIRST"]) {
        if !part.descending {
            part.clauses.set_text(clause::NULLS, "first");
        }
    } else if reader.take(&["NULLS", "LAST"]) && part.descending {
        part.clauses.set_text(clause::NULLS, "last");
    }
    Ok(part)
}

/// A name as it is written where the engine's own objects are found without their schema.
fn without_catalogue(name: &QualifiedName) -> String {
    name.canonical().strip_prefix("pg_catalog.").unwrap_or(name.canonical()).to_owned()
}

/// The text after CREATE EXTENSION; none for the one that every database has.
pub fn extension(reader: &mut Reader<'_>) -> Parsed<Option<Object>> {
    let name = identifier(reader, "the extension's name")?;
    reader.take(&["WITH"]);
    let mut clauses = Clauses::default();
    loop {
        if let Some(schema) = after_keyword(reader, &["SCHEMA"], "a schema")? {
            clauses.set_text(clause::SCHEMA, names::quoted(&schema));
        } else if reader.take(&["VERSION"]) || reader.take(&["FROM"]) {
            reader.take_any();
        } else if !reader.take(&["CASCADE"]) {
            break;
        }
    }
    if name == "plpgsql" {
        return Ok(None);
    }
    Ok(Some(plain(reader, Kind::Extension, names::global(&name), None, clauses)))
}

/// The text after CREATE TYPE.
pub fn data_type(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = own_name(reader, session, "the type's name")?;
    let mut clauses = Clauses::default();
    if reader.take(&["AS", "ENUM"]) {
        let inner = reader.parenthesised()?;
        clauses.set(clause::ENUM, whole(reader, inner));
    } else if reader.take(&["AS", "RANGE"]) {
        for (key, value) in definitions(reader)? {
            clauses.set(clause::RANGE.of(&key), value.unwrap_or_else(|| Expression::plain("")));
        }
        if !clauses.has(clause::RANGE_SUBTYPE) {
            return Err(reader.expected("a subtype"));
        }
    } else if reader.take(&["AS"]) {
        reader.expect_symbol("(")?;
        let mut attributes = Vec::new();
        while !reader.sees_symbol(")") {
            let name = identifier(reader, "an attribute's name")?;
            let data_type = read_type(reader)?;
            let collation =
                if reader.take(&["COLLATE"]) { table::collation(&path(reader, "a collation")?) } else { None };
            let collation = collation.map_or_else(String::new, |collation| format!(" COLLATE {collation}"));
            attributes.push(format!("{} {}{collation}", names::quoted(&name), data_type.canonical));
            if !reader.take_symbol(",") {
                break;
            }
        }
        reader.expect_symbol(")")?;
        clauses.set_text(clause::ATTRIBUTES, attributes.join(", "));
    } else if reader.sees_symbol("(") {
        for (key, value) in definitions(reader)? {
            clauses.set(clause::BASE.of(&key), value.unwrap_or_else(|| Expression::plain("true")));
        }
    } else {
        clauses.set(clause::SHELL, Flag);
    }
    Ok(plain(reader, Kind::Type, name, None, clauses))
}

/// The text after CREATE DOMAIN.
pub fn domain(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = own_name(reader, session, "the domain's name")?;
    reader.take(&["AS"]);
    let mut clauses = Clauses::default();
    clauses.set(clause::AS, read_type(reader)?);
    while !reader.at_end() {
        let constraint = constraints::constraint_name(reader)?;
        domain_constraint(reader, &name, constraint, &mut clauses)?;
    }
    Ok(plain(reader, Kind::Domain, name, None, clauses))
}

/// One property or constraint of a domain.
pub fn domain_constraint(
    reader: &mut Reader<'_>,
    domain: &QualifiedName,
    name: Option<Name>,
    clauses: &mut Clauses,
) -> Parsed<()> {
    if reader.take(&["NOT", "NULL"]) {
        clauses.set(clause::NOT_NULL, Flag);
    } else if reader.take(&["NULL"]) {
    } else if reader.take(&["COLLATE"]) {
        if let Some(collation) = table::collation(&path(reader, "a collation's name")?) {
            clauses.set_text(clause::COLLATE, collation.canonical());
        }
    } else if reader.take(&["DEFAULT"]) {
        let range = run(reader, "an expression", |reader| {
            ["CONSTRAINT", "NOT", "NULL", "CHECK", "COLLATE"].iter().any(|word| reader.sees(word))
        })?;
        clauses.set(clause::DEFAULT, expression(reader, range));
    } else if reader.take(&["CHECK"]) {
        let check = constraints::check(reader, name)?;
        let name = check.name.map_or_else(
            || names::first_free(&names::identifier(domain), "", "check", |name| clauses.has(clause::CHECK.of(name))),
            |name| name.canonical().to_owned(),
        );
        clauses.set(clause::CHECK.of(&name), check.condition);
        if check.clauses.has(clause::NOT_VALID) {
            clauses.set_text(clause::NOT_VALID_CHECK.of(&name), "");
        }
    } else {
        return Err(reader.expected("a constraint of a domain"));
    }
    Ok(())
}

/// `CREATE [CONSTRAINT] TRIGGER`.
pub fn trigger(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let constraint = reader.take(&["CONSTRAINT"]);
    reader.expect("TRIGGER")?;
    let name = identifier(reader, "the trigger's name")?;
    let mut clauses = Clauses::default();
    let timing = [(&["BEFORE"][..], "before"), (&["AFTER"], "after"), (&["INSTEAD", "OF"], "instead of")];
    let timing = timing.into_iter().find(|(words, _)| reader.take(words)).map(|(_, timing)| timing);
    clauses.set_text(clause::TIMING, timing.ok_or_else(|| reader.expected("BEFORE, AFTER or INSTEAD OF"))?);
    // The server lists them in this order.
    let (mut insert, mut delete, mut update, mut truncate) = (false, false, false, false);
    loop {
        if reader.take(&["INSERT"]) {
            insert = true;
        } else if reader.take(&["DELETE"]) {
            delete = true;
        } else if reader.take(&["TRUNCATE"]) {
            truncate = true;
        } else {
            reader.expect("UPDATE")?;
            update = true;
            let mut columns = Vec::new();
            if reader.take(&["OF"]) {
                columns.push(names::simple(&identifier(reader, "a column's name")?));
                while reader.take_symbol(",") {
                    columns.push(names::simple(&identifier(reader, "a column's name")?));
                }
                clauses.set(clause::UPDATE_OF, columns);
            }
        }
        if !reader.take(&["OR"]) {
            break;
        }
    }
    let events = [(insert, "insert"), (delete, "delete"), (update, "update"), (truncate, "truncate")];
    let events = events.into_iter().filter(|(fires, _)| *fires).map(|(_, event)| event);
    clauses.set_text(clause::EVENTS, events.collect::<Vec<_>>().join(" or "));
    reader.expect("ON")?;
    let table = own_name(reader, session, "the table's name")?;
    if constraint {
        clauses.set(clause::CONSTRAINT, Flag);
    }
    loop {
        if reader.take(&["FROM"]) {
            clauses.set_text(clause::FROM, reference(reader, "a table's name")?.canonical());
        } else if reader.take(&["DEFERRABLE"]) {
            clauses.set_text(clause::DEFERRABLE, "");
        } else if reader.take(&["INITIALLY", "DEFERRED"]) {
            clauses.set_text(clause::DEFERRABLE, "initially deferred");
        } else if reader.take(&["NOT", "DEFERRABLE"]) || reader.take(&["INITIALLY", "IMMEDIATE"]) {
        } else if reader.take(&["REFERENCING"]) {
            while reader.sees("NEW") || reader.sees("OLD") {
                let which = if reader.take(&["NEW"]) {
                    "new table"
                } else {
                    reader.take(&["OLD"]);
                    "old table"
                };
                reader.expect("TABLE")?;
                reader.take(&["AS"]);
                clauses.set_text_named(which, names::quoted(&identifier(reader, "a name")?));
            }
        } else if reader.take(&["FOR"]) {
            reader.take(&["EACH"]);
            if reader.take(&["ROW"]) {
                clauses.set_text(clause::FOR_EACH, "row");
            } else {
                reader.expect("STATEMENT")?;
            }
        } else if reader.take(&["WHEN"]) {
            let inner = reader.parenthesised()?;
            clauses.set(clause::WHEN, expression(reader, inner));
        } else {
            break;
        }
    }
    reader.expect("EXECUTE")?;
    let _ = reader.take(&["FUNCTION"]) || reader.take(&["PROCEDURE"]);
    let function = reference(reader, "a function's name")?;
    let inner = reader.parenthesised()?;
    // Arguments are texts, whatever they are written as.
    let arguments: Vec<String> = reader.tokens[inner]
        .iter()
        .filter(|token| !token.is_symbol(reader.text, ","))
        .map(|token| match token.kind {
            TokenKind::Text => super::super::tokens::literal(&super::identifier_of(*token, reader.text)),
            TokenKind::Word => super::super::tokens::literal(&names::folded(token.text(reader.text))),
            _ => super::super::tokens::literal(token.text(reader.text)),
        })
        .collect();
    clauses.set_text(clause::FUNCTION, function.canonical());
    if !arguments.is_empty() {
        clauses.set_text(clause::ARGUMENTS, arguments.join(", "));
    }
    Ok(plain(reader, Kind::Trigger, names::on_table(&name, &table), Some(table), clauses))
}

/// The text after CREATE EVENT TRIGGER.
pub fn event_trigger(reader: &mut Reader<'_>) -> Parsed<Object> {
    let name = names::global(&identifier(reader, "the trigger's name")?);
    reader.expect("ON")?;
    let mut clauses = Clauses::default();
    clauses.set_text(clause::ON, identifier(reader, "an event")?);
    if reader.take(&["WHEN"]) {
        let range = run(reader, "a filter", |reader| reader.sees("EXECUTE"))?;
        clauses.set(clause::WHEN, whole(reader, range));
    }
    reader.expect("EXECUTE")?;
    let _ = reader.take(&["FUNCTION"]) || reader.take(&["PROCEDURE"]);
    clauses.set_text(clause::FUNCTION, reference(reader, "a function's name")?.canonical());
    reader.parenthesised()?;
    Ok(plain(reader, Kind::EventTrigger, name, None, clauses))
}

/// The text after CREATE RULE.
pub fn rule(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let name = identifier(reader, "the rule's name")?;
    reader.expect("AS")?;
    reader.expect("ON")?;
    let mut clauses = Clauses::default();
    clauses.set_text(clause::ON, identifier(reader, "an event")?);
    reader.expect("TO")?;
    let table = own_name(reader, session, "the table's name")?;
    if reader.take(&["WHERE"]) {
        let range = run(reader, "a condition", |reader| reader.sees("DO"))?;
        clauses.set(clause::WHERE, expression(reader, range));
    }
    reader.expect("DO")?;
    if reader.take(&["INSTEAD"]) {
        clauses.set(clause::INSTEAD, Flag);
    } else {
        reader.take(&["ALSO"]);
    }
    let range = rest(reader, "what the rule does")?;
    let inner = super::without_parentheses(reader, range);
    clauses.set(clause::DO, Expression::plain(reader.written(inner)));
    Ok(plain(reader, Kind::Rule, names::on_table(&name, &table), Some(table), clauses))
}

/// `name (key = value, …)` or `name FROM other`: collations and text search objects.
pub fn defined(reader: &mut Reader<'_>, session: &Session, kind: Kind) -> Parsed<Object> {
    let name = own_name(reader, session, "a name")?;
    let mut clauses = Clauses::default();
    if reader.take(&["FROM"]) {
        clauses.set_text(clause::FROM, reference(reader, "what is copied")?.canonical());
    } else {
        for (key, value) in definitions(reader)? {
            clauses.set(clause::WITH.of(&key), value.unwrap_or_else(|| Expression::plain("true")));
        }
    }
    Ok(plain(reader, kind, name, None, clauses))
}

/// The text after CREATE STATISTICS.
pub fn statistics(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let nameless = reader.sees("ON") || reader.sees_symbol("(");
    let name = if nameless { QualifiedName::plain(Name::none()) } else { own_name(reader, session, "a name")? };
    let mut clauses = Clauses::default();
    if reader.sees_symbol("(") {
        let inner = reader.parenthesised()?;
        let mut kinds: Vec<String> = reader.tokens[inner]
            .iter()
            .filter(|token| token.kind == TokenKind::Word)
            .map(|token| token.text(reader.text).to_ascii_lowercase())
            .collect();
        kinds.sort();
        if kinds != ["dependencies", "mcv", "ndistinct"] {
            clauses.set_text(clause::KINDS, kinds.join(", "));
        }
    }
    reader.expect("ON")?;
    let range = run_to_from(reader)?;
    clauses.set(clause::ON, whole(reader, range));
    reader.expect("FROM")?;
    let table = own_name(reader, session, "the table's name")?;
    Ok(plain(reader, Kind::Statistics, name, Some(table), clauses))
}

fn run_to_from(reader: &mut Reader<'_>) -> Parsed<std::ops::Range<usize>> {
    let start = reader.position;
    let mut depth = 0;
    while let Some(token) = reader.peek() {
        if depth == 0 && reader.sees("FROM") {
            break;
        }
        depth += i32::from(token.is_symbol(reader.text, "(")) - i32::from(token.is_symbol(reader.text, ")"));
        reader.position += 1;
    }
    Ok(start..reader.position)
}

/// `name` and then whatever the kind has, kept whole: languages, access methods.
pub fn global(reader: &mut Reader<'_>, kind: Kind) -> Parsed<Object> {
    let name = names::global(&identifier(reader, "a name")?);
    let mut clauses = Clauses::default();
    if !reader.at_end() {
        clauses.set(clause::DEFINITION, whole(reader, reader.position..reader.tokens.len()));
        reader.position = reader.tokens.len();
    }
    Ok(plain(reader, kind, name, None, clauses))
}

/// The canonical form of a type's name that stands alone in a text.
pub fn canonical_type(text: &str) -> String {
    if let Some(usual) = super::types::usual(text) {
        return usual.to_owned();
    }
    let (tokens, _) = wevrun_core::parse::token::tokenize(super::super::tokens::rules(), text, 0);
    let mut reader = Reader { text, tokens: &tokens, position: 0, source: 0 };
    super::types::type_name(&mut reader).unwrap_or_else(|_| text.to_owned())
}

/// A comment's text, for COMMENT ON.
pub fn comment_text(reader: &mut Reader<'_>) -> Parsed<Option<String>> {
    reader.expect("IS")?;
    // An empty one is none: https://www.postgresql.org/docs/current/sql-comment.html
    Ok(text_or_null(reader)?.filter(|text| !text.is_empty()))
}
