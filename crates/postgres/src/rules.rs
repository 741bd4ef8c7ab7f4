//! The engine's own rules and its versions' limits.

use super::{Postgres, parents_of};
use crate::clause;
use crate::names;
use wevrun_core::check::{Checks, Rules};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::engine::EngineVersion;
use wevrun_core::model::{Clauses, Column, Definition, Kind, Model, Object, QualifiedName};

/// A construct and the first version that has it (<https://www.postgresql.org/docs/release/>).
struct Since {
    version: u32,
    what: &'static str,
}

/// Everything that is newer than the project's version, parents that are not there, and clauses of columns that do not exist.
fn check(model: &Model, version: EngineVersion, checks: &mut Checks<'_>) {
    super::references::check(model, version, checks);
    super::plpgsql::check(model, checks);
    for object in model.objects() {
        parents(model, object, checks);
        for found in newer(object).into_iter().filter(|since| since.version > version.major) {
            let diagnostic = Diagnostic::new(
                Code::WV130,
                format!("{} uses {}, which PostgreSQL has since {}", object.key(), found.what, found.version),
            )
            .at(checks.definition_of(object), format!("the project is for {version}"))
            .help(format!("raise `engine-version` in wevrun.toml to {}.0, or do without", found.version));
            checks.add(diagnostic);
        }
    }
}

/// A table's parents are there, and it has clauses of its own and its parents' columns only.
fn parents(model: &Model, object: &Object, checks: &mut Checks<'_>) {
    let Definition::Table(table) = &object.definition else { return };
    let known = |name: &QualifiedName| {
        [Kind::Table, Kind::ForeignTable, Kind::Type].iter().any(|kind| model.find(*kind, name).is_some())
    };
    let parents = table.clauses.get(clause::INHERITS).into_iter().flatten().map(|name| (name, "parent"));
    let partitioned = table.clauses.get(clause::PARTITION_OF).map(|name| (name, "partitioned table"));
    for (name, what) in parents.chain(partitioned).filter(|(name, _)| !known(name)) {
        checks.unknown_relation(object, name, None, what);
    }
    let copied = table.clauses.expressions().filter(|(clause, _)| clause::LIKE.has(clause));
    for (_, what) in copied {
        let from = what.canonical.split('|').next().unwrap_or_default();
        let from = names::read(from);
        let mut views = [Kind::View, Kind::MaterializedView].into_iter().flat_map(|kind| model.of_kind(kind));
        match views.find(|view| names::is_same(&from, &view.name)) {
            Some(view) => checks.add(
                Diagnostic::new(
                    Code::WV004,
                    format!(
                        "{} is LIKE {}, and only the server knows the types of that view",
                        object.key(),
                        view.key()
                    ),
                )
                .at(checks.locate(object, from.identifier(), None), "a view")
                .and_at(checks.definition_of(view), "it is defined here")
                .help("write the columns out"),
            ),
            None => checks.unknown_relation(object, &from, None, "table"),
        }
    }
    let strays: Vec<&Column> = table.columns.iter().filter(|column| column.data_type.is_none()).collect();
    if strays.is_empty() || !parents_of(table).iter().all(known) {
        return;
    }
    let mut others = table.clone();
    others.columns.0.retain(|column| column.data_type.is_some());
    for stray in strays {
        checks.unknown_column(object, object, &others, &stray.name, &object.key().to_string());
    }
}

fn newer(object: &Object) -> Vec<Since> {
    let mut found = Vec::new();
    let mut add = |version, what| found.push(Since { version, what });
    match &object.definition {
        Definition::Table(table) => {
            for column in table.columns.iter() {
                if column.generated.as_ref().is_some_and(|generated| !generated.stored) {
                    add(18, "a virtual generated column");
                }
                if column.clauses.has(clause::COMPRESSION) {
                    add(14, "COMPRESSION");
                }
            }
            let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| &key.clauses);
            for clauses in keys.chain(table.foreign_keys.iter().map(|key| &key.clauses)) {
                key(clauses, &mut add);
            }
            if table.checks.iter().any(|check| check.clauses.has(clause::NOT_ENFORCED)) {
                add(18, "NOT ENFORCED");
            }
        }
        Definition::Index(index) => key(&index.clauses, &mut add),
        Definition::View(view) if view.clauses.has(clause::WITH_SECURITY_INVOKER) => add(15, "security_invoker"),
        Definition::Plain(plain) if plain.clauses.has(clause::BODY) && plain.kind != Kind::Rule => {
            add(14, "an SQL-standard body");
        }
        _ => {}
    }
    found
}

fn key(clauses: &Clauses, add: &mut impl FnMut(u32, &'static str)) {
    for (clause, version, what) in [
        ("nulls not distinct", 15, "NULLS NOT DISTINCT"),
        ("on delete columns", 15, "a column list in ON DELETE"),
        ("without overlaps", 18, "WITHOUT OVERLAPS"),
        ("period", 18, "PERIOD"),
        ("not enforced", 18, "NOT ENFORCED"),
    ] {
        if clauses.has_named(clause) {
            add(version, what);
        }
    }
}

impl Rules for Postgres {
    fn check(&self, model: &Model, version: EngineVersion, checks: &mut Checks<'_>) {
        check(model, version, checks);
    }
}
