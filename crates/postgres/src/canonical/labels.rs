//! The literals that are labels of an enumeration: those that the server would give its type, by what is beside them.

use sqlparser::ast::VisitMut;
use wevrun_core::model::{Definition, Expression, Model, Name, Object, ObjectKey, QualifiedName, Span, edited};
use wevrun_core::parse::Places;

use super::expression::{Scope, parse_as_it_stands, with_room};
use super::neighbours::with_named;
use super::scope::Scopes;
use super::{infer, known_of};
use crate::rename::{any_expression, expressions_mut, same};
use crate::{clause, names};

/// Renames a label, a literal, in the expressions of all objects. The server keeps labels by their number.
pub fn rename_label(model: &mut Model, data_type: &QualifiedName, (from, to): (&str, &str)) {
    let has_literal = |object: &&Object| {
        object.name != *data_type && any_expression(object, |expression| expression.written().contains(from))
    };
    let touched: Vec<ObjectKey> = model.objects().filter(has_literal).map(Object::key).collect();
    if touched.is_empty() {
        return;
    }
    let near = with_named(model, touched.iter().cloned().collect());
    let known = known_of(&near);
    for key in touched {
        let Some(object) = model.get(&key) else { continue };
        let scope = Scope::of(object, &known);
        let mut changed = object.clone();
        for (expression, of) in with_types(&mut changed) {
            let renamed = |text: &str| {
                let places = scope.labels(text, of.as_ref().map(Name::canonical), data_type)?;
                let edits = places.into_iter().filter(|span| span.of(text) == from).map(|span| (span, to.to_owned()));
                Some(edited(text, &edits.collect::<Vec<_>>()))
            };
            if let (Some(written), Some(canonical)) = (renamed(expression.written()), renamed(&expression.canonical)) {
                *expression = expression.respelled(canonical, &written);
            }
        }
        if changed.definition != object.definition {
            changed.text.clear();
            model.insert(changed);
        }
    }
}

/// The expressions of an object, those of columns with the column's type.
fn with_types(object: &mut Object) -> Vec<(&mut Expression, Option<Name>)> {
    match &mut object.definition {
        Definition::Table(table) => {
            let mut found = Vec::new();
            for column in table.columns.iter_mut() {
                let own = column.data_type.as_ref().map(|own| Name::new(own.canonical.as_str(), own.written()));
                let generated = column.generated.as_mut().map(|generated| &mut generated.expression);
                found.extend(column.default.iter_mut().chain(generated).map(|own_text| (own_text, own.clone())));
            }
            found.extend(table.checks.iter_mut().map(|check| (&mut check.condition, None)));
            for check in table.exclusions.iter_mut() {
                let conditions = check.clauses.expressions_mut().filter(|(name, _)| clause::WHERE.is(name));
                found.extend(conditions.map(|(_, condition)| (condition, None)));
            }
            found
        }
        definition => expressions_mut(definition).into_iter().map(|expression| (expression, None)).collect(),
    }
}

impl Scope<'_> {
    /// The places of the labels of a type in an expression or a query, in order; nothing if the text can't be read.
    fn labels(&self, text: &str, wanted: Option<&str>, data_type: &QualifiedName) -> Option<Vec<Span>> {
        let found = with_room(text, || {
            if let Some(mut query) = parse_as_it_stands(text, |parser| parser.parse_query()) {
                let mut walk = self.walk(Scopes::empty());
                let _ = VisitMut::visit(&mut *query, &mut walk);
                return Some(walk.labels);
            }
            let mut expression = parse_as_it_stands(text, |parser| parser.parse_expr())?;
            let mut walk = self.walk(self.scopes());
            let _ = expression.visit(&mut walk);
            walk.as_stored(&mut expression, wanted);
            Some(walk.labels)
        })?;
        let places = Places::of(text);
        let is_it = |own: &str| same(&names::read(infer::base(own).trim_end_matches("[]")), data_type);
        let mut spans: Vec<Span> =
            found.into_iter().filter(|(own, _)| is_it(own)).map(|(_, span)| places.span(span)).collect();
        spans.sort_unstable();
        spans.dedup();
        Some(spans)
    }
}
