//! Names of data types in the one form that `format_type()` gives them
//! (<https://www.postgresql.org/docs/current/datatype.html>).

use std::collections::BTreeSet;
use std::ops::Range;

use super::{names, split_places, tokens};
use wevrun_core::model::{Column, Expression, QualifiedName, Span, edited};
use wevrun_core::parse::{Parsed, Reader, TokenKind, token};

/// Reads a type's name with its modifiers and gives the canonical form: `character varying(30)`, `public.mood[]`.
///
/// `serial` and its relatives are given as they are: they are no types, and the table makes sequences of them.
pub fn type_name(reader: &mut Reader<'_>) -> Parsed<String> {
    let set = reader.take(&["SETOF"]);
    let mut name = base(reader)?;
    if reader.take(&["ARRAY"]) {
        if reader.take_symbol("[") {
            reader.take_any();
            reader.expect_symbol("]")?;
        }
        name.push_str("[]");
    }
    let mut dimensions = 0;
    while reader.sees_symbol("[") {
        reader.take_symbol("[");
        if !reader.sees_symbol("]") {
            reader.take_any();
        }
        reader.expect_symbol("]")?;
        dimensions += 1;
    }
    // The server keeps no number of dimensions: https://www.postgresql.org/docs/current/arrays.html
    if dimensions > 0 && !name.ends_with("[]") {
        name.push_str("[]");
    }
    Ok(if set { format!("SETOF {name}") } else { name })
}

/// Types that are their own canonical form.
const USUAL: [&str; 17] = [
    "text",
    "boolean",
    "integer",
    "bigint",
    "smallint",
    "numeric",
    "date",
    "timestamp with time zone",
    "timestamp without time zone",
    "character varying",
    "double precision",
    "real",
    "uuid",
    "jsonb",
    "bytea",
    "regclass",
    "interval",
];

/// The canonical form of a usual type without modifiers, which takes no grammar to read.
pub fn usual(text: &str) -> Option<&'static str> {
    USUAL.into_iter().find(|usual| usual.eq_ignore_ascii_case(text))
}

fn base(reader: &mut Reader<'_>) -> Parsed<String> {
    let Some(token) = reader.peek().filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted)) else {
        return Err(reader.expected("a data type"));
    };
    let first = token.text(reader.text);
    if token.kind == TokenKind::Word && !reader.peek_at(1).is_some_and(|next| next.is_symbol(reader.text, ".")) {
        let word = first.to_ascii_lowercase();
        if let Some(name) = built_in(reader, &word)? {
            return Ok(name);
        }
    }
    let mut path = vec![super::parse::identifier(reader, "a data type")?];
    while reader.take_symbol(".") {
        path.push(super::parse::identifier(reader, "a data type")?);
    }
    if reader.take_symbol("%") {
        // table.column%TYPE: a reference that the server resolves when it makes a routine.
        reader.expect("TYPE")?;
        let path: Vec<String> = path.iter().map(|part| names::quoted(part)).collect();
        return Ok(format!("{}%TYPE", path.join(".")));
    }
    if path.len() == 2 && path[0] == "pg_catalog" {
        return in_catalogue(reader, &path[1]);
    }
    let name = match &path[..] {
        [name] => names::quoted(name),
        [.., schema, name] => format!("{}.{}", names::quoted(schema), names::quoted(name)),
        [] => unreachable!("one was read"),
    };
    Ok(name + &modifiers(reader)?)
}

/// The type without its modifiers, as it stands in a routine's signature, where the server keeps none
/// (<https://www.postgresql.org/docs/current/sql-createfunction.html>, under Notes).
pub fn without_modifiers(canonical: &str) -> String {
    let mut out = String::with_capacity(canonical.len());
    let (mut quote, mut depth) = (false, 0);
    for ch in canonical.chars() {
        quote ^= ch == '"';
        match ch {
            '(' if !quote => depth += 1,
            ')' if !quote => depth -= 1,
            _ if depth == 0 => out.push(ch),
            _ => {}
        }
    }
    if let Some(end) = out.strip_prefix("interval").map(|rest| rest.find("[]").map_or("", |at| &rest[at..])) {
        return format!("interval{end}");
    }
    let (base, array) = out.strip_suffix("[]").map_or((out.as_str(), ""), |base| (base, "[]"));
    if base == "bpchar" { format!("character{array}") } else { out }
}

/// `(10,2)`, without white space.
fn modifiers(reader: &mut Reader<'_>) -> Parsed<String> {
    if !reader.sees_symbol("(") {
        return Ok(String::new());
    }
    let inner = reader.parenthesised()?;
    // Words, as extensions take them, know no letter case.
    let part = |token: &wevrun_core::parse::Token| match token.kind {
        TokenKind::Word => names::folded(token.text(reader.text)),
        _ => token.text(reader.text).to_owned(),
    };
    let text: String = reader.tokens[inner].iter().map(part).collect();
    Ok(format!("({text})"))
}

/// A type under its name in `pg_catalog`, which takes no spelling of the grammar.
fn in_catalogue(reader: &mut Reader<'_>, name: &str) -> Parsed<String> {
    let modifier = modifiers(reader)?;
    Ok(match internal(name) {
        Some(plain @ ("time" | "timestamp")) => format!("{plain}{modifier} without time zone"),
        Some(plain @ ("timetz" | "timestamptz")) => {
            format!("{}{modifier} with time zone", plain.trim_end_matches("tz"))
        }
        Some(plain) => format!("{plain}{modifier}"),
        None => format!("{}{modifier}", names::quoted(name)),
    })
}

/// The SQL name of a type by its name in the catalogue.
pub fn internal(name: &str) -> Option<&'static str> {
    Some(match name {
        "int2" => "smallint",
        "int4" => "integer",
        "int8" => "bigint",
        "float4" => "real",
        "float8" => "double precision",
        "bool" => "boolean",
        "varchar" => "character varying",
        "bpchar" => "character",
        "char" => "\"char\"",
        "varbit" => "bit varying",
        "time" => "time",
        "timetz" => "timetz",
        "timestamp" => "timestamp",
        "timestamptz" => "timestamptz",
        "numeric" => "numeric",
        "bit" => "bit",
        "interval" => "interval",
        _ => return None,
    })
}

/// The types that the grammar knows by keywords; none if the word is not one of them.
fn built_in(reader: &mut Reader<'_>, word: &str) -> Parsed<Option<String>> {
    let start = reader.position;
    reader.position += 1;
    let name = match word {
        "int" | "integer" | "int4" => "integer".to_owned(),
        "smallint" | "int2" => "smallint".to_owned(),
        "bigint" | "int8" => "bigint".to_owned(),
        "real" | "float4" => "real".to_owned(),
        "float8" => "double precision".to_owned(),
        "double" if reader.take(&["PRECISION"]) => "double precision".to_owned(),
        "float" => {
            // Up to 24 binary digits fit into the smaller type.
            let digits = modifiers(reader)?;
            let digits: u32 = digits.trim_matches(['(', ')']).parse().unwrap_or(53);
            if digits <= 24 { "real".to_owned() } else { "double precision".to_owned() }
        }
        "numeric" | "decimal" | "dec" => {
            let modifier = modifiers(reader)?;
            // The scale is zero where only a precision is given.
            let one = !modifier.is_empty() && !modifier.contains(',');
            format!("numeric{}", if one { modifier.replace(')', ",0)") } else { modifier })
        }
        "bool" | "boolean" => "boolean".to_owned(),
        "varchar" => format!("character varying{}", modifiers(reader)?),
        "bpchar" => {
            let modifier = modifiers(reader)?;
            if modifier.is_empty() { "bpchar".to_owned() } else { format!("character{modifier}") }
        }
        "character" | "char" | "nchar" => characters(reader)?,
        "national" if reader.take(&["CHARACTER"]) || reader.take(&["CHAR"]) => characters(reader)?,
        "bit" => {
            let varying = reader.take(&["VARYING"]);
            let modifier = modifiers(reader)?;
            match (varying, modifier.is_empty()) {
                (true, _) => format!("bit varying{modifier}"),
                (false, true) => "bit(1)".to_owned(),
                (false, false) => format!("bit{modifier}"),
            }
        }
        "varbit" => format!("bit varying{}", modifiers(reader)?),
        "timestamp" | "time" => {
            let modifier = modifiers(reader)?;
            let zone = if reader.take(&["WITH", "TIME", "ZONE"]) {
                "with"
            } else {
                reader.take(&["WITHOUT", "TIME", "ZONE"]);
                "without"
            };
            format!("{word}{modifier} {zone} time zone")
        }
        "timestamptz" => format!("timestamp{} with time zone", modifiers(reader)?),
        "timetz" => format!("time{} with time zone", modifiers(reader)?),
        "interval" => interval(reader)?,
        _ => {
            reader.position = start;
            return Ok(None);
        }
    };
    Ok(Some(name))
}

fn characters(reader: &mut Reader<'_>) -> Parsed<String> {
    let varying = reader.take(&["VARYING"]);
    let modifier = modifiers(reader)?;
    Ok(match (varying, modifier.is_empty()) {
        (true, _) => format!("character varying{modifier}"),
        (false, true) => "character(1)".to_owned(),
        (false, false) => format!("character{modifier}"),
    })
}

/// `interval [fields] [(p)]`.
fn interval(reader: &mut Reader<'_>) -> Parsed<String> {
    const FIELDS: [&str; 6] = ["YEAR", "MONTH", "DAY", "HOUR", "MINUTE", "SECOND"];
    let field = |reader: &mut Reader<'_>| FIELDS.into_iter().find(|field| reader.take(&[field]));
    let mut name = "interval".to_owned();
    if let Some(from) = field(reader) {
        name.push(' ');
        name.push_str(&from.to_lowercase());
        if reader.take(&["TO"])
            && let Some(to) = field(reader)
        {
            name.push_str(&format!(" to {}", to.to_lowercase()));
        }
    }
    Ok(name + &modifiers(reader)?)
}

/// Whether the column is of one of these types, or of arrays of it, or has one of these collations.
pub fn is_of(column: &Column, types: &BTreeSet<QualifiedName>) -> bool {
    if types.is_empty() {
        return false;
    }
    if column.collation.as_ref().is_some_and(|collation| types.contains(collation)) {
        return true;
    }
    let Some(data_type) = &column.data_type else { return false };
    let base = data_type.canonical.trim_end_matches("[]");
    types.contains(&names::read(base))
}

/// Replaces the name of a type in both spellings of a type, or of a list of arguments, attributes or columns with types.
pub fn rename_in(data_type: &mut Expression, from: &QualifiedName, to: &QualifiedName) -> bool {
    let renamed = |text: &str| {
        let edit = |span: Span| (span, to.canonical().to_owned());
        let places = type_places(text).into_iter().filter(|place| names::is_same(&names::read(place.of(text)), from));
        edited(text, &places.map(edit).collect::<Vec<_>>())
    };
    let (canonical, written) = (renamed(&data_type.canonical), renamed(data_type.written()));
    let changed = canonical != data_type.canonical || written != data_type.written();
    if changed {
        *data_type = data_type.respelled(canonical, &written);
    }
    changed
}

/// The names of the types in a type, or in a list in which types are last.
pub fn named(text: &str) -> impl Iterator<Item = &str> {
    type_places(text).into_iter().map(|place| place.of(text))
}

/// Whether a type, or a list in which types are last, names the type.
pub fn names_type(text: &str, data_type: &QualifiedName) -> bool {
    named(text).any(|name| names::is_same(&names::read(name), data_type))
}

/// The places of the types in a type, or in a list in which types are last: `INOUT a public.kg[], public.kg`, `TABLE(a integer)`.
fn type_places(text: &str) -> Vec<Span> {
    let inner = if text.starts_with("TABLE(") && text.ends_with(')') { 6..text.len() - 1 } else { 0..text.len() };
    let place = |item: Range<usize>| {
        let (offset, item) = (inner.start + item.start, &text[inner.clone()][item]);
        let (tokens, _) = token::tokenize(tokens::rules(), item, 0);
        let is_name = |at: &usize| matches!(tokens[*at].kind, TokenKind::Word | TokenKind::Quoted);
        let is = |at: usize, symbol: &str| tokens[at].is_symbol(item, symbol);
        let collate = tokens.iter().position(|token| token.is_word(item, "COLLATE")).filter(|at| *at > 0);
        let mut rest = 0..collate.unwrap_or(tokens.len());
        let mut end = rest.rfind(|at| !is(*at, "[") && !is(*at, "]"))?;
        // The modifiers of the type.
        if is(end, ")") {
            end = rest.rfind(|at| is(*at, "(")).and_then(|open| open.checked_sub(1))?;
        }
        let end = Some(end).filter(is_name)?;
        let mut start = end;
        while start > 1 && is(start - 1, ".") && is_name(&(start - 2)) {
            start -= 2;
        }
        Some(Span { start: tokens[start].start, end: tokens[end].end }.later(offset as u32))
    };
    split_places(&text[inner.clone()]).into_iter().filter_map(place).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_types_are_renamed() {
        let (from, to) = (names::read("public.kg"), names::read("trade.mass"));
        for (before, after) in [
            ("public.kg[]", "trade.mass[]"),
            ("kg kg, INOUT x public.kg[], public.kg", "kg trade.mass, INOUT x trade.mass[], trade.mass"),
            ("TABLE(kg integer, b public.kg)", "TABLE(kg integer, b trade.mass)"),
            ("SETOF public.kg", "SETOF trade.mass"),
            ("other.kg, \"kg, \" text", "other.kg, \"kg, \" text"),
            ("kg double precision", "kg double precision"),
            ("x public.kg(3)[]", "x trade.mass(3)[]"),
        ] {
            let mut own = Expression::plain(before);
            assert_eq!((rename_in(&mut own, &from, &to), own.canonical.as_str()), (before != after, after));
        }
    }

    #[test]
    fn usual_types_are_their_own_canonical_form() {
        for text in USUAL {
            let (tokens, _) = wevrun_core::parse::token::tokenize(crate::tokens::rules(), text, 0);
            let mut reader = Reader { text, tokens: &tokens, position: 0, source: 0 };
            let canonical = type_name(&mut reader).map_err(|found| found.message);
            assert_eq!((canonical.as_deref(), reader.at_end()), (Ok(text), true));
        }
    }
}
