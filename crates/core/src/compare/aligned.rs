//! Have's definition in want's spelling: what is equal is written alike, so that only what differs looks different.

use crate::model::{Clauses, Column, Definition, Object, Table, Unordered};

/// `have` with want's spelling and order of everything in which the two are equal.
pub fn aligned(have: &Object, want: &Object) -> Object {
    let mut aligned = have.clone();
    aligned.text.clear();
    match (&mut aligned.definition, &want.definition) {
        (Definition::Table(have), Definition::Table(want)) => table(have, want),
        (Definition::Index(have), Definition::Index(want)) => {
            for (part, wanted) in have.parts.iter_mut().zip(&want.parts) {
                same(part, wanted);
                same(&mut part.expression, &wanted.expression);
            }
            same(&mut have.predicate, &want.predicate);
            clauses(&mut have.clauses, &want.clauses);
        }
        (Definition::View(have), Definition::View(want)) => {
            same(&mut have.query, &want.query);
            clauses(&mut have.clauses, &want.clauses);
        }
        (Definition::Trigger(have), Definition::Trigger(want)) => {
            same(&mut have.condition, &want.condition);
            same(&mut have.body, &want.body);
        }
        (Definition::Plain(have), Definition::Plain(want)) => clauses(&mut have.clauses, &want.clauses),
        _ => {}
    }
    aligned
}

/// Equality does not see how something is written.
fn same<T: PartialEq + Clone>(have: &mut T, want: &T) {
    if have == want {
        have.clone_from(want);
    }
}

fn table(have: &mut Table, want: &Table) {
    for column in have.columns.iter_mut() {
        if let Some(wanted) = want.column(&column.name) {
            align_column(column, wanted);
        }
    }
    let place = |column: &Column| want.columns.iter().position(|wanted| wanted.name == column.name);
    let last = want.columns.0.len();
    have.columns.0.sort_by_key(|column| place(column).unwrap_or(last));
    same(&mut have.primary_key, &want.primary_key);
    list(&mut have.unique_keys, &want.unique_keys);
    list(&mut have.checks, &want.checks);
    list(&mut have.foreign_keys, &want.foreign_keys);
    list(&mut have.exclusions, &want.exclusions);
    clauses(&mut have.clauses, &want.clauses);
}

fn align_column(have: &mut Column, want: &Column) {
    same(&mut have.data_type, &want.data_type);
    same(&mut have.collation, &want.collation);
    same(&mut have.default, &want.default);
    same(&mut have.generated, &want.generated);
    clauses(&mut have.clauses, &want.clauses);
    same(have, want);
}

fn list<T: PartialEq + Clone>(have: &mut Unordered<T>, want: &Unordered<T>) {
    let place = |item: &T| want.iter().position(|wanted| wanted == item);
    for item in have.iter_mut() {
        if let Some(wanted) = want.iter().find(|wanted| *wanted == item) {
            item.clone_from(wanted);
        }
    }
    let last = want.0.len();
    have.0.sort_by_key(|item| place(item).unwrap_or(last));
}

fn clauses(have: &mut Clauses, want: &Clauses) {
    for (name, value) in have.iter_mut() {
        if let Some(wanted) = want.get_named(name).filter(|wanted| *wanted == value) {
            value.clone_from(wanted);
        }
    }
}
