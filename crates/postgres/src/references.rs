//! Whether everything is there that definitions name: types, functions, columns in expressions, schemas, labels of enums, and whether
//! the server can compare what foreign keys compare. Only what is certain is reported: an extension or code in the source may bring
//! anything.

use crate::clause;
use std::collections::BTreeSet;

use super::canonical::{home_schema, is_plainly_built_in};
use super::{attributes, enum_labels, functions, names, types, write};
use wevrun_core::check::Checks;
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::engine::EngineVersion;
use wevrun_core::model::{Definition, Kind, Model, Name, Object, Plain, Table, Unresolved};

/// All of it.
pub fn check(model: &Model, version: EngineVersion, checks: &mut Checks<'_>) {
    let others_bring =
        model.of_kind(Kind::Extension).next().is_some() || model.of_kind(Kind::Language).next().is_some();
    let schemas: BTreeSet<String> = model.of_kind(Kind::Schema).map(|schema| names::identifier(&schema.name)).collect();
    for object in model.objects() {
        schema(object, &schemas, checks);
        if !others_bring {
            types_exist(model, object, checks);
            if let Definition::Plain(plain) = &object.definition
                && plain.kind == Kind::Trigger
            {
                trigger_function(model, object, plain, checks);
            }
        }
        unresolved(object, version, others_bring, checks);
        if let Definition::Table(table) = &object.definition {
            labels(model, object, table, checks);
            foreign_keys(model, object, table, checks);
        }
    }
}

/// A finding that something is not there. Nothing is said of what code in the source names.
fn missing<'n>(
    checks: &mut Checks<'_>,
    object: &Object,
    (what, name): (&str, &str),
    known: impl IntoIterator<Item = &'n str>,
) {
    let last = names::parts(name).pop().unwrap_or_else(|| name.to_owned());
    if checks.is_named_by_code(&last) {
        return;
    }
    let place = checks.locate(object, &last, None);
    let found = Diagnostic::new(Code::WV114, format!("{} uses {what} `{name}`, which does not exist", object.key()))
        .at(place, "does not exist")
        .suggest(name, known);
    checks.add(found);
}

/// The schema of an object is one of the source's, or one that every database has.
fn schema(object: &Object, schemas: &BTreeSet<String>, checks: &mut Checks<'_>) {
    if names::schema(&object.name).is_none() || object.definition.owner().is_some() {
        return;
    }
    let own = home_schema(object);
    if !schemas.contains(&own) && own != "public" && own != "information_schema" && !own.starts_with("pg_") {
        missing(checks, object, ("schema", &own), schemas.iter().map(String::as_str));
    }
}

/// The types of columns, attributes, arguments and what else has one.
fn types_exist(model: &Model, object: &Object, checks: &mut Checks<'_>) {
    let is_routine = matches!(object.definition.kind(), Kind::Function | Kind::Procedure | Kind::Aggregate);
    let listed: Vec<String> = match &object.definition {
        Definition::Table(table) => {
            let given = table.columns.iter().filter_map(|column| column.data_type.as_ref());
            given.map(|given| given.canonical.clone()).collect()
        }
        Definition::Plain(plain) if plain.kind == Kind::Domain => {
            plain.clauses.value(clause::AS).map(str::to_owned).into_iter().collect()
        }
        Definition::Plain(plain) if plain.clauses.has(clause::ATTRIBUTES) => {
            let attributes = attributes(&plain.clauses).into_iter();
            attributes.map(|(_, rest)| rest.split(" COLLATE ").next().unwrap_or_default().to_owned()).collect()
        }
        _ if is_routine => object.name.signature().unwrap_or_default().iter().map(ToString::to_string).collect(),
        _ => Vec::new(),
    };
    for given in listed {
        let element = types::without_modifiers(&given);
        let element = element.trim_end_matches("[]").trim_start_matches("VARIADIC ").trim_start_matches("SETOF ");
        if element.is_empty() || is_plainly_built_in(element) || element.contains(' ') || element.contains('%') {
            continue;
        }
        let name = names::read(element);
        let is_system =
            names::schema(&name).is_some_and(|schema| schema.starts_with("pg_") || schema == "information_schema");
        let is_there = is_system
            || element.starts_with("pg_")
            || element.starts_with('"') && names::schema(&name).is_none()
            || model.named(&name).any(|other| {
                matches!(other.definition.kind(), Kind::Type | Kind::Domain) || other.definition.kind().is_relation()
            })
            || is_multirange(model, &name);
        if !is_there && !checks.is_unreadable(&name) {
            let own = model.of_kind(Kind::Type).chain(model.of_kind(Kind::Domain)).map(|other| other.name.written());
            let known: Vec<&str> = own.chain(BASIC_TYPES).collect();
            // The message names the schema only if the source does.
            let short = element.strip_prefix("public.").filter(|_| !object.text.to_lowercase().contains(element));
            missing(checks, object, ("type", short.unwrap_or(element)), known);
        }
    }
}

/// Whether the object is an index on a column of this name.
fn is_a_part(object: &Object, column: &str) -> bool {
    let Definition::Index(index) = &object.definition else { return false };
    index.parts.iter().any(|part| part.column() == column)
}

/// The types that people write most, for "did you mean".
const BASIC_TYPES: [&str; 14] = [
    "integer",
    "bigint",
    "smallint",
    "numeric",
    "real",
    "text",
    "varchar",
    "boolean",
    "date",
    "timestamp",
    "timestamptz",
    "jsonb",
    "uuid",
    "bytea",
];

fn is_multirange(model: &Model, name: &Name) -> bool {
    let ranges = model.of_kind(Kind::Type).filter(|object| write::clauses(object).has(clause::RANGE_SUBTYPE));
    ranges.into_iter().any(|range| super::canonical::multirange(&range.name, write::clauses(range)) == name.canonical())
}

/// What expressions name.
fn unresolved(object: &Object, version: EngineVersion, others_bring: bool, checks: &mut Checks<'_>) {
    for name in &object.unresolved {
        match name {
            Unresolved::Function(name) if functions::is_known(name) => {
                if let Some(since) = functions::since(name).filter(|since| *since > version.major) {
                    let message =
                        format!("{} calls {name}(), which PostgreSQL has since {since} or later", object.key());
                    checks.add(
                        Diagnostic::new(Code::WV130, message)
                            .at(checks.definition_of(object), format!("the project is for {version}"))
                            .help("raise `engine-version` in wevrun.toml, or do without"),
                    );
                }
            }
            Unresolved::Function(name) if !others_bring => {
                missing(checks, object, ("function", name), functions::names())
            }
            Unresolved::Relation(name) if !others_bring && !checks.is_named_by_code(name) => {
                let name = names::read(name);
                let readable = !checks.is_unreadable(&name)
                    && !checks.is_unreadable(&names::qualified("public", &names::identifier(&name)));
                if readable {
                    checks.unknown_relation(object, &name, None, "table or view");
                }
            }
            // What a part of an index is, is checked for every engine.
            Unresolved::Column(None, column) if is_a_part(object, column) => {}
            Unresolved::Column(of, column) if !checks.is_named_by_code(column) => {
                let named = of.as_ref().map_or_else(|| column.clone(), |of| format!("{of}.{column}"));
                let place = checks.locate(object, column, None);
                let found = Diagnostic::new(
                    Code::WV111,
                    format!("{} names column `{named}`, which nothing there has", object.key()),
                );
                let columns: Vec<&str> = match &object.definition {
                    Definition::Table(table) => table.columns.iter().map(|column| column.name.written()).collect(),
                    _ => Vec::new(),
                };
                checks.add(found.at(place, "no such column").suggest(column, columns));
            }
            _ => {}
        }
    }
}

/// A trigger calls a function of the source that gives a trigger, or one of the engine's own.
fn trigger_function(model: &Model, object: &Object, plain: &Plain, checks: &mut Checks<'_>) {
    let Some(function) = plain.clauses.value(clause::FUNCTION) else { return };
    let base = function.split('(').next().unwrap_or(function);
    let name = names::read(base);
    if functions::is_known(&names::identifier(&name))
        && names::schema(&name).is_none_or(|schema| schema == "pg_catalog")
    {
        return;
    }
    let own = format!("{base}()");
    let candidates = model.of_kind(Kind::Function).filter(|other| {
        other.name.canonical() == own
            || names::schema(&name).is_none() && names::identifier(&other.name) == names::identifier(&name)
    });
    let mut candidates = candidates.peekable();
    if candidates.peek().is_none() && !checks.is_unreadable(&names::with_signature(Kind::Function, &name, Vec::new())) {
        let known: Vec<&str> = model.of_kind(Kind::Function).map(|other| other.name.written()).collect();
        return missing(checks, object, ("function", base), known);
    }
    let gives_trigger = |other: &Object| write::clauses(other).value(clause::RETURNS) == Some("trigger");
    let others: Vec<&Object> = candidates.collect();
    if let Some(other) = others.first().filter(|_| !others.iter().any(|other| gives_trigger(other))) {
        checks.add(
            Diagnostic::new(Code::WV114, format!("{} calls {}, which returns no trigger", object.key(), other.key()))
                .at(checks.definition_of(object), "calls it")
                .and_at(checks.definition_of(other), "defined here")
                .help("let the function return `trigger`"),
        );
    }
}

/// A default of an enum's column is one of its labels.
fn labels(model: &Model, object: &Object, table: &Table, checks: &mut Checks<'_>) {
    for column in table.columns.iter() {
        let (Some(data_type), Some(default)) = (&column.data_type, &column.default) else { continue };
        let name = names::read(data_type.canonical.as_str());
        let Some(of) = model.find(Kind::Type, &name).filter(|of| write::clauses(of).has(clause::ENUM)) else {
            continue;
        };
        let labels = enum_labels(write::clauses(of));
        let is_text = default.canonical.starts_with('\'') && default.canonical.matches('\'').count() == 2;
        if is_text && !labels.contains(&default.canonical) {
            let found = Diagnostic::new(
                Code::WV114,
                format!(
                    "the default of column {}.{} is {}, which type {name} does not have",
                    object.name, column.name, default.canonical
                ),
            );
            checks.add(
                found
                    .at(checks.locate(object, column.name.written(), None), "this column")
                    .and_at(checks.definition_of(of), "the type is defined here")
                    .suggest(&default.canonical, labels.iter().map(String::as_str)),
            );
        }
    }
}

/// Both ends of a foreign key have types that the server can compare.
fn foreign_keys(model: &Model, object: &Object, table: &Table, checks: &mut Checks<'_>) {
    for key in table.foreign_keys.iter() {
        let Some(parent) = model.find(Kind::Table, &key.parent) else { continue };
        let Some(parent_table) = parent.as_table() else { continue };
        for (own, other) in key.columns.iter().zip(&key.parent_columns) {
            let of = |table: &Table, column: &Name| {
                let data_type = table.column(column)?.data_type.as_ref()?;
                Some(types::without_modifiers(&data_type.canonical))
            };
            let (Some(here), Some(there)) = (of(table, own), of(parent_table, other)) else { continue };
            let (Some(a), Some(b)) = (family(&here), family(&there)) else { continue };
            if a != b {
                let found = Diagnostic::new(
                    Code::WV114,
                    format!(
                        "foreign key {} of {} compares {here} with {there}, which the server can't",
                        key.name, object.name
                    ),
                );
                checks.add(
                    found
                        .at(checks.locate(object, own.written(), None), format!("{own} is {here}"))
                        .and_at(checks.locate(parent, other.written(), None), format!("{other} is {there}"))
                        .help("give both the same type"),
                );
            }
        }
    }
}

/// The types of the engine's own that can be compared with one another; none for a type of which nothing is said here.
fn family(data_type: &str) -> Option<&'static str> {
    Some(match data_type {
        "smallint" | "integer" | "bigint" | "numeric" | "real" | "double precision" => "number",
        "text" | "character varying" | "character" | "bpchar" | "name" => "text",
        "date" | "timestamp without time zone" | "timestamp with time zone" => "moment",
        "uuid" => "uuid",
        "boolean" => "boolean",
        "bytea" => "bytea",
        "inet" | "cidr" => "network",
        "macaddr" => "macaddr",
        "interval" => "interval",
        _ => return None,
    })
}
