//! The steps that rename objects, columns, labels and constraints, before all else.

use super::super::names::{self, quoted};
use super::super::{rename, write};
use super::{Planner, is_partitioned, table};
use wevrun_core::model::{Definition, Kind, ObjectKey, QualifiedName};
use wevrun_core::plan::Step;

impl Planner<'_> {
    pub(super) fn renames(&mut self) {
        let planning = self.planning;
        let renames = &planning.comparison.renames;
        let mut steps = Vec::new();
        for (kind, from, to) in &renames.tables {
            steps.extend(self.schema_to_move_to(to));
            let mut current = from.clone();
            let what = write::keywords(*kind);
            let (old_schema, new_schema) = (names::schema(from), names::schema(to));
            let mut statements = Vec::new();
            if let (Some(old), Some(new)) = (&old_schema, &new_schema)
                && old != new
            {
                statements.push(format!("ALTER {what} {current} SET SCHEMA {}", quoted(new)));
                current = names::moved(*kind, from, Some(new), from.identifier());
            }
            let (old, new) = (from.identifier(), to.identifier());
            if old != new {
                let subject = write::subject(*kind, &current);
                statements.push(format!("ALTER {subject} RENAME TO {}", quoted(new)));
            }
            steps.push(Step::new(format!("rename {} {from} to {to}", kind.title()), statements));
        }
        for (table, from, to) in &renames.columns {
            if planning.want.find(Kind::Type, table).is_some() {
                let statement = format!("ALTER TYPE {table} RENAME VALUE {from} TO {to}");
                steps.push(Step::new(format!("rename label {from} of type {table} to {to}"), vec![statement]));
                continue;
            }
            let statement =
                format!("ALTER TABLE {table} RENAME COLUMN {} TO {}", quoted(from.canonical()), quoted(to.canonical()));
            steps.push(Step::new(format!("rename column {table}.{from} to {to}"), vec![statement]));
        }
        self.steps.extend(steps);
    }

    /// The step that makes the schema of a new name, if there is none yet.
    fn schema_to_move_to(&mut self, name: &QualifiedName) -> Option<Step> {
        let key = ObjectKey::new(Kind::Schema, names::global(&names::schema(name)?));
        let object = self.planning.want.get(&key).filter(|_| self.have.get(&key).is_none())?;
        self.have.to_mut().insert(object.clone());
        Some(Step::new(format!("create {key}"), write::statements(object)))
    }

    /// A constraint that is the same except its name is renamed: nothing is checked or built again.
    pub(super) fn rename_constraints(&mut self) {
        let planning = self.planning;
        let mut steps = Vec::new();
        let mut renamed = Vec::new();
        for (name, table) in self.have.tables() {
            let Some(want) = planning.want.table(name) else { continue };
            for (from, to) in table::constraint_renames(table, want, |parent| is_partitioned(&self.have, parent)) {
                let statement = format!(
                    "ALTER TABLE {name} RENAME CONSTRAINT {} TO {}",
                    quoted(from.canonical()),
                    quoted(to.canonical())
                );
                steps.push(Step::new(format!("rename constraint {from} of {name} to {to}"), vec![statement]));
                renamed.push((name.clone(), from, to));
            }
        }
        for (name, from, to) in renamed {
            let object = self.have.to_mut().get_mut(&ObjectKey::new(Kind::Table, name));
            if let Some(Definition::Table(table)) = object.map(|object| &mut object.definition) {
                rename::constraint(table, &from, &to);
            }
        }
        self.steps.extend(steps);
    }
}
