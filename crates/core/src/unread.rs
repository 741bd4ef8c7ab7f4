//! Statements that can't be read as schema: code that must be run to know what it makes. What such a statement
//! names is left alone in a database.

use std::collections::BTreeSet;

use crate::diagnostics::{Code, Diagnostic};
use crate::model::{Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName, Unordered};
use crate::parse;
use crate::parse::Grammar;
use crate::source::{Location, Source};

/// One such statement.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unread {
    /// Where it is, if its source is known.
    pub location: Option<Location>,
    /// Every word of it, and of the functions that it calls, in lower case.
    pub words: BTreeSet<String>,
}

/// Something that a database has, the source does not, and a statement names that can't be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Kept {
    /// The object, or the one that it is a part of.
    pub key: ObjectKey,
    /// Its kind and name: `index public.x`, `constraint y of table public.x`.
    pub what: String,
    /// The statement.
    pub location: Option<Location>,
}

impl Kept {
    /// A note about it.
    pub fn diagnostic(&self) -> Diagnostic {
        let message =
            format!("{} is left alone: the source does not define it, but code in the source names it", self.what);
        let found = Diagnostic::new(Code::WV011, message);
        match self.location {
            Some(location) => found.at(location, "this code may create it"),
            None => found,
        }
    }
}

impl Unread {
    /// The statement at this place.
    pub fn new(dialect: &dyn Grammar, location: Location, sources: &[Source], model: &Model) -> Unread {
        let text = &sources[location.source as usize].text[location.start as usize..location.end as usize];
        let mut words = parse::words(dialect.token_rules(), text);
        for routine in [Kind::Function, Kind::Procedure].into_iter().flat_map(|kind| model.of_kind(kind)) {
            if words.contains(&routine.name.identifier().to_lowercase()) {
                words.extend(parse::words(dialect.token_rules(), &routine.text));
            }
        }
        Unread { location: Some(location), words }
    }

    fn names(&self, word: &str) -> bool {
        self.words.contains(&word.to_lowercase())
    }
}

/// Lets `want` have what `have` has and it has not, where a statement names it that can't be read.
pub fn keep(unread: &[Unread], have: &Model, want: &mut Model) -> Vec<Kept> {
    let mut kept = Vec::new();
    if unread.is_empty() {
        return kept;
    }
    let renamed: BTreeSet<QualifiedName> = want.objects().filter_map(|object| object.formerly.table.clone()).collect();
    let own_name = |name: &QualifiedName| name.identifier().to_owned();
    let naming = |word: &str| unread.iter().find(|statement| statement.names(word));
    for object in have.objects() {
        let key = object.key();
        if let Some(wanted) = want.get_mut(&key) {
            keep_parts(object, wanted, &naming, &mut kept);
            continue;
        }
        let is_on_something = object.definition.owner().is_none_or(|owner| want.relation(owner).is_some());
        let is_free = is_on_something && !renamed.contains(&object.name);
        if let Some(statement) = naming(&own_name(&object.name)).filter(|_| is_free) {
            kept.push(Kept { what: key.to_string(), key, location: statement.location });
            want.insert(object.clone());
        }
    }
    kept
}

/// Columns and constraints of a table that both have; labels of an enumeration.
fn keep_parts<'u>(have: &Object, want: &mut Object, naming: &dyn Fn(&str) -> Option<&'u Unread>, kept: &mut Vec<Kept>) {
    let key = have.key();
    let before = kept.len();
    let mut keep = |kind: &str, name: &str| {
        let statement = naming(name)?;
        kept.push(Kept { key: key.clone(), what: format!("{kind} {name} of {key}"), location: statement.location });
        Some(())
    };
    let formerly = want.formerly.columns.clone();
    let (Definition::Table(have), Definition::Table(table)) = (&have.definition, &mut want.definition) else { return };
    for column in have.columns.iter() {
        let renamed = formerly.iter().any(|(_, former)| *former == column.name);
        if table.column(&column.name).is_none() && !renamed && keep("column", column.name.canonical()).is_some() {
            table.columns.push(column.clone());
        }
    }
    let named = |name: &Option<Name>| name.as_ref().map(|name| name.canonical().to_owned());
    let of_key = |name: &Name| Some(name.canonical().to_owned()).filter(|name| !name.is_empty());
    keep_missing(
        &have.foreign_keys,
        &mut table.foreign_keys,
        |key| of_key(&key.name),
        |name| keep("foreign key", name),
    );
    keep_missing(&have.unique_keys, &mut table.unique_keys, |key| of_key(&key.name), |name| keep("unique key", name));
    keep_missing(&have.checks, &mut table.checks, |check| named(&check.name), |name| keep("check", name));
    keep_missing(&have.exclusions, &mut table.exclusions, |check| named(&check.name), |name| keep("exclusion", name));
    if kept.len() > before {
        want.text.clear();
    }
}

/// Adds those of `have` that `want` does not have by name and that are to be kept.
fn keep_missing<T: Clone>(
    have: &Unordered<T>,
    want: &mut Unordered<T>,
    name: impl Fn(&T) -> Option<String>,
    mut keep: impl FnMut(&str) -> Option<()>,
) {
    for item in have.iter() {
        let Some(own) = name(item) else { continue };
        let is_there = want.iter().any(|other| name(other).as_ref() == Some(&own));
        if !is_there && keep(&own).is_some() {
            want.push(item.clone());
        }
    }
}
