//! CREATE FUNCTION, PROCEDURE and AGGREGATE.

use super::{data_type, definitions, identifier, in_schema, names, normalised, path, plain, reference, run, whole};
use crate::clause;
use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Clauses, Expression, Kind, Object, QualifiedName};
use wevrun_core::parse::{Parsed, Reader, Session, TokenKind};

/// One argument.
pub struct Argument {
    /// IN, OUT, INOUT, VARIADIC or TABLE.
    pub mode: &'static str,
    name: Option<String>,
    data_type: String,
    default: Option<Expression>,
}

impl Argument {
    /// As the server writes it, except the default.
    fn words(&self) -> String {
        let mode = if matches!(self.mode, "IN" | "TABLE") { String::new() } else { format!("{} ", self.mode) };
        let name = self.name.as_ref().map_or_else(String::new, |name| format!("{} ", names::quoted(name)));
        format!("{mode}{name}{}", self.data_type)
    }
}

/// `(argument, …)`, which must come next.
pub fn arguments(reader: &mut Reader<'_>) -> Parsed<Vec<Argument>> {
    reader.expect_symbol("(")?;
    let mut found = Vec::new();
    while !reader.sees_symbol(")") {
        // The types of an aggregate's ordered arguments come after ORDER BY.
        reader.take(&["ORDER", "BY"]);
        found.push(argument(reader)?);
        if !reader.take_symbol(",") && !reader.sees("ORDER") {
            break;
        }
    }
    reader.expect_symbol(")")?;
    Ok(found)
}

fn mode(reader: &mut Reader<'_>) -> Option<&'static str> {
    // A word that is a mode may be a type's or argument's name too: then something else follows.
    const MODES: [&str; 4] = ["IN", "OUT", "INOUT", "VARIADIC"];
    let found = MODES.into_iter().find(|word| reader.sees(word))?;
    let next = reader.peek_at(1)?;
    if !matches!(next.kind, TokenKind::Word | TokenKind::Quoted) {
        return None;
    }
    reader.position += 1;
    if found == "IN" && reader.take(&["OUT"]) { Some("INOUT") } else { Some(found) }
}

fn argument(reader: &mut Reader<'_>) -> Parsed<Argument> {
    let mut mode_found = mode(reader);
    let mut name = None;
    // Is the first word a name or a type? It is a name if a type can follow it.
    let before = reader.position;
    let ends = |reader: &Reader<'_>| {
        reader.at_end()
            || [",", ")", "=", ":="].iter().any(|symbol| reader.sees_symbol(symbol))
            || reader.sees("DEFAULT")
            || reader.sees("ORDER")
    };
    let as_type = {
        let mut probe = reader.clone();
        super::types::type_name(&mut probe).ok().filter(|_| ends(&probe)).map(|name| (name, probe.position))
    };
    let data_type = match as_type {
        Some((data_type, position)) => {
            reader.position = position;
            data_type
        }
        None => {
            reader.position = before;
            name = Some(identifier(reader, "an argument")?);
            if mode_found.is_none() {
                mode_found = mode(reader);
            }
            super::types::type_name(reader)?
        }
    };
    let default = if reader.take(&["DEFAULT"]) || reader.take_symbol("=") || reader.take_symbol(":=") {
        let range = run(reader, "an expression", |_| false)?;
        Some(super::expression(reader, range))
    } else {
        None
    };
    let data_type = super::types::without_modifiers(&data_type);
    Ok(Argument { mode: mode_found.unwrap_or("IN"), name, data_type, default })
}

/// The name with the types of what a caller must give: what tells two routines of one name apart.
pub fn with_signature(base: &QualifiedName, arguments: &[Argument], all: bool) -> QualifiedName {
    let types = arguments
        .iter()
        .filter(|argument| all && argument.mode != "TABLE" || matches!(argument.mode, "IN" | "INOUT" | "VARIADIC"))
        .map(|argument| argument.data_type.as_str().into())
        .collect();
    names::with_signature(Kind::Function, base, types)
}

/// The text after `CREATE [OR REPLACE] FUNCTION|PROCEDURE`.
pub fn routine(reader: &mut Reader<'_>, session: &Session, kind: Kind) -> Parsed<Object> {
    let base = in_schema(path(reader, "the routine's name")?, session);
    let mut listed = arguments(reader)?;
    let mut clauses = Clauses::default();
    if reader.take(&["RETURNS", "TABLE"]) {
        let start = reader.position;
        let mut columns = arguments(reader)?;
        columns.iter_mut().for_each(|column| column.mode = "TABLE");
        let words: Vec<String> = columns.iter().map(Argument::words).collect();
        clauses.set(
            clause::RETURNS,
            Expression::new(
                format!("TABLE({})", words.join(", ")),
                &format!("TABLE{}", reader.written(start..reader.position)),
            ),
        );
    } else if reader.take(&["RETURNS"]) {
        let returned = data_type(reader)?;
        let plain = super::types::without_modifiers(&returned.canonical);
        clauses.set(clause::RETURNS, Expression::new(plain, returned.written()));
    } else if kind == Kind::Function {
        // What the OUT arguments say.
        let out: Vec<&Argument> = listed.iter().filter(|argument| matches!(argument.mode, "OUT" | "INOUT")).collect();
        match &out[..] {
            [] => {}
            [one] => clauses.set_text(clause::RETURNS, one.data_type.clone()),
            _ => clauses.set_text(clause::RETURNS, "record"),
        }
    }
    // The server lists the arguments of a call only; a procedure's OUT arguments are given by a caller too.
    let name = with_signature(&base, &listed, false);
    let words: Vec<String> = listed.iter().map(Argument::words).collect();
    clauses.set_text(clause::ARGUMENTS, words.join(", "));
    let mut number = 0;
    for argument in listed.iter_mut().filter(|argument| matches!(argument.mode, "IN" | "INOUT" | "VARIADIC")) {
        number += 1;
        if let Some(default) = argument.default.take() {
            clauses.set(clause::DEFAULT_OF.of(&number.to_string()), default);
        }
    }
    let mut changes = ClauseChanges::default();
    attributes(reader, &mut changes)?;
    changes.apply(&mut clauses);
    // The symbol in a library is the routine's name by default.
    if clauses.value(clause::LANGUAGE) == Some("c") && clauses.has(clause::AS) && !clauses.has(clause::SYMBOL) {
        clauses.set_text(clause::SYMBOL, names::identifier(&base));
    }
    clauses.remove(clause::SET_ATTRIBUTE);
    Ok(plain(reader, kind, name, None, clauses))
}

/// The attributes of a routine, in any order (<https://www.postgresql.org/docs/current/sql-createfunction.html>).
pub fn attributes(reader: &mut Reader<'_>, changes: &mut ClauseChanges) -> Parsed<()> {
    const FLAGS: [(&[&str], &str, &str); 19] = [
        (&["IMMUTABLE"], "volatility", "immutable"),
        (&["STABLE"], "volatility", "stable"),
        (&["VOLATILE"], "volatility", ""),
        (&["CALLED", "ON", "NULL", "INPUT"], "strict", ""),
        (&["RETURNS", "NULL", "ON", "NULL", "INPUT"], "strict", "strict"),
        (&["STRICT"], "strict", "strict"),
        (&["EXTERNAL", "SECURITY", "DEFINER"], "security", "definer"),
        (&["SECURITY", "DEFINER"], "security", "definer"),
        (&["EXTERNAL", "SECURITY", "INVOKER"], "security", ""),
        (&["SECURITY", "INVOKER"], "security", ""),
        (&["NOT", "LEAKPROOF"], "leakproof", ""),
        (&["LEAKPROOF"], "leakproof", "leakproof"),
        (&["WINDOW"], "window", "window"),
        (&["PARALLEL", "UNSAFE"], "parallel", ""),
        (&["PARALLEL", "RESTRICTED"], "parallel", "restricted"),
        (&["PARALLEL", "SAFE"], "parallel", "safe"),
        (&["DEPENDS", "ON"], "", ""),
        (&["NO", "DEPENDS", "ON"], "", ""),
        (&["RESTRICT"], "", ""),
    ];
    while !reader.at_end() {
        if let Some((_, clause, value)) = FLAGS.into_iter().find(|(words, _, _)| reader.take(words)) {
            if value.is_empty() {
                changes.remove_named(clause);
            } else {
                changes.set_text_named(clause, value);
            }
        } else if reader.take(&["LANGUAGE"]) {
            let language = match reader.take_any() {
                Some(token) => super::identifier_of(token, reader.text).to_lowercase(),
                None => return Err(reader.expected("a language")),
            };
            changes.set_text(clause::LANGUAGE, language);
        } else if reader.take(&["COST"]) {
            number(reader, changes, "cost")?;
        } else if reader.take(&["ROWS"]) {
            number(reader, changes, "rows")?;
        } else if reader.take(&["SUPPORT"]) {
            changes.set_text(clause::SUPPORT, reference(reader, "a function")?.canonical());
        } else if reader.take(&["TRANSFORM"]) {
            let start = reader.position;
            while reader.take_symbol(",") || reader.take(&["FOR", "TYPE"]) {
                super::types::type_name(reader)?;
            }
            changes.set_text(clause::TRANSFORM, normalised(reader, start..reader.position));
        } else if reader.take(&["SET"]) {
            setting(reader, changes)?;
        } else if reader.take(&["RESET"]) {
            let name = path(reader, "a setting")?.join(".");
            changes.remove(clause::SET.of(&name));
        } else if reader.take(&["AS"]) {
            let mut texts = Vec::new();
            loop {
                texts.push(super::text_or_null(reader)?.unwrap_or_default());
                if !reader.take_symbol(",") {
                    break;
                }
            }
            changes.set_text(clause::AS, texts.swap_remove(0));
            if let Some(symbol) = texts.pop() {
                changes.set_text(clause::SYMBOL, symbol);
            }
        } else if reader.take(&["WITH"]) {
            // Long outdated: WITH (isStrict).
            for (flag, _) in definitions(reader)? {
                if flag == "isstrict" {
                    changes.set_text(clause::STRICT, "strict");
                } else if flag == "iscachable" {
                    changes.set_text(clause::VOLATILITY, "immutable");
                }
            }
        } else if reader.sees("RETURN") || (reader.sees("BEGIN") && reader.sees_at(1, "ATOMIC")) {
            let range = super::rest(reader, "a body")?;
            changes.set(clause::BODY, whole(reader, range));
            if changes.get(clause::LANGUAGE).is_none() {
                changes.set_text(clause::LANGUAGE, "sql");
            }
        } else {
            return Err(reader.expected("an attribute of a routine"));
        }
    }
    Ok(())
}

fn number(reader: &mut Reader<'_>, changes: &mut ClauseChanges, name: &str) -> Parsed<()> {
    match reader.take_any() {
        Some(token) if token.kind == TokenKind::Number => {
            changes.set_text_named(name, token.text(reader.text));
            Ok(())
        }
        _ => Err(reader.expected("a number")),
    }
}

/// The text after SET: a setting of the routine.
fn setting(reader: &mut Reader<'_>, changes: &mut ClauseChanges) -> Parsed<()> {
    let name =
        if reader.take(&["TIME", "ZONE"]) { "timezone".to_owned() } else { path(reader, "a setting")?.join(".") };
    if reader.take(&["FROM", "CURRENT"]) {
        // What that is when the function is made, is not in the source: the usual one, as in the engine's own client.
        if name == "search_path" {
            changes.set_text(clause::SET_SEARCH_PATH, "$user, public");
        }
        return Ok(());
    }
    let _ = reader.take(&["TO"]) || reader.take_symbol("=");
    let mut values = Vec::new();
    loop {
        let Some(token) = reader.take_any() else { return Err(reader.expected("a value")) };
        let sign = if token.text(reader.text) == "-" { "-" } else { "" };
        let token = if sign.is_empty() { token } else { reader.take_any().unwrap_or(token) };
        values.push(format!("{sign}{}", super::identifier_of(token, reader.text)));
        if !reader.take_symbol(",") {
            break;
        }
    }
    // Names of settings know no letter case.
    changes.set_text(clause::SET.of(&name.to_lowercase()), values.join(", "));
    Ok(())
}

/// The text after CREATE AGGREGATE.
pub fn aggregate(reader: &mut Reader<'_>, session: &Session) -> Parsed<Object> {
    let base = in_schema(path(reader, "the aggregate's name")?, session);
    let start = reader.position;
    let mut clauses = Clauses::default();
    let mut second = reader.clone();
    second.parenthesised()?;
    let mut name = if second.sees_symbol("(") {
        let range = start + 1..second.position - 1;
        let arguments = if reader.tokens[range.clone()].iter().any(|token| token.is_symbol(reader.text, "*")) {
            reader.position = second.position;
            Vec::new()
        } else {
            arguments(reader)?
        };
        let words: Vec<String> = arguments.iter().map(Argument::words).collect();
        clauses.set_text(clause::ARGUMENTS, words.join(", "));
        if let Some(at) = reader.tokens[range.clone()].iter().position(|token| token.is_word(reader.text, "ORDER")) {
            let before = &reader.tokens[range.start..range.start + at];
            let commas = before.iter().filter(|token| token.is_symbol(reader.text, ",")).count();
            let (direct, ordered) = words.split_at(if before.is_empty() { 0 } else { commas + 1 });
            let ordered = format!("{} ORDER BY {}", direct.join(", "), ordered.join(", "));
            clauses.set_text(clause::ORDERED, ordered.trim_start());
        }
        with_signature(&base, &arguments, false)
    } else {
        base.clone() // The old form says the type among the options.
    };
    for (key, value) in definitions(reader)? {
        if key == "basetype" {
            let argument = value.as_ref().map_or("", |value| &value.canonical);
            let argument = if argument.eq_ignore_ascii_case("any") || argument == "\"any\"" { "" } else { argument };
            let types = if argument.is_empty() { Vec::new() } else { vec![argument.into()] };
            name = names::with_signature(Kind::Aggregate, &base, types);
            clauses.set_text(clause::ARGUMENTS, argument);
            continue;
        }
        clauses.set(clause::WITH.of(&key), value.unwrap_or_else(|| Expression::plain("")));
    }
    Ok(plain(reader, Kind::Aggregate, name, None, clauses))
}
