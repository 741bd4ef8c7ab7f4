//! Objects as the statements that make them.

mod extras;
pub mod foreign;
mod replication;
mod routines;
mod tables;

pub use extras::*;
pub use tables::*;

use super::members;
use super::names::{self, quoted};
use super::tokens::literal;
use crate::canonical;
use crate::clause;
use wevrun_core::model::{
    ClauseFamily, Clauses, Definition, Expression, Index, Kind, Name, Object, Plain, QualifiedName, View, is,
};

/// Everything that makes the object, statement by statement.
pub fn statements(object: &Object) -> Vec<String> {
    let mut statements = vec![create(object, true)];
    statements.extend(extras(object));
    if let Some(table) = object.as_table() {
        let keys = table.foreign_keys.iter().filter(|key| !is_added_later(&key.clauses));
        statements.extend(keys.filter_map(|key| foreign_key_comment(&object.name, key)));
    }
    statements
}

/// The CREATE statement itself. A table's foreign keys come with it only if that is asked for.
pub fn create(object: &Object, foreign_keys: bool) -> String {
    match &object.definition {
        Definition::Table(table) => create_table(&object.name, table, foreign_keys),
        Definition::Index(index) => create_index(&object.name, index, false),
        Definition::View(view) => create_view(&object.name, view, false),
        Definition::Plain(plain) => create_plain(&object.name, plain, false),
        Definition::VirtualTable(_) | Definition::Trigger(_) => unreachable!("PostgreSQL has no such definitions"),
    }
}

/// How the kind is called in SQL.
pub fn keywords(kind: Kind) -> String {
    match kind {
        Kind::ForeignDataWrapper => "FOREIGN DATA WRAPPER".to_owned(),
        kind => kind.title().to_uppercase(),
    }
}

/// The object as COMMENT ON, ALTER and DROP name it.
pub fn subject(kind: Kind, name: &QualifiedName) -> String {
    match kind {
        Kind::UserMapping => format!("USER MAPPING FOR {name}"),
        Kind::Aggregate if names::signature(name) == "()" => {
            format!("AGGREGATE {}", name.canonical().replace("()", "(*)"))
        }
        kind => format!("{} {name}", keywords(kind)),
    }
}

/// A default where only a simple expression can stand without parentheses (`b_expr` of the grammar).
pub fn default_text(default: &Expression) -> String {
    let text = default.written().trim();
    let simple = is_call(text)
        || !text.contains([' ', '\n'])
        || (text.starts_with('\'') && text[1..].find('\'') == Some(text.len() - 2));
    if simple { text.to_owned() } else { format!("({text})") }
}

/// A storage parameter's value as in SQL.
pub fn parameter_value(value: &str) -> String {
    let plain =
        !value.is_empty() && value.chars().all(|ch| ch.is_ascii_alphanumeric() || matches!(ch, '_' | '.' | '-'));
    if plain { value.to_owned() } else { literal(value) }
}

/// ` WITH (…)`, or nothing.
fn storage_parameters(clauses: &Clauses) -> String {
    let listed = clauses.listed(clause::WITH);
    let parameters: Vec<String> =
        listed.map(|(name, value)| format!("{name} = {}", parameter_value(value.written()))).collect();
    if parameters.is_empty() { String::new() } else { format!(" WITH ({})", parameters.join(", ")) }
}

fn tablespace(clauses: &Clauses) -> String {
    clauses.value(clause::TABLESPACE).map_or_else(String::new, |space| format!(" TABLESPACE {}", quoted(space)))
}

/// CREATE INDEX.
pub fn create_index(name: &QualifiedName, index: &Index, concurrently: bool) -> String {
    let parts: Vec<String> = index
        .parts
        .iter()
        .map(|part| {
            let text = part.expression.written().trim();
            let word = text.chars().all(|ch| ch.is_alphanumeric() || ch == '_')
                && !text.starts_with(|ch: char| ch.is_ascii_digit())
                && !["true", "false", "null"].iter().any(|constant| text.eq_ignore_ascii_case(constant));
            let simple = word || is_quoted(text) || is_call(text);
            let mut out = if simple { text.to_owned() } else { format!("({text})") };
            if let Some(collation) = &part.collation {
                out += &format!(" COLLATE {collation}");
            }
            if let Some(class) = part.clauses.get(clause::OPERATOR_CLASS) {
                out += &format!(" {}", class.written());
            }
            if let Some(parameters) = part.clauses.value(clause::OPERATOR_CLASS_PARAMETERS) {
                let parameters: Vec<String> = parameters
                    .split(", ")
                    .map(|pair| {
                        pair.split_once('=')
                            .map_or_else(|| pair.to_owned(), |(k, v)| format!("{k} = {}", parameter_value(v)))
                    })
                    .collect();
                out += &format!(" ({})", parameters.join(", "));
            }
            if part.descending {
                out += " DESC";
            }
            if let Some(nulls) = part.clauses.value(clause::NULLS) {
                out += &format!(" NULLS {}", nulls.to_uppercase());
            }
            out
        })
        .collect();
    let clauses = &index.clauses;
    let only = if clauses.has(clause::ONLY) { "ONLY " } else { "" };
    let mut out = format!(
        "CREATE {}INDEX {}{} ON {only}{}",
        if index.unique { "UNIQUE " } else { "" },
        if concurrently { "CONCURRENTLY " } else { "" },
        quoted(&names::identifier(name)),
        index.table
    );
    if let Some(method) = clauses.value(clause::USING) {
        out += &format!(" USING {}", quoted(method));
    }
    out += &format!(" ({})", parts.join(", "));
    if let Some(list) = clauses.value(clause::INCLUDE) {
        out += &format!(" INCLUDE ({list})");
    }
    if clauses.has(clause::NULLS_NOT_DISTINCT) {
        out += " NULLS NOT DISTINCT";
    }
    out += &storage_parameters(clauses);
    out += &tablespace(clauses);
    if let Some(predicate) = &index.predicate {
        out += &format!(" WHERE {}", predicate.written());
    }
    out
}

fn is_quoted(text: &str) -> bool {
    text.len() > 2 && text.starts_with('"') && text.find('"').is_some() && text[1..].find('"') == Some(text.len() - 2)
}

/// Whether the text is one call of a function, which needs no parentheses around it.
fn is_call(text: &str) -> bool {
    let Some(open) = text.find('(') else { return false };
    let name = &text[..open];
    if name.is_empty() || !name.chars().all(|ch| ch.is_alphanumeric() || matches!(ch, '_' | '.')) {
        return false;
    }
    // The grammar has special forms that are no plain calls.
    if matches!(
        name.to_ascii_lowercase().as_str(),
        "coalesce" | "nullif" | "greatest" | "least" | "cast" | "extract" | "row" | "not"
    ) {
        return false;
    }
    let mut depth = 0;
    let mut quote = None;
    for (index, ch) in text.char_indices().skip(open) {
        match (quote, ch) {
            (Some(mark), _) if ch == mark => quote = None,
            (None, '\'' | '"') => quote = Some(ch),
            (None, '(') => depth += 1,
            (None, ')') => {
                depth -= 1;
                if depth == 0 {
                    return index + 1 == text.len();
                }
            }
            _ => {}
        }
    }
    false
}

/// CREATE VIEW; `replace` for one that is there.
pub fn create_view(name: &Name, view: &View, replace: bool) -> String {
    let materialized = view.clauses.has(is::MATERIALIZED);
    let columns: Vec<String> = view.columns.iter().map(|column| quoted(column.canonical())).collect();
    let columns = if columns.is_empty() { String::new() } else { format!(" ({})", columns.join(", ")) };
    let mut parameters = view.clauses.clone();
    let check = parameters.remove(clause::WITH_CHECK_OPTION);
    let what = if materialized { "MATERIALIZED VIEW" } else { "VIEW" };
    let replace = if replace { "OR REPLACE " } else { "" };
    let using = parameters.value(clause::USING).map_or_else(String::new, |method| format!(" USING {}", quoted(method)));
    let mut out = format!("CREATE {replace}{what} {name}{columns}{using}{}", storage_parameters(&parameters));
    out += &tablespace(&view.clauses);
    out += &format!(" AS\n{}", view.query.written().trim());
    if let Some(check) = check {
        out += &format!("\nWITH {} CHECK OPTION", check.canonical.to_uppercase());
    }
    out
}

/// The options of a sequence, each with a blank before it.
pub fn sequence_options(clauses: &Clauses) -> String {
    let mut out = String::new();
    for (name, words) in [
        ("as", "AS"),
        ("start", "START WITH"),
        ("increment", "INCREMENT BY"),
        ("minvalue", "MINVALUE"),
        ("maxvalue", "MAXVALUE"),
        ("cache", "CACHE"),
    ] {
        if let Some(value) = clauses.value_named(name) {
            out += &format!(" {words} {value}");
        }
    }
    if clauses.has(clause::CYCLE) {
        out += " CYCLE";
    }
    out
}

/// `(key = value, …)` of the clauses with a prefix.
fn definition_list(clauses: &Clauses, family: ClauseFamily<Expression>) -> String {
    let words: Vec<String> = clauses
        .listed(family)
        .map(|(name, value)| {
            let switch = matches!(value.canonical.as_str(), "true" | "false");
            let value = if switch { value.written() } else { value.canonical.as_str() };
            // Types, functions and operators stand as they are; texts are quoted.
            let text = matches!(
                name,
                "locale"
                    | "lc_collate"
                    | "lc_ctype"
                    | "provider"
                    | "version"
                    | "rules"
                    | "initcond"
                    | "minitcond"
                    | "default"
                    | "category"
                    | "delimiter"
                    | "dictfile"
                    | "afffile"
                    | "stopwords"
                    | "synonyms"
                    | "language"
            );
            match (text, value) {
                (true, value) => format!("{name} = {}", literal(value)),
                (false, "") => name.to_owned(), // a flag
                (false, value) => format!("{name} = {value}"),
            }
        })
        .collect();
    format!("({})", words.join(", "))
}

/// CREATE of an object that is nothing but clauses; `replace` for one that is there and can be replaced.
pub fn create_plain(name: &QualifiedName, plain: &Plain, replace: bool) -> String {
    let clauses = &plain.clauses;
    let or_replace = if replace { "OR REPLACE " } else { "" };
    let definition = clauses.get(clause::DEFINITION).map_or_else(String::new, |text| format!(" {}", text.written()));
    let what = keywords(plain.kind);
    let identifier = || names::quoted(name.identifier());
    let owner = plain.owner.as_ref().map_or("", |owner| owner.canonical());
    match plain.kind {
        Kind::Schema => format!("CREATE SCHEMA {name}"),
        Kind::Extension => {
            let schema =
                clauses.value(clause::SCHEMA).map_or_else(String::new, |schema| format!(" WITH SCHEMA {schema}"));
            format!("CREATE EXTENSION IF NOT EXISTS {name}{schema}")
        }
        Kind::Sequence => {
            let unlogged = if clauses.has(clause::UNLOGGED) { "UNLOGGED " } else { "" };
            format!("CREATE {unlogged}SEQUENCE {name}{}", sequence_options(clauses))
        }
        Kind::Type => create_type(name, clauses),
        Kind::Domain => create_domain(name, clauses),
        Kind::Function | Kind::Procedure => routines::create_routine(name, plain, replace),
        Kind::Aggregate => {
            let arguments = match (clauses.value(clause::ORDERED), clauses.value(clause::ARGUMENTS)) {
                (Some(ordered), _) => format!("({ordered})"),
                (None, Some("")) => "(*)".to_owned(),
                (None, Some(arguments)) => format!("({arguments})"),
                (None, None) => String::new(),
            };
            let base = names::without_signature(name);
            format!("CREATE {or_replace}AGGREGATE {base}{arguments} {}", definition_list(clauses, clause::WITH))
        }
        Kind::Trigger => create_trigger(&identifier(), owner, clauses),
        Kind::EventTrigger => {
            let when = clauses.get(clause::WHEN).map_or_else(String::new, |when| format!(" WHEN {}", when.written()));
            format!(
                "CREATE EVENT TRIGGER {name} ON {}{when} EXECUTE FUNCTION {}()",
                clauses.written(clause::ON),
                clauses.written(clause::FUNCTION)
            )
        }
        Kind::Rule => {
            let condition =
                clauses.get(clause::WHERE).map_or_else(String::new, |value| format!(" WHERE {}", value.written()));
            let instead = if clauses.has(clause::INSTEAD) { "INSTEAD " } else { "" };
            let action = clauses.written(clause::DO);
            let action = if action.contains(';') { format!("({action})") } else { action.to_owned() };
            format!(
                "CREATE {or_replace}RULE {} AS ON {} TO {owner}{condition} DO {instead}{action}",
                identifier(),
                clauses.written(clause::ON).to_uppercase()
            )
        }
        Kind::Policy => {
            let mut out = format!("CREATE POLICY {} ON {owner}", identifier());
            if clauses.has(clause::RESTRICTIVE) {
                out += " AS RESTRICTIVE";
            }
            if let Some(command) = clauses.value(clause::FOR) {
                out += &format!(" FOR {}", command.to_uppercase());
            }
            if let Some(roles) = clauses.value(clause::TO) {
                out += &format!(" TO {roles}");
            }
            if let Some(condition) = clauses.get(clause::USING) {
                out += &format!(" USING ({})", condition.written());
            }
            if let Some(condition) = clauses.get(clause::WITH_CHECK) {
                out += &format!(" WITH CHECK ({})", condition.written());
            }
            out
        }
        Kind::Statistics => {
            let kinds = clauses.value(clause::KINDS).map_or_else(String::new, |kinds| format!(" ({kinds})"));
            format!("CREATE STATISTICS {name}{kinds} ON {} FROM {owner}", clauses.written(clause::ON))
        }
        Kind::Publication => replication::create_publication(name, clauses),
        Kind::Subscription => replication::create_subscription(name, clauses),
        Kind::ForeignDataWrapper | Kind::Server => {
            let said = foreign::CLAUSES
                .iter()
                .filter_map(|(clause, _)| Some(foreign::clause(clause, clauses.value_named(clause)?)));
            let said: String = said.map(|words| format!(" {words}")).collect();
            format!("CREATE {what} {name}{said}{}", foreign::options(clauses))
        }
        Kind::UserMapping => format!("CREATE USER MAPPING FOR {name}{}", foreign::options(clauses)),
        Kind::Operator => {
            let schema = name.schema().map_or_else(String::new, |schema| format!("{}.", names::quoted(schema)));
            let symbol = format!("{schema}{}", name.identifier());
            format!("CREATE OPERATOR {symbol} {}", definition_list(clauses, clause::WITH))
        }
        Kind::OperatorClass => {
            let (base, method) = (names::without_signature(name), canonical::method_of(name));
            let default = if clauses.has(clause::DEFAULT) { " DEFAULT" } else { "" };
            let mut items = members::listed(clauses);
            if let Some(storage) =
                clauses.value(clause::STORAGE).or(items.is_empty().then(|| clauses.written(clause::FOR_TYPE)))
            {
                items.push(format!("STORAGE {storage}"));
            }
            format!(
                "CREATE OPERATOR CLASS {base}{default} FOR TYPE {} USING {method} FAMILY {} AS {}",
                clauses.written(clause::FOR_TYPE),
                clauses.written(clause::FAMILY),
                items.join(", ")
            )
        }
        Kind::Cast => {
            let how = match clauses.value(clause::WITH_FUNCTION) {
                Some(function) => format!("WITH FUNCTION {function}"),
                None if clauses.has(clause::WITH_INOUT) => "WITH INOUT".to_owned(),
                None => "WITHOUT FUNCTION".to_owned(),
            };
            let context =
                clauses.value(clause::CONTEXT).map_or_else(String::new, |word| format!(" AS {}", word.to_uppercase()));
            format!("CREATE CAST {name} {how}{context}")
        }
        Kind::Transform => {
            let functions: Vec<String> = [("from sql", "FROM SQL"), ("to sql", "TO SQL")]
                .into_iter()
                .filter_map(|(clause, words)| Some(format!("{words} WITH FUNCTION {}", clauses.value_named(clause)?)))
                .collect();
            format!("CREATE TRANSFORM {name} ({})", functions.join(", "))
        }
        Kind::Collation if clauses.has(clause::FROM) => {
            format!("CREATE COLLATION {name} FROM {}", clauses.written(clause::FROM))
        }
        Kind::TextSearchConfiguration => match clauses.value(clause::WITH_PARSER) {
            Some(parser) => format!("CREATE {what} {name} (parser = {parser})"),
            None => format!("CREATE {what} {name} (copy = {})", clauses.written(clause::WITH_COPY)),
        },
        Kind::Collation | Kind::TextSearchDictionary | Kind::TextSearchParser | Kind::TextSearchTemplate => {
            format!("CREATE {what} {name} {}", definition_list(clauses, clause::WITH))
        }
        Kind::Conversion => {
            let default = if clauses.has(clause::DEFAULT) { "DEFAULT " } else { "" };
            format!("CREATE {default}CONVERSION {name}{definition}")
        }
        Kind::Language => format!("CREATE {or_replace}LANGUAGE {name}{definition}"),
        _ => format!("CREATE {what} {name}{definition}{}", foreign::options(clauses)),
    }
}

fn create_type(name: &Name, clauses: &Clauses) -> String {
    if let Some(labels) = clauses.get(clause::ENUM) {
        format!("CREATE TYPE {name} AS ENUM ({})", labels.written())
    } else if let Some(attributes) = clauses.value(clause::ATTRIBUTES) {
        let attributes: Vec<String> = super::attributes(clauses)
            .into_iter()
            .map(|(name, rest)| format!("{name} {rest}"))
            .collect::<Vec<_>>()
            .into_iter()
            .chain(attributes.is_empty().then(String::new))
            .filter(|text| !text.is_empty())
            .collect();
        format!("CREATE TYPE {name} AS ({})", attributes.join(", "))
    } else if clauses.has(clause::RANGE_SUBTYPE) {
        format!("CREATE TYPE {name} AS RANGE {}", definition_list(clauses, clause::RANGE))
    } else if clauses.has(clause::SHELL) {
        format!("CREATE TYPE {name}")
    } else {
        format!("CREATE TYPE {name} {}", definition_list(clauses, clause::BASE))
    }
}

fn create_domain(name: &Name, clauses: &Clauses) -> String {
    let mut out = format!("CREATE DOMAIN {name} AS {}", clauses.value(clause::AS).unwrap_or_default());
    if let Some(collation) = clauses.value(clause::COLLATE) {
        out += &format!(" COLLATE {collation}");
    }
    if let Some(default) = clauses.get(clause::DEFAULT) {
        out += &format!(" DEFAULT {}", default_text(default));
    }
    if clauses.has(clause::NOT_NULL) {
        out += " NOT NULL";
    }
    for (clause, condition) in clauses.expressions() {
        if let Some(check) =
            clause::CHECK.member(clause).filter(|check| !clauses.has(clause::NOT_VALID_CHECK.of(check)))
        {
            out += &format!(" CONSTRAINT {} CHECK ({})", quoted(check), condition.written());
        }
    }
    out
}

fn create_trigger(name: &str, owner: &str, clauses: &Clauses) -> String {
    let constraint = if clauses.has(clause::CONSTRAINT) { "CONSTRAINT " } else { "" };
    let mut out = format!(
        "CREATE {constraint}TRIGGER {name} {} {} ON {owner}",
        clauses.written(clause::TIMING).to_uppercase(),
        events(clauses)
    );
    if let Some(from) = clauses.value(clause::FROM) {
        out += &format!(" FROM {from}");
    }
    if let Some(deferred) = clauses.value(clause::DEFERRABLE) {
        out += if deferred.is_empty() { " DEFERRABLE" } else { " DEFERRABLE INITIALLY DEFERRED" };
    }
    if clauses.has(clause::OLD_TABLE) || clauses.has(clause::NEW_TABLE) {
        out += " REFERENCING";
        for (clause, words) in [(clause::OLD_TABLE, "OLD TABLE"), (clause::NEW_TABLE, "NEW TABLE")] {
            if let Some(name) = clauses.value(clause) {
                out += &format!(" {words} AS {name}");
            }
        }
    }
    out += if clauses.has(clause::FOR_EACH) { " FOR EACH ROW" } else { " FOR EACH STATEMENT" };
    if let Some(condition) = clauses.get(clause::WHEN) {
        out += &format!(" WHEN ({})", condition.written());
    }
    out + &format!(" EXECUTE FUNCTION {}({})", clauses.written(clause::FUNCTION), clauses.written(clause::ARGUMENTS))
}

/// Keywords in upper case, columns as they are.
fn events(clauses: &Clauses) -> String {
    let columns = clauses.get(clause::UPDATE_OF).map(|columns| {
        let columns: Vec<String> = columns.iter().map(|column| quoted(column.canonical())).collect();
        format!("UPDATE OF {}", columns.join(", "))
    });
    let event = |event: &str| match &columns {
        Some(columns) if event == "update" => columns.clone(),
        _ => event.to_uppercase(),
    };
    clauses.written(clause::EVENTS).split(" or ").map(event).collect::<Vec<_>>().join(" OR ")
}

/// The clauses of an object, whatever it is.
pub fn clauses(object: &Object) -> &Clauses {
    object.definition.clauses().expect("every definition that PostgreSQL has")
}

/// The statement that says which index orders the rows of a materialised view, once the index is there.
pub fn clustered(name: &Name, view: &View) -> Option<String> {
    let index = view.clauses.value(clause::CLUSTER_ON)?;
    Some(format!("ALTER MATERIALIZED VIEW {name} CLUSTER ON {}", quoted(index)))
}

/// `ALTER SEQUENCE … OWNED BY`, once both are there.
pub fn owned_by(object: &Object) -> Option<String> {
    let Definition::Plain(plain) = &object.definition else { return None };
    let column = plain.clauses.value(clause::OWNED_BY).filter(|_| plain.kind == Kind::Sequence)?;
    let table = plain.owner.as_ref()?;
    Some(format!("ALTER SEQUENCE {} OWNED BY {table}.{}", object.name, quoted(column)))
}
