//! Which tables and columns are the same thing under another name: what `-- wevrun: formerly OLD_NAME` says.

use std::borrow::Cow;
use std::collections::BTreeMap;

use crate::dialects::Dialect;
use crate::model::{Kind, Model, Name, Object, ObjectKey};

/// Names in have and the names in want that mean the same.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Renames {
    /// Objects: the kind, the name in have, the name in want.
    pub tables: Vec<(Kind, Name, Name)>,
    /// What is called otherwise only because its schema is: the key in have, the key in want.
    moved: BTreeMap<ObjectKey, ObjectKey>,
    /// Columns: the table by its name in want, the column's name in have, and in want.
    pub columns: Vec<(Name, Name, Name)>,
}

impl Renames {
    /// What want's former names say that fits have: the old name is there, the new one is not.
    /// What else is renamed in a schema that is renamed itself is not followed.
    pub fn find(dialect: &dyn Dialect, have: &Model, want: &Model) -> Renames {
        let mut renames = Renames::default();
        let schemas = want.of_kind(Kind::Schema);
        let others = want.objects().filter(|object| object.definition.kind() != Kind::Schema);
        for object in schemas.chain(others).filter(|object| !object.formerly.is_empty()) {
            let kind = object.definition.kind();
            let mut in_have = object.name.clone();
            if let Some(old) = &object.formerly.table {
                let claimed = renames.tables.iter().any(|(_, other, _)| other == old);
                let is_new = have.relation(&object.name).is_none() && have.find(kind, &object.name).is_none();
                let is_gone = want.relation(old).is_none() && want.find(kind, old).is_none();
                if dialect.can_rename(kind) && have.find(kind, old).is_some() && is_new && is_gone && !claimed {
                    if kind == Kind::Schema {
                        let keys = have.objects().map(Object::key);
                        let moved = keys.filter_map(|key| {
                            let to = dialect.in_renamed_schema(&key, old, &object.name)?;
                            Some((key, to))
                        });
                        renames.moved.extend(moved);
                    }
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
            moved: self.moved.iter().map(|(from, to)| (to.clone(), from.clone())).collect(),
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
        let moved = || self.moved.get(key).unwrap_or(key).clone();
        renamed.map_or_else(moved, |(kind, _, to)| ObjectKey::new(*kind, to.clone()))
    }

    /// The key in have of an object of want.
    pub fn key_in_have(&self, key: &ObjectKey) -> ObjectKey {
        if let Some(name) = self.table_in_have(key) {
            return ObjectKey::new(key.kind, name);
        }
        let moved = self.moved.iter().find(|(_, to)| *to == key);
        moved.map_or_else(|| key.clone(), |(from, _)| from.clone())
    }

    /// The name in have of an object of want that is renamed itself.
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
        for (kind, from, to) in &self.tables {
            dialect.rename_object(&mut model, &ObjectKey::new(*kind, from.clone()), to);
        }
        for (table, from, to) in &self.columns {
            dialect.rename_column(&mut model, table, from, to);
        }
        Cow::Owned(model)
    }
}
