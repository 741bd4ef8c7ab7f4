//! MariaDB's identifiers: letter case, quoting, and how names of objects are printed.
//!
//! Names of columns, keys, constraints and routines do not depend on letter case; those of tables, views and triggers do, as on a
//! server whose `lower_case_table_names` is 0 (<https://mariadb.com/kb/en/identifier-case-sensitivity/>). What is in another
//! database is printed as `database.name`; a key, whose name only counts in its table, as `key ON table`.

use wevrun_core::model::{Kind, Name, NameParts, QualifiedName};
use wevrun_core::parse::{Token, TokenKind};

/// Words that can't be a column's name without quotes, found by trying all of `information_schema.keywords` (10.11).
#[rustfmt::skip]
const RESERVED: &[&str] = &[
    "accessible", "add", "all", "alter", "analyze", "and", "as", "asc", "asensitive", "before", "between", "bigint",
    "binary", "blob", "both", "by", "call", "cascade", "case", "change", "char", "character", "check", "collate",
    "column", "condition", "constraint", "continue", "convert", "create", "cross", "current_date", "current_role",
    "current_time", "current_timestamp", "current_user", "cursor", "databases", "day_hour", "day_microsecond",
    "day_minute", "day_second", "dec", "decimal", "declare", "default", "delayed", "delete", "delete_domain_id",
    "desc", "describe", "deterministic", "distinct", "distinctrow", "div", "do_domain_ids", "double", "drop", "dual",
    "each", "else", "elseif", "enclosed", "escaped", "except", "exists", "exit", "explain", "false", "fetch", "float",
    "float4", "float8", "for", "force", "foreign", "from", "fulltext", "grant", "group", "having", "high_priority",
    "hour_microsecond", "hour_minute", "hour_second", "if", "ignore", "ignore_domain_ids", "in", "index", "infile",
    "inner", "inout", "insensitive", "insert", "int", "int1", "int2", "int3", "int4", "int8", "integer", "intersect",
    "interval", "into", "is", "iterate", "join", "key", "keys", "kill", "leading", "leave", "left", "like", "limit",
    "linear", "lines", "load", "localtime", "localtimestamp", "lock", "long", "longblob", "longtext", "loop",
    "low_priority", "master_demote_to_replica", "master_demote_to_slave", "master_ssl_verify_server_cert", "match",
    "maxvalue", "mediumblob", "mediumint", "mediumtext", "middleint", "minute_microsecond", "minute_second", "mod",
    "modifies", "natural", "no_write_to_binlog", "not", "null", "numeric", "offset", "on", "optimize", "optionally",
    "or", "order", "out", "outer", "outfile", "over", "page_checksum", "parse_vcol_expr", "partition", "portion",
    "precision", "primary", "procedure", "purge", "range", "read", "read_write", "reads", "real", "recursive",
    "ref_system_id", "references", "regexp", "release", "rename", "repeat", "replace", "require", "resignal",
    "restrict", "return", "returning", "revoke", "right", "rlike", "row_number", "rows", "schemas",
    "second_microsecond", "select", "sensitive", "separator", "set", "show", "signal", "smallint", "spatial",
    "specific", "sql", "sql_big_result", "sql_calc_found_rows", "sql_small_result", "sqlexception", "sqlstate",
    "sqlwarning", "ssl", "starting", "stats_auto_recalc", "stats_persistent", "stats_sample_pages", "straight_join",
    "table", "terminated", "then", "tinyblob", "tinyint", "tinytext", "to", "trailing", "trigger", "true", "undo",
    "union", "unique", "unlock", "unsigned", "update", "usage", "use", "using", "utc_date", "utc_time",
    "utc_timestamp", "values", "varbinary", "varchar", "varcharacter", "varying", "when", "where", "while", "with",
    "write", "xor", "year_month", "zerofill",
];

/// The longest identifier, in characters.
pub const LONGEST: usize = 64;

/// Whether a word (in lower case) needs quotes to be a name.
pub fn is_reserved(lower: &str) -> bool {
    RESERVED.binary_search(&lower).is_ok()
}

/// The identifier in SQL: in backticks if it needs any.
pub fn quoted(name: &str) -> String {
    let plain = name.chars().next().is_some_and(|first| first.is_ascii_alphabetic() || first == '_')
        && name.chars().all(|ch| ch.is_ascii_alphanumeric() || ch == '_')
        && !is_reserved(&name.to_ascii_lowercase());
    if plain { name.to_owned() } else { always_quoted(name) }
}

/// The identifier in backticks.
pub fn always_quoted(name: &str) -> String {
    format!("`{}`", name.replace('`', "``"))
}

/// A string literal, read alike in every `sql_mode` with backslash escapes.
pub fn literal(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('\'');
    for ch in text.chars() {
        match ch {
            '\'' => out.push_str("''"),
            '\\' => out.push_str("\\\\"),
            '\0' => out.push_str("\\0"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\u{1a}' => out.push_str("\\Z"),
            ch => out.push(ch),
        }
    }
    out.push('\'');
    out
}

/// The value of a string literal, without quotes and escapes
/// (<https://mariadb.com/kb/en/string-literals/#escape-sequences>).
pub fn unescaped(literal: &str) -> String {
    let Some(quote) = literal.chars().next().filter(|quote| matches!(quote, '\'' | '"')) else {
        return literal.to_owned();
    };
    let inner = literal[1..].strip_suffix(quote).unwrap_or(&literal[1..]);
    let mut out = String::with_capacity(inner.len());
    let mut chars = inner.chars();
    while let Some(ch) = chars.next() {
        match ch {
            '\\' => match chars.next() {
                Some('0') => out.push('\0'),
                Some('b') => out.push('\u{8}'),
                Some('n') => out.push('\n'),
                Some('r') => out.push('\r'),
                Some('t') => out.push('\t'),
                Some('Z') => out.push('\u{1a}'),
                // They stay as they are, for LIKE.
                Some(wildcard @ ('%' | '_')) => out.extend(['\\', wildcard]),
                Some(other) => out.push(other),
                None => out.push('\\'),
            },
            ch if ch == quote => {
                chars.next();
                out.push(ch);
            }
            ch => out.push(ch),
        }
    }
    out
}

/// The name of a column, key, constraint or routine.
pub fn simple(written: &str) -> Name {
    if written.chars().any(char::is_uppercase) {
        Name::new(written.to_lowercase(), written)
    } else {
        Name::new(written, written)
    }
}

/// The name of an object of a kind, as it is printed.
pub fn of(kind: Kind, parts: NameParts) -> QualifiedName {
    let is_caseless = matches!(
        kind,
        Kind::Index
            | Kind::Function
            | Kind::Aggregate
            | Kind::Procedure
            | Kind::Package
            | Kind::PackageBody
            | Kind::Event
    );
    let mut printed = String::new();
    if let Some(schema) = &parts.schema {
        printed = format!("{}.", in_parts(schema));
    }
    let start = printed.len();
    printed.push_str(&in_parts(&parts.identifier));
    let lower = is_caseless.then(|| printed[start..].to_lowercase());
    // A trigger's name is one of the database's.
    let owner = parts.owner.as_ref().filter(|_| kind == Kind::Index).map(|owner| format!(" ON {owner}"));
    let owner = owner.unwrap_or_default();
    let canonical = match lower {
        Some(lower) => format!("{}{lower}{owner}", &printed[..start]),
        None => format!("{printed}{owner}"),
    };
    QualifiedName::new(parts, Name::new(canonical, format!("{printed}{owner}")))
}

/// An identifier as a part of a printed name: in backticks where it could be read as more than one.
fn in_parts(identifier: &str) -> String {
    if identifier.contains(['.', '`', ' ']) { always_quoted(identifier) } else { identifier.to_owned() }
}

/// The name of a table, view, sequence or trigger.
pub fn table(schema: Option<&str>, identifier: &str) -> QualifiedName {
    of(Kind::Table, NameParts { schema: schema.map(Into::into), identifier: identifier.into(), ..NameParts::default() })
}

/// The name of a key of a table.
pub fn key(table: &QualifiedName, identifier: &str) -> QualifiedName {
    let owner = Some(table.clone());
    of(Kind::Index, NameParts { identifier: identifier.into(), owner, ..NameParts::default() })
}

/// The name as SQL has it.
pub fn in_sql(name: &QualifiedName) -> String {
    match name.schema() {
        Some(schema) => format!("{}.{}", quoted(schema), quoted(name.identifier())),
        None => quoted(name.identifier()),
    }
}

/// The name in a token, without its quotes.
pub fn unquoted(token: Token, text: &str) -> String {
    let written = token.text(text);
    match token.kind {
        TokenKind::Quoted => written[1..written.len() - 1].replace("``", "`"),
        TokenKind::Text => unescaped(written),
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
    fn what_is_quoted_can_be_read_back() {
        for text in ["it's", "a\\b", "\"q\"", "line\nbreak", "é", "", "50\\%"] {
            assert_eq!(unescaped(&literal(text)), text);
        }
        assert_eq!(quoted("order"), "`order`");
        assert_eq!(quoted("a`b"), "`a``b`");
        assert_eq!(quoted("hives"), "hives");
    }
}
