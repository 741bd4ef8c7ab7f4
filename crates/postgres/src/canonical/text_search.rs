//! Text search configurations that begin as a copy of another one
//! (<https://www.postgresql.org/docs/current/sql-createtsconfig.html>).

use super::super::{names, split_list};
use crate::clause;
use wevrun_core::model::{Definition, Expression, Kind, Model, Object, ObjectKey};

/// The token types of the engine's own parser, and whether their words are brought to their stems
/// (<https://www.postgresql.org/docs/current/textsearch-parsers.html>).
const TOKEN_TYPES: [(&str, bool); 19] = [
    ("asciiword", true),
    ("word", true),
    ("numword", false),
    ("asciihword", true),
    ("hword", true),
    ("numhword", false),
    ("hword_asciipart", true),
    ("hword_part", true),
    ("hword_numpart", false),
    ("email", false),
    ("url", false),
    ("host", false),
    ("url_path", false),
    ("file", false),
    ("sfloat", false),
    ("float", false),
    ("int", false),
    ("uint", false),
    ("version", false),
];

/// `COPY = other`: a text search configuration that begins as a copy, perhaps of a copy.
pub fn copy(model: &mut Model) {
    let mut waiting: Vec<ObjectKey> = model.of_kind(Kind::TextSearchConfiguration).map(Object::key).collect();
    while !waiting.is_empty() {
        let is_later = |key: &ObjectKey| pattern_of(model, key).is_some_and(|from| waiting.contains(&from));
        let (later, ready): (Vec<_>, Vec<_>) = waiting.iter().cloned().partition(is_later);
        // A circle has no first one.
        let round = if ready.is_empty() { std::mem::take(&mut waiting) } else { ready };
        waiting.retain(|key| later.contains(key));
        round.iter().for_each(|key| copy_one(model, key));
    }
}

/// The configuration that one says it is a copy of.
fn pattern_of(model: &Model, key: &ObjectKey) -> Option<ObjectKey> {
    let Definition::Plain(plain) = &model.get(key)?.definition else { return None };
    let from = plain.clauses.value(clause::WITH_COPY)?;
    let name = names::read(from);
    let name = if names::is_unresolved(&name) { names::qualified("public", &names::identifier(&name)) } else { name };
    Some(ObjectKey::new(Kind::TextSearchConfiguration, name))
}

fn copy_one(model: &mut Model, key: &ObjectKey) {
    let pattern = pattern_of(model, key);
    let Some(mut object) = model.remove(key) else { return };
    if let (Definition::Plain(plain), Some(from)) = (&mut object.definition, pattern) {
        plain.clauses.remove(clause::WITH_COPY);
        let own: Vec<String> = plain.clauses.expressions().map(|(clause, _)| clause.to_owned()).collect();
        let replaced =
            plain.clauses.remove(clause::REPLACED).map(|pairs| split_list(&pairs.canonical)).unwrap_or_default();
        if let Some(Definition::Plain(other)) = model.get(&from).map(|object| object.definition.clone()) {
            let inherited =
                other.clauses.iter().filter(|(clause, _)| *clause != "comment" && !plain.clauses.has_named(clause));
            let inherited: Vec<_> = inherited.map(|(clause, value)| (clause.to_owned(), value.clone())).collect();
            inherited.into_iter().for_each(|(clause, value)| plain.clauses.set_named(&clause, value));
        } else {
            let language = names::identifier(&from.name);
            plain.clauses.set_text(clause::WITH_PARSER, "\"default\"");
            for (token, stems) in TOKEN_TYPES {
                let clause = format!("mapping {token}");
                if !plain.clauses.has_named(&clause) {
                    let stem = stems && language != "simple";
                    plain
                        .clauses
                        .set_text_named(&clause, if stem { format!("{language}_stem") } else { "simple".to_owned() });
                }
            }
        }
        for (_, listed) in plain
            .clauses
            .expressions_mut()
            .filter(|(clause, _)| clause::MAPPING.has(clause) && !own.iter().any(|said| said == clause))
        {
            replaced.chunks_exact(2).for_each(|pair| replace_dictionary(listed, &pair[0], &pair[1]));
        }
        object.text.clear();
    }
    if let Definition::Plain(plain) = &mut object.definition {
        plain.clauses.retain(|clause, value| {
            !clause::MAPPING.has(clause) || value.expression().is_some_and(|value| !value.canonical.is_empty())
        });
    }
    model.insert(object);
}

/// Puts another dictionary in the place of one that is listed.
pub fn replace_dictionary(listed: &mut Expression, old: &str, new: &str) {
    let dictionaries = split_list(&listed.canonical).into_iter();
    let renewed: Vec<String> =
        dictionaries.map(|one| if is_called(&one, old) { new.to_owned() } else { one }).collect();
    *listed = Expression::plain(renewed.join(", "));
}

/// Whether a dictionary is the one that is named, with its schema or without.
fn is_called(dictionary: &str, named: &str) -> bool {
    dictionary == named || names::parts(dictionary).last() == names::parts(named).last() && !named.contains('.')
}
