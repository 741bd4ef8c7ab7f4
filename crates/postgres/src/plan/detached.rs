//! What tables say with a routine or a type that goes or is recreated. The server keeps a routine as long as a default, a
//! generated column or a check calls it, and no column changes its type below them: they go first, and come again with the
//! changes of their table.

use std::cell::OnceCell;
use std::collections::{BTreeMap, BTreeSet};

use super::super::names::quoted;
use super::super::types::is_of;
use super::{Method, Outputs, Planner};
use wevrun_core::model::{Column, Definition, Expression, Kind, Name, Object, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::Step;

impl Planner<'_> {
    /// The computed columns of tables that stay, by table, that are dropped and added again if `again` is recreated.
    pub(super) fn detached_columns(
        &self,
        removed: &BTreeSet<ObjectKey>,
        again: &BTreeSet<ObjectKey>,
    ) -> BTreeMap<QualifiedName, Vec<Name>> {
        let gone = routines(removed.iter().chain(again));
        if gone.is_empty() && self.swapped.is_empty() {
            return BTreeMap::new();
        }
        let stays = |key: &ObjectKey| !removed.contains(key) && !again.contains(key);
        let mut found = BTreeMap::new();
        for object in self.have().of_kind(Kind::Table).filter(|object| stays(&object.key())) {
            let Some((table, want)) = object.as_table().zip(self.planning.want.table(&object.name)) else { continue };
            let named = self.named(object, &gone);
            let goes = table.columns.iter().filter(|column| is_computed(column, &named) && !keeps_values(column, want));
            let goes: Vec<Name> = goes.map(|column| column.name.clone()).collect();
            if !goes.is_empty() {
                found.insert(object.name.clone(), goes);
            }
        }
        found
    }

    /// The steps that take from the tables that stay what would not let go; their changes bring it again.
    pub(super) fn detach(
        &mut self,
        removed: &BTreeSet<ObjectKey>,
        alterations: &mut Vec<(ObjectKey, Vec<Step>)>,
        outputs: &OnceCell<Outputs>,
    ) -> Vec<Step> {
        let gone = routines(removed.iter().chain(&self.again));
        if gone.is_empty() && self.swapped.is_empty() {
            return Vec::new();
        }
        let stays = |key: &ObjectKey| !removed.contains(key) && !self.again.contains(key);
        let mut found: Vec<(ObjectKey, Dropped)> = Vec::new();
        for object in self.have().of_kind(Kind::Table).filter(|object| stays(&object.key())) {
            let named = self.named(object, &gone);
            if !named.is_empty() && self.planning.want.table(&object.name).is_some() {
                found.push((object.key(), named));
            }
        }
        let mut detached = Vec::new();
        for (key, named) in found {
            let Some(mut object) = self.have().get(&key).cloned() else { continue };
            let Definition::Table(table) = &mut object.definition else { continue };
            let Some(want) = self.planning.want.get(&key) else { continue };
            let Some(wanted) = want.as_table() else { continue };
            let statements = without(&key.name, table, wanted, &named, &self.swapped);
            if statements.is_empty() {
                continue;
            }
            detached.push(Step::new(format!("drop defaults and checks of {key} temporarily"), statements));
            alterations.retain(|(other, _)| *other != key);
            if let Method::Alter(steps) = self.method(&object, want, outputs) {
                alterations.push((key, steps));
            }
            self.have.to_mut().insert(object);
        }
        detached
    }

    /// The dropped things that a table's expressions may use.
    fn named(&self, object: &Object, gone: &BTreeSet<QualifiedName>) -> Dropped {
        let columns = object.as_table().into_iter().flat_map(|table| table.columns.iter());
        let columns = columns.filter(|column| is_of(column, &self.swapped)).map(|column| column.name.clone());
        Dropped {
            routines: object.uses.iter().filter(|name| gone.contains(name)).cloned().collect(),
            columns: columns.collect(),
        }
    }
}

/// Routines that are dropped temporarily, and columns of types that are recreated.
struct Dropped {
    routines: Vec<QualifiedName>,
    columns: Vec<Name>,
}

impl Dropped {
    fn is_empty(&self) -> bool {
        self.routines.is_empty() && self.columns.is_empty()
    }

    fn may_be_used_in(&self, expression: &Expression) -> bool {
        self.routines.iter().any(|routine| expression.may_use_object(routine))
            || self.columns.iter().any(|column| expression.may_use_column(column))
    }
}

/// The names of those that a table can call.
fn routines<'k>(keys: impl Iterator<Item = &'k ObjectKey>) -> BTreeSet<QualifiedName> {
    let kinds = [Kind::Function, Kind::Aggregate, Kind::TextSearchConfiguration];
    keys.filter(|key| kinds.contains(&key.kind)).map(|key| key.name.clone()).collect()
}

/// Whether the column is computed from one of these.
fn is_computed(column: &Column, dropped: &Dropped) -> bool {
    column.generated.as_ref().is_some_and(|own| dropped.may_be_used_in(&own.expression))
}

/// Whether the column shall be computed no more: then its values stay.
fn keeps_values(column: &Column, want: &Table) -> bool {
    want.column(&column.name).is_some_and(|wanted| wanted.generated.is_none())
}

/// Takes defaults, generated columns and checks away that name one of these routines and columns, and defaults of columns of these
/// types. Gives the statements for that.
fn without(
    name: &QualifiedName,
    table: &mut Table,
    want: &Table,
    named: &Dropped,
    swapped: &BTreeSet<QualifiedName>,
) -> Vec<String> {
    let calls = |expression: &Expression| named.may_be_used_in(expression);
    let (mut statements, mut actions) = (Vec::new(), Vec::new());
    for column in table.columns.iter_mut().filter(|column| is_computed(column, named)) {
        let own = quoted(column.name.canonical());
        if keeps_values(column, want) {
            actions.push(format!("ALTER COLUMN {own} DROP EXPRESSION"));
            column.generated = None;
        } else {
            actions.push(format!("DROP COLUMN {own}"));
        }
    }
    table.columns.0.retain(|column| !is_computed(column, named));
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
