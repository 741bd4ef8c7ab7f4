//! PostgreSQL's identifiers: letter case, quoting, schemas, length, and the names that the server makes up.
//!
//! The name of an object that lives in a schema is printed as SQL has it, `public.hives`; one without a schema has not been
//! looked up yet. The name of a routine has its argument types, `public.weigh(integer)`; one of something that stands on a
//! table has the table, `touch ON public.hives`. Names of columns and constraints are the identifiers themselves.

use std::sync::LazyLock;

use smol_str::SmolStr;
use wevrun_core::model::{Kind, Name, NameParts, QualifiedName};

/// Words that `quote_identifier()` of the server puts in quotes: all but the unreserved keywords of versions 13 to 18
/// (`pg_get_keywords()`).
#[rustfmt::skip]
const QUOTED_WORDS: &[&str] = &[
    "all", "analyse", "analyze", "and", "any", "array", "as", "asc", "asymmetric", "authorization", "between", "bigint",
    "binary", "bit", "boolean", "both", "case", "cast", "char", "character", "check", "coalesce", "collate", "collation",
    "column", "concurrently", "constraint", "create", "cross", "current_catalog", "current_date", "current_role",
    "current_schema", "current_time", "current_timestamp", "current_user", "dec", "decimal", "default", "deferrable",
    "desc", "distinct", "do", "else", "end", "except", "exists", "extract", "false", "fetch", "float", "for", "foreign",
    "freeze", "from", "full", "grant", "greatest", "group", "grouping", "having", "ilike", "in", "initially", "inner",
    "inout", "int", "integer", "intersect", "interval", "into", "is", "isnull", "join", "json", "json_array",
    "json_arrayagg", "json_exists", "json_object", "json_objectagg", "json_query", "json_scalar", "json_serialize",
    "json_table", "json_value", "lateral", "leading", "least", "left", "like", "limit", "localtime", "localtimestamp",
    "merge_action", "national", "natural", "nchar", "none", "normalize", "not", "notnull", "null", "nullif", "numeric",
    "offset", "on", "only", "or", "order", "out", "outer", "overlaps", "overlay", "placing", "position", "precision",
    "primary", "real", "references", "returning", "right", "row", "select", "session_user", "setof", "similar",
    "smallint", "some", "substring", "symmetric", "system_user", "table", "tablesample", "then", "time", "timestamp",
    "to", "trailing", "treat", "trim", "true", "union", "unique", "user", "using", "values", "varchar", "variadic",
    "verbose", "when", "where", "window", "with", "xmlattributes", "xmlconcat", "xmlelement", "xmlexists", "xmlforest",
    "xmlnamespaces", "xmlparse", "xmlpi", "xmlroot", "xmlserialize", "xmltable",
];

/// The longest identifier, in bytes (`NAMEDATALEN - 1`).
pub const LONGEST: usize = 63;

/// What an identifier without quotes means: ASCII letters in lower case, cut at 63 bytes
/// (<https://www.postgresql.org/docs/current/sql-syntax-lexical.html#SQL-SYNTAX-IDENTIFIERS>).
pub fn folded(word: &str) -> String {
    truncated(&word.to_ascii_lowercase(), LONGEST).to_owned()
}

/// What an identifier in double quotes means.
pub fn unquoted(token: &str) -> String {
    let inner = token.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')).unwrap_or(token);
    truncated(&inner.replace("\"\"", "\""), LONGEST).to_owned()
}

/// The first bytes of a text, cut at a character.
fn truncated(text: &str, bytes: usize) -> &str {
    &text[..text.floor_char_boundary(bytes)]
}

/// The identifier as in SQL, as `quote_ident()` writes it.
pub fn quoted(identifier: &str) -> String {
    let mut out = String::with_capacity(identifier.len());
    push_quoted(&mut out, identifier);
    out
}

/// `schema.name`, as in SQL.
pub fn dotted(schema: &str, identifier: &str) -> String {
    let mut out = String::with_capacity(schema.len() + identifier.len() + 1);
    push_quoted(&mut out, schema);
    out.push('.');
    push_quoted(&mut out, identifier);
    out
}

/// Adds the identifier as in SQL.
fn push_quoted(out: &mut String, identifier: &str) {
    let plain = identifier.starts_with(|first: char| first.is_ascii_lowercase() || first == '_')
        && identifier.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'_')
        && !is_quoted_word(identifier);
    if plain {
        out.push_str(identifier);
    } else {
        out.push('"');
        out.push_str(&identifier.replace('"', "\"\""));
        out.push('"');
    }
}

/// Whether it is one of the words that need quotes. Most names are not even as long as one that begins as they do.
fn is_quoted_word(identifier: &str) -> bool {
    static LENGTHS: LazyLock<[u64; 256]> = LazyLock::new(|| {
        let mut lengths = [0; 256];
        QUOTED_WORDS.iter().for_each(|word| lengths[usize::from(word.as_bytes()[0])] |= 1 << word.len());
        lengths
    });
    let first = identifier.bytes().next().unwrap_or_default();
    identifier.len() < 64
        && LENGTHS[usize::from(first)] >> identifier.len() & 1 == 1
        && QUOTED_WORDS.binary_search(&identifier).is_ok()
}

/// The name of a column, a constraint or anything else that is one identifier.
pub fn simple(identifier: &str) -> Name {
    Name::new(identifier, identifier)
}

/// The name of an object of a kind, printed as the kind's statements take it.
pub fn of(kind: Kind, parts: NameParts) -> QualifiedName {
    let types = || parts.signature.as_deref().unwrap_or_default();
    let owner = || parts.owner.as_ref().map_or("", |owner| owner.canonical());
    let mut name = String::new();
    if let Some(schema) = &parts.schema {
        push_quoted(&mut name, schema);
        name.push('.');
    }
    match kind {
        Kind::Cast => name = format!("({})", types().join(" AS ")),
        Kind::Transform => name = format!("FOR {}", types().join(" LANGUAGE ")),
        Kind::UserMapping => name = format!("{} SERVER {}", quoted(&parts.identifier), owner()),
        Kind::OperatorClass | Kind::OperatorFamily => {
            name.push_str(&quoted(&parts.identifier));
            types().iter().for_each(|method| name.push_str(&format!(" USING {method}")));
        }
        _ => {
            let symbol = kind == Kind::Operator;
            if symbol {
                name.push_str(&parts.identifier);
            } else {
                push_quoted(&mut name, &parts.identifier);
            }
            if parts.signature.is_some() {
                name.push_str(&format!("({})", types().join(", ")));
            }
            if parts.owner.is_some() {
                name.push_str(&format!(" ON {}", owner()));
            }
        }
    }
    QualifiedName::new(parts, Name::new(name.as_str(), name.as_str()))
}

/// The parts of `schema.name`, or of `name` if there is no schema.
pub fn parts_of(schema: Option<&str>, identifier: &str) -> NameParts {
    NameParts { schema: schema.map(Into::into), identifier: identifier.into(), ..NameParts::default() }
}

/// The name of an object without a schema: a schema, an extension, a server; or one that was not looked up yet.
pub fn global(identifier: &str) -> QualifiedName {
    in_schema(None, identifier)
}

/// `schema.name`.
pub fn qualified(schema: &str, identifier: &str) -> QualifiedName {
    in_schema(Some(schema), identifier)
}

/// `schema.name`, or `name` if there is no schema.
pub fn in_schema(schema: Option<&str>, identifier: &str) -> QualifiedName {
    of(Kind::Table, parts_of(schema, identifier))
}

/// The same name with these types, or this index method.
pub fn with_signature(kind: Kind, base: &QualifiedName, signature: Vec<SmolStr>) -> QualifiedName {
    of(kind, NameParts { signature: Some(signature), ..base.parts().clone() })
}

/// The same name without them.
pub fn without_signature(name: &QualifiedName) -> QualifiedName {
    of(Kind::Table, NameParts { signature: None, ..name.parts().clone() })
}

/// The same name with another schema and identifier.
pub fn moved(kind: Kind, name: &QualifiedName, schema: Option<&str>, identifier: &str) -> QualifiedName {
    let parts = NameParts { schema: schema.map(Into::into), identifier: identifier.into(), ..name.parts().clone() };
    of(kind, parts)
}

/// `name ON table`: a trigger, rule or policy.
pub fn on_table(identifier: &str, owner: &QualifiedName) -> QualifiedName {
    of(Kind::Trigger, NameParts { owner: Some(owner.clone()), ..parts_of(None, identifier) })
}

/// `user SERVER server`.
pub fn user_mapping(user: &str, server: &QualifiedName) -> QualifiedName {
    of(Kind::UserMapping, NameParts { owner: Some(server.clone()), ..parts_of(None, user) })
}

/// The name of an object that is known by what it is about: default privileges. It is printed as it is.
pub fn described(text: &str) -> QualifiedName {
    QualifiedName::new(parts_of(None, text), Name::new(text, text))
}

/// The name of an object without a signature, as it stands in an SQL text.
pub fn read(text: &str) -> QualifiedName {
    if let Some((schema, identifier)) = without_quotes(text) {
        return in_schema(schema, identifier);
    }
    let mut parts = parts(text);
    let last = parts.pop().unwrap_or_default();
    in_schema(parts.pop().as_deref(), &last)
}

/// The parts of a dotted name in an SQL text, as identifiers: what is before a parenthesis or a space counts.
pub fn parts(name: &str) -> Vec<String> {
    let mut parts = vec![String::new()];
    let mut quote = false;
    let mut chars = name.chars().peekable();
    while let Some(ch) = chars.next() {
        match ch {
            '"' if quote && chars.peek() == Some(&'"') => {
                chars.next();
                parts.last_mut().expect("it begins with one").push('"');
            }
            '"' => quote = !quote,
            '.' if !quote => parts.push(String::new()),
            '(' | ' ' if !quote => break,
            _ => parts.last_mut().expect("it begins with one").push(ch),
        }
    }
    parts
}

/// The schema and the identifier of a dotted name in which nothing is in quotes, as nearly all are.
fn without_quotes(name: &str) -> Option<(Option<&str>, &str)> {
    let (mut schema, mut start) = (None, 0);
    for (at, byte) in name.bytes().enumerate() {
        match byte {
            b'.' => (schema, start) = (Some(&name[start..at]), at + 1),
            b'(' | b' ' => return Some((schema, &name[start..at])),
            b'"' => return None,
            _ => {}
        }
    }
    Some((schema, &name[start..]))
}

/// The schema and the identifier of an object's name.
pub fn split(name: &QualifiedName) -> (Option<String>, String) {
    (schema(name), identifier(name))
}

/// The identifier of an object's name, without its schema.
pub fn identifier(name: &QualifiedName) -> String {
    name.identifier().to_owned()
}

/// The schema of an object's name.
pub fn schema(name: &QualifiedName) -> Option<String> {
    name.schema().map(str::to_owned)
}

/// The argument types of a routine's name, in parentheses; nothing of a name without.
pub fn signature(name: &QualifiedName) -> String {
    name.signature().map_or_else(String::new, |types| format!("({})", types.join(", ")))
}

/// Whether the name has no schema yet.
pub fn is_unresolved(name: &QualifiedName) -> bool {
    name.schema().is_none()
}

/// The name that the server makes up from a table's name, columns' names and a label, as `makeObjectName()` does: the longer of
/// the two names is cut until all fits into 63 bytes.
pub fn made_up(table: &str, columns: &str, label: &str) -> String {
    let overhead = label.len() + 1 + if columns.is_empty() { 0 } else { 1 };
    let available = LONGEST - overhead;
    let (mut first, mut second) = (table.len(), columns.len());
    while first + second > available {
        if first > second { first -= 1 } else { second -= 1 }
    }
    let mut name = truncated(table, first).to_owned();
    if !columns.is_empty() {
        name.push('_');
        name.push_str(truncated(columns, second));
    }
    format!("{name}_{label}")
}

/// The first made-up name that is not taken: a number is added to the label, as `ChooseRelationName()` does.
pub fn first_free(table: &str, columns: &str, label: &str, taken: impl Fn(&str) -> bool) -> String {
    let mut name = made_up(table, columns, label);
    let mut pass = 0;
    while taken(&name) {
        pass += 1;
        name = made_up(table, columns, &format!("{label}{pass}"));
    }
    name
}

/// Columns' names as one part of a made-up name, as `ChooseIndexNameAddition()` does: joined, and cut off at 64 bytes.
pub fn addition<'c>(columns: impl IntoIterator<Item = &'c str>) -> String {
    let mut addition = String::new();
    for column in columns {
        if !addition.is_empty() {
            addition.push('_');
        }
        addition.push_str(truncated(column, LONGEST));
        if addition.len() > LONGEST {
            break;
        }
    }
    addition
}
/// Whether a name, which may not have been looked up yet, is this one.
pub fn is_same(name: &QualifiedName, from: &QualifiedName) -> bool {
    name == from || is_unresolved(name) && identifier(name) == identifier(from)
}
