//! New names of objects and columns in views and programs, as edits of their texts: the server's own renames leave these as they are.

use std::collections::{BTreeMap, BTreeSet};

use wevrun_core::mapping::{Doubt, Renamed};
use wevrun_core::model::{
    Definition, Expression, Kind, Model, Name, Object, ObjectKey, QualifiedName, Reference, Span, Usage, edited,
};

use crate::canonical::expression::{plain_tokens, statement_tokens};
use crate::canonical::query::{Known, items};
use crate::parse::unquoted_name;
use crate::resolve::{self, Found, Output, SourceColumn};
use crate::{clause, names, write};

/// An object or column, and how it is used.
type Use = (QualifiedName, Option<Name>, Usage);

/// The new names, by the old ones.
struct NewNames<'r> {
    relations: BTreeMap<&'r QualifiedName, &'r QualifiedName>,
    routines: BTreeMap<&'r QualifiedName, &'r QualifiedName>,
    columns: &'r BTreeMap<QualifiedName, Vec<(Name, Name)>>,
}

impl<'r> NewNames<'r> {
    fn of(renamed: &'r Renamed<'_>) -> NewNames<'r> {
        let is_routine = |kind: Kind| matches!(kind, Kind::Function | Kind::Aggregate | Kind::Procedure);
        let is_relation = |kind: Kind| matches!(kind, Kind::Table | Kind::View | Kind::Sequence);
        let named = |is_it: fn(Kind) -> bool| {
            let keys = renamed.objects.iter().filter(move |(key, _)| is_it(key.kind));
            keys.map(|(key, to)| (&key.name, to)).collect()
        };
        NewNames { relations: named(is_relation), routines: named(is_routine), columns: renamed.columns }
    }

    fn object(&self, reference: &Reference) -> Option<&'r QualifiedName> {
        let map = if reference.usage == Usage::Calls { &self.routines } else { &self.relations };
        let possible = || self.routines.get(&reference.object).filter(|_| reference.usage == Usage::Possible);
        map.get(&reference.object).or_else(possible).copied()
    }

    fn column(&self, table: &QualifiedName, column: &Name) -> Option<&'r Name> {
        self.columns.get(table)?.iter().find(|(from, _)| from == column).map(|(_, to)| to)
    }

    /// The new name of what a reference is to; none if it has none.
    fn of_reference(&self, reference: &Reference) -> Option<&'r str> {
        match &reference.column {
            Some(column) => self.column(&reference.object, column).map(Name::written),
            None => self.object(reference).map(|to| to.identifier()),
        }
    }

    /// Whether something that a text refers to has a new name, or columns with new names.
    fn touch(&self, found: &Found) -> bool {
        let is_touched =
            |reference: &Reference| self.object(reference).is_some() || self.columns.contains_key(&reference.object);
        found.references.iter().any(is_touched)
    }

    /// The new name of a relation, or its alias.
    fn qualifier(&self, own: &SourceColumn) -> String {
        let object = own.object.as_ref().map(|object| self.relations.get(object).copied().unwrap_or(object));
        let name = own.alias.as_deref().or(object.map(|object| object.identifier()));
        names::quoted(name.unwrap_or_default())
    }

    /// The columns of `*`, each with its new name; none if no column has a new name.
    fn of_star<'s>(&self, columns: &'s [SourceColumn]) -> Option<Vec<(&'s SourceColumn, Option<&'r Name>)>> {
        let new_name = |own: &SourceColumn| self.column(own.object.as_ref()?, &names::simple(&own.column));
        let named: Vec<_> = columns.iter().map(|own| (own, new_name(own))).collect();
        named.iter().any(|(_, to)| to.is_some()).then_some(named)
    }

    /// The reference when everything has its new name.
    fn renamed(&self, reference: &Reference) -> Use {
        let object = self.object(reference).unwrap_or(&reference.object).clone();
        let column = reference.column.as_ref();
        let column = column.map(|column| self.column(&reference.object, column).unwrap_or(column).clone());
        (object, column, reference.usage)
    }
}

/// Gives all views and programs the new names. `model` is `before` with everything else renamed. Returns the words that may be such a name,
/// and were left.
pub fn follow(before: &Model, model: &mut Model, renamed: &Renamed<'_>) -> Vec<Doubt> {
    let new = NewNames::of(renamed);
    if new.relations.is_empty() && new.routines.is_empty() && new.columns.is_empty() {
        return Vec::new();
    }
    let known = Known::of(before);
    let (mut doubts, mut changed) = (Vec::new(), Vec::new());
    for object in before.objects() {
        let Some(found) = resolve::find(&known, object) else { continue };
        if !new.touch(&found) {
            continue;
        }
        let key = object.key();
        let edits = Edits::of(&new, &found, text_of(object));
        doubts.extend(edits.left.iter().map(|word| Doubt { object: key.clone(), word: word.clone() }));
        let now = ObjectKey::new(key.kind, renamed.objects.get(&key).unwrap_or(&key.name).clone());
        if let Some(own) = model.get_mut(&now) {
            set_text(own, &edits.of_text(text_of(object)));
            changed.push((now, object, found, edits));
        }
    }
    // A new name may mean something else in a text: a variable, a table expression, a column of another table.
    let known = Known::of(model);
    for (now, object, found, mut edits) in changed {
        let Some(own) = model.get_mut(&now) else { continue };
        let text = text_of(object);
        if edits.uses == uses(&known, own) {
            continue;
        }
        edits.qualify(&new, &found, text);
        set_text(own, &edits.of_text(text));
        if edits.uses != uses(&known, own) {
            let renamed = edits.edits.keys().map(|span| span.of(text)).filter(|word| !word.is_empty());
            let bare = found.bare.iter().map(|(_, own)| own.column.as_str());
            let words: BTreeSet<&str> = if edits.is_renaming { renamed.collect() } else { bare.collect() };
            doubts.extend(words.into_iter().map(|word| Doubt { object: object.key(), word: word.to_owned() }));
            set_text(own, text);
        }
    }
    doubts
}

/// The certain references of an object's text, sorted.
fn uses(known: &Known, object: &Object) -> Vec<Use> {
    let found = resolve::find(known, object).unwrap_or_default();
    let as_it_is = |found: &Reference| (found.object.clone(), found.column.clone(), found.usage);
    let mut uses: Vec<Use> = by_name(&found).map(as_it_is).collect();
    uses.sort();
    uses
}

/// The certain references that are no consequence of others.
fn by_name(found: &Found) -> impl Iterator<Item = &Reference> {
    let is_implied = |usage| matches!(usage, Usage::Possible | Usage::WholeRow | Usage::Qualifies);
    found.references.iter().filter(move |reference| !is_implied(reference.usage))
}

/// The text in which an object's names are resolved.
fn text_of(object: &Object) -> &str {
    match &object.definition {
        Definition::View(view) => view.query.written(),
        definition => definition.clauses().map_or("", |clauses| clauses.written(clause::BODY)),
    }
}

fn set_text(object: &mut Object, text: &str) {
    if text_of(object) == text {
        return;
    }
    match &mut object.definition {
        Definition::View(view) => view.query = Expression::unsure(plain_tokens(text), text),
        definition => {
            if let Some(clauses) = definition.clauses_mut() {
                clauses.set(clause::BODY, Expression::new(statement_tokens(text), text));
            }
        }
    }
    object.text = write::create_statement(object);
}

/// New names in a text.
struct Edits {
    /// In the order of their places.
    edits: BTreeMap<Span, String>,
    /// Whether the text itself has a name that is another one now.
    is_renaming: bool,
    /// Words that are left.
    left: Vec<String>,
    /// The references that the edited text must have, sorted.
    uses: Vec<Use>,
}

impl Edits {
    fn of(new: &NewNames<'_>, found: &Found, text: &str) -> Edits {
        let (mut edits, mut left): (BTreeMap<Span, String>, Vec<String>) = (BTreeMap::new(), Vec::new());
        for reference in found.references.iter().filter(|reference| reference.usage != Usage::Possible) {
            let Some(to) = new.of_reference(reference) else { continue };
            match reference.span {
                Some(span) => drop(edits.insert(span, names::quoted(to))),
                // The names that NATURAL compares are in no text.
                None => left.extend(reference.column.as_ref().map(|column| column.written().to_owned())),
            }
        }
        for reference in found.references.iter().filter(|reference| reference.usage == Usage::Possible) {
            let name = reference.column.as_ref().map_or(reference.object.identifier(), Name::written);
            left.extend(new.of_reference(reference).map(|_| name.to_owned()));
        }
        let mut uses: Vec<Use> = by_name(found).map(|reference| new.renamed(reference)).collect();
        for output in found.lists.iter().flat_map(|list| &list.outputs) {
            let Output::Star(star) = output else { continue };
            let Some(columns) = &star.columns else {
                let is_renamed =
                    |found: &Reference| found.usage == Usage::WholeRow && new.columns.contains_key(&found.object);
                left.extend(found.references.iter().any(is_renamed).then(|| star.span.of(text).to_owned()));
                continue;
            };
            let Some(columns) = new.of_star(columns) else { continue };
            edits.retain(|span, _| !star.span.contains(*span));
            let mut list = Vec::new();
            for (own, to) in columns {
                let object = own.object.as_ref().map(|object| new.relations.get(object).copied().unwrap_or(object));
                let column = to.map_or(own.column.as_str(), Name::written);
                let name = to.map(|_| format!(" AS {}", names::quoted(&own.column))).unwrap_or_default();
                list.push(format!("{}.{}{name}", new.qualifier(own), names::quoted(column)));
                uses.extend(object.map(|object| (object.clone(), Some(names::simple(column)), Usage::Reads)));
            }
            edits.insert(star.span, list.join(", "));
        }
        uses.sort();
        keep_output_names(found, text, &mut edits);
        Edits { is_renaming: !edits.is_empty(), edits, left, uses }
    }

    /// Gives every column without a qualifier one, so that it means the same whatever else has its new name.
    fn qualify(&mut self, new: &NewNames<'_>, found: &Found, text: &str) {
        for (start, own) in &found.bare {
            self.edits.insert(Span { start: *start, end: *start }, format!("{}.", new.qualifier(own)));
        }
        keep_output_names(found, text, &mut self.edits);
    }

    fn of_text(&self, text: &str) -> String {
        let edits: Vec<(Span, String)> = self.edits.iter().map(|(span, name)| (*span, name.clone())).collect();
        edited(text, &edits)
    }
}

/// Gives outputs whose columns are renamed the names that they had.
fn keep_output_names(found: &Found, text: &str, edits: &mut BTreeMap<Span, String>) {
    for list in found.lists.iter().filter(|list| list.outputs.iter().any(|output| *output != Output::Named)) {
        if edits.is_empty() {
            return;
        }
        for (output, item) in list.outputs.iter().zip(items(text, list.start)) {
            let name = match output {
                Output::Named | Output::Star(_) => continue,
                Output::Column(span) => {
                    let name = span.of(text);
                    let is_same = |to: &String| names::quoted(&unquoted_name(name)).eq_ignore_ascii_case(to);
                    if edits.get(span).is_none_or(is_same) {
                        continue;
                    }
                    name.to_owned()
                }
                Output::Expression if edits.keys().any(|span| item.contains(*span)) => {
                    // The server makes up a name for what is longer than a name can be.
                    if item.of(text).chars().count() > names::LONGEST {
                        continue;
                    }
                    names::always_quoted(item.of(text))
                }
                Output::Expression => continue,
            };
            edits.insert(Span { start: item.end, end: item.end }, format!(" AS {name}"));
        }
    }
}
