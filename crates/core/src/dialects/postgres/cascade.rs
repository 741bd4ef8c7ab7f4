//! What goes with something that a source drops, as the server drops it.

use std::collections::BTreeSet;

use super::rename::{drop_constraint, expressions_mut};
use super::settle::mentioned;
use super::{canonical, names, split_list, tokens};
use crate::model::{Definition, Expression, Kind, Model, Name, Object, ObjectKey, Table, Unordered};
use crate::parse::token;

/// Takes out what depends on an object, for DROP … CASCADE, and the object itself
/// (<https://www.postgresql.org/docs/current/ddl-depend.html>).
pub fn drop_with_dependents(model: &mut Model, key: &ObjectKey) {
    let known = looked_up(model);
    let mut waiting: Vec<ObjectKey> =
        known.iter().filter(|(own, _)| own == key).map(|(_, object)| object.key()).collect();
    model.remove(key);
    let mut gone: BTreeSet<ObjectKey> = waiting.iter().cloned().collect();
    while let Some(next) = waiting.pop() {
        for (own, object) in &known {
            if gone.contains(&object.key()) {
                continue;
            }
            if goes_with(object, &next) {
                model.remove(own);
                gone.insert(object.key());
                waiting.push(object.key());
            } else if let (Definition::Table(table), Some(changed)) = (&object.definition, model.get_mut(own)) {
                loosen(table, changed, &next);
            }
        }
    }
}

/// Takes out what depends on a column of a table that has lost it: indexes, statistics and its sequence; with CASCADE also what
/// reads it.
pub fn drop_dependents_of_column(model: &mut Model, table: &ObjectKey, column: &Name, cascade: bool) {
    let on_it = |object: &&Object| match &object.definition {
        Definition::Index(index) => index.table == table.name && index_has(index, column),
        Definition::Plain(plain) if plain.owner.as_ref() == Some(&table.name) => match plain.kind {
            Kind::Sequence => plain.clauses.value("owned by") == Some(column.canonical()),
            Kind::Statistics => plain.clauses.get("on").is_some_and(|list| names_it(list, column)),
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
        let reader =
            matches!(object.definition.kind(), Kind::View | Kind::MaterializedView | Kind::Rule | Kind::Policy);
        reader
            && (object.uses.contains(&table.name) || object.definition.owner() == Some(&table.name))
            && expressions_mut(&mut object.definition.clone()).iter().any(|expression| names_it(expression, column))
    };
    let found: Vec<ObjectKey> =
        looked_up(model).into_iter().filter(|(_, object)| reads_it(object)).map(|(own, _)| own).collect();
    found.iter().for_each(|key| drop_with_dependents(model, key));
    for object in model.objects_mut() {
        let Definition::Table(other) = &mut object.definition else { continue };
        other.foreign_keys.retain(|key| key.parent != table.name || !key.parent_columns.contains(column));
    }
}

/// Takes out the foreign keys that point at a key, for DROP CONSTRAINT … CASCADE.
pub fn drop_foreign_keys_to(model: &mut Model, table: &Name, columns: &[Name], primary: bool) {
    for object in model.objects_mut() {
        let Definition::Table(other) = &mut object.definition else { continue };
        let before = other.foreign_keys.len();
        other.foreign_keys.retain(|key| {
            let parent = key.parent == *table
                || names::is_unresolved(&key.parent) && names::identifier(&key.parent) == names::identifier(table);
            !parent || !(key.parent_columns == columns || primary && key.parent_columns.is_empty())
        });
        if other.foreign_keys.len() != before {
            object.text.clear();
        }
    }
}

/// All objects, each with the key that it has here, as they are once names are looked up.
fn looked_up(model: &Model) -> Vec<(ObjectKey, Object)> {
    let mut whole = model.clone();
    canonical::finish(&mut whole);
    let objects: Vec<Object> = whole.into_objects().collect();
    let own_key = |object: &Object| {
        let key = object.key();
        if model.get(&key).is_some() {
            return Some(key);
        }
        // A routine's arguments have been looked up too.
        let same = |own: &&Object| own.location == object.location && own.definition.kind() == key.kind;
        model.of_kind(key.kind).find(same).map(Object::key)
    };
    objects.into_iter().filter_map(|object| Some((own_key(&object)?, object))).collect()
}

/// Whether an object can't be without another one.
fn goes_with(object: &Object, gone: &ObjectKey) -> bool {
    if object.definition.owner() == Some(&gone.name) {
        return true;
    }
    if gone.kind == Kind::Schema {
        return names::schema(&object.name).as_deref() == Some(&names::identifier(&gone.name));
    }
    match &object.definition {
        Definition::Table(table) => {
            let clauses = ["partition of", "inherits"].map(|clause| table.clauses.value(clause).unwrap_or_default());
            gone.kind.is_relation()
                && clauses.iter().any(|list| split_list(list).iter().any(|parent| parent == gone.name.canonical()))
        }
        Definition::Plain(plain)
            if matches!(plain.kind, Kind::Function | Kind::Procedure) && !plain.clauses.has("body") =>
        {
            // What a body of text does is not looked at; what it takes and gives is.
            let is_type = matches!(gone.kind, Kind::Type | Kind::Domain) || gone.kind.is_relation();
            let returned = plain.clauses.value("returns").unwrap_or_default();
            is_type
                && object.uses.contains(&gone.name)
                && (names::signature(&object.name).contains(gone.name.canonical())
                    || returned.contains(gone.name.canonical()))
        }
        // A column may have a function's name.
        _ if gone.kind == Kind::Function && has_expressions(object.definition.kind()) => {
            expressions_mut(&mut object.definition.clone()).iter().any(|expression| calls(expression, gone))
        }
        _ => object.uses.contains(&gone.name) && object.definition.kind() != Kind::Sequence,
    }
}

fn has_expressions(kind: Kind) -> bool {
    matches!(kind, Kind::Index | Kind::View | Kind::MaterializedView | Kind::Rule | Kind::Policy | Kind::Statistics)
}

/// Takes out of a table what is about something that is gone: foreign keys, columns, defaults and checks.
fn loosen(looked_up: &Table, changed: &mut Object, gone: &ObjectKey) {
    let Definition::Table(table) = &mut changed.definition else { return };
    let mut touched = false;
    for key in looked_up.foreign_keys.iter().filter(|key| gone.kind.is_relation() && key.parent == gone.name) {
        touched |= drop_constraint(table, &key.name);
    }
    for column in looked_up.columns.iter() {
        let base = column.data_type.as_ref().map_or("", |data_type| data_type.canonical.trim_end_matches("[]"));
        let of_it = matches!(gone.kind, Kind::Type | Kind::Domain) && base == gone.name.canonical();
        let computed = column.generated.as_ref().is_some_and(|generated| calls(&generated.expression, gone));
        if of_it || computed {
            super::parse::drop_column(table, &column.name);
            touched = true;
        } else if column.default.as_ref().is_some_and(|default| calls(default, gone)) {
            table.columns.iter_mut().filter(|own| own.name == column.name).for_each(|own| own.default = None);
            touched = true;
        }
    }
    for check in looked_up.checks.iter().filter(|check| calls(&check.condition, gone)) {
        touched |= check.name.as_ref().is_some_and(|name| drop_constraint(table, name));
    }
    if touched {
        changed.text.clear();
    }
}

/// Whether an expression calls a function or takes numbers from a sequence.
fn calls(expression: &Expression, gone: &ObjectKey) -> bool {
    match gone.kind {
        Kind::Sequence => {
            expression.canonical.contains(&format!("'{}'", gone.name.canonical().trim_start_matches("public.")))
                || expression.canonical.contains(&format!("'{}'", gone.name))
        }
        Kind::Function => {
            let own = names::identifier(&gone.name);
            let text = expression.written();
            let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
            tokens
                .windows(2)
                .any(|pair| super::parse::identifier_of(pair[0], text) == own && pair[1].is_symbol(text, "("))
        }
        _ => false,
    }
}

fn index_has(index: &crate::model::Index, column: &Name) -> bool {
    let included = split_list(index.clauses.value("include").unwrap_or_default());
    index.parts.iter().map(|part| &part.expression).chain(&index.predicate).any(|part| names_it(part, column))
        || included.iter().any(|name| names::unquoted(name) == column.canonical())
}

fn names_it(expression: &Expression, column: &Name) -> bool {
    let only = Unordered(vec![crate::model::Column::named(column.clone())]);
    !mentioned(&only, expression).is_empty()
}
