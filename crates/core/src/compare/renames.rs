//! Which tables and columns are the same thing under another name: what `-- wevrun: formerly OLD_NAME` says.

use std::borrow::Cow;

use crate::dialects::Dialect;
use crate::model::{Kind, Model, Name, ObjectKey};

/// Names in have and the names in want that mean the same.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Renames {
    /// Tables and virtual tables: the kind, the name in have, the name in want.
    pub tables: Vec<(Kind, Name, Name)>,
    /// Columns: the table by its name in want, the column's name in have, and in want.
    pub columns: Vec<(Name, Name, Name)>,
}

impl Renames {
    /// What want's former names say that fits have: the old name is there, the new one is not.
    pub fn find(have: &Model, want: &Model) -> Renames {
        let mut renames = Renames::default();
        for object in want.objects().filter(|object| !object.formerly.is_empty()) {
            let kind = object.definition.kind();
            let mut in_have = object.name.clone();
            if let Some(old) = &object.formerly.table {
                let claimed = renames.tables.iter().any(|(_, other, _)| other == old);
                if have.find(kind, old).is_some()
                    && have.relation(&object.name).is_none()
                    && want.relation(old).is_none()
                    && !claimed
                {
                    renames.tables.push((kind, old.clone(), object.name.clone()));
                    in_have = old.clone();
                }
            }
            let (Some(have), Some(want)) = (have.table(&in_have), object.as_table()) else { continue };
            for (new, old) in &object.formerly.columns {
                let claimed = renames.columns.iter().any(|(table, other, _)| *table == object.name && other == old);
                if have.column(old).is_some() && have.column(new).is_none() && want.column(old).is_none() && !claimed {
                    renames.columns.push((object.name.clone(), old.clone(), new.clone()));
                }
            }
        }
        renames
    }

    /// The same, the other way round: for the way back.
    pub fn inverted(&self) -> Renames {
        let old_table = |new: &Name| {
            self.tables.iter().find(|(_, _, to)| to == new).map_or_else(|| new.clone(), |(_, from, _)| from.clone())
        };
        Renames {
            tables: self.tables.iter().map(|(kind, from, to)| (*kind, to.clone(), from.clone())).collect(),
            columns: self
                .columns
                .iter()
                .map(|(table, from, to)| (old_table(table), to.clone(), from.clone()))
                .collect(),
        }
    }

    /// Whether nothing is renamed.
    pub fn is_empty(&self) -> bool {
        self.tables.is_empty() && self.columns.is_empty()
    }

    /// The key in want of an object of have.
    pub fn key_in_want(&self, key: &ObjectKey) -> ObjectKey {
        let renamed = self.tables.iter().find(|(kind, from, _)| *kind == key.kind && *from == key.name);
        renamed.map_or_else(|| key.clone(), |(kind, _, to)| ObjectKey::new(*kind, to.clone()))
    }

    /// The name in have of a table of want, if it is another one.
    pub fn table_in_have(&self, key: &ObjectKey) -> Option<Name> {
        self.tables.iter().find(|(kind, _, to)| *kind == key.kind && *to == key.name).map(|(_, from, _)| from.clone())
    }

    /// The renamed columns of a table of want: the name in have, and in want.
    pub fn columns_of(&self, table: &Name) -> Vec<(Name, Name)> {
        self.columns
            .iter()
            .filter(|(name, _, _)| name == table)
            .map(|(_, from, to)| (from.clone(), to.clone()))
            .collect()
    }

    /// The model with have's names replaced by want's.
    pub fn apply<'m>(&self, dialect: &dyn Dialect, have: &'m Model) -> Cow<'m, Model> {
        if self.is_empty() {
            return Cow::Borrowed(have);
        }
        let mut model = have.clone();
        for (_, from, to) in &self.tables {
            dialect.rename_table(&mut model, from, to);
        }
        for (table, from, to) in &self.columns {
            dialect.rename_column(&mut model, table, from, to);
        }
        Cow::Owned(model)
    }
}
