//! Whether two definitions differ in nothing that can be told apart.

use crate::model::{Definition, Expression, Name, Table};

/// Whether the definitions differ only in expressions of which one has no canonical form. They may mean the same or not.
pub fn is_unproven(have: &Definition, want: &Definition) -> bool {
    if have.is_sure() && want.is_sure() {
        return false;
    }
    // A view's own list of columns is a part of the query, which can't be told.
    if let (Definition::View(have), Definition::View(want)) = (have, want) {
        return have.clauses == want.clauses;
    }
    let (mut have, mut want) = (have.clone(), want.clone());
    for definition in [&mut have, &mut want] {
        if let Definition::Table(table) = definition {
            sort(table);
        }
    }
    let (own, other) = (have.expressions_mut(), want.expressions_mut());
    if own.len() != other.len() {
        return false;
    }
    for (own, other) in own.into_iter().zip(other) {
        if !own.is_sure() || !other.is_sure() {
            *own = Expression::plain("");
            *other = Expression::plain("");
        }
    }
    have == want
}

/// Columns and constraints by their names; those without one stay in their order.
fn sort(table: &mut Table) {
    table.columns.sort_by(|a, b| a.name.cmp(&b.name));
    table.unique_keys.sort_by(|a, b| a.name.cmp(&b.name));
    table.foreign_keys.sort_by(|a, b| a.name.cmp(&b.name));
    let name = |name: &Option<Name>| name.clone().unwrap_or_else(Name::none);
    table.checks.sort_by_key(|check| name(&check.name));
    table.exclusions.sort_by_key(|check| name(&check.name));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Beside, Check, Clauses, Column, Unordered};

    fn table(conditions: &[(&str, Expression)]) -> Definition {
        let check = |(name, condition): &(&str, Expression)| Check {
            condition: condition.clone(),
            name: Some(Name::new(*name, *name)),
            with_column: Beside::default(),
            clauses: Clauses::default(),
        };
        Definition::Table(Table {
            columns: Unordered(vec![Column::named(Name::new("kg", "kg"))]),
            checks: Unordered(conditions.iter().map(check).collect()),
            ..Table::default()
        })
    }

    #[test]
    fn only_approximate_expressions_are_unproven() {
        let exact = |text: &str| Expression::plain(text);
        let near = |text: &str| Expression::unsure(text.to_owned(), text);
        let have = table(&[("a", near("f(kg)")), ("b", exact("kg > 0"))]);
        assert!(is_unproven(&have, &table(&[("b", exact("kg > 0")), ("a", near("g(kg)"))])));
        assert!(is_unproven(&have, &table(&[("a", exact("g(kg)")), ("b", exact("kg > 0"))])));
        assert!(!is_unproven(&have, &table(&[("a", near("f(kg)")), ("b", exact("kg > 1"))])));
        assert!(!is_unproven(&have, &table(&[("a", near("f(kg)"))])));
        assert!(!is_unproven(&table(&[("b", exact("kg > 0"))]), &table(&[("b", exact("kg > 1"))])));
    }
}
