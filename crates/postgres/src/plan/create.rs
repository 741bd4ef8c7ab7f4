//! The steps that create objects, with what belongs to them: owners, grants and settings.

use super::super::canonical;
use super::super::{access, write};
use super::{Planner, column_order, order, partitions};
use crate::clause;
use wevrun_core::model::{Beside, Check, Definition, Kind, Name, Object, ObjectKey};
use wevrun_core::plan::{Risk, RiskKind, Step};

impl Planner<'_> {
    /// Creates an object; gives the steps that add the checks of a table whose routines need the table.
    pub(super) fn create_without_late_checks(&mut self, object: &Object) -> Vec<Step> {
        let Some(table) = object.as_table() else {
            self.create(object);
            return Vec::new();
        };
        let routines = object.uses.iter().flat_map(|name| self.planning.want.named(name));
        let routines = routines.filter(|routine| order::takes_rows(routine, &object.name));
        let late: Vec<Check> = routines.flat_map(|routine| order::checks_with(table, routine)).cloned().collect();
        let mut bare = object.clone();
        if let Definition::Table(table) = &mut bare.definition {
            table.checks.retain(|check| !late.contains(check));
        }
        self.create(&bare);
        let name = &object.name;
        let added = late.into_iter().map(|check| {
            let mut statements = vec![format!("ALTER TABLE {name} ADD {}", write::check_constraint(&check))];
            if let (Some(constraint), Some(comment)) = (&check.name, check.clauses.value(clause::COMMENT)) {
                statements.push(write::constraint_comment(name, constraint, Some(comment)));
            }
            let called = check.name.as_ref().map_or("", Name::canonical);
            Step::new(format!("add check {called} of {name}"), statements).of(object.key())
        });
        added.collect()
    }

    /// The object with those names of NOT NULLs that its CREATE has to say.
    pub(super) fn with_not_null_names(&self, object: &Object) -> Object {
        let mut object = object.clone();
        let Definition::Table(table) = &mut object.definition else { return object };
        // The old table still has the names that the server would make up.
        if self.ordered.contains(&object.name) {
            canonical::not_null_names::store_all(&object.name, table);
        }
        // Before version 18 they have no names, and no column of a parent's can be named in CREATE TABLE.
        if self.planning.version.major < 18 {
            table.columns.iter_mut().for_each(|column| column.not_null_name = Beside(None));
        }
        object
    }

    pub(super) fn create(&mut self, object: &Object) {
        let key = object.key();
        let is_unchanged = self.have().get(&key).is_some_and(|have| have.definition == object.definition);
        let create = if is_unchanged { "recreate" } else { "create" };
        let title = match object.definition.owner() {
            Some(owner) if key.name.owner().is_none() => format!("{create} {key} on {owner}"),
            _ => format!("{create} {key}"),
        };
        let mut statements = Vec::new();
        statements.extend(self.search_path(object));
        let named = self.with_not_null_names(object);
        let mut created = write::create(&named, false);
        // What held no rows before is not filled.
        if let (Definition::View(_), Some(Definition::View(before))) =
            (&object.definition, self.have().get(&key).map(|have| &have.definition))
            && *before.unpopulated
        {
            created += "\nWITH NO DATA";
        }
        statements.push(created);
        statements.extend(write::extras(&named));
        // What was granted on something that is made again is granted again.
        if self.again.contains(&key)
            && let Some(have) = self.have().get(&key)
        {
            statements.extend(access::statements(have));
        }
        let mut step = Step::new(title, statements).of(key.clone());
        partitions::take_from_default(self.planning, object, &mut step);
        let rows = self.have().table(&key.name).filter(|_| self.ordered.contains(&key.name));
        if let Some(moved) = rows.map(|have| column_order::take_rows(&key.name, have, object)) {
            self.push(step);
            return self.push(moved);
        }
        if self.planning.is_undo && key.kind == Kind::Table {
            step.notes.push("can't bring back: the rows that the table held before the release".to_owned());
        }
        if key.kind == Kind::Subscription {
            let name = &object.name;
            step.notes.push(format!(
                "it does not run yet: set its CONNECTION, make its slot, then ALTER SUBSCRIPTION {name} ENABLE"
            ));
        }
        if let Definition::Index(index) = &object.definition
            && self.have().table(&index.table).is_some()
        {
            if index.unique {
                step.risks.push(equal_rows(&key));
            }
            step.notes.push(format!("no other session can write to {} while the index is built", index.table));
        }
        self.push(step);
        self.pause();
    }

    /// Definitions that name things without a schema are read where they were written for.
    pub(super) fn search_path(&mut self, object: &Object) -> Option<String> {
        let wanted = canonical::path_for(object);
        (wanted != self.path).then(|| {
            self.path = wanted;
            format!("SET LOCAL search_path = {}", self.path)
        })
    }
}

/// The risk that rows which are there break a new unique index.
pub(super) fn equal_rows(index: &ObjectKey) -> Risk {
    let explanation = "rows that are equal in these columns stop the script";
    Risk::new(RiskKind::MayRefuseRows, index.to_string(), explanation)
}
