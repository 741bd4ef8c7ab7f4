//! SQLite's identifiers: letter case, the four quotings, and which words need them.

use wevrun_core::model::{Name, QualifiedName};
use wevrun_core::parse::{Token, TokenKind};

/// Words that can't be a name without quotes, lower case: the grammar has no fallback to an identifier for them
/// (`%fallback ID` in `parse.y`), or they are read as literals.
const RESERVED: &[&str] = &[
    "add",
    "all",
    "alter",
    "and",
    "as",
    "autoincrement",
    "between",
    "case",
    "check",
    "collate",
    "commit",
    "constraint",
    "create",
    "current_date",
    "current_time",
    "current_timestamp",
    "default",
    "deferrable",
    "delete",
    "distinct",
    "drop",
    "else",
    "escape",
    "except",
    "exists",
    "false",
    "foreign",
    "from",
    "group",
    "having",
    "in",
    "index",
    "insert",
    "intersect",
    "into",
    "is",
    "isnull",
    "join",
    "limit",
    "not",
    "nothing",
    "notnull",
    "null",
    "on",
    "or",
    "order",
    "primary",
    "references",
    "returning",
    "select",
    "set",
    "table",
    "then",
    "to",
    "transaction",
    "true",
    "union",
    "unique",
    "update",
    "using",
    "values",
    "when",
    "where",
];

/// Whether the word (in lower case) needs quotes to be a name.
pub fn is_reserved(lower: &str) -> bool {
    RESERVED.binary_search(&lower).is_ok()
}

/// Whether the grammar takes the word (in lower case) for a name where only a name is possible: all but the reserved ones, and
/// those reserved here only because they are read as literals elsewhere.
pub fn can_be_name(lower: &str) -> bool {
    !is_reserved(lower) || matches!(lower, "true" | "false" | "current_date" | "current_time" | "current_timestamp")
}

/// SQLite compares identifiers without regard to the case of ASCII letters.
pub fn name(written: &str) -> Name {
    if written.bytes().any(|byte| byte.is_ascii_uppercase()) {
        Name::new(written.to_ascii_lowercase(), written)
    } else {
        Name::new(written, written)
    }
}

/// The name of an object.
pub fn object_name(written: &str) -> QualifiedName {
    QualifiedName::plain(name(written))
}

/// The identifier in SQL: in double quotes if it needs any.
pub fn quoted(name: &str) -> String {
    let plain = name.chars().next().is_some_and(|first| first.is_ascii_alphabetic() || first == '_')
        && name.chars().all(|ch| ch.is_ascii_alphanumeric() || ch == '_')
        && !is_reserved(&name.to_ascii_lowercase());
    if plain { name.to_owned() } else { always_quoted(name) }
}

/// The identifier in double quotes.
pub fn always_quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// A string literal.
pub fn literal(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

/// The name in a token, without its quotes. The engine takes a string literal for a name where only a name is possible.
pub fn unquoted(token: Token, text: &str) -> String {
    let written = token.text(text);
    if matches!(token.kind, TokenKind::Quoted | TokenKind::Text) { unquoted_text(written) } else { written.to_owned() }
}

/// A word without its quotes, if it has any.
pub fn unquoted_text(written: &str) -> String {
    let inner = || &written[1..written.len() - 1];
    match written.as_bytes() {
        [b'"', .., b'"'] => inner().replace("\"\"", "\""),
        [b'`', .., b'`'] => inner().replace("``", "`"),
        [b'\'', .., b'\''] => inner().replace("''", "'"),
        [b'[', .., b']'] => inner().to_owned(),
        _ => written.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn reserved_words_are_sorted() {
        assert!(RESERVED.is_sorted());
    }

    #[test]
    fn quotes_what_would_break_out() {
        assert_eq!(quoted("hives"), "hives");
        assert_eq!(quoted("order"), "\"order\"");
        assert_eq!(quoted("x\"; DROP TABLE hives; --"), "\"x\"\"; DROP TABLE hives; --\"");
        assert_eq!(quoted("Völker"), "\"Völker\"");
        assert_eq!(quoted(""), "\"\"");
    }
}
