//! Objects of PostgreSQL under other names: what the server's own renames leave as it is.

use smol_str::SmolStr;
use wevrun_core::mapping::{Doubt, Mapper, Renamed};
use wevrun_core::model::{Clauses, Definition, Expression, Kind, Model, Name, ObjectKey, QualifiedName, Table};

use crate::canonical::not_null_names;
use crate::{Postgres, body_names, clause, mentions, names, rename, settle};

impl Mapper for Postgres {
    fn follow(&self, before: &Model, model: &mut Model, renamed: &Renamed<'_>) -> Vec<Doubt> {
        let tables: Vec<(&QualifiedName, &QualifiedName)> = before
            .tables()
            .filter_map(|(name, _)| {
                let now = renamed.objects.get(&ObjectKey::new(Kind::Table, name.clone()));
                let has_renamed = renamed.columns.contains_key(name);
                let is_renamed = now.is_some_and(|now| now.identifier() != name.identifier());
                (is_renamed || has_renamed).then(|| (name, now.unwrap_or(name)))
            })
            .collect();
        for (old, new) in tables {
            constraints(before, model, old, new);
            indexes(before, model, old, new);
            sequences(before, model, old, new);
        }
        search_paths(model, renamed);
        body_names::follow(before, model, renamed)
    }
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
        let used = mentions::columns(&table.columns, &check.condition);
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

fn indexes(before: &Model, model: &mut Model, old: &QualifiedName, new: &QualifiedName) {
    let of_table = before.of_kind(Kind::Index).filter(|object| object.definition.owner() == Some(old));
    for object in of_table {
        let Some(index) = object.as_index() else { continue };
        let own = names::simple(object.name.identifier());
        let Some(label) = label_of(&own, old.identifier(), &settle::index_columns(index), "idx") else { continue };
        let now = names::in_schema(new.schema(), own.canonical());
        let Some(columns) =
            model.find(Kind::Index, &now).and_then(|object| object.as_index()).map(settle::index_columns)
        else {
            continue;
        };
        let to = names::in_schema(new.schema(), &names::made_up(new.identifier(), &columns, &label));
        rename::object(model, &ObjectKey::new(Kind::Index, now), &to);
    }
}

fn sequences(before: &Model, model: &mut Model, old: &QualifiedName, new: &QualifiedName) {
    for object in before.of_kind(Kind::Sequence).filter(|object| object.definition.owner() == Some(old)) {
        let column_of = |clauses: &Clauses| clauses.value(clause::OWNED_BY).map(names::unquoted);
        let Definition::Plain(plain) = &object.definition else { continue };
        let Some(column) = column_of(&plain.clauses) else { continue };
        let own = names::simple(object.name.identifier());
        let Some(label) = label_of(&own, old.identifier(), &column, "seq") else { continue };
        let now = names::in_schema(new.schema(), own.canonical());
        let Some(Definition::Plain(plain)) = model.find(Kind::Sequence, &now).map(|object| &object.definition) else {
            continue;
        };
        let Some(column) = column_of(&plain.clauses) else { continue };
        let to = names::in_schema(new.schema(), &names::made_up(new.identifier(), &column, &label));
        rename::object(model, &ObjectKey::new(Kind::Sequence, now), &to);
    }
    let Some(table) = model.table_mut(&ObjectKey::new(Kind::Table, new.clone())) else { return };
    for column in table.columns.iter_mut() {
        let usual = names::made_up(new.identifier(), column.name.canonical(), "seq");
        let was = before.table(old).is_some_and(|was| {
            let same = |other: &&wevrun_core::model::Column| !other.clauses.has(clause::IDENTITY_NAME);
            was.column(&column.name).filter(same).is_some()
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
