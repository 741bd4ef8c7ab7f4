//! The columns that a table's own expressions name: CHECKs, defaults and generated columns, which see no other table's.

use std::collections::BTreeSet;

use wevrun_core::model::{Clauses, Expression, Name, QualifiedName, Reference, References, Span, Table, edited};
use wevrun_core::parse::Places;

use crate::canonical::expression;
use crate::canonical::query::Known;
use crate::parse::partitions;
use crate::resolve::Walk;
use crate::{clause, names};

/// Resolves the names in all expressions of a table. Returns the sequences and functions that they use.
pub fn resolve(known: &Known, name: &QualifiedName, table: &mut Table) -> BTreeSet<QualifiedName> {
    let columns: Vec<Name> = table.columns.iter().map(|column| column.name.clone()).collect();
    let mut used = BTreeSet::new();
    for expression in expressions_mut(table) {
        expression.references.0 = resolved(known, name, &columns, expression.written());
        let found = expression.references.iter().flat_map(References::iter);
        used.extend(found.filter(|found| found.object != *name).map(|found| found.object.clone()));
    }
    used
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

/// The columns that an expression names; none if it can't be read.
pub fn references(table: &QualifiedName, columns: &[Name], text: &str) -> Option<References> {
    resolved(&Known::default(), table, columns, text)
}

/// The same with the sequences and functions.
fn resolved(known: &Known, table: &QualifiedName, columns: &[Name], text: &str) -> Option<References> {
    let tree = expression::parse(text)?;
    let places = Places::of(text);
    let mut walk = Walk::new(known, &places, None);
    walk.see(table, columns.iter().map(|column| column.canonical().to_owned()).collect());
    walk.tree(&tree);
    let is_known = |found: &Reference| found.column.as_ref().is_none_or(|column| columns.contains(column));
    Some(walk.found.references.into_iter().filter(is_known).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn named(text: &str) -> Vec<&str> {
        let columns: Vec<Name> = ["a", "b", "day", "left"].map(names::simple).to_vec();
        let found = references(&names::table(None, "t"), &columns, text).unwrap_or_else(|| panic!("{text}"));
        found
            .iter()
            .filter(|found| found.column.is_some())
            .filter_map(|found| found.span)
            .map(|span| span.of(text))
            .collect()
    }

    #[test]
    fn literals_functions_and_units_are_no_columns() {
        assert_eq!(named("a <> '`a`' and B > 0 /* b */ or `t`.`b` = \"a\""), ["a", "B", "`b`"]);
        assert_eq!(named("left(`left`, 2) <> 'left'"), ["`left`"]);
        assert_eq!(named("`day` + interval 1 day > now()"), ["`day`"]);
        assert_eq!(named("char_length('größe') < a\n or a in (1,\n b)"), ["a", "a", "b"]);
    }
}
