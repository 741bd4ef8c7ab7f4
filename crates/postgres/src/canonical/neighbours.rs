//! The part of a model that one of its objects has to do with, by the words of its texts: enough to look names up in it, and small where
//! the model is large.

use std::collections::{BTreeSet, HashSet};

use super::super::names;
use wevrun_core::model::{Clauses, Definition, Model, Object, ObjectKey, Table};

/// The objects that may depend on this one, directly or through others, and all that these name.
pub fn around(model: &Model, key: &ObjectKey) -> Model {
    let mut found: BTreeSet<ObjectKey> = [key.clone()].into();
    let mut waiting = vec![names::identifier(&key.name)];
    while let Some(word) = waiting.pop() {
        for object in model.objects() {
            let own = object.key();
            if !found.contains(&own) && any_text(object, &mut |text| has_name(text, &word)) {
                waiting.push(names::identifier(&object.name));
                found.insert(own);
            }
        }
    }
    with_named(model, found)
}

/// These objects, and all that they name, directly or through others.
pub fn with_named(model: &Model, mut found: BTreeSet<ObjectKey>) -> Model {
    let mut words: HashSet<String> = HashSet::new();
    let mut new: Vec<ObjectKey> = found.iter().cloned().collect();
    while !new.is_empty() {
        for object in new.iter().filter_map(|key| model.get(key)) {
            any_text(object, &mut |text| {
                let parts = text.split(|ch: char| !(ch.is_alphanumeric() || matches!(ch, '_' | '$')));
                words.extend(parts.filter(|part| !part.is_empty()).map(str::to_lowercase));
                // A name in quotes may be of several words.
                words.extend(text.split('"').map(str::to_lowercase));
                false
            });
        }
        let is_named = |object: &&Object| {
            !found.contains(&object.key()) && words.contains(&names::identifier(&object.name).to_lowercase())
        };
        new = model.objects().filter(is_named).map(Object::key).collect();
        found.extend(new.iter().cloned());
    }
    found.iter().filter_map(|key| model.get(key)).cloned().collect()
}

/// Whether the text has the name as a whole, in any letter case.
pub fn has_name(text: &str, name: &str) -> bool {
    let plain = |text: &str| text.is_ascii() && !text.bytes().any(|byte| byte.is_ascii_uppercase());
    if plain(text) && plain(name) {
        has_whole(text, name)
    } else {
        has_whole(&text.to_lowercase(), &name.to_lowercase())
    }
}

fn has_whole(text: &str, name: &str) -> bool {
    let goes_on = |ch: Option<char>| ch.is_some_and(|ch| ch.is_alphanumeric() || matches!(ch, '_' | '$'));
    text.match_indices(name).any(|(at, found)| {
        !goes_on(text[..at].chars().next_back()) && !goes_on(text[at + found.len()..].chars().next())
    })
}

/// Whether something is true of a text of an object.
fn any_text(object: &Object, is: &mut dyn FnMut(&str) -> bool) -> bool {
    let named = is(object.name.canonical()) || object.definition.owner().is_some_and(|owner| is(owner.canonical()));
    named
        || match &object.definition {
            Definition::Table(table) => any_text_of_table(table, is),
            Definition::Index(index) => {
                index.parts.iter().any(|part| is(part.expression.written()) || clauses(&part.clauses, is))
                    || index.predicate.as_ref().is_some_and(|predicate| is(predicate.written()))
                    || clauses(&index.clauses, is)
            }
            Definition::View(view) => is(view.query.written()) || clauses(&view.clauses, is),
            Definition::Plain(plain) => clauses(&plain.clauses, is),
            Definition::VirtualTable(_) | Definition::Trigger(_) => false,
        }
}

fn any_text_of_table(table: &Table, is: &mut dyn FnMut(&str) -> bool) -> bool {
    let of_columns = table.columns.iter().any(|column| {
        let generated = column.generated.as_ref().map(|generated| &generated.expression);
        let mut expressions = column.data_type.iter().chain(&column.default).chain(generated);
        expressions.any(|expression| is(expression.written()) || is(&expression.canonical))
            || column.collation.as_ref().is_some_and(|collation| is(collation.canonical()))
            || clauses(&column.clauses, is)
    });
    of_columns
        || table
            .checks
            .iter()
            .chain(table.exclusions.iter())
            .any(|check| is(check.condition.written()) || clauses(&check.clauses, is))
        || table.foreign_keys.iter().any(|key| is(key.parent.canonical()) || clauses(&key.clauses, is))
        || table.primary_key.iter().chain(table.unique_keys.iter()).any(|key| clauses(&key.clauses, is))
        || clauses(&table.clauses, is)
}

fn clauses(clauses: &Clauses, is: &mut dyn FnMut(&str) -> bool) -> bool {
    clauses.iter().any(|(clause, value)| {
        is(clause)
            || value.expression().is_some_and(|value| is(value.written()))
            || value.canonical_texts().into_iter().any(&mut *is)
    })
}
