//! What goes with something that a source drops, as the server drops it.

use crate::clause;
use std::collections::BTreeSet;

use smol_str::SmolStr;

use super::rename::{any_expression, drop_constraint};
use super::types::{self, is_of};
use super::{canonical, change, names, own_columns};
use wevrun_core::model::{
    Clause, Column, Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table, is,
};

/// Takes out what depends on an object, for DROP … CASCADE, and the object itself; gives what went with it
/// (<https://www.postgresql.org/docs/current/ddl-depend.html>).
pub fn drop_with_dependents(model: &mut Model, key: &ObjectKey) -> Vec<ObjectKey> {
    let known = looked_up(model, key);
    let mut waiting: Vec<ObjectKey> =
        known.iter().filter(|(own, _)| own == key).map(|(_, object)| object.key()).collect();
    model.remove(key);
    let mut gone: BTreeSet<ObjectKey> = waiting.iter().cloned().collect();
    let mut columns: Vec<(ObjectKey, Name)> = Vec::new();
    while let Some(next) = waiting.pop() {
        for (own, object) in &known {
            if gone.contains(&object.key()) {
                continue;
            }
            if is_dropped_with(object, &next) {
                model.remove(own);
                gone.insert(object.key());
                waiting.push(object.key());
            } else if let (Definition::Table(table), Some(changed)) = (&object.definition, model.get_mut(own)) {
                columns.extend(going_columns(table, &next).map(|column| (own.clone(), column)));
                loosen(table, changed, &next);
            }
        }
    }
    for (table, column) in columns {
        drop_dependents_of_column(model, &table, &column, true);
        if let Some(Definition::Table(table)) = model.get_mut(&table).map(|object| &mut object.definition) {
            change::drop_column(table, &column);
        }
    }
    gone.into_iter().collect()
}

/// Takes out what depends on a column of a table, before it goes: indexes, statistics and its sequence; with CASCADE also what
/// reads it and points at it.
pub fn drop_dependents_of_column(model: &mut Model, table: &ObjectKey, column: &Name, cascade: bool) {
    let on_it = |object: &&Object| match &object.definition {
        Definition::Index(index) => index.table == table.name && own_columns::indexes(index, column),
        Definition::Plain(plain) if plain.owner.as_ref() == Some(&table.name) => match plain.kind {
            Kind::Sequence => plain.clauses.value(clause::OWNED_BY) == Some(column.canonical()),
            Kind::Statistics => plain.clauses.get(clause::ON).is_some_and(|list| own_columns::lists(list, column)),
            _ => false,
        },
        _ => false,
    };
    let keys: Vec<ObjectKey> = model.objects().filter(on_it).map(Object::key).collect();
    keys.iter().for_each(|key| drop(model.remove(key)));
    if !cascade {
        return;
    }
    let reads_it = |object: &Object| {
        let is_reader = match &object.definition {
            Definition::View(_) => true,
            Definition::Plain(plain) => match plain.kind {
                Kind::Rule | Kind::Policy | Kind::Trigger => true,
                Kind::Function | Kind::Procedure => plain.clauses.has(clause::BODY),
                _ => false,
            },
            _ => false,
        };
        let of_table = object.uses.contains(&table.name) || object.definition.owner() == Some(&table.name);
        is_reader
            && of_table
            && match &object.reads {
                // An object that reads whole rows is kept.
                Some(reads) => reads.has_column(&table.name, column),
                None => any_expression(object, |expression| expression.may_use_column(column)),
            }
    };
    let found: Vec<ObjectKey> =
        looked_up(model, table).into_iter().filter(|(_, object)| reads_it(object)).map(|(own, _)| own).collect();
    found.iter().for_each(|key| drop(drop_with_dependents(model, key)));
    let reads_column = |other: &&Column| {
        let generated = other.generated.as_ref();
        generated.is_some_and(|generated| own_columns::uses(&generated.expression, column))
    };
    let readers = model.get(table).and_then(Object::as_table).map(|table| table.columns.iter().filter(reads_column));
    let readers: Vec<Name> = readers.into_iter().flatten().map(|other| other.name.clone()).collect();
    for reader in readers {
        drop_dependents_of_column(model, table, &reader, true);
        if let Some(table) = model.table_mut(table) {
            change::drop_column(table, &reader);
        }
    }
    let in_primary_key = model.get(table).and_then(Object::as_table).and_then(|table| table.primary_key.as_ref());
    let in_primary_key = in_primary_key.is_some_and(|key| key.has_column(column));
    drop_foreign_keys(model, &table.name, |columns| columns.contains(column) || in_primary_key && columns.is_empty());
}

/// Takes out the foreign keys that point at a key, for DROP CONSTRAINT … CASCADE.
pub fn drop_dependents_of_key(model: &mut Model, table: &QualifiedName, constraint: &Name) {
    let Some(own) = model.table(table) else { return };
    let Some(key) = own.primary_key.iter().chain(own.unique_keys.iter()).find(|key| key.name == *constraint) else {
        return;
    };
    let key_columns: Vec<Name> = key.parts.iter().map(|part| part.column.clone()).collect();
    let is_primary = own.primary_key.as_ref().is_some_and(|primary| primary.name == *constraint);
    drop_foreign_keys(model, table, |columns| columns == key_columns || is_primary && columns.is_empty());
}

/// Takes out the foreign keys that point at columns of a table; none are named where they point at its primary key.
fn drop_foreign_keys(model: &mut Model, table: &QualifiedName, is_gone: impl Fn(&[Name]) -> bool) {
    for object in model.objects_mut() {
        let Definition::Table(other) = &mut object.definition else { continue };
        let before = other.foreign_keys.len();
        other.foreign_keys.retain(|key| !names::is_same(&key.parent, table) || !is_gone(&key.parent_columns));
        if other.foreign_keys.len() != before {
            object.text.clear();
        }
    }
}

/// All objects, each with the key that it has here, as they are once names are looked up.
fn looked_up(model: &Model, key: &ObjectKey) -> Vec<(ObjectKey, Object)> {
    let mut whole = canonical::finished(&canonical::around(model, key));
    let own_key = |object: &Object| {
        let key = object.key();
        if model.get(&key).is_some() {
            return Some(key);
        }
        // A routine's arguments have been looked up too.
        let same = |own: &&Object| own.location == object.location && own.definition.kind() == key.kind;
        model.of_kind(key.kind).find(same).map(Object::key)
    };
    whole.take_objects().into_iter().filter_map(|object| Some((own_key(&object)?, object))).collect()
}

/// Whether an object can't be without another one.
fn is_dropped_with(object: &Object, gone: &ObjectKey) -> bool {
    if object.definition.owner() == Some(&gone.name) {
        return true;
    }
    if gone.kind == Kind::Schema {
        return names::schema(&object.name).as_deref() == Some(&names::identifier(&gone.name));
    }
    match &object.definition {
        // Its columns go, not the table; but children go with their parents.
        Definition::Table(table) => {
            let names = |key: Clause<'_, QualifiedName>| table.clauses.get(key) == Some(&gone.name);
            let inherits = || table.clauses.get(clause::INHERITS).is_some_and(|parents| parents.contains(&gone.name));
            match gone.kind {
                Kind::Server => names(is::SERVER),
                Kind::Type => names(clause::OF),
                kind => kind.is_relation() && (names(clause::PARTITION_OF) || inherits()),
            }
        }
        Definition::Plain(plain) if plain.kind == Kind::Server => {
            let wrapper = plain.clauses.value(clause::WRAPPER);
            gone.kind == Kind::ForeignDataWrapper && wrapper == Some(gone.name.canonical())
        }
        // What a body of text does is not looked at; what it takes and gives is.
        Definition::Plain(plain)
            if matches!(plain.kind, Kind::Function | Kind::Procedure) && !plain.clauses.has(clause::BODY) =>
        {
            let is_type = matches!(gone.kind, Kind::Type | Kind::Domain) || gone.kind.is_relation();
            let returns = plain.clauses.value(clause::RETURNS).unwrap_or_default();
            let arguments = object.name.signature().unwrap_or_default().iter().map(SmolStr::as_str);
            is_type && arguments.chain([returns]).any(|text| types::names_type(text, &gone.name))
        }
        // A column may have a function's name.
        _ if gone.kind == Kind::Function && has_expressions(object.definition.kind()) => {
            any_expression(object, |expression| needs(expression, gone))
        }
        _ => object.uses.contains(&gone.name) && object.definition.kind() != Kind::Sequence,
    }
}

fn has_expressions(kind: Kind) -> bool {
    matches!(kind, Kind::Index | Kind::View | Kind::MaterializedView | Kind::Rule | Kind::Policy | Kind::Statistics)
}

/// The columns that can't be without it: those of a type, and those that are computed.
fn going_columns<'t>(table: &'t Table, gone: &'t ObjectKey) -> impl Iterator<Item = Name> + 't {
    let types: BTreeSet<QualifiedName> =
        matches!(gone.kind, Kind::Type | Kind::Domain).then(|| gone.name.clone()).into_iter().collect();
    let goes = move |column: &&Column| {
        is_of(column, &types) || column.generated.as_ref().is_some_and(|own| needs(&own.expression, gone))
    };
    table.columns.iter().filter(goes).map(|column| column.name.clone())
}

/// Takes out of a table what is about something that is gone, and is not a whole column: foreign keys, defaults and checks.
fn loosen(looked_up: &Table, changed: &mut Object, gone: &ObjectKey) {
    let Definition::Table(table) = &mut changed.definition else { return };
    let mut touched = false;
    for key in looked_up.foreign_keys.iter().filter(|key| gone.kind.is_relation() && key.parent == gone.name) {
        touched |= drop_constraint(table, &key.name);
    }
    for check in looked_up.checks.iter().filter(|check| needs(&check.condition, gone)) {
        touched |= check.name.as_ref().is_some_and(|name| drop_constraint(table, name));
    }
    let loses = |column: &Name| {
        let column = looked_up.column(column);
        column.and_then(|column| column.default.as_ref()).is_some_and(|default| needs(default, gone))
    };
    for column in table.columns.iter_mut().filter(|column| loses(&column.name)) {
        column.default = None;
        touched = true;
    }
    if touched {
        changed.text.clear();
    }
}

/// Whether an expression calls a function or takes numbers from a sequence.
fn needs(expression: &Expression, gone: &ObjectKey) -> bool {
    matches!(gone.kind, Kind::Function | Kind::Sequence) && expression.may_use_object(&gone.name)
}
