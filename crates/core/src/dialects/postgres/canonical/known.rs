//! What a model holds, by name, so that references can be looked up.

use std::collections::{HashMap, HashSet};
use std::sync::LazyLock;

use super::super::names;
use super::super::parse::identifier_of;
use super::super::rename::{expressions_mut, types_mut};
use super::super::{split_list, tokens};
use crate::model::{Clauses, Definition, Kind, Model, Name, Object};
use crate::parse::{Token, TokenKind, token};

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

/// Names by what they can stand for.
pub struct Known {
    /// The names of all objects without their schemas: a word that is none of them names nothing.
    identifiers: HashSet<String>,
    relations: HashSet<String>,
    types: HashSet<String>,
    routines: HashMap<String, Vec<Name>>,
    others: HashSet<String>,
    /// The types of the columns of every table, and of the views whose columns are known.
    pub columns: HashMap<String, Vec<(String, Option<String>)>>,
    /// What domains are made of.
    domains: HashMap<String, String>,
    /// The range types of multiranges, which are made with them.
    multiranges: HashMap<String, String>,
    /// Enum types (true), and composite and range types (false).
    structured: HashMap<String, bool>,
}

impl Known {
    /// Everything in a model.
    pub fn of(model: &Model) -> Known {
        let mut known = Known {
            identifiers: HashSet::new(),
            relations: HashSet::new(),
            types: HashSet::new(),
            routines: HashMap::new(),
            others: HashSet::new(),
            columns: HashMap::new(),
            domains: HashMap::new(),
            multiranges: HashMap::new(),
            structured: HashMap::new(),
        };
        for object in model.objects() {
            let name = object.name.canonical().to_owned();
            known.identifiers.insert(names::identifier(&object.name));
            match object.definition.kind() {
                Kind::Table | Kind::ForeignTable | Kind::View | Kind::MaterializedView => {
                    // Every relation's rows have a type of its name.
                    known.types.insert(name.clone());
                    known.relations.insert(name.clone());
                }
                Kind::Sequence | Kind::Index => {
                    known.relations.insert(name.clone());
                }
                Kind::Type | Kind::Domain => {
                    known.types.insert(name.clone());
                    // A range brings its multirange.
                    if let Definition::Plain(plain) = &object.definition
                        && plain.kind == Kind::Domain
                    {
                        known.domains.insert(name.clone(), plain.clauses.value("as").unwrap_or_default().to_owned());
                    }
                    if let Definition::Plain(plain) = &object.definition
                        && plain.kind == Kind::Type
                    {
                        let enumerated = plain.clauses.has("enum");
                        if enumerated || plain.clauses.has("attributes") || plain.clauses.has("range.subtype") {
                            known.structured.insert(name.clone(), enumerated);
                        }
                    }
                    if let Definition::Plain(plain) = &object.definition
                        && plain.clauses.has("range.subtype")
                    {
                        let multirange = multirange(&object.name, &plain.clauses);
                        known.identifiers.extend(names::parts(&multirange).pop());
                        known.multiranges.insert(multirange.clone(), name.clone());
                        known.types.insert(multirange);
                    }
                }
                Kind::Function | Kind::Procedure | Kind::Aggregate => {
                    let base = name.trim_end_matches(names::signature(&object.name)).to_owned();
                    known.routines.entry(base).or_default().push(object.name.clone());
                }
                _ => {
                    known.others.insert(name.clone());
                }
            }
            if let Definition::Table(table) = &object.definition {
                let columns = table.columns.iter().map(|column| {
                    let data_type = column.data_type.as_ref().map(|data_type| data_type.canonical.clone());
                    (column.name.canonical().to_owned(), data_type)
                });
                known.columns.insert(name, columns.collect());
            }
        }
        known
    }

    /// The schemas in which a name without one is looked for.
    fn in_path(&self, set: &HashSet<String>, own: &str, identifier: &str) -> Option<String> {
        if !self.identifiers.contains(identifier) {
            return None;
        }
        [own, "public"]
            .into_iter()
            .map(|schema| names::qualified(schema, identifier))
            .map(|name| name.canonical().to_owned())
            .find(|name| set.contains(name))
    }

    /// Whether the type is a domain of the model.
    pub fn is_domain(&self, data_type: &str) -> bool {
        self.domains.contains_key(data_type)
    }

    /// The type that decides which operators apply: what a domain is made of, and names without the usual schema.
    pub fn effective_type(&self, data_type: &str) -> String {
        let mut data_type = data_type;
        for _ in 0..10 {
            match self.domains.get(data_type) {
                Some(base) => data_type = base,
                None => break,
            }
        }
        data_type.strip_prefix("public.").unwrap_or(data_type).to_owned()
    }

    /// The name with its schema of an object that is no relation, type or routine; the engine's own stay without.
    pub fn other(&self, name: &str, own: &str) -> String {
        let parsed = Name::new(name, name);
        if !names::is_unresolved(&parsed) {
            return name.to_owned();
        }
        self.in_path(&self.others, own, &names::identifier(&parsed)).unwrap_or_else(|| name.to_owned())
    }

    /// A relation's name with its schema.
    pub fn relation(&self, name: &Name, own: &str) -> Name {
        if !names::is_unresolved(name) {
            return name.clone();
        }
        let identifier = names::identifier(name);
        match self.in_path(&self.relations, own, &identifier) {
            Some(found) => Name::new(found.as_str(), found.as_str()),
            None => names::qualified(own, &identifier),
        }
    }

    /// A relation by what a query says, if it is one of the model's.
    pub fn relation_in_query(&self, parts: &[String], own: &str) -> Option<String> {
        match parts {
            [identifier] => self.in_path(&self.relations, own, identifier),
            [.., schema, identifier] => {
                let name = names::qualified(schema, identifier);
                self.relations.contains(name.canonical()).then(|| name.canonical().to_owned())
            }
            [] => None,
        }
    }

    /// A routine's name with its schema; the engine's own stay without.
    pub fn function(&self, name: &str, own: &str) -> String {
        let parts = names::parts(name);
        match &parts[..] {
            [schema, identifier] if schema == "pg_catalog" => names::quoted(identifier),
            [identifier] => [own, "public"]
                .into_iter()
                .map(|schema| names::qualified(schema, identifier))
                .find(|name| self.routines.contains_key(name.canonical()))
                .map_or_else(|| names::quoted(identifier), |name| name.canonical().to_owned()),
            _ => name.to_owned(),
        }
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
        if is_built_in(text) && !self.identifiers.contains(text) {
            return text.to_owned();
        }
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
            if !ends || dotted || head {
                continue;
            }
            let identifier = identifier_of(*token, text);
            let is_keyword_type = token.kind == TokenKind::Word && is_built_in(&identifier);
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
                None => names::qualified("public", &identifier).canonical().to_owned(),
            };
            out.push_str(&text[done..token.start as usize]);
            out.push_str(&name);
            done = token.end as usize;
        }
        out.push_str(&text[done..]);
        out
    }

    /// A routine's name with the types of its signature looked up.
    pub fn qualified_signature(&self, name: &Name, own: &str) -> Name {
        let signature = names::signature(name);
        let cast = name.canonical().strip_prefix('(').and_then(|rest| rest.strip_suffix(')')?.split_once(" AS "));
        let transform = name.canonical().strip_prefix("FOR ").and_then(|rest| rest.split_once(" LANGUAGE "));
        let text = if let Some((from, to)) = cast {
            format!("({} AS {})", self.qualified_types(from, own), self.qualified_types(to, own))
        } else if let Some((data_type, language)) = transform {
            format!("FOR {} LANGUAGE {language}", self.qualified_types(data_type, own))
        } else if signature.is_empty() {
            name.canonical().to_owned()
        } else {
            let base = &name.canonical()[..name.canonical().len() - signature.len()];
            let items: Vec<String> = split_list(&signature[1..signature.len() - 1])
                .iter()
                .map(|item| if item == "NONE" { item.clone() } else { self.qualified_types(item, own) })
                .collect();
            format!("{base}({})", items.join(", "))
        };
        Name::new(text.as_str(), text.as_str())
    }

    /// The objects of the model that an object needs to be there, ordered.
    pub fn uses(&self, object: &mut Object) -> Vec<Name> {
        let own = super::own_schema(object);
        let mut found: HashSet<String> = HashSet::new();
        for data_type in types_mut(&mut object.definition) {
            self.find_in(&data_type.canonical, &own, &mut found);
        }
        for expression in expressions_mut(&mut object.definition) {
            self.find_in(expression.written(), &own, &mut found);
        }
        match &object.definition {
            Definition::Table(table) => {
                for clause in ["partition of", "inherits", "of"] {
                    found.extend(split_list(table.clauses.value(clause).unwrap_or_default()));
                }
                self.find_in(table.clauses.written("partition by"), &own, &mut found);
                found.extend(table.clauses.value("server").map(str::to_owned));
                found.extend(
                    table
                        .columns
                        .iter()
                        .filter_map(|column| column.collation.as_ref())
                        .map(|c| c.canonical().to_owned()),
                );
            }
            Definition::Index(index) => {
                found.insert(index.table.canonical().to_owned());
                found.extend(index.clauses.value("attached to").map(str::to_owned));
                for part in &index.parts {
                    found.extend(part.collation.as_ref().map(|collation| collation.canonical().to_owned()));
                    if let Some(class) = part.clauses.value("operator class") {
                        found.insert(format!("{class} USING {}", index.clauses.value("using").unwrap_or("btree")));
                    }
                }
            }
            Definition::Plain(plain) => {
                for (clause, value) in plain.clauses.iter() {
                    if matches!(
                        clause,
                        "function" | "support" | "from" | "family" | "as" | "symbol" | "definition" | "when"
                    ) && !(clause == "as" && matches!(plain.kind, Kind::Function | Kind::Procedure))
                        || clause.starts_with("with.")
                        || clause.starts_with("range.")
                        || clause.starts_with("base.")
                        || clause.starts_with("mapping ")
                        || clause.bytes().all(|byte| byte.is_ascii_digit())
                    {
                        self.find_in(&value.canonical, &own, &mut found);
                    }
                    found.extend(clause.strip_prefix("table ").map(str::to_owned));
                    found.extend(clause.strip_prefix("schema ").map(str::to_owned));
                }
                // An operator class goes with its family, which may have its name.
                if let (Kind::OperatorClass, Some((name, method))) =
                    (plain.kind, object.name.canonical().split_once(" USING "))
                {
                    let family = plain.clauses.value("family").unwrap_or(name);
                    let family = if family.contains('.') {
                        family.to_owned()
                    } else {
                        format!("{}.{family}", names::quoted(&own))
                    };
                    found.insert(format!("{family} USING {method}"));
                }
                // A routine depends on the transforms of its types for its language (`ProcedureCreate()` of pg_proc.c).
                if let Some(language) = plain.clauses.value("language") {
                    let arguments = names::signature(&object.name).trim_matches(['(', ')']);
                    let returned =
                        plain.clauses.value("returns").map(|name| name.trim_start_matches("SETOF ").to_owned());
                    let types = split_list(arguments).into_iter().chain(returned);
                    found.extend(types.map(|name| format!("FOR {name} LANGUAGE {language}")));
                }
                if plain.kind != Kind::Sequence {
                    found.extend(plain.owner.as_ref().map(|owner| owner.canonical().to_owned()));
                }
                if matches!(plain.kind, Kind::Operator | Kind::Cast | Kind::Aggregate | Kind::Transform) {
                    self.find_in(object.name.canonical(), &own, &mut found);
                }
            }
            _ => {}
        }
        // The schema in which it is.
        if let Some(schema) = names::schema(&object.name) {
            found.insert(names::quoted(&schema));
        }
        // A multirange is there as soon as its range is.
        let mut found: HashSet<String> =
            found.into_iter().map(|name| self.multiranges.get(&name).cloned().unwrap_or(name)).collect();
        found.remove(object.name.canonical());
        let mut found: Vec<Name> = found
            .into_iter()
            .filter(|name| self.holds(name))
            .map(|name| Name::new(name.as_str(), name.as_str()))
            .collect();
        found.sort();
        found
    }

    fn holds(&self, name: &str) -> bool {
        self.relations.contains(name)
            || self.types.contains(name)
            || self.others.contains(name)
            || self
                .routines
                .get(name.split('(').next().unwrap_or(name))
                .is_some_and(|all| all.iter().any(|n| n.canonical() == name))
    }

    /// Everything that a text names, by its dotted names and by the texts that may be names of relations.
    pub fn find_in(&self, text: &str, own: &str, found: &mut HashSet<String>) {
        // Most texts are one word of the engine's own: `integer`, `true`, `0`.
        let one_word = text.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit());
        if one_word && !self.identifiers.contains(text) {
            return;
        }
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let mut index = 0;
        while index < tokens.len() {
            let start = index;
            let mut parts = vec![];
            while let Some(token) = tokens.get(index).filter(|t| matches!(t.kind, TokenKind::Word | TokenKind::Quoted))
            {
                parts.push(identifier_of(*token, text));
                index += 1;
                if tokens.get(index).is_some_and(|token| token.is_symbol(text, ".")) {
                    index += 1;
                } else {
                    break;
                }
            }
            if index == start {
                if let Some(value) = text_name(&tokens[index], text) {
                    parts = names::parts(&value);
                    if let Some(name) = self.relation_in_query(&parts, own) {
                        found.insert(name);
                    }
                }
                index += 1;
                continue;
            }
            let call = tokens.get(index).is_some_and(|token| token.is_symbol(text, "("));
            // schema.table.column and table.column name the table too.
            for length in (1..=parts.len().min(2)).rev() {
                let parts = &parts[..length];
                if parts.last().is_none_or(|identifier| !self.identifiers.contains(identifier)) {
                    continue;
                }
                let candidates: Vec<Name> = match parts {
                    [identifier] => {
                        [own, "public"].into_iter().map(|schema| names::qualified(schema, identifier)).collect()
                    }
                    [schema, identifier] => vec![names::qualified(schema, identifier)],
                    _ => Vec::new(),
                };
                for name in candidates {
                    let name = name.canonical();
                    if self.relations.contains(name) || self.types.contains(name) {
                        found.insert(name.to_owned());
                        break;
                    }
                    if let Some(routines) = self.routines.get(name) {
                        if call || length == 2 || routines.len() == 1 {
                            found.extend(routines.iter().map(|name| name.canonical().to_owned()));
                        }
                        break;
                    }
                    if self.others.contains(name) {
                        found.insert(name.to_owned());
                        break;
                    }
                }
            }
        }
    }
}

fn multirange(name: &Name, clauses: &Clauses) -> String {
    let (schema, own) = names::split(name);
    let own = match clauses.value("range.multirange_type_name") {
        Some(given) => names::parts(given).pop().unwrap_or_default(),
        None if own.contains("range") => own.replacen("range", "multirange", 1),
        None => format!("{own}_multirange"),
    };
    names::qualified(schema.as_deref().unwrap_or("public"), &own).canonical().to_owned()
}

/// The text of a constant that may be the name of something: `nextval('hives_id_seq')`.
fn text_name(token: &Token, text: &str) -> Option<String> {
    let value = (token.kind == TokenKind::Text).then(|| tokens::string_value(token.text(text)))??;
    (value.len() < 130 && !value.contains(' ')).then_some(value)
}

/// Whether a word is one of the engine's types.
pub fn is_built_in(identifier: &str) -> bool {
    // Every relation of the system's catalogue has a row type, and no name of a user's begins so by custom.
    static TYPES: LazyLock<HashSet<&str>> = LazyLock::new(|| BUILT_IN_TYPES.iter().copied().collect());
    TYPES.contains(identifier) || identifier.starts_with("pg_")
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
