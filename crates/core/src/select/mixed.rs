//! A table of which some parts are chosen.

use std::collections::BTreeSet;

use super::element::{Constraint, ElementPart};
use crate::compare::ConstraintKind;
use crate::model::{Column, Definition, Name, Object, Table, Unordered};

/// Have's table with the chosen parts as want has them. Everything else stays.
pub fn mixed(have: &Object, want: &Object, chosen: &BTreeSet<&ElementPart>) -> Object {
    let (Some(old), Some(new)) = (have.as_table(), want.as_table()) else { unreachable!("only tables have parts") };
    let mut object = have.clone();
    // Privileges and search path are from the side of the rest of the object.
    if chosen.contains(&ElementPart::Object) {
        object.access.clone_from(&want.access);
        object.names_in.clone_from(&want.names_in);
    }
    object.formerly.clone_from(&want.formerly);
    object.formerly.columns.retain(|(name, _)| chosen.contains(&ElementPart::Column(name.clone())));
    object.text.clear();
    object.reads = None;
    object.references = None;
    object.location = None;
    object.definition = Definition::Table(table(old, new, chosen));
    object.uses.extend(want.uses.iter().cloned());
    object.uses.sort();
    object.uses.dedup();
    let named = object.definition.object_names();
    let expressions = object.definition.expressions();
    object
        .uses
        .retain(|used| named.contains(&used) || expressions.iter().any(|expression| expression.may_use_overload(used)));
    object
}

fn table(have: &Table, want: &Table, chosen: &BTreeSet<&ElementPart>) -> Table {
    let mut table = if chosen.contains(&ElementPart::Object) {
        let mut table = want.clone();
        table.columns.clone_from(&have.columns);
        table
    } else {
        have.clone()
    };
    let is_chosen = |name: &Name| chosen.contains(&ElementPart::Column(name.clone()));
    for column in want.columns.iter().filter(|column| is_chosen(&column.name)) {
        match table.columns.iter_mut().find(|own| own.name == column.name) {
            Some(own) => own.clone_from(column),
            None => insert_in_order(&mut table.columns, column, want),
        }
    }
    table.columns.0.retain(|column| want.column(&column.name).is_some() || !is_chosen(&column.name));
    let primary_key = ElementPart::Constraint(ConstraintKind::PrimaryKey, Default::default());
    let side = if chosen.contains(&primary_key) { want } else { have };
    table.primary_key.clone_from(&side.primary_key);
    let of = |kind: ConstraintKind| move |label: &str| chosen.contains(&ElementPart::Constraint(kind, label.into()));
    table.unique_keys = constraints(&have.unique_keys, &want.unique_keys, of(ConstraintKind::UniqueKey));
    table.foreign_keys = constraints(&have.foreign_keys, &want.foreign_keys, of(ConstraintKind::ForeignKey));
    table.checks = constraints(&have.checks, &want.checks, of(ConstraintKind::Check));
    table.exclusions = constraints(&have.exclusions, &want.exclusions, of(ConstraintKind::Exclusion));
    table
}

/// Adds a column after the one that is before it in want.
fn insert_in_order(columns: &mut Unordered<Column>, column: &Column, want: &Table) {
    let before = want.columns.iter().take_while(|other| other.name != column.name);
    let at = before.filter_map(|other| columns.iter().position(|own| own.name == other.name)).last();
    columns.0.insert(at.map_or(columns.0.len(), |at| at + 1), column.clone());
}

fn constraints<T: Constraint>(
    have: &Unordered<T>,
    want: &Unordered<T>,
    is_chosen: impl Fn(&str) -> bool,
) -> Unordered<T> {
    let kept = have.iter().filter(|item| want.contains(item) || !is_chosen(&item.label()));
    let added = want.iter().filter(|item| !have.contains(item) && is_chosen(&item.label()));
    Unordered(kept.chain(added).cloned().collect())
}
