//! What the server adds to what it is told: names that nobody gave, NOT NULL of keys, the sequences of serial columns.

use super::canonical::{exclusion_expressions, index_column, not_null_names};
use super::{names, own_columns, write};
use crate::clause;
use wevrun_core::fold::{Held, Taken};
use wevrun_core::model::{
    Check, Clauses, Column, Definition, Expression, Flag, Index, Key, Kind, Name, Object, OnConflict, Plain,
    QualifiedName, Table,
};

/// Whether something of the object has no name yet.
pub fn is_incomplete(object: &Object) -> bool {
    match &object.definition {
        Definition::Table(table) => {
            has_nameless(table)
                || table.columns.iter().any(|column| serial(column).is_some() || has_unnamed_sequence(column))
        }
        Definition::Index(_) => !object.name.is_given(),
        Definition::Plain(plain) => plain.kind == Kind::Statistics && !object.name.is_given(),
        _ => false,
    }
}

/// Whether a constraint of the table has no name yet.
fn has_nameless(table: &Table) -> bool {
    let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| &key.name);
    let mut checks = table.checks.iter().chain(table.exclusions.iter());
    keys.chain(table.foreign_keys.iter().map(|key| &key.name)).any(|name| !name.is_given())
        || checks.any(|check| check.name.is_none())
}

/// Adds it, and gives the sequences that come with the object.
pub fn settle(object: &mut Object, taken: &Taken) -> Vec<Object> {
    match &mut object.definition {
        Definition::Table(table) => {
            let sequences = serial_columns(&object.name, table, taken);
            self::table(&object.name, table, taken);
            let plain = sequences.into_iter().map(|(name, plain)| Object {
                names_in: object.names_in.clone(),
                location: object.location,
                ..Object::new(name, Definition::Plain(plain))
            });
            plain.collect()
        }
        Definition::Index(index) if !object.name.is_given() => {
            let schema = schema(&index.table);
            let free = names::first_free(&names::identifier(&index.table), &index_columns(index), "idx", |name| {
                taken.is_relation(&names::qualified(&schema, name))
            });
            object.name = names::qualified(&schema, &free);
            Vec::new()
        }
        Definition::Plain(plain) if plain.kind == Kind::Statistics && !object.name.is_given() => {
            let Some(table) = &plain.owner else { return Vec::new() };
            let schema = schema(table);
            let free = names::first_free(&names::identifier(table), &statistics_columns(plain), "stat", |name| {
                taken.is_statistics(&names::qualified(&schema, name))
            });
            object.name = names::qualified(&schema, &free);
            Vec::new()
        }
        _ => Vec::new(),
    }
}

/// The names that stand in the object's schema because of it (`pg_class`, `pg_constraint` and `pg_statistic_ext`).
pub fn held(object: &Object) -> Held {
    const RELATIONS: [Kind; 7] = [
        Kind::Table,
        Kind::ForeignTable,
        Kind::Index,
        Kind::View,
        Kind::MaterializedView,
        Kind::Sequence,
        // A composite type is one.
        Kind::Type,
    ];
    let mut held = Held::default();
    if RELATIONS.contains(&object.definition.kind()) {
        held.relations.push(object.name.clone());
    }
    let schema = schema(&object.name);
    let in_schema = |name: &Name| names::qualified(&schema, name.canonical());
    match &object.definition {
        Definition::Plain(plain) if plain.kind == Kind::Statistics => held.statistics.push(object.name.clone()),
        Definition::Table(table) => {
            let indexes = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| &key.name);
            let indexes = indexes.chain(table.exclusions.iter().filter_map(|check| check.name.as_ref()));
            for name in indexes.filter(|name| name.is_given()) {
                held.relations.push(in_schema(name));
                held.constraints.push(in_schema(name));
            }
            let others = table.foreign_keys.iter().map(|key| &key.name);
            let others = others.chain(table.checks.iter().filter_map(|check| check.name.as_ref()));
            held.constraints.extend(others.filter(|name| name.is_given()).map(in_schema));
            let identity = table.columns.iter().filter(|column| column.clauses.has(clause::IDENTITY));
            held.relations.extend(identity.map(|column| write::identity_sequence(&object.name, column)));
        }
        Definition::Plain(plain) if plain.kind == Kind::Domain => {
            let checks = plain.clauses.iter().filter_map(|(clause, _)| clause::CHECK.member(clause));
            held.constraints.extend(checks.map(|name| names::qualified(&schema, name)));
        }
        _ => {}
    }
    held
}

fn schema(name: &QualifiedName) -> String {
    names::schema(name).unwrap_or_else(|| "public".to_owned())
}

/// Gives constraints without a name the one that the server makes up, and says of key columns that they are NOT NULL.
///
/// The name of a CHECK depends on the columns that it names, which a child may have from a parent that is not known yet:
/// [`checks`] follows then.
pub fn table(name: &QualifiedName, table: &mut Table, taken: &Taken) {
    keys(name, table, taken);
    let incomplete = super::has_columns_from_elsewhere(table) || table.clauses.has(clause::LIKE.of("0"));
    if !incomplete {
        checks(name, table, taken);
    }
}

/// The names in use among the constraints of a table.
fn own_names(table: &Table) -> Vec<String> {
    let given = |name: &Name| name.is_given().then(|| name.canonical().to_owned());
    let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| &key.name);
    let names = keys.chain(table.foreign_keys.iter().map(|key| &key.name));
    let named = table.checks.iter().chain(table.exclusions.iter()).filter_map(|check| check.name.as_ref());
    names.chain(named).filter_map(given).collect()
}

/// Gives CHECKs without a name the one that the server makes up.
pub fn checks(name: &QualifiedName, table: &mut Table, taken: &Taken) {
    if !has_nameless(table) {
        return;
    }
    let (own, schema) = (names::identifier(name), schema(name));
    let mut own_names = own_names(table);
    for check in table.checks.iter_mut().filter(|check| check.name.is_none()) {
        let used = own_columns::used(&table.columns, &check.condition);
        let columns = if let [only] = &used[..] { only.canonical() } else { "" };
        let made_up = names::first_free(&own, columns, "check", |name| {
            own_names.iter().any(|other| other == name) || taken.is_constraint(&names::qualified(&schema, name))
        });
        check.name = Some(names::simple(&made_up));
        own_names.push(made_up);
    }
}

fn keys(name: &QualifiedName, table: &mut Table, taken: &Taken) {
    let (own, schema) = (names::identifier(name), schema(name));
    let key_columns = table.key_columns();
    // A partition's is usually called as its parent's.
    let partition = table.clauses.has(clause::PARTITION_OF);
    for column in table.columns.iter_mut() {
        if key_columns.contains(&column.name) {
            column.not_null = Some(OnConflict::Abort);
        }
        if !partition {
            not_null_names::forget_usual(name, column);
        }
        if has_unnamed_sequence(column) {
            let free = free_sequence(&schema, &own, column, taken);
            // The usual name is not kept.
            if names::identifier(&free) != names::made_up(&own, column.name.canonical(), "seq") {
                column.clauses.set(clause::IDENTITY_NAME, free);
            }
        }
    }
    if !has_nameless(table) {
        return;
    }
    let mut own_names = own_names(table);
    let mut free = |columns: &str, label: &str, with_index: bool| {
        let name = names::first_free(&own, columns, label, |name| {
            let whole = names::qualified(&schema, name);
            own_names.iter().any(|other| other == name)
                || taken.is_constraint(&whole)
                || (with_index && taken.is_relation(&whole))
        });
        own_names.push(name.clone());
        names::simple(&name)
    };
    if let Some(key) = table.primary_key.as_mut().filter(|key| !key.name.is_given()) {
        key.name = free("", "pkey", true);
    }
    for key in table.unique_keys.iter_mut().filter(|key| !key.name.is_given()) {
        key.name = free(&unique_columns(key), "key", true);
    }
    for check in table.exclusions.iter_mut().filter(|check| check.name.is_none()) {
        check.name = Some(free(&exclusion_columns(check), "excl", true));
    }
    for key in table.foreign_keys.iter_mut().filter(|key| !key.name.is_given()) {
        key.name = free(&names::addition(key.columns.iter().map(Name::canonical)), "fkey", false);
    }
}

fn included(clauses: &Clauses) -> Vec<String> {
    clauses.value(clause::INCLUDE).map_or_else(Vec::new, |list| list.split(", ").map(names::unquoted).collect())
}

/// The columns of a UNIQUE constraint as a part of its made-up name.
pub fn unique_columns(key: &Key) -> String {
    let columns = key.parts.iter().map(|part| part.column.canonical().to_owned());
    let columns: Vec<String> = columns.chain(included(&key.clauses)).collect();
    names::addition(columns.iter().map(String::as_str))
}

/// The columns of an exclusion constraint as a part of its made-up name.
pub fn exclusion_columns(check: &Check) -> String {
    let expressions = exclusion_expressions(check.condition.written());
    let columns = expressions.iter().map(|expression| index_column(expression));
    let columns: Vec<String> = columns.chain(included(&check.clauses)).collect();
    names::addition(columns.iter().map(String::as_str))
}

/// The columns of an index as a part of its made-up name.
pub fn index_columns(index: &Index) -> String {
    let mut columns: Vec<String> = Vec::new();
    for name in index.parts.iter().map(|part| index_column(part.expression.written())).chain(included(&index.clauses)) {
        // A second one of the same name gets a number (`ChooseIndexColumnNames()`).
        let number = (1..).map(|number| format!("{name}{number}"));
        let free = std::iter::once(name.clone()).chain(number).find(|name| !columns.contains(name));
        columns.extend(free);
    }
    names::addition(columns.iter().map(String::as_str))
}

/// What statistics are about, as a part of a made-up name (`ChooseExtendedStatisticNameAddition()`).
fn statistics_columns(plain: &Plain) -> String {
    let items = super::split_list(plain.clauses.written(clause::ON));
    let column = |item: &String| {
        let is_expression = item.starts_with('(') || item.ends_with(')');
        if is_expression { "expr".to_owned() } else { names::parts(item).pop().unwrap_or_default() }
    };
    let columns: Vec<String> = items.iter().map(column).collect();
    names::addition(columns.iter().map(String::as_str))
}

fn has_unnamed_sequence(column: &Column) -> bool {
    column.clauses.has(clause::IDENTITY) && !column.clauses.has(clause::IDENTITY_NAME)
}

/// The type that a serial column really has
/// (<https://www.postgresql.org/docs/current/datatype-numeric.html#DATATYPE-SERIAL>).
fn serial(column: &Column) -> Option<&'static str> {
    match column.data_type.as_ref()?.canonical.as_str() {
        "serial" | "serial4" => Some("integer"),
        "bigserial" | "serial8" => Some("bigint"),
        "smallserial" | "serial2" => Some("smallint"),
        _ => None,
    }
}

/// The name that the server makes up for the sequence of a column.
fn free_sequence(schema: &str, table: &str, column: &Column, taken: &Taken) -> QualifiedName {
    let free = names::first_free(table, column.name.canonical(), "seq", |name| {
        taken.is_relation(&names::qualified(schema, name))
    });
    names::qualified(schema, &free)
}

/// Makes of serial columns what they stand for, a column with a sequence of its own.
fn serial_columns(table_name: &QualifiedName, table: &mut Table, taken: &Taken) -> Vec<(QualifiedName, Plain)> {
    let (schema, own) = (schema(table_name), names::identifier(table_name));
    let unlogged = table.clauses.has(clause::UNLOGGED);
    let mut sequences = Vec::new();
    for column in table.columns.iter_mut() {
        let Some(data_type) = serial(column) else { continue };
        let name = free_sequence(&schema, &own, column, taken);
        column.data_type = Some(Expression::plain(data_type));
        column.not_null = Some(OnConflict::Abort);
        column.default =
            Some(Expression::plain(format!("nextval('{}'::regclass)", name.canonical().replace('\'', "''"))));
        let mut clauses = Clauses::default();
        clauses.set_text(clause::OWNED_BY, column.name.canonical());
        if data_type != "bigint" {
            clauses.set_text(clause::AS, data_type);
        }
        if unlogged {
            clauses.set(clause::UNLOGGED, Flag);
        }
        sequences.push((name, Plain { kind: Kind::Sequence, owner: Some(table_name.clone()), clauses }));
    }
    sequences
}
