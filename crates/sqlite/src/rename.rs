//! Gives objects and columns other names in everything that refers to them, as SQLite's ALTER TABLE does
//! (<https://sqlite.org/lang_altertable.html>). The texts keep their layout and comments.

use std::collections::{BTreeMap, BTreeSet};

use super::names::{always_quoted, literal, quoted, unquoted_text};
use super::resolve::{self, Found, Schema};
use wevrun_core::model::{Kind, Model, Name, Object, ObjectKey, QualifiedName, Reference, Span, Usage, edited};

/// New names of objects and columns, given all at once.
#[derive(Debug, Default)]
pub struct Renames {
    /// Objects, each with its new name.
    pub objects: BTreeMap<ObjectKey, QualifiedName>,
    /// The columns of tables: present and new name.
    pub columns: BTreeMap<QualifiedName, Vec<(Name, Name)>>,
}

impl Renames {
    /// One object.
    pub fn object(key: &ObjectKey, to: &QualifiedName) -> Renames {
        Renames { objects: BTreeMap::from([(key.clone(), to.clone())]), columns: BTreeMap::new() }
    }

    /// One column.
    pub fn column(table: &QualifiedName, from: &Name, to: &Name) -> Renames {
        let columns = BTreeMap::from([(table.clone(), vec![(from.clone(), to.clone())])]);
        Renames { objects: BTreeMap::new(), columns }
    }

    /// The new name of what a reference in an object's text refers to.
    fn new_name(&self, object: &ObjectKey, reference: &Reference) -> Option<&Name> {
        if let Some(column) = &reference.column {
            let columns = self.columns.get(&reference.object)?;
            return columns.iter().find(|(from, _)| from == column).map(|(_, to)| to);
        }
        let of = |kind: Kind| self.objects.get(&ObjectKey::new(kind, reference.object.clone()));
        let found = match reference.usage {
            Usage::Defines => self.objects.get(object),
            Usage::Hints => of(Kind::Index),
            _ => [Kind::Table, Kind::VirtualTable, Kind::View].into_iter().find_map(of),
        };
        found.map(|name| name.printed())
    }
}

/// Renames in a whole model.
pub fn apply(model: &mut Model, renames: &Renames) {
    let unresolved: Vec<ObjectKey> =
        model.objects().filter(|object| object.references.is_none()).map(Object::key).collect();
    resolve::some(model, &unresolved);
    let names: BTreeSet<&QualifiedName> =
        renames.objects.keys().map(|key| &key.name).chain(renames.columns.keys()).collect();
    let is_concerned = |object: &&Object| {
        let mut references = object.references.iter().flat_map(|references| references.iter());
        references.any(|reference| names.contains(&reference.object))
    };
    let concerned: Vec<ObjectKey> = model.objects().filter(is_concerned).map(Object::key).collect();
    let mut renamed = Vec::new();
    // The schema may have changed since they were resolved.
    resolve::some(model, &concerned);
    let schema = Schema::new(model);
    for key in &concerned {
        let Some(object) = model.get(key) else { continue };
        let Some(found) = resolve::find(&schema, &object.text) else { continue };
        let edits = edits(renames, object, &found);
        if edits.is_empty() {
            continue;
        }
        if let Some(read) = resolve::read(&edited(&object.text, &edits)) {
            let mut after = Object { definition: read.definition, name: read.name, text: read.text, ..object.clone() };
            resolve::keep_columns(&object.definition, &mut after.definition, renames.columns.get(&object.name));
            after.references = None;
            renamed.push((key.clone(), after));
        }
    }
    renamed.iter().for_each(|(before, _)| drop(model.remove(before)));
    let keys: Vec<ObjectKey> = renamed.iter().map(|(_, after)| after.key()).collect();
    model.extend(renamed.into_iter().map(|(_, after)| after));
    resolve::some(model, &keys);
}

/// The new names in an object's text, with their places.
fn edits(renames: &Renames, object: &Object, found: &Found) -> Vec<(Span, String)> {
    let key = object.key();
    // A name in USING refers to columns of two tables: it changes if both change alike.
    let mut places: BTreeMap<Span, Vec<Option<&Name>>> = BTreeMap::new();
    for reference in found.references.iter() {
        if let Some(span) = reference.span {
            places.entry(span).or_default().push(renames.new_name(&key, reference));
        }
    }
    let edit = |(span, names): (Span, Vec<Option<&Name>>)| {
        let name = names[0].filter(|name| names.iter().all(|other| *other == Some(name)))?;
        // As the engine does: what was in quotes stays in quotes.
        let is_quoted = span.of(&object.text).starts_with(['"', '`', '[', '\'']);
        let text = if is_quoted { always_quoted(name.written()) } else { quoted(name.written()) };
        Some((span, text))
    };
    let mut edits: Vec<(Span, String)> = places.into_iter().filter_map(edit).collect();
    // As the engine does, too: a string in double quotes could become the name of a renamed column.
    if !renames.columns.is_empty() {
        let text = |span: &Span| (*span, literal(&unquoted_text(span.of(&object.text))));
        edits.extend(found.strings.iter().map(text));
        edits.sort();
    }
    edits
}
