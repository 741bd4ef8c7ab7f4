//! PostgreSQL's identifiers: letter case, quoting, schemas, length, and the names that the server makes up.
//!
//! The [`Name`] of an object that lives in a schema is its SQL spelling, `public.hives`; one without a schema has not been
//! looked up yet. The name of a routine has its argument types, `public.weigh(integer)`; one of something that stands on a
//! table says so, `touch ON public.hives`. Names of columns and constraints are the identifiers themselves.

use wevrun_core::model::Name;

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

/// The identifier as it must stand in SQL, as `quote_ident()` writes it.
pub fn quoted(identifier: &str) -> String {
    let plain = identifier.starts_with(|first: char| first.is_ascii_lowercase() || first == '_')
        && identifier.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'_')
        && QUOTED_WORDS.binary_search(&identifier).is_err();
    if plain { identifier.to_owned() } else { format!("\"{}\"", identifier.replace('"', "\"\"")) }
}

/// The name of a column, a constraint or anything else that is one identifier.
pub fn simple(identifier: &str) -> Name {
    Name::new(identifier, identifier)
}

/// The name of an object without a schema: a schema, an extension, a server.
pub fn global(identifier: &str) -> Name {
    let name = quoted(identifier);
    Name::new(name.as_str(), name.as_str())
}

/// `schema.name`.
pub fn qualified(schema: &str, identifier: &str) -> Name {
    let name = format!("{}.{}", quoted(schema), quoted(identifier));
    Name::new(name.as_str(), name.as_str())
}

/// `name ON table`: a trigger, rule or policy.
pub fn standing_on(identifier: &str, owner: &Name) -> Name {
    let name = format!("{} ON {owner}", quoted(identifier));
    Name::new(name.as_str(), name.as_str())
}

/// The two halves of [`standing_on`], as SQL: `touch` and `public.hives`. An ` ON ` in quotes is a part of an identifier.
pub fn halves(name: &Name) -> Option<(&str, &str)> {
    let canonical = name.canonical();
    let mut quote = false;
    for (index, byte) in canonical.bytes().enumerate() {
        match byte {
            b'"' => quote = !quote,
            b' ' if !quote && canonical[index..].starts_with(" ON ") => {
                return Some((&canonical[..index], &canonical[index + " ON ".len()..]));
            }
            _ => {}
        }
    }
    None
}

/// The parts of a dotted name, as identifiers: what stands before a parenthesis or ` ON ` counts.
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

/// The schema and the identifier of a name in which nothing is in quotes, as nearly all are.
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

/// The schema and the identifier of an object's name. What has no schema has none.
pub fn split(name: &Name) -> (Option<String>, String) {
    if let Some((schema, identifier)) = without_quotes(name.canonical()) {
        return (schema.map(str::to_owned), identifier.to_owned());
    }
    let mut parts = parts(name.canonical());
    let last = parts.pop().unwrap_or_default();
    (parts.pop(), last)
}

/// The identifier of an object's name, without its schema.
pub fn identifier(name: &Name) -> String {
    without_quotes(name.canonical()).map_or_else(|| split(name).1, |(_, identifier)| identifier.to_owned())
}

/// The schema of an object's name.
pub fn schema(name: &Name) -> Option<String> {
    without_quotes(name.canonical()).map_or_else(|| split(name).0, |(schema, _)| schema.map(str::to_owned))
}

/// Whether the name has no schema yet.
pub fn is_unresolved(name: &Name) -> bool {
    without_quotes(name.canonical()).map_or_else(|| split(name).0.is_none(), |(schema, _)| schema.is_none())
}

/// The argument types of a routine's name, with the parentheses.
pub fn signature(name: &Name) -> &str {
    let mut quote = false;
    for (index, ch) in name.canonical().char_indices() {
        match ch {
            '"' => quote = !quote,
            '(' if !quote => return &name.canonical()[index..],
            _ => {}
        }
    }
    ""
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
