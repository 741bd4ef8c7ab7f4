//! CREATE and ALTER of operators, their classes and families, casts and transforms.
//!
//! The members of classes and families are clauses: `operator 1 (integer, integer)` is `=`, `function 1 (text, text)` is
//! `bttextcmp(text, text)`. A class may leave the types out, which are told once the whole schema is known.

use super::super::types;
use super::access::{Subject, set_clauses};
use super::{
    data_type as read_type, definitions, identifier, names, own_name, path, plain, reference, reference_of, routine,
};
use crate::change::{Change, ObjectChange};
use crate::clause;
use smol_str::SmolStr;
use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Clauses, Expression, Flag, Kind, Name, Object, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, Session, StatementKind, TokenKind};

/// An operator's name as it is written, with the schema if there is one: `+` or `schema.+`.
fn operator_reference(reader: &mut Reader<'_>) -> Parsed<(Option<String>, String)> {
    let mut schema = None;
    while reader.peek_at(1).is_some_and(|token| token.is_symbol(reader.text, ".")) {
        schema = Some(identifier(reader, "a schema")?);
        reader.take_symbol(".");
    }
    // An operator may have been cut into more than one token.
    let start = reader.position;
    while reader
        .peek()
        .is_some_and(|token| token.kind == TokenKind::Symbol && !matches!(token.text(reader.text), "(" | "," | ")"))
    {
        reader.position += 1;
    }
    if reader.position == start {
        return Err(reader.expected("an operator"));
    }
    let symbol: String = reader.tokens[start..reader.position].iter().map(|token| token.text(reader.text)).collect();
    // The server's scanner takes one for the other: https://www.postgresql.org/docs/current/functions-comparison.html
    Ok((schema, if symbol == "!=" { "<>".to_owned() } else { symbol }))
}

/// An operator's name with its schema.
pub fn operator_name(reader: &mut Reader<'_>, session: &Session) -> Parsed<QualifiedName> {
    let (schema, symbol) = operator_reference(reader)?;
    let schema = schema.unwrap_or_else(|| super::first_schema(session).to_owned());
    Ok(names::of(Kind::Operator, names::parts_of(Some(&schema), &symbol)))
}

/// The text after CREATE OPERATOR.
pub fn operator(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let symbol = operator_name(reader, session)?;
    let mut clauses = Clauses::default();
    properties(reader, &mut clauses)?;
    let side = |key: &str| clauses.value_named(key).unwrap_or("NONE").into();
    let name = names::with_signature(Kind::Operator, &symbol, vec![side("with.leftarg"), side("with.rightarg")]);
    Ok(plain(reader, Kind::Operator, name, None, clauses))
}

/// `(function = f, leftarg = t, …)` of an operator. What is NONE is left out.
fn properties(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    for (key, value) in definitions(reader)? {
        let key = if key == "procedure" { "function".to_owned() } else { key };
        let value = value.unwrap_or_else(|| Expression::plain("true"));
        let clause = format!("with.{key}");
        match (key.as_str(), value.canonical.as_str()) {
            (_, none) if none.eq_ignore_ascii_case("none") => drop(clauses.remove_named(&clause)),
            ("leftarg" | "rightarg", data_type) => clauses.set_text_named(&clause, types::without_modifiers(data_type)),
            // Long outdated: https://www.postgresql.org/docs/current/sql-createoperator.html
            ("sort1" | "sort2" | "ltcmp" | "gtcmp", _) => clauses.set_text(clause::WITH_MERGES, "true"),
            ("commutator" | "negator", "!=") => clauses.set_text_named(&clause, "<>"),
            _ => clauses.set_named(&clause, value),
        }
    }
    Ok(())
}

/// The text after ALTER OPERATOR name: SET (…).
pub fn alter_operator(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    reader.expect("SET")?;
    let mut changes = ClauseChanges::default();
    definitions(&mut reader.clone())?.iter().for_each(|(key, _)| changes.remove(clause::WITH.of(key)));
    let mut set = Clauses::default();
    properties(reader, &mut set)?;
    reader.finish()?;
    set.iter().for_each(|(name, value)| changes.set_named(name, value.clone()));
    Ok(vec![set_clauses(subject, if_exists, changes)])
}

/// The text after CREATE OPERATOR CLASS: the class, and the family that the server makes if none is named and none of the
/// class's name is there (<https://www.postgresql.org/docs/current/sql-createopclass.html>).
pub fn operator_class(reader: &mut Reader<'_>, session: &Session) -> Parsed<Vec<Object>> {
    let base = own_name(reader, session, "the operator class's name")?;
    let mut clauses = Clauses::default();
    if reader.take(&["DEFAULT"]) {
        clauses.set_text(clause::DEFAULT, "");
    }
    reader.expect("FOR")?;
    reader.expect("TYPE")?;
    let data_type = read_type(reader)?;
    let bare = types::without_modifiers(&data_type.canonical);
    clauses.set(clause::FOR_TYPE, Expression::new(bare, data_type.written()));
    reader.expect("USING")?;
    let method = SmolStr::from(names::quoted(&identifier(reader, "an index method")?));
    let named = reader.take(&["FAMILY"]);
    let family = if named { reference(reader, "a family's name")? } else { base.clone() };
    clauses.set_text(clause::FAMILY, family.canonical());
    reader.expect("AS")?;
    members(reader, &mut clauses)?;
    let key = |kind: Kind, name: &QualifiedName| names::with_signature(kind, name, vec![method.clone()]);
    let mut objects = vec![plain(reader, Kind::OperatorClass, key(Kind::OperatorClass, &base), None, clauses)];
    if !named {
        let mut made =
            plain(reader, Kind::OperatorFamily, key(Kind::OperatorFamily, &family), None, Clauses::default());
        made.text.clear();
        objects.push(made);
    }
    Ok(objects)
}

/// The text after CREATE OPERATOR FAMILY.
pub fn operator_family(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let base = own_name(reader, session, "the operator family's name")?;
    reader.expect("USING")?;
    let name = with_method(reader, Kind::OperatorFamily, &base)?;
    Ok(plain(reader, Kind::OperatorFamily, name, None, Clauses::default()))
}

/// The name of an operator class or family, whose index method must come next.
pub fn with_method(reader: &mut Reader<'_>, kind: Kind, base: &QualifiedName) -> Parsed<QualifiedName> {
    let method = names::quoted(&identifier(reader, "an index method")?);
    Ok(names::with_signature(kind, base, vec![method.into()]))
}

/// The text after ALTER OPERATOR FAMILY name: ADD or DROP.
pub fn alter_family(reader: &mut Reader<'_>, subject: Subject, if_exists: bool) -> Parsed<Vec<StatementKind>> {
    let adds = reader.take(&["ADD"]);
    if !adds {
        reader.expect("DROP")?;
    }
    let mut found = Clauses::default();
    members(reader, &mut found)?;
    let change = if adds { ObjectChange::AddMembers(found) } else { ObjectChange::DropMembers(found) };
    Ok(vec![subject.alter(if_exists, Change::Object(change))])
}

/// `OPERATOR 1 = (t, t) FOR ORDER BY f, FUNCTION 1 (t, t) f(t, t), STORAGE t`.
fn members(reader: &mut Reader<'_>, clauses: &mut Clauses) -> Parsed<()> {
    loop {
        if reader.take(&["STORAGE"]) {
            clauses.set_text(clause::STORAGE, one_type(reader)?);
        } else if reader.take(&["OPERATOR"]) {
            let number = strategy(reader)?;
            // DROP names no operator, only its types.
            let (schema, symbol) =
                if reader.sees_symbol("(") { (None, String::new()) } else { operator_reference(reader)? };
            let mut value = schema.map_or(String::new(), |schema| format!("{}.", names::quoted(&schema))) + &symbol;
            let types = optional_types(reader)?;
            if reader.take(&["FOR", "ORDER", "BY"]) {
                value += &format!(" FOR ORDER BY {}", reference(reader, "an operator family")?);
            } else {
                reader.take(&["FOR", "SEARCH"]);
            }
            reader.take(&["RECHECK"]); // Has meant nothing since 8.4.
            clauses.set_text(clause::OPERATOR_MEMBER.of(&format!("{number}{types}")), value);
        } else if reader.take(&["FUNCTION"]) {
            let number = strategy(reader)?;
            let types = optional_types(reader)?;
            let value = if reader.at_end() || reader.sees_symbol(",") {
                String::new() // DROP
            } else {
                function_reference(reader)?
            };
            clauses.set_text(clause::FUNCTION_MEMBER.of(&format!("{number}{types}")), value);
        } else {
            return Err(reader.expected("OPERATOR, FUNCTION or STORAGE"));
        }
        if !reader.take_symbol(",") {
            return reader.finish();
        }
    }
}

fn strategy(reader: &mut Reader<'_>) -> Parsed<String> {
    match reader.take_any() {
        Some(token) if token.kind == TokenKind::Number => Ok(token.text(reader.text).to_owned()),
        _ => Err(reader.expected("a number")),
    }
}

/// ` (left, right)`, where one type is both; nothing if there are none.
fn optional_types(reader: &mut Reader<'_>) -> Parsed<String> {
    if !reader.take_symbol("(") {
        return Ok(String::new());
    }
    let mut types = vec![one_type(reader)?];
    while reader.take_symbol(",") {
        types.push(one_type(reader)?);
    }
    reader.expect_symbol(")")?;
    if let [only] = &types[..] {
        types.push(only.clone());
    }
    Ok(format!(" ({})", types.join(", ")))
}

/// A type as signatures name it, without modifiers.
pub fn one_type(reader: &mut Reader<'_>) -> Parsed<String> {
    Ok(types::without_modifiers(&types::type_name(reader)?))
}

/// `name(types)`; the name alone where it says enough.
fn function_reference(reader: &mut Reader<'_>) -> Parsed<String> {
    let name = reference_of(&path(reader, "a function's name")?);
    if !reader.sees_symbol("(") {
        return Ok(name.canonical().to_owned());
    }
    let arguments = routine::arguments(reader)?;
    Ok(routine::with_signature(&name, &arguments, false).canonical().to_owned())
}

/// The text after CREATE CAST.
pub fn cast(reader: &mut Reader<'_>) -> Parsed<Object> {
    let name = cast_name(reader)?;
    let mut clauses = Clauses::default();
    if reader.take(&["WITH", "FUNCTION"]) {
        clauses.set_text(clause::WITH_FUNCTION, function_reference(reader)?);
    } else if reader.take(&["WITH", "INOUT"]) {
        clauses.set(clause::WITH_INOUT, Flag);
    } else if !reader.take(&["WITHOUT", "FUNCTION"]) {
        return Err(reader.expected("WITH FUNCTION, WITHOUT FUNCTION or WITH INOUT"));
    }
    if reader.take(&["AS"]) {
        clauses.set_text(clause::CONTEXT, identifier(reader, "IMPLICIT or ASSIGNMENT")?);
    }
    Ok(plain(reader, Kind::Cast, name, None, clauses))
}

/// `(a AS b)`.
pub fn cast_name(reader: &mut Reader<'_>) -> Parsed<QualifiedName> {
    reader.expect_symbol("(")?;
    let from = one_type(reader)?;
    reader.expect("AS")?;
    let to = one_type(reader)?;
    reader.expect_symbol(")")?;
    let nameless = QualifiedName::plain(Name::none());
    Ok(names::with_signature(Kind::Cast, &nameless, vec![from.into(), to.into()]))
}

/// The text after CREATE TRANSFORM.
pub fn transform(reader: &mut Reader<'_>) -> Parsed<Object> {
    let name = transform_name(reader)?;
    let mut clauses = Clauses::default();
    reader.expect_symbol("(")?;
    loop {
        let clause = if reader.take(&["FROM"]) {
            "from sql"
        } else {
            reader.expect("TO")?;
            "to sql"
        };
        reader.expect("SQL")?;
        reader.expect("WITH")?;
        reader.expect("FUNCTION")?;
        clauses.set_text_named(clause, function_reference(reader)?);
        if !reader.take_symbol(",") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    Ok(plain(reader, Kind::Transform, name, None, clauses))
}

/// `FOR type LANGUAGE language`.
pub fn transform_name(reader: &mut Reader<'_>) -> Parsed<QualifiedName> {
    reader.expect("FOR")?;
    let data_type = one_type(reader)?;
    reader.expect("LANGUAGE")?;
    let language = names::quoted(&identifier(reader, "a language")?);
    let nameless = QualifiedName::plain(Name::none());
    Ok(names::with_signature(Kind::Transform, &nameless, vec![data_type.into(), language.into()]))
}
