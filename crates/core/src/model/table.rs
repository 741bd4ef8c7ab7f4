//! Tables: columns, keys and constraints.
//!
//! Column constraints are hoisted to the table where the engine makes no difference, so `id INTEGER PRIMARY KEY` and
//! `id INTEGER, PRIMARY KEY (id)` are one model.

use std::borrow::Cow;
use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Beside, Clauses, Definition, Expression, Name, Object, QualifiedName, Unordered};

/// A base table.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Table {
    /// The columns, in table order. Their order is no part of the canonical form.
    pub columns: Unordered<Column>,
    /// The primary key.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub primary_key: Option<Key>,
    /// UNIQUE constraints.
    #[serde(default, skip_serializing_if = "is_empty")]
    pub unique_keys: Unordered<Key>,
    /// CHECK constraints.
    #[serde(default, skip_serializing_if = "is_empty")]
    pub checks: Unordered<Check>,
    /// Foreign keys.
    #[serde(default, skip_serializing_if = "is_empty")]
    pub foreign_keys: Unordered<ForeignKey>,
    /// STRICT (SQLite 3.37): values must have their column's type.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub strict: bool,
    /// WITHOUT ROWID (SQLite): rows are stored in the primary key.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub without_rowid: bool,
    /// EXCLUDE constraints; the condition is everything after the keyword (PostgreSQL).
    #[serde(default, skip_serializing_if = "is_empty")]
    pub exclusions: Unordered<Check>,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
    /// What a partition's parts of the indexes above it are called (identifiers), by the topmost index, where that is not what the
    /// engine makes up. It is kept and written; it is not compared, since it is rarely written.
    #[serde(default, skip_serializing_if = "no_names", with = "pairs")]
    #[schemars(with = "Vec<(QualifiedName, Name)>")]
    pub part_names: Beside<BTreeMap<QualifiedName, Name>>,
    /// The parts that a partition declares itself and also has from its parent. They are added and dropped with those, and kept only for their names if
    /// the partition is detached.
    #[serde(skip)]
    pub of_parent: Beside<Box<OfParent>>,
}

/// Constraints and indexes of a partition that are parts of its parent's.
#[derive(Debug, Clone, Default)]
pub struct OfParent {
    /// The primary key.
    pub primary_key: Option<Key>,
    /// UNIQUE constraints.
    pub unique_keys: Vec<Key>,
    /// CHECK constraints.
    pub checks: Vec<Check>,
    /// EXCLUDE constraints.
    pub exclusions: Vec<Check>,
    /// Foreign keys.
    pub foreign_keys: Vec<ForeignKey>,
    /// Indexes.
    pub indexes: Vec<Object>,
}

fn is_empty<T>(list: &Unordered<T>) -> bool {
    list.0.is_empty()
}

/// A map whose keys are no texts, as a list of pairs.
mod pairs {
    use std::collections::BTreeMap;

    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    use crate::model::{Beside, Name, QualifiedName};

    type Names = Beside<BTreeMap<QualifiedName, Name>>;

    pub fn serialize<S: Serializer>(names: &Names, serializer: S) -> Result<S::Ok, S::Error> {
        Beside(names.iter().collect::<Vec<_>>()).serialize(serializer)
    }

    pub fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Names, D::Error> {
        let pairs: Vec<(QualifiedName, Name)> = Vec::deserialize(deserializer)?;
        Ok(Beside(pairs.into_iter().collect()))
    }
}

fn no_names(names: &Beside<BTreeMap<QualifiedName, Name>>) -> bool {
    names.is_empty()
}

impl Table {
    /// Whether names are kept beside the structure.
    pub(super) fn has_more_names(&self) -> bool {
        !self.part_names.is_empty() || self.columns.iter().any(Column::has_more_of_not_null)
    }

    /// The column of this name.
    pub fn column(&self, name: &Name) -> Option<&Column> {
        self.columns.iter().find(|column| column.name == *name)
    }

    /// The columns of the primary key, in its order; none if there is no key.
    pub fn key_columns(&self) -> Vec<Name> {
        self.primary_key.iter().flat_map(|key| &key.parts).map(|part| part.column.clone()).collect()
    }

    /// Whether a primary key, a UNIQUE constraint or one of the table's unique indexes covers exactly these columns, in any
    /// order, whole and with the columns' own collations: what a foreign key may point at
    /// (<https://sqlite.org/foreignkeys.html#fk_indexes>).
    pub fn is_unique(&self, columns: &[Name], owned: &[&Object]) -> bool {
        let fits = |parts: Vec<(Cow<'_, str>, &Option<QualifiedName>)>| {
            parts.len() == columns.len()
                && columns.iter().all(|column| {
                    let own = self.column(column).and_then(|column| column.collation.as_ref());
                    parts.iter().any(|(name, collation)| {
                        *name == column.canonical() && (collation.is_none() || collation.as_ref() == own)
                    })
                })
        };
        let key_fits =
            |key: &Key| fits(key.parts.iter().map(|part| (part.column.canonical().into(), &part.collation)).collect());
        self.primary_key.iter().chain(self.unique_keys.iter()).any(key_fits)
            || owned.iter().any(|object| match &object.definition {
                Definition::Index(index) if index.unique && index.predicate.is_none() => {
                    fits(index.parts.iter().map(|part| (part.column(), &part.collation)).collect())
                }
                _ => false,
            })
    }

    /// Whether the column is the whole primary key or a part of it.
    pub fn in_primary_key(&self, column: &Name) -> bool {
        self.primary_key.as_ref().is_some_and(|key| key.has_column(column))
    }
}

/// One column of a table.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Column {
    /// The column's name.
    pub name: Name,
    /// The declared type, if there is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub data_type: Option<Expression>,
    /// NOT NULL, with what happens to a row that breaks it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub not_null: Option<OnConflict>,
    /// The name of the NOT NULL constraint, if it is not the one that the engine makes up. It is kept and written; that it
    /// is not compared, since it is not written and a rename of the table does not change it.
    #[serde(default, skip_serializing_if = "is_unnamed")]
    pub not_null_name: Beside<Option<Name>>,
    /// Whether NOT NULL is only that of the tables that this one inherits from, as far as the engine tells it apart (PostgreSQL 18).
    /// It is no difference, since other versions do not.
    #[serde(default, skip_serializing_if = "is_own")]
    pub not_null_inherited: Beside<bool>,
    /// COLLATE, canonical.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub collation: Option<QualifiedName>,
    /// DEFAULT, without the parentheses around it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub default: Option<Expression>,
    /// GENERATED ALWAYS AS.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub generated: Option<Generated>,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
}

impl Column {
    /// A column with nothing but a name.
    pub fn named(name: Name) -> Column {
        Column {
            name,
            data_type: None,
            not_null: None,
            not_null_name: Beside(None),
            not_null_inherited: Beside(false),
            collation: None,
            default: None,
            generated: None,
            clauses: Clauses::default(),
        }
    }

    /// Whether anything is kept beside NOT NULL that is no part of the structure.
    pub(super) fn has_more_of_not_null(&self) -> bool {
        self.not_null_name.is_some() || *self.not_null_inherited
    }
}

fn is_own(inherited: &Beside<bool>) -> bool {
    !**inherited
}

fn is_unnamed(name: &Beside<Option<Name>>) -> bool {
    name.is_none()
}

/// A generated column's expression and where its value is kept.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Generated {
    /// The expression that computes the value.
    pub expression: Expression,
    /// STORED; if false, VIRTUAL.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stored: bool,
}

/// The action for a row that violates a constraint (<https://sqlite.org/lang_conflict.html>).
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum OnConflict {
    /// Fail the statement and undo it; as in the standard, and the default.
    #[default]
    Abort,
    /// Roll the transaction back.
    Rollback,
    /// Fail, but keep what the statement did so far.
    Fail,
    /// Leave the row out.
    Ignore,
    /// Remove the conflicting rows.
    Replace,
}

impl OnConflict {
    /// The keyword.
    pub fn keyword(self) -> &'static str {
        match self {
            OnConflict::Abort => "ABORT",
            OnConflict::Rollback => "ROLLBACK",
            OnConflict::Fail => "FAIL",
            OnConflict::Ignore => "IGNORE",
            OnConflict::Replace => "REPLACE",
        }
    }

    /// The default, which is written as nothing.
    pub fn is_default(&self) -> bool {
        *self == OnConflict::Abort
    }
}

/// A PRIMARY KEY or UNIQUE constraint.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Key {
    /// The constraint's name; silent where the engine gives it no meaning (SQLite).
    #[serde(default = "Name::none")]
    pub name: Name,
    /// The columns, in key order.
    pub parts: Vec<KeyPart>,
    /// The action for a row that violates it.
    #[serde(default, skip_serializing_if = "OnConflict::is_default")]
    pub on_conflict: OnConflict,
    /// AUTOINCREMENT (SQLite): a rowid is never used again.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub autoincrement: bool,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
}

impl Key {
    /// Whether the column is one of the key's.
    pub fn has_column(&self, column: &Name) -> bool {
        self.parts.iter().any(|part| part.column == *column)
    }
}

/// One column of a key.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct KeyPart {
    /// The column.
    pub column: Name,
    /// COLLATE, canonical.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub collation: Option<QualifiedName>,
    /// DESC.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub descending: bool,
}

/// A CHECK constraint. Its name is part of it: the engine's error message shows it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Check {
    /// The condition, without the parentheses around it.
    pub condition: Expression,
    /// The constraint's name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<Name>,
    /// The column whose definition includes it, where DROP COLUMN drops it with the column.
    #[serde(skip)]
    pub with_column: Beside<Option<Name>>,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
}

/// A foreign key.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ForeignKey {
    /// The constraint's name; silent where the engine gives it no meaning (SQLite).
    #[serde(default = "Name::none")]
    pub name: Name,
    /// The referencing columns.
    pub columns: Vec<Name>,
    /// The column whose definition includes it, where DROP COLUMN drops it with the column.
    #[serde(skip)]
    pub with_column: Beside<Option<Name>>,
    /// The table that is referenced.
    pub parent: QualifiedName,
    /// The columns that are referenced; if empty, the parent's primary key.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parent_columns: Vec<Name>,
    /// ON DELETE.
    #[serde(default, skip_serializing_if = "Action::is_default")]
    pub on_delete: Action,
    /// ON UPDATE.
    #[serde(default, skip_serializing_if = "Action::is_default")]
    pub on_update: Action,
    /// DEFERRABLE INITIALLY DEFERRED. SQLite treats every other form as not deferrable.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub deferred: bool,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
}

impl ForeignKey {
    /// The columns of the parent that it points at: those that it names, or the parent's primary key.
    pub fn referenced_columns(&self, parent: &Table) -> Vec<Name> {
        if self.parent_columns.is_empty() { parent.key_columns() } else { self.parent_columns.clone() }
    }
}

/// The action of a foreign key when the referenced row is deleted or changed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Action {
    /// NO ACTION, the default.
    #[default]
    NoAction,
    /// RESTRICT.
    Restrict,
    /// SET NULL.
    SetNull,
    /// SET DEFAULT.
    SetDefault,
    /// CASCADE.
    Cascade,
}

impl Action {
    /// The keywords.
    pub fn keywords(self) -> &'static str {
        match self {
            Action::NoAction => "NO ACTION",
            Action::Restrict => "RESTRICT",
            Action::SetNull => "SET NULL",
            Action::SetDefault => "SET DEFAULT",
            Action::Cascade => "CASCADE",
        }
    }

    /// The default, which is written as nothing.
    pub fn is_default(&self) -> bool {
        *self == Action::NoAction
    }
}
