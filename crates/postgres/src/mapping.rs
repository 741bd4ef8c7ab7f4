//! Objects of PostgreSQL under other names: what the server's own renames leave as it is.

use smol_str::SmolStr;
use wevrun_core::mapping::{Doubt, Mapper, Renamed};
use wevrun_core::model::{Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table};

use crate::canonical::not_null_names;
use crate::{Postgres, body_names, clause, names, own_columns, rename, settle};

impl Mapper for Postgres {
    fn made_up(&self, before: &Model, model: &Model, renamed: &Renamed<'_>) -> Vec<(ObjectKey, QualifiedName)> {
        let owned = before.by_owner();
        let on = |table: &QualifiedName| owned.get(table).map_or(&[][..], Vec::as_slice);
        let of = |(old, new)| {
            let found = on(old).iter().filter_map(move |object| match object.definition.kind() {
                Kind::Index => index(model, object, old, new),
                Kind::Sequence => sequence(model, object, old, new),
                _ => None,
            });
            found.collect::<Vec<_>>()
        };
        renamed_tables(before, renamed).into_iter().flat_map(of).filter(|(key, to)| key.name != *to).collect()
    }

    fn follow(&self, before: &Model, model: &mut Model, renamed: &Renamed<'_>) -> Vec<Doubt> {
        for (old, new) in renamed_tables(before, renamed) {
            constraints(before, model, old, new);
            identities(before, model, old, new);
        }
        search_paths(model, renamed);
        body_names::follow(before, model, renamed)
    }
}

/// The tables of which the name or a column's is another one, each with its name now.
fn renamed_tables<'m>(before: &'m Model, renamed: &'m Renamed<'_>) -> Vec<(&'m QualifiedName, &'m QualifiedName)> {
    let renamed_table = |(name, _): (&'m QualifiedName, &Table)| {
        let now = renamed.objects.get(&ObjectKey::new(Kind::Table, name.clone()));
        let is_renamed = now.is_some_and(|now| now.identifier() != name.identifier());
        (is_renamed || renamed.columns.contains_key(name)).then(|| (name, now.unwrap_or(name)))
    };
    before.tables().filter_map(renamed_table).collect()
}

/// The label with which a name was made up: `key`, or `key1` if the first was taken. None if it was given.
fn label_of(name: &Name, table: &str, columns: &str, label: &str) -> Option<String> {
    let numbered = (0..10).map(|number| if number == 0 { label.to_owned() } else { format!("{label}{number}") });
    numbered.into_iter().find(|label| names::made_up(table, columns, label) == name.canonical())
}

/// Every constraint's name, the columns that a made-up name of it has, and the label.
fn constraint_names(table: &Table) -> Vec<(Name, String, &'static str)> {
    let key = table.primary_key.iter().map(|key| (key.name.clone(), String::new(), "pkey"));
    let unique = table.unique_keys.iter().map(|key| (key.name.clone(), settle::unique_columns(key), "key"));
    let foreign = table
        .foreign_keys
        .iter()
        .map(|key| (key.name.clone(), names::addition(key.columns.iter().map(Name::canonical)), "fkey"));
    let exclusions = table
        .exclusions
        .iter()
        .map(|check| (check.name.clone().unwrap_or_else(Name::none), settle::exclusion_columns(check), "excl"));
    let checks = table.checks.iter().map(|check| {
        let used = own_columns::used(&table.columns, &check.condition);
        let columns = if let [only] = &used[..] { only.canonical().to_owned() } else { String::new() };
        (check.name.clone().unwrap_or_else(Name::none), columns, "check")
    });
    key.chain(unique).chain(foreign).chain(exclusions).chain(checks).collect()
}

fn constraints(before: &Model, model: &mut Model, old: &QualifiedName, new: &QualifiedName) {
    let key = ObjectKey::new(Kind::Table, new.clone());
    let (Some(was), Some(is)) = (before.table(old), model.table(new)) else { return };
    let pairs: Vec<(Name, Name)> = constraint_names(was)
        .into_iter()
        .zip(constraint_names(is))
        .filter_map(|((name, columns, label), (now, columns_now, _))| {
            let label = label_of(&name, old.identifier(), &columns, label)?;
            Some((now, names::simple(&names::made_up(new.identifier(), &columns_now, &label))))
        })
        .filter(|(now, to)| now != to)
        .collect();
    for (now, to) in pairs {
        rename::constraint_or_part(model, &key, &now, &to);
    }
    let usual: Vec<bool> = {
        let Some(was) = before.table(old) else { return };
        was.columns.iter().map(|column| column.not_null_name.0.is_none()).collect()
    };
    let Some(table) = model.table_mut(&key) else { return };
    for (column, was_usual) in table.columns.iter_mut().zip(usual) {
        if was_usual {
            column.not_null_name.0 = None;
        }
        not_null_names::forget_usual(new, column);
    }
}

fn index(
    model: &Model,
    object: &Object,
    old: &QualifiedName,
    new: &QualifiedName,
) -> Option<(ObjectKey, QualifiedName)> {
    let own = names::simple(object.name.identifier());
    let label = label_of(&own, old.identifier(), &settle::index_columns(object.as_index()?), "idx")?;
    let now = names::in_schema(new.schema(), own.canonical());
    let columns = settle::index_columns(model.find(Kind::Index, &now)?.as_index()?);
    let to = names::in_schema(new.schema(), &names::made_up(new.identifier(), &columns, &label));
    Some((ObjectKey::new(Kind::Index, now), to))
}

fn sequence(
    model: &Model,
    object: &Object,
    old: &QualifiedName,
    new: &QualifiedName,
) -> Option<(ObjectKey, QualifiedName)> {
    let column_of = |object: &Object| match &object.definition {
        Definition::Plain(plain) => plain.clauses.value(clause::OWNED_BY).map(names::unquoted),
        _ => None,
    };
    let own = names::simple(object.name.identifier());
    let label = label_of(&own, old.identifier(), &column_of(object)?, "seq")?;
    let now = names::in_schema(new.schema(), own.canonical());
    let column = column_of(model.find(Kind::Sequence, &now)?)?;
    let to = names::in_schema(new.schema(), &names::made_up(new.identifier(), &column, &label));
    Some((ObjectKey::new(Kind::Sequence, now), to))
}

/// The names of the sequences of identity columns: the usual one is not kept.
fn identities(before: &Model, model: &mut Model, old: &QualifiedName, new: &QualifiedName) {
    let Some(table) = model.table_mut(&ObjectKey::new(Kind::Table, new.clone())) else { return };
    for column in table.columns.iter_mut() {
        let usual = names::made_up(new.identifier(), column.name.canonical(), "seq");
        let was = before.table(old).is_some_and(|was| {
            was.column(&column.name).is_some_and(|column| !column.clauses.has(clause::IDENTITY_NAME))
        });
        let is_usual = column.clauses.get(clause::IDENTITY_NAME).is_some_and(|name| name.identifier() == usual);
        if was || is_usual {
            column.clauses.remove(clause::IDENTITY_NAME);
        }
    }
}

/// `SET search_path` of routines.
fn search_paths(model: &mut Model, renamed: &Renamed<'_>) {
    if renamed.schemas.is_empty() {
        return;
    }
    for object in model.objects_mut() {
        let Definition::Plain(plain) = &mut object.definition else { continue };
        let Some(path) = plain.clauses.value(clause::SET_SEARCH_PATH).map(str::to_owned) else { continue };
        let one = |schema: &str| renamed.schemas.get(schema).map_or_else(|| schema.to_owned(), Clone::clone);
        let mapped: Vec<String> = path.split(", ").map(one).collect();
        let mapped = mapped.join(", ");
        if mapped != path {
            plain.clauses.set(clause::SET_SEARCH_PATH, Expression::plain(mapped));
            object.text.clear();
            object.names_in = object.names_in.take().map(|schema| one(&schema).into()).map(|schema: SmolStr| schema);
        }
    }
}
