//! The columns that a table's own expressions name: CHECKs, defaults and generated columns, which see no other table's.

use std::ops::ControlFlow;

use sqlparser::ast::{Expr, Ident, Visit, Visitor};
use wevrun_core::model::{Clauses, Expression, Name, QualifiedName, Reference, References, Span, Table, Usage, edited};
use wevrun_core::parse::Places;

use crate::canonical::expression;
use crate::parse::partitions;
use crate::{clause, names};

/// Resolves the names in all expressions of a table.
pub fn resolve(name: &QualifiedName, table: &mut Table) {
    let columns: Vec<Name> = table.columns.iter().map(|column| column.name.clone()).collect();
    for expression in expressions_mut(table) {
        expression.references.0 = references(name, &columns, expression.written());
    }
}

/// Gives a column another name in all expressions of a table, whose column has the new name already.
pub fn rename(name: &QualifiedName, table: &mut Table, from: &Name, to: &Name) {
    let columns: Vec<Name> = table.columns.iter().map(|column| column.name.clone()).chain([from.clone()]).collect();
    let edits = |text: &str, offset: u32| -> Vec<(Span, String)> {
        let found = references(name, &columns, text).unwrap_or_default();
        let spans = found.iter().filter(|reference| reference.column.as_ref() == Some(from));
        let spans = spans.filter_map(|reference| reference.span);
        spans.map(|span| (span.later(offset), names::quoted(to.written()))).collect()
    };
    for own in expressions_mut(table) {
        let edits = edits(own.written(), 0);
        if !edits.is_empty() {
            *own = expression::of_text(&edited(own.written(), &edits));
        }
    }
    if let Some(own) = table.clauses.get(clause::PARTITION_BY) {
        let text = own.written();
        let keys = partitions::keys(text).into_iter();
        let edits: Vec<(Span, String)> = keys.flat_map(|key| edits(key.of(text), key.start)).collect();
        if !edits.is_empty() {
            let renamed = partitions::of_text(&edited(text, &edits));
            table.clauses.set(clause::PARTITION_BY, renamed);
        }
    }
}

/// The expressions in which columns can be named, each with the name of its clause.
pub fn expressions(table: &Table) -> Vec<(&'static str, &Expression)> {
    let mut found = Vec::new();
    for column in table.columns.iter() {
        found.extend(column.default.iter().map(|default| ("DEFAULT", default)));
        found.extend(column.generated.iter().map(|generated| ("GENERATED ALWAYS AS", &generated.expression)));
        found.extend(column.clauses.get(clause::CHECK).map(|check| ("CHECK", check)));
    }
    found.extend(table.checks.iter().map(|check| ("CHECK", &check.condition)));
    found
}

/// The partition keys of a table, in parentheses.
pub fn partition_keys(table: &Table) -> impl Iterator<Item = &str> {
    let text = table.clauses.get(clause::PARTITION_BY).map_or("", Expression::written);
    partitions::keys(text).into_iter().map(|key| key.of(text))
}

/// The same, to change them.
fn expressions_mut(table: &mut Table) -> Vec<&mut Expression> {
    let mut found = Vec::new();
    for column in table.columns.iter_mut() {
        found.extend(column.default.iter_mut());
        found.extend(column.generated.iter_mut().map(|generated| &mut generated.expression));
        found.extend(check_mut(&mut column.clauses));
    }
    found.extend(table.checks.iter_mut().map(|check| &mut check.condition));
    found
}

fn check_mut(clauses: &mut Clauses) -> Option<&mut Expression> {
    clauses.expressions_mut().find(|(name, _)| clause::CHECK.is(name)).map(|(_, check)| check)
}

/// The columns that an expression names; nothing of one that can't be read.
pub fn references(table: &QualifiedName, columns: &[Name], text: &str) -> Option<References> {
    let tree = expression::parse(text)?;
    let mut collect = Collect { places: Places::of(text), named: Vec::new() };
    let _ = tree.visit(&mut collect);
    let reference = |(column, span): (Name, Span)| {
        let is_column = columns.contains(&column);
        is_column.then(|| Reference {
            object: table.clone(),
            column: Some(column),
            usage: Usage::Reads,
            span: Some(span),
        })
    };
    Some(collect.named.into_iter().filter_map(reference).collect())
}

struct Collect<'t> {
    places: Places<'t>,
    named: Vec<(Name, Span)>,
}

impl Collect<'_> {
    fn name(&mut self, identifier: &Ident) {
        let span = self.places.span(identifier.span);
        self.named.push((names::simple(&identifier.value), span));
    }
}

impl Visitor for Collect<'_> {
    type Break = ();

    fn pre_visit_expr(&mut self, expression: &Expr) -> ControlFlow<()> {
        match expression {
            Expr::Identifier(identifier) => self.name(identifier),
            // The table may be named before the column.
            Expr::CompoundIdentifier(parts) => parts.last().into_iter().for_each(|last| self.name(last)),
            _ => {}
        }
        ControlFlow::Continue(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn named(text: &str) -> Vec<&str> {
        let columns: Vec<Name> = ["a", "b", "day", "left"].map(names::simple).to_vec();
        let found = references(&names::table(None, "t"), &columns, text).unwrap_or_else(|| panic!("{text}"));
        found.iter().filter_map(|reference| reference.span).map(|span| span.of(text)).collect()
    }

    #[test]
    fn literals_functions_and_units_are_no_columns() {
        assert_eq!(named("a <> '`a`' and B > 0 /* b */ or `t`.`b` = \"a\""), ["a", "B", "`b`"]);
        assert_eq!(named("left(`left`, 2) <> 'left'"), ["`left`"]);
        assert_eq!(named("`day` + interval 1 day > now()"), ["`day`"]);
        assert_eq!(named("char_length('größe') < a\n or a in (1,\n b)"), ["a", "a", "b"]);
    }
}
