//! Resolves the names in views and programs: what the server does not record, and its own renames do not follow.
//!
//! Each query, statement and expression is walked with the columns of the schema at hand (`walk.rs`, `from.rs`, `scope.rs`); bodies are read
//! statement by statement (`bodies.rs`).

mod bodies;
mod found;
mod from;
mod scope;
mod walk;

use std::collections::BTreeSet;

use wevrun_core::model::{Definition, Kind, Model, Object, QualifiedName, References};
use wevrun_core::parse::Places;

use crate::canonical::query::{self, Known};
use crate::{clause, own_columns, parse};
pub use found::{Found, Output, SourceColumn};
pub use walk::Walk;

/// The references of an object's text: of a view's query, of a program's body. `None` for other objects.
pub fn find(known: &Known, object: &Object) -> Option<Found> {
    match &object.definition {
        Definition::View(view) => Some(of_query(known, view.query.written())),
        Definition::Plain(plain) => {
            let body = plain.clauses.get(clause::BODY)?.written();
            let modes = plain.clauses.get(clause::SQL_MODE).map_or("", String::as_str);
            let is_another_grammar = modes.split(',').any(|mode| ["ORACLE", "ANSI_QUOTES"].contains(&mode));
            if is_another_grammar || matches!(plain.kind, Kind::Package | Kind::PackageBody) {
                return Some(bodies::possible(known, body));
            }
            let row = plain.owner.as_ref().filter(|_| plain.kind == Kind::Trigger);
            Some(bodies::find(known, body, plain.clauses.written(clause::PARAMETERS), row))
        }
        _ => None,
    }
}

/// The references of a view's text: its query, perhaps with names of columns before it.
fn of_query(known: &Known, written: &str) -> Found {
    let (columns, text) = parse::view::columns_of(written);
    let offset = (written.len() - text.len()) as u32;
    let Some(tree) = query::parse(text) else { return bodies::possible(known, written) };
    let places = Places::of(text);
    let mut walk = Walk::new(known, &places, None);
    if !columns.is_empty() {
        walk.ignore_names(&tree);
    }
    walk.tree(&tree);
    walk.found.later(offset)
}

/// Records what tables, views and programs refer to, and with it the objects and columns that they use.
pub fn all(model: &mut Model, known: &Known) {
    for object in model.objects_mut() {
        if let Definition::Table(table) = &mut object.definition {
            object.uses = own_columns::resolve(known, &object.name, table).into_iter().collect();
            continue;
        }
        let Some(found) = find(known, object) else { continue };
        let references: References = found.references.into_iter().collect();
        // Bodies may name what is only there when they run.
        let is_view = matches!(object.definition, Definition::View(_));
        let is_used = |name: &&QualifiedName| {
            name.schema().is_none() && (is_view || (known.has_object(name) && **name != object.name))
        };
        let uses: BTreeSet<&QualifiedName> =
            references.iter().map(|reference| &reference.object).filter(is_used).collect();
        object.uses = uses.into_iter().cloned().collect();
        object.reads = Some(references.column_reads());
        match &mut object.definition {
            Definition::View(view) => view.query.references.0 = Some(references),
            definition => {
                let clauses = definition.clauses_mut().into_iter().flat_map(|clauses| clauses.expressions_mut());
                for (_, body) in clauses.filter(|(name, _)| clause::BODY.is(name)) {
                    body.references.0 = Some(references.clone());
                }
            }
        }
    }
}
