//! What tables say with a routine or a type that goes or is made anew. The server keeps a routine as long as a default, a
//! generated column or a check calls it, and no column changes its type below them: they go first, and come again with the
//! changes of their table.

use std::cell::OnceCell;
use std::collections::BTreeSet;

use super::super::names::{self, quoted};
use super::super::split_list;
use super::dependents::names_column;
use super::swap::is_of;
use super::{Method, Outputs, Planner};
use crate::model::{Column, Definition, Expression, Kind, Name, Object, ObjectKey, Table};
use crate::script::Step;

impl Planner<'_> {
    /// Takes from the tables that stay what would not let go.
    pub(super) fn detach(
        &mut self,
        removed: &BTreeSet<ObjectKey>,
        alterations: &mut Vec<(ObjectKey, Vec<Step>)>,
        outputs: &OnceCell<Outputs>,
    ) {
        let kinds = [Kind::Function, Kind::Aggregate, Kind::TextSearchConfiguration];
        let gone = removed.iter().chain(&self.again).filter(|key| kinds.contains(&key.kind));
        let gone: BTreeSet<Name> = gone.map(|key| key.name.clone()).collect();
        if gone.is_empty() && self.swapped.is_empty() {
            return;
        }
        let stays = |key: &ObjectKey| !removed.contains(key) && !self.again.contains(key);
        let mut found: Vec<(ObjectKey, Vec<Name>)> = Vec::new();
        for object in self.have().of_kind(Kind::Table).filter(|object| stays(&object.key())) {
            let mut called: Vec<Name> = object.uses.iter().filter(|name| gone.contains(name)).map(own_name).collect();
            let swapped = object.as_table().into_iter().flat_map(|table| table.columns.iter());
            called.extend(swapped.filter(|column| is_of(column, &self.swapped)).map(|column| column.name.clone()));
            if !called.is_empty() && self.planning.want.table(&object.name).is_some() {
                found.push((object.key(), called));
            }
        }
        for (key, called) in found {
            let Some(mut object) = self.have().get(&key).cloned() else { continue };
            let Definition::Table(table) = &mut object.definition else { continue };
            let Some(want) = self.planning.want.get(&key) else { continue };
            let Some(wanted) = want.as_table() else { continue };
            let statements = without(&key.name, table, wanted, &called, &self.swapped);
            if statements.is_empty() {
                continue;
            }
            // Indexes go with their columns.
            let goes = |name: &Name| table.column(name).is_none() && wanted.column(name).is_some();
            let indexes = self.have().of_kind(Kind::Index).filter(|index| index.definition.owner() == Some(&key.name));
            let indexes: Vec<ObjectKey> = indexes
                .filter(|index| {
                    wanted.columns.iter().any(|column| goes(&column.name) && stands_on(index, &column.name))
                })
                .map(Object::key)
                .filter(|index| !removed.contains(index))
                .collect();
            alterations.retain(|(other, _)| !indexes.contains(other));
            self.again.extend(indexes.iter().cloned());
            for index in indexes {
                if let Some(object) = self.have().get(&index).cloned() {
                    self.drop_object(&object);
                }
                self.dropped.insert(index);
            }
            self.push(Step::new(format!("take defaults and conditions from {key} for now"), statements));
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
/// types. Gives the statements for that.
fn without(name: &Name, table: &mut Table, want: &Table, named: &[Name], swapped: &BTreeSet<Name>) -> Vec<String> {
    let calls = |expression: &Expression| named.iter().any(|name| names_column(expression, name));
    let (mut statements, mut actions) = (Vec::new(), Vec::new());
    let is_computed = |column: &Column| column.generated.as_ref().is_some_and(|own| calls(&own.expression));
    for column in table.columns.iter_mut().filter(|column| is_computed(column)) {
        // One that shall be computed no more keeps its values.
        let stays = want.column(&column.name).is_some_and(|wanted| wanted.generated.is_none());
        let own = quoted(column.name.canonical());
        if stays {
            actions.push(format!("ALTER COLUMN {own} DROP EXPRESSION"));
            column.generated = None;
        } else {
            actions.push(format!("DROP COLUMN {own}"));
        }
    }
    table.columns.0.retain(|column| !is_computed(column));
    let loses = |column: &Column| column.default.as_ref().is_some_and(|own| calls(own) || is_of(column, swapped));
    for column in table.columns.iter_mut().filter(|column| loses(column)) {
        // Others that inherit the column have their own say.
        statements
            .push(format!("ALTER TABLE ONLY {name} ALTER COLUMN {} DROP DEFAULT", quoted(column.name.canonical())));
        column.default = None;
    }
    for check in table.checks.iter().filter(|check| calls(&check.condition)) {
        actions.extend(check.name.iter().map(|name| format!("DROP CONSTRAINT {}", quoted(name.canonical()))));
    }
    table.checks.0.retain(|check| !calls(&check.condition));
    if !actions.is_empty() {
        statements.push(format!("ALTER TABLE {name}\n    {}", actions.join(",\n    ")));
    }
    statements
}

/// Whether an index is on the column.
fn stands_on(object: &Object, column: &Name) -> bool {
    let Definition::Index(index) = &object.definition else { return false };
    let included = split_list(index.clauses.value("include").unwrap_or_default());
    let expressions = index.parts.iter().map(|part| &part.expression).chain(&index.predicate);
    expressions.into_iter().any(|expression| names_column(expression, column))
        || included.iter().any(|name| names::unquoted(name) == column.canonical())
}

/// The routine's name alone, as an expression calls it.
fn own_name(routine: &Name) -> Name {
    names::simple(&names::identifier(routine))
}
