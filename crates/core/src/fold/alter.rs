//! ALTER TABLE, applied to the model.

use super::{Folder, head};
use crate::diagnostics::{Code, Diagnostic};
use crate::model::{Definition, Kind, Name, ObjectKey, QualifiedName, Table};
use crate::parse::AlterTable;
use crate::source::Location;

impl Folder<'_> {
    pub(super) fn alter(&mut self, name: &QualifiedName, action: &AlterTable, location: Location) {
        if self.folded.unreadable.contains(name) {
            return;
        }
        let virtual_table = ObjectKey::new(Kind::VirtualTable, name.clone());
        if let (AlterTable::Rename(to), Some(_)) = (action, self.folded.model.get(&virtual_table)) {
            return self.rename_table(virtual_table, to, location);
        }
        let key = ObjectKey::new(Kind::Table, name.clone());
        if self.folded.model.get(&key).is_none() {
            return self.unknown(Kind::Table, name, location);
        }
        match action {
            AlterTable::Rename(to) => self.rename_table(key, to, location),
            AlterTable::RenameColumn { from, to } => self.rename_column(&key, from, to, location),
            _ => self.change_table(&key, action, location),
        }
    }

    fn rename_table(&mut self, key: ObjectKey, to: &QualifiedName, location: Location) {
        if *to != key.name && self.folded.model.relation(to).is_some() {
            let other = self.folded.model.relation(to).and_then(|object| object.location);
            self.folded.diagnostics.push(
                Diagnostic::new(Code::WV101, format!("the new name `{to}` is taken"))
                    .at(head(location), "renames to it")
                    .and_at(other.map(head), "defined here"),
            );
            return;
        }
        self.dialect.rename_object(&mut self.folded.model, &key, to);
        let renamed = ObjectKey::new(key.kind, to.clone());
        if let Some(mut object) = self.folded.model.remove(&renamed) {
            object.formerly.table.get_or_insert(key.name.clone());
            self.folded.model.insert(object);
        }
        self.vacated.insert(key.name);
        self.count_names();
    }

    fn rename_column(&mut self, key: &ObjectKey, from: &Name, to: &Name, location: Location) {
        let table = self.folded.model.table(&key.name).expect("the caller found it");
        if table.column(from).is_none() {
            return self.unknown_column(key, from, location);
        }
        self.dialect.rename_column(&mut self.folded.model, &key.name, from, to);
        if let Some(mut object) = self.folded.model.remove(key) {
            match object.formerly.columns.iter_mut().find(|(name, _)| name == from) {
                Some((name, _)) => *name = to.clone(),
                None => object.formerly.columns.push((to.clone(), from.clone())),
            }
            self.folded.model.insert(object);
        }
    }

    /// What changes one table only: its text is written anew.
    fn change_table(&mut self, key: &ObjectKey, action: &AlterTable, location: Location) {
        let mut object = self.take_out(key).expect("the caller found it");
        let Definition::Table(table) = &mut object.definition else { unreachable!("the key says table") };
        let missing = apply(table, action);
        self.settle(&mut object);
        object.text = self.dialect.create_statement(&object);
        self.put(object);
        match missing {
            Ok(()) => {}
            Err(Refused::NoColumn(column)) => self.unknown_column(key, &column, location),
            Err(Refused::ColumnExists(column)) => self.folded.diagnostics.push(
                Diagnostic::new(Code::WV102, format!("table {} has a column `{column}` already", key.name))
                    .at(head(location), "adds it again"),
            ),
            Err(Refused::NoConstraint(name)) => self.folded.diagnostics.push(
                Diagnostic::new(Code::WV111, format!("table {} has no constraint `{name}`", key.name))
                    .at(head(location), "drops it"),
            ),
        }
    }

    fn unknown_column(&mut self, key: &ObjectKey, column: &Name, location: Location) {
        let table = self.folded.model.get(key);
        let columns: Vec<&str> = table
            .and_then(|object| object.as_table())
            .map(|table| table.columns.iter().map(|column| column.name.written()).collect())
            .unwrap_or_default();
        let diagnostic = Diagnostic::new(Code::WV111, format!("table {} has no column `{column}`", key.name))
            .at(head(location), "needs it")
            .and_at(table.and_then(|object| object.location).map(head), "the table is defined here")
            .suggest(column.written(), columns);
        self.folded.diagnostics.push(diagnostic);
    }
}

enum Refused {
    NoColumn(Name),
    ColumnExists(Name),
    NoConstraint(Name),
}

fn apply(table: &mut Table, action: &AlterTable) -> Result<(), Refused> {
    let found = |table: &Table, name: &Name| {
        table.columns.iter().position(|column| column.name == *name).ok_or_else(|| Refused::NoColumn(name.clone()))
    };
    match action {
        AlterTable::AddColumn { column, constraints } => {
            if table.column(&column.name).is_some() {
                return Err(Refused::ColumnExists(column.name.clone()));
            }
            table.columns.push((**column).clone());
            table.unique_keys.extend(constraints.unique_keys.iter().cloned());
            table.checks.extend(constraints.checks.iter().cloned());
            table.foreign_keys.extend(constraints.foreign_keys.iter().cloned());
        }
        AlterTable::DropColumn(name) => {
            let index = found(table, name)?;
            table.columns.remove(index);
            // The engine refuses to drop a column that the table's own constraints use; those of the column go with it.
            table.checks.retain(|check| !check.condition.mentions(name));
            table.foreign_keys.retain(|key| !(key.columns.len() == 1 && key.columns[0] == *name));
        }
        AlterTable::SetNotNull(name, on_conflict) => {
            let index = found(table, name)?;
            table.columns[index].not_null = Some(*on_conflict);
        }
        AlterTable::DropNotNull(name) => {
            let index = found(table, name)?;
            table.columns[index].not_null = None;
        }
        AlterTable::AddCheck(check) => table.checks.push(check.clone()),
        AlterTable::DropConstraint(name) => {
            let before = table.checks.len();
            table.checks.retain(|check| check.name.as_ref() != Some(name));
            if table.checks.len() == before {
                return Err(Refused::NoConstraint(name.clone()));
            }
        }
        AlterTable::Rename(_) | AlterTable::RenameColumn { .. } => unreachable!("renames touch more than one table"),
    }
    Ok(())
}
