//! ALTER, applied to the model.

use super::{Folder, head};
use crate::change::{Change, Refused, TableChange};
use crate::diagnostics::{Code, Diagnostic};
use crate::model::{Definition, Name, ObjectKey, QualifiedName};
use crate::parse::Alter;
use crate::source::Location;

impl Folder<'_> {
    pub(super) fn alter(&mut self, alter: &Alter, location: Location) {
        let Some(key) = self.find(&alter.kinds, &alter.name) else {
            let name = &alter.name;
            if self.dialect.alter_generated(&mut self.folded.model, alter) {
                return;
            }
            if !alter.if_exists && !self.folded.unreadable.contains(name) && !self.dialect.is_built_in(name) {
                self.unknown(alter.kinds[0], name, location);
            }
            return;
        };
        match &alter.change {
            Change::Rename(to) => self.rename_table(key, to, location),
            Change::RenameColumn { from, to } => self.rename_column(&key, from, to, location),
            Change::Table(change) => self.change_table(&key, change, location),
            Change::Engine(change) => self.change(key, &**change, location),
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
        if from != to && table.column(to).is_some() {
            self.folded.diagnostics.push(
                Diagnostic::new(Code::WV102, format!("table {} has a column `{to}` already", key.name))
                    .at(head(location), "gives another column this name"),
            );
            return;
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

    /// A change of one table only: its text is rewritten.
    fn change_table(&mut self, key: &ObjectKey, change: &TableChange, location: Location) {
        if let TableChange::DropColumn(column) = change
            && let Some(user) = self.dialect.users_of_column(&self.folded.model, &key.name, column).first()
        {
            return self.column_in_use(key, column, &user.to_string(), location);
        }
        let mut object = self.take_out(key).expect("the caller found it");
        self.dialect.resolve_own_names(&mut object);
        let Definition::Table(table) = &mut object.definition else { unreachable!("the key says table") };
        let missing = change.apply(table);
        self.settle(&mut object);
        object.text = self.dialect.create_statement(&object);
        // They have places in the text before.
        object.references = None;
        self.put(object);
        match missing {
            Ok(()) => {}
            Err(Refused::NoColumn(column)) => self.unknown_column(key, &column, location),
            Err(Refused::ColumnExists(column)) => self.folded.diagnostics.push(
                Diagnostic::new(Code::WV102, format!("table {} has a column `{column}` already", key.name))
                    .at(head(location), "adds it again"),
            ),
            Err(Refused::ColumnInUse(column, user)) => self.column_in_use(key, &column, &user, location),
            Err(Refused::NoConstraint(name)) => self.folded.diagnostics.push(
                Diagnostic::new(Code::WV111, format!("table {} has no constraint `{name}`", key.name))
                    .at(head(location), "drops it"),
            ),
        }
    }

    fn column_in_use(&mut self, table: &ObjectKey, column: &Name, user: &str, location: Location) {
        let message = format!("column `{column}` of {table} can't be dropped: {user} uses it");
        self.folded.diagnostics.push(
            Diagnostic::new(Code::WV116, message)
                .at(head(location), "drops it")
                .help("drop what uses the column first, or write the table without the column"),
        );
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
