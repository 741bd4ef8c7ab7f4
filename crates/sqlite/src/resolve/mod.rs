//! Resolves the names in an object's statement: references with their places, and strings in double quotes.
//!
//! The statement is parsed once (`syntax.rs`) and walked with the columns of the schema at hand (`schema.rs`, `scope.rs`). Everything that
//! follows a name reads what is found here.

mod query;
mod schema;
mod scope;
mod statements;
mod walk;

use std::collections::BTreeSet;

use rayon::prelude::*;
use wevrun_core::model::{
    Definition, Expression, ForeignKey, Model, Name, Object, ObjectKey, QualifiedName, Reference, Span, Usage,
};
use wevrun_core::parse::{Reader, StatementKind, Token, TokenKind, token};

use crate::canonical::{canonical as spelled, expressions, expressions_mut};
use crate::tokens::Rules;
use crate::write::create_statement;
use crate::{parse, syntax};
pub use schema::Schema;
pub use walk::Found;
use walk::Walk;

/// Resolves the names of all objects.
pub fn all(model: &mut Model) {
    let keys: Vec<ObjectKey> = model.objects().map(Object::key).collect();
    some(model, &keys);
}

/// Resolves the names of a canonical model, whose structure stays the same.
pub fn canonical(model: &mut Model) {
    let open = model.objects().filter(|object| object.references.is_none());
    let before: Vec<Object> = open.cloned().collect();
    let keys: Vec<ObjectKey> = before.iter().map(Object::key).collect();
    some(model, &keys);
    for own in before {
        let Some(object) = model.get_mut(&own.key()) else { continue };
        if object.definition != own.definition {
            object.definition = own.definition;
            object.references = None;
        }
    }
}

/// Resolves the names of some objects.
pub fn some(model: &mut Model, keys: &[ObjectKey]) {
    let found: Vec<Resolution> = keys
        .par_chunks(64)
        .flat_map_iter(|keys| {
            let schema = Schema::new(model);
            let found = keys.iter().filter_map(|key| model.get(key)).map(|object| Resolution::of(&schema, object));
            found.collect::<Vec<_>>()
        })
        .collect();
    let objects = keys.iter().filter(|key| model.get(key).is_some()).collect::<Vec<_>>();
    for (key, found) in objects.into_iter().zip(found) {
        found.apply(model.get_mut(key).expect("looked up above"));
    }
}

/// Resolves the names of a table, whose expressions see nothing but its own columns.
pub fn own(table: &mut Object) {
    Resolution::of(&Schema::new(&Model::empty()), table).apply(table);
}

/// The resolved names of a statement; none if the grammar does not take it.
pub fn find(schema: &Schema<'_>, text: &str) -> Option<Found> {
    syntax::read(text, |tree, statement| {
        let mut walk = Walk::new(schema, tree);
        walk.statement(statement);
        walk.found()
    })
}

/// The objects other than the table that prevent its column from being dropped: an index on it, a trigger that writes it, and what names
/// something that is not there without it. (A name may mean another column then, and one in double quotes a string.)
pub fn users_of_column(model: &Model, table: &QualifiedName, column: &Name) -> Vec<ObjectKey> {
    let (with, without) = (Schema::new(model), Schema::without_column(model, table, column));
    let is_column = |reference: &Reference| reference.object == *table && reference.column.as_ref() == Some(column);
    let uses = |object: &&Object| {
        let is_near = object.references.as_ref().is_none_or(|references| references.has_object(table));
        match &object.definition {
            Definition::Index(_) if is_near => {
                find(&with, &object.text).is_some_and(|found| found.references.iter().any(is_column))
            }
            Definition::View(_) | Definition::Trigger(_) if is_near => {
                let is_written = |reference: &Reference| reference.usage == Usage::Writes && is_column(reference);
                let found = find(&without, &object.text);
                found.is_some_and(|found| !found.unresolved.is_empty() || found.references.iter().any(is_written))
            }
            _ => false,
        }
    };
    model.objects().filter(uses).map(Object::key).collect()
}

/// The result for one object.
struct Resolution {
    /// The object read again from its statement, if its expressions did not know their places.
    read: Option<Object>,
    /// The resolved names; none if the grammar does not take the statement.
    found: Option<Found>,
}

impl Resolution {
    fn of(schema: &Schema<'_>, object: &Object) -> Resolution {
        let read = if has_places(object) { None } else { read_again(object) };
        let text = read.as_ref().map_or(&object.text, |read| &read.text);
        let found = find(schema, text);
        Resolution { read, found }
    }

    fn apply(self, object: &mut Object) {
        if let Some(read) = self.read {
            (object.definition, object.text) = (read.definition, read.text);
        }
        let Some(found) = self.found else {
            // The engine reports what is wrong with it.
            (object.references, object.reads) = (None, None);
            return;
        };
        for expression in expressions_mut(&mut object.definition) {
            settle(expression, &found);
        }
        object.uses = used_relations(object, &found);
        // The expressions of a table read nothing but its own columns.
        object.reads = object.as_table().is_none().then(|| found.references.column_reads());
        object.references = Some(found.references);
        object.unresolved = found.unresolved;
    }
}

/// Whether each expression is where it was in the object's text.
fn has_places(object: &Object) -> bool {
    expressions(&object.definition).into_iter().all(|expression| {
        let there = expression.place.and_then(|place| object.text.get(place as usize..));
        there.is_some_and(|rest| rest.starts_with(expression.written()))
    })
}

/// An object read from its own statement, so that its expressions know their places.
fn read_again(object: &Object) -> Option<Object> {
    let mut again = if object.text.is_empty() { read(&create_statement(object)) } else { read(&object.text) }?;
    keep_columns(&object.definition, &mut again.definition, None);
    Some(again)
}

/// The object that a statement defines.
pub fn read(text: &str) -> Option<Object> {
    let (tokens, _) = token::tokenize(&Rules, text, 0);
    let tokens: Vec<Token> = tokens.into_iter().filter(|token| token.kind != TokenKind::Comment).collect();
    let reader = Reader { text, tokens: &tokens, position: 0, source: 0 };
    match parse::statement(reader, &[], &mut Vec::new()) {
        Ok(StatementKind::Create { object, .. }) => Some(*object),
        _ => None,
    }
}

/// Keeps with which columns the constraints of a table were written: a statement that was made from the table has them after the
/// columns. The constraints are in the same order; `renamed` has the columns with other names now.
pub fn keep_columns(before: &Definition, after: &mut Definition, renamed: Option<&Vec<(Name, Name)>>) {
    let (Definition::Table(before), Definition::Table(after)) = (before, after) else { return };
    let now = |own: &Name| {
        let new = renamed.and_then(|renamed| renamed.iter().find(|(from, _)| from == own)).map(|(_, to)| to);
        new.unwrap_or(own).clone()
    };
    if before.checks.len() == after.checks.len() {
        let pairs = after.checks.iter_mut().zip(before.checks.iter());
        pairs.for_each(|(own, before)| own.with_column.0 = before.with_column.as_ref().map(now));
    }
    for key in after.foreign_keys.iter_mut() {
        let is_same = |same: &&ForeignKey| same.columns.iter().map(now).eq(key.columns.iter().cloned());
        if let Some(same) = before.foreign_keys.iter().find(is_same) {
            key.with_column.0 = same.with_column.as_ref().map(now);
        }
    }
}

/// Gives an expression its references and its canonical form.
fn settle(expression: &mut Expression, found: &Found) {
    let Some(start) = *expression.place else { return };
    let own = Span { start, end: start + expression.written().len() as u32 };
    let is_own = |span: &&Span| own.contains(**span);
    let strings: Vec<Span> = found.strings.iter().filter(is_own).map(|span| span.earlier(start)).collect();
    if expression.written().contains('"') {
        let written = expression.written().to_owned();
        let (tokens, _) = token::tokenize(&Rules, &written, 0);
        let canonical = spelled(&written, &tokens, Some(&strings));
        *expression = Expression::new(canonical, &written);
        expression.place.0 = Some(start);
    }
    expression.references.0 = Some(found.references.within(own));
}

/// The tables and views that the query of a view or the statements of a trigger need, ordered.
fn used_relations(object: &Object, found: &Found) -> Vec<QualifiedName> {
    if !matches!(object.definition, Definition::View(_) | Definition::Trigger(_)) {
        return Vec::new();
    }
    let is_use = |usage: Usage| matches!(usage, Usage::Reads | Usage::Writes);
    let uses = found.references.iter().filter(|reference| reference.column.is_none() && is_use(reference.usage));
    uses.map(|reference| reference.object.clone()).collect::<BTreeSet<_>>().into_iter().collect()
}
