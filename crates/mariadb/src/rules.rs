//! MariaDB's own rules (<https://mariadb.com/kb/en/identifier-names/>, <https://mariadb.com/kb/en/innodb-limitations/>).

use wevrun_core::EngineVersion;
use wevrun_core::check::{Checks, Rules};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Definition, Kind, Model, Name, Object, Table, Unresolved};
use wevrun_core::parse::{TokenKind, token};

use crate::finish::is_innodb;
use crate::parse::keys::{begins_with, index_columns, primary_columns};
use crate::{MariaDb, clause, names};

impl Rules for MariaDb {
    /// The columns need only be the first of any key (<https://mariadb.com/kb/en/foreign-keys/>).
    fn can_be_referenced(&self, table: &Table, columns: &[Name], owned: &[&Object]) -> bool {
        let by_primary = table.primary_key.as_ref().is_some_and(|key| begins_with(&primary_columns(key), columns));
        by_primary
            || owned.iter().any(|object| match &object.definition {
                Definition::Index(index) => begins_with(&index_columns(index), columns),
                _ => false,
            })
    }

    fn check(&self, model: &Model, _: EngineVersion, checks: &mut Checks<'_>) {
        let by_owner = model.by_owner();
        for object in model.objects() {
            name_length(object, checks);
            if let Some(table) = object.as_table() {
                if let Some(like) = table.clauses.get(clause::LIKE) {
                    checks.unknown_relation(object, like, Some("LIKE"), "table");
                }
                let owned = by_owner.get(&object.name).map_or(&[][..], Vec::as_slice);
                auto_increment(object, table, owned, checks);
                types(object, table, checks);
            }
            program(model, object, checks);
            unresolved(object, checks);
        }
    }
}

fn name_length(object: &Object, checks: &mut Checks<'_>) {
    let columns =
        object.as_table().into_iter().flat_map(|table| table.columns.iter().map(|column| column.name.written()));
    for name in [object.name.identifier()].into_iter().chain(columns) {
        if name.chars().count() > names::LONGEST {
            let found =
                Diagnostic::new(Code::WV131, format!("the name `{name}` has more than {} characters", names::LONGEST))
                    .at(checks.definition_of(object), "too long");
            checks.add(found);
        }
    }
}

/// The column must be the first of a key; of other engines than InnoDB, in a key.
fn auto_increment(object: &Object, table: &Table, owned: &[&Object], checks: &mut Checks<'_>) {
    for column in table.columns.iter().filter(|column| column.clauses.has(clause::AUTO_INCREMENT)) {
        let own = std::slice::from_ref(&column.name);
        let serves = |parts: &[(Name, bool)]| match is_innodb(table) {
            true => begins_with(parts, own),
            false => parts.iter().any(|(part, _)| *part == column.name),
        };
        let by_primary = table.primary_key.as_ref().is_some_and(|key| serves(&primary_columns(key)));
        let by_index = owned.iter().any(|object| match &object.definition {
            Definition::Index(index) => serves(&index_columns(index)),
            _ => false,
        });
        if !by_primary && !by_index {
            let found = Diagnostic::new(
                Code::WV131,
                format!("AUTO_INCREMENT column {}.{} is not the first of a key", object.name, column.name),
            )
            .at(checks.definition_of(object), "has no such key")
            .help("make it the primary key, or add a key that begins with it");
            checks.add(found);
        }
    }
}

/// Types that the server has, in its own spelling (`information_schema.columns`), and those of its plugins.
const TYPES: [&str; 39] = [
    "int",
    "tinyint",
    "smallint",
    "mediumint",
    "bigint",
    "decimal",
    "float",
    "double",
    "bit",
    "year",
    "char",
    "varchar",
    "binary",
    "varbinary",
    "tinytext",
    "text",
    "mediumtext",
    "longtext",
    "tinyblob",
    "blob",
    "mediumblob",
    "longblob",
    "enum",
    "set",
    "date",
    "time",
    "datetime",
    "timestamp",
    "uuid",
    "inet4",
    "inet6",
    "geometry",
    "point",
    "linestring",
    "polygon",
    "multipoint",
    "multilinestring",
    "multipolygon",
    "geometrycollection",
];

fn types(object: &Object, table: &Table, checks: &mut Checks<'_>) {
    for column in table.columns.iter() {
        let Some(data_type) = &column.data_type else { continue };
        let name = data_type.canonical.split(['(', ' ']).next().unwrap_or_default();
        if !TYPES.contains(&name) {
            let word = data_type.written().split(['(', ' ']).next().unwrap_or_default();
            let found = Diagnostic::new(
                Code::WV131,
                format!("column {}.{} has the type `{word}`, which MariaDB does not have", object.name, column.name),
            )
            .at(checks.locate(object, word, None), "no such type")
            .suggest(word, TYPES);
            checks.add(found);
        }
    }
}

/// A trigger is on a table that is there, and the blocks of a body are closed.
fn program(model: &Model, object: &Object, checks: &mut Checks<'_>) {
    let Definition::Plain(plain) = &object.definition else { return };
    if let Some(owner) = plain.owner.as_ref().filter(|owner| plain.kind == Kind::Trigger && owner.schema().is_none())
        && model.table(owner).is_none()
    {
        checks.unknown_relation(object, owner, Some("ON"), "table");
    }
    let body = plain.clauses.written(clause::BODY);
    let (tokens, _) = token::tokenize(crate::tokens::rules(), body, 0);
    let tokens: Vec<_> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    if !crate::tokens::is_closed(body, &tokens) && !matches!(plain.kind, Kind::Package | Kind::PackageBody) {
        let found = Diagnostic::new(Code::WV115, format!("a block in the body of {} is not closed", object.key()))
            .at(checks.definition_of(object), "its body has more BEGIN, IF, CASE or loops than END");
        checks.add(found);
    }
}

/// Columns that a view names and that nothing there has.
fn unresolved(object: &Object, checks: &mut Checks<'_>) {
    for name in &object.unresolved {
        let Unresolved::Column(of, column) = name else { continue };
        let named = of.as_ref().map_or_else(|| column.clone(), |of| format!("{of}.{column}"));
        let found =
            Diagnostic::new(Code::WV111, format!("{} names column `{named}`, which nothing there has", object.key()))
                .at(checks.locate(object, column, None), "no such column");
        checks.add(found);
    }
}
