//! What tables say with a routine or a type that goes or is made anew. The server keeps a routine as long as a default, a
//! generated column or a check calls it, and no column changes its type below them: they go first, and come again with the
//! changes of their table.

use std::cell::OnceCell;
use std::collections::BTreeSet;

use super::super::names::{self, quoted};
use super::dependents::names_column;
use super::swap::is_of;
use super::{Method, Outputs, Planner};
use crate::model::{Column, Definition, Expression, Kind, Name, ObjectKey, Table};
use crate::script::Step;

impl Planner<'_> {
    /// Takes from the tables that stay what would not let go.
    pub(super) fn detach(
        &mut self,
        removed: &BTreeSet<ObjectKey>,
        alterations: &mut Vec<(ObjectKey, Vec<Step>)>,
        outputs: &OnceCell<Outputs>,
    ) {
        let gone = |name: &Name| {
            let kinds = [Kind::Function, Kind::Aggregate, Kind::TextSearchConfiguration];
            removed.iter().chain(&self.again).any(|key| key.name == *name && kinds.contains(&key.kind))
        };
        let stays = |key: &ObjectKey| !removed.contains(key) && !self.again.contains(key);
        let mut found: Vec<(ObjectKey, Vec<Name>)> = Vec::new();
        for object in self.have().of_kind(Kind::Table).filter(|object| stays(&object.key())) {
            let mut called: Vec<Name> = object.uses.iter().filter(|name| gone(name)).map(own_name).collect();
            let swapped = object.as_table().into_iter().flat_map(|table| table.columns.iter());
            called.extend(swapped.filter(|column| is_of(column, &self.swapped)).map(|column| column.name.clone()));
            if !called.is_empty() && self.planning.want.table(&object.name).is_some() {
                found.push((object.key(), called));
            }
        }
        for (key, called) in found {
            let Some(mut object) = self.have().get(&key).cloned() else { continue };
            let Definition::Table(table) = &mut object.definition else { continue };
            let actions = without(table, &called, &self.swapped);
            let Some(want) = self.planning.want.get(&key).filter(|_| !actions.is_empty()) else { continue };
            let statement = format!("ALTER TABLE {}\n    {}", key.name, actions.join(",\n    "));
            self.push(Step::new(format!("take defaults and conditions from {key} for now"), vec![statement]));
            self.progress.lose();
            alterations.retain(|(other, _)| *other != key);
            if let Method::Alter(steps) = self.method(&object, want, outputs) {
                alterations.push((key, steps));
            }
            self.have.to_mut().insert(object);
        }
    }
}

/// Takes defaults, generated columns and checks away that name one of these routines and columns, and defaults of columns of these
/// types. Gives the actions for that.
fn without(table: &mut Table, named: &[Name], swapped: &BTreeSet<Name>) -> Vec<String> {
    let calls = |expression: &Expression| named.iter().any(|name| names_column(expression, name));
    let mut actions = Vec::new();
    let is_computed = |column: &Column| column.generated.as_ref().is_some_and(|own| calls(&own.expression));
    for column in table.columns.iter().filter(|column| is_computed(column)) {
        actions.push(format!("DROP COLUMN {}", quoted(column.name.canonical())));
    }
    table.columns.0.retain(|column| !is_computed(column));
    let loses = |column: &Column| column.default.as_ref().is_some_and(|own| calls(own) || is_of(column, swapped));
    for column in table.columns.iter_mut().filter(|column| loses(column)) {
        actions.push(format!("ALTER COLUMN {} DROP DEFAULT", quoted(column.name.canonical())));
        column.default = None;
    }
    for check in table.checks.iter().filter(|check| calls(&check.condition)) {
        actions.extend(check.name.iter().map(|name| format!("DROP CONSTRAINT {}", quoted(name.canonical()))));
    }
    table.checks.0.retain(|check| !calls(&check.condition));
    actions
}

/// The routine's name alone, as an expression calls it.
fn own_name(routine: &Name) -> Name {
    names::simple(&names::identifier(routine))
}
