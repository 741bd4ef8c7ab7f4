//! Types by their names: which are the server's own, what a name without a schema means, how values of them are stored.

use crate::clause;
use std::borrow::Cow;
use std::collections::HashSet;
use std::sync::LazyLock;

use super::super::parse::identifier_of;
use super::super::{names, tokens, types};
use super::known::Known;
use smol_str::SmolStr;
use wevrun_core::model::{Clauses, Definition, Kind, Model, QualifiedName};
use wevrun_core::parse::{Token, TokenKind, token};

/// The types of `pg_catalog` that have no spelling of their own in the grammar.
#[rustfmt::skip]
const BUILT_IN_TYPES: &[&str] = &[
    "aclitem", "any", "anyarray", "anycompatible", "anycompatiblearray", "anycompatiblemultirange",
    "anycompatiblenonarray", "anycompatiblerange", "anyelement", "anyenum", "anymultirange", "anynonarray", "anyrange",
    "bigint", "bigserial", "bit", "boolean", "box", "bpchar", "bytea", "character", "cid", "cidr", "circle", "cstring",
    "date", "datemultirange", "daterange", "double", "event_trigger", "fdw_handler", "gtsvector", "index_am_handler",
    "inet", "int2vector", "int4multirange", "int4range", "int8multirange", "int8range", "integer", "internal",
    "interval", "json", "jsonb", "jsonpath", "language_handler", "line", "lseg", "macaddr", "macaddr8", "money", "name",
    "numeric", "nummultirange", "numrange", "oid", "oidvector", "path", "pg_brin_bloom_summary", "pg_ddl_command",
    "pg_lsn", "pg_mcv_list", "pg_ndistinct", "pg_dependencies", "pg_node_tree", "pg_snapshot", "point", "polygon",
    "real", "record", "refcursor", "regclass", "regcollation", "regconfig", "regdictionary", "regnamespace", "regoper",
    "regoperator", "regproc", "regprocedure", "regrole", "regtype", "serial", "smallint", "smallserial",
    "table_am_handler", "text", "tid", "time", "timestamp", "trigger", "tsm_handler", "tsmultirange", "tsquery",
    "tsrange", "tstzmultirange", "tstzrange", "tsvector", "txid_snapshot", "unknown", "uuid", "void", "xid", "xid8",
    "xml", "bool", "char", "float4", "float8", "int2", "int4", "int8", "timestamptz", "timetz", "varbit", "varchar",
];

/// Those of several words.
const PHRASES: &[&str] = &[
    "double precision",
    "character varying",
    "bit varying",
    "timestamp with time zone",
    "timestamp without time zone",
    "time with time zone",
    "time without time zone",
];

static BUILT_IN: LazyLock<HashSet<&str>> = LazyLock::new(|| BUILT_IN_TYPES.iter().copied().collect());

impl Known {
    /// Whether values of the type are spelled by functions of its own: what is neither the engine's nor an enum or domain.
    pub fn spells_by_itself(&self, data_type: &str) -> bool {
        let effective = self.effective_type(data_type);
        let base = super::infer::base(&effective);
        let bare = names::unquoted(base.trim_end_matches("[]"));
        let enumerated = |name: &str| self.structured.get(name) == Some(&true);
        !(BUILT_IN.contains(bare.as_str())
            || bare == super::infer::CASELESS
            || bare.contains(' ')
            || bare.starts_with("pg_")
            || base.starts_with("time")
            || base.starts_with("interval")
            || enumerated(base.trim_end_matches("[]"))
            || enumerated(&format!("public.{}", base.trim_end_matches("[]"))))
    }

    /// How a type is usually stored, if its storage can be said at all.
    pub fn usual_storage(&self, data_type: &str) -> Option<&'static str> {
        let data_type = &self.effective_type(data_type);
        let base = super::infer::base(data_type);
        Some(match base.as_str() {
            _ if data_type.ends_with("[]") => "extended",
            "text" | "character varying" | "character" | "bpchar" | "bytea" | "json" | "jsonb" | "jsonpath" | "xml"
            | "tsvector" | "bit" | "bit varying" | "polygon" | "path" | "record" => "extended",
            "numeric" | "inet" | "cidr" => "main",
            "smallint" | "integer" | "bigint" | "real" | "double precision" | "boolean" | "date" | "uuid" | "oid"
            | "money" | "interval" | "name" | "\"char\"" | "point" | "line" | "lseg" | "box" | "circle" | "macaddr"
            | "macaddr8" | "pg_lsn" | "tsquery" => "plain",
            moment if moment.starts_with("time") => "plain",
            own => match self.structured.get(own).or_else(|| self.structured.get(&format!("public.{own}"))) {
                Some(enumerated) => {
                    if *enumerated {
                        "plain"
                    } else {
                        "extended"
                    }
                }
                None => return None,
            },
        })
    }

    /// The text of types with every name that has no schema looked up: `mood[]`, `a mood, b integer`, `TABLE(a mood)`.
    pub fn qualified_types(&self, text: &str, own: &str) -> String {
        if is_plainly_built_in(text) || is_built_in(text) && !self.identifiers.contains(text) {
            return text.to_owned();
        }
        let text = &*self.without_type_references(text, own);
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let mut out = String::with_capacity(text.len());
        let mut done = 0;
        for (index, token) in tokens.iter().enumerate() {
            if !matches!(token.kind, TokenKind::Word | TokenKind::Quoted) {
                continue;
            }
            let symbol =
                |at: usize, symbols: &[&str]| tokens.get(at).is_some_and(|token| symbols.contains(&token.text(text)));
            let ends = index + 1 == tokens.len()
                || symbol(index + 1, &[",", ")", "[", "("])
                || tokens[index + 1].is_word(text, "COLLATE")
                || tokens[index + 1].is_word(text, "DEFAULT");
            let dotted = symbol(index + 1, &["."]) || index > 0 && symbol(index - 1, &["."]);
            let head = token.is_word(text, "TABLE") && symbol(index + 1, &["("]);
            // What stands between the parentheses of a type is its modifiers: `geometry(point,4326)`.
            let names_a_type = |at: usize| {
                matches!(tokens[at].kind, TokenKind::Word | TokenKind::Quoted) && !tokens[at].is_word(text, "TABLE")
            };
            let opens =
                tokens[..index].iter().rposition(|token| token.is_symbol(text, "(") || token.is_symbol(text, ")"));
            if opens.is_some_and(|at| tokens[at].is_symbol(text, "(") && at > 0 && names_a_type(at - 1)) {
                continue;
            }
            if !ends || dotted || head {
                continue;
            }
            let identifier = identifier_of(*token, text);
            let is_keyword_type = token.kind == TokenKind::Word && is_built_in(&identifier);
            // The system's schema is first in every search path.
            if BUILT_IN.contains(identifier.as_str()) {
                continue;
            }
            if index > 0 && tokens[index - 1].is_word(text, "COLLATE") {
                continue;
            }
            let in_phrase = index > 0 && is_phrase(&tokens[index - 1], token, text);
            let found = self.in_path(&self.types, own, &identifier);
            let name = match found {
                Some(name) => name,
                None if is_keyword_type || in_phrase || token.kind == TokenKind::Quoted && is_built_in(&identifier) => {
                    continue;
                }
                None => match self.array_of(&identifier, own) {
                    Some(array) => array,
                    None => names::qualified("public", &identifier).canonical().to_owned(),
                },
            };
            out.push_str(&text[done..token.start as usize]);
            out.push_str(&name);
            done = token.end as usize;
        }
        out.push_str(&text[done..]);
        out
    }

    /// `hives.name%TYPE` as the type of that column, which the server puts in its place when it makes the routine.
    fn without_type_references<'t>(&self, text: &'t str, own: &str) -> Cow<'t, str> {
        if !text.contains('%') {
            return Cow::Borrowed(text);
        }
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let mut out = String::with_capacity(text.len());
        let mut done = 0;
        for (at, percent) in tokens.iter().enumerate().filter(|(_, token)| token.is_symbol(text, "%")) {
            let Some(last) = tokens.get(at + 1).filter(|token| token.is_word(text, "TYPE")) else { continue };
            let mut first = at.saturating_sub(1);
            while first >= 2 && tokens[first - 1].is_symbol(text, ".") {
                first -= 2;
            }
            let path = names::parts(&text[tokens[first].start as usize..percent.start as usize]);
            let Some((column, table)) = path.split_last() else { continue };
            let columns = self.relation_in_query(table, own).and_then(|table| self.columns.get(&table));
            let found = columns.and_then(|columns| columns.iter().find(|(name, _)| name == column));
            let Some((_, Some(data_type))) = found else { continue };
            out.push_str(&text[done..tokens[first].start as usize]);
            out.push_str(&types::without_modifiers(data_type));
            done = last.end as usize;
        }
        out.push_str(&text[done..]);
        Cow::Owned(out)
    }

    /// The array type under its own name, `_text` and `_mood`, which the server makes with each type.
    fn array_of(&self, identifier: &str, own: &str) -> Option<String> {
        let element = identifier.strip_prefix('_')?;
        if element == "char" {
            return Some("\"char\"[]".to_owned()); // the catalogue's, where the grammar's is another
        }
        if BUILT_IN.contains(element) {
            let canonical = super::super::parse::canonical_type(element);
            return Some(format!("{}[]", types::without_modifiers(&canonical)));
        }
        self.in_path(&self.types, own, element).map(|name| format!("{name}[]"))
    }

    /// The name of an object with the types of its signature looked up.
    pub fn qualified_signature(&self, kind: Kind, name: &QualifiedName, own: &str) -> QualifiedName {
        let Some(signature) = name.signature() else { return name.clone() };
        let looked_up = |(at, item): (usize, &SmolStr)| match kind {
            Kind::OperatorClass | Kind::OperatorFamily => item.clone(),
            // The second one is a language.
            Kind::Transform if at == 1 => item.clone(),
            _ if item == "NONE" => item.clone(),
            _ => self.qualified_types(item, own).into(),
        };
        names::with_signature(kind, name, signature.iter().enumerate().map(looked_up).collect())
    }
}

/// The name of the multirange that a range type brings.
pub fn multirange(name: &QualifiedName, clauses: &Clauses) -> String {
    let (schema, own) = names::split(name);
    let own = match clauses.value(clause::RANGE_MULTIRANGE_TYPE_NAME) {
        Some(given) => names::parts(given).pop().unwrap_or_default(),
        None if own.contains("range") => own.replacen("range", "multirange", 1),
        None => format!("{own}_multirange"),
    };
    names::qualified(schema.as_deref().unwrap_or("public"), &own).canonical().to_owned()
}

/// Whether a range type brings a type or function of this name: its multirange, and the functions that make values of both
/// (<https://www.postgresql.org/docs/current/rangetypes.html>).
pub fn is_generated(model: &Model, kinds: &[Kind], name: &QualifiedName) -> bool {
    let [is_type, is_function] = [Kind::Type, Kind::Function].map(|kind| kinds.contains(&kind));
    let base = names::of(Kind::Type, names::parts_of(name.schema(), name.identifier()));
    model.of_kind(Kind::Type).any(|object| {
        let Definition::Plain(plain) = &object.definition else { return false };
        plain.clauses.has(clause::RANGE_SUBTYPE)
            && (is_function && object.name == base
                || (is_function || is_type) && base.canonical() == multirange(&object.name, &plain.clauses))
    })
}

/// Whether a word is one of the engine's types.
pub fn is_built_in(identifier: &str) -> bool {
    // Every relation of the system's catalogue has a row type, and no name of a user's begins so by custom.
    BUILT_IN.contains(identifier) || identifier.starts_with("pg_")
}

/// Whether it is one of the server's types, or an array of it, with nothing but numbers as modifiers: `character varying(80)`.
pub fn is_plainly_built_in(data_type: &str) -> bool {
    let element = data_type.trim_end_matches("[]");
    let (head, modifiers) = element.split_once('(').unwrap_or((element, ")"));
    let numbers = modifiers.strip_suffix(')');
    numbers.is_some_and(|list| list.bytes().all(|byte| matches!(byte, b'0'..=b'9' | b',' | b'-')))
        && (BUILT_IN.contains(head) || PHRASES.contains(&head))
}

/// Whether two words are the end of a type's name of several words: `double precision`, `with time zone`, `interval day`.
fn is_phrase(before: &Token, token: &Token, text: &str) -> bool {
    let pair = (before.text(text).to_ascii_lowercase(), token.text(text).to_ascii_lowercase());
    matches!(
        (pair.0.as_str(), pair.1.as_str()),
        ("double", "precision")
            | ("time", "zone")
            | ("character", "varying")
            | ("bit", "varying")
            | ("interval" | "to", "year" | "month" | "day" | "hour" | "minute" | "second")
    )
}
