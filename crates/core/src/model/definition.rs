//! Definitions of objects, by their kind.

use std::borrow::Cow;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Beside, Clauses, Expression, Kind, Name, QualifiedName, Table, clauses::is};

/// The canonical structure of one object.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Definition {
    /// A base table.
    Table(Table),
    /// A virtual table.
    VirtualTable(VirtualTable),
    /// An index that was made by CREATE INDEX.
    Index(Index),
    /// A view.
    View(View),
    /// A trigger.
    Trigger(Trigger),
    /// Any other object: all of its structure is in its clauses.
    Plain(Plain),
}

impl Definition {
    /// The kind of object.
    pub fn kind(&self) -> Kind {
        match self {
            Definition::Table(table) if table.clauses.has(is::SERVER) => Kind::ForeignTable,
            Definition::Table(_) => Kind::Table,
            Definition::VirtualTable(_) => Kind::VirtualTable,
            Definition::Index(_) => Kind::Index,
            Definition::View(view) if view.clauses.has(is::MATERIALIZED) => Kind::MaterializedView,
            Definition::View(_) => Kind::View,
            Definition::Trigger(_) => Kind::Trigger,
            Definition::Plain(plain) => plain.kind,
        }
    }

    /// The definition without what is kept beside the structure in fields of their own, as fingerprints see it.
    pub fn structure(&self) -> Cow<'_, Definition> {
        match self {
            Definition::Table(table) if table.has_more_names() => {
                let mut table = table.clone();
                table.part_names = Beside::default();
                for column in table.columns.iter_mut() {
                    (column.not_null_name, column.not_null_inherited) = (Beside(None), Beside(false));
                }
                Cow::Owned(Definition::Table(table))
            }
            other => Cow::Borrowed(other),
        }
    }

    /// Whether every expression has a canonical form.
    pub fn is_sure(&self) -> bool {
        self.expressions().into_iter().all(Expression::is_sure)
    }

    /// The clauses of the object itself; none of a definition that has no clauses.
    pub fn clauses(&self) -> Option<&Clauses> {
        match self {
            Definition::Table(table) => Some(&table.clauses),
            Definition::Index(index) => Some(&index.clauses),
            Definition::View(view) => Some(&view.clauses),
            Definition::Plain(plain) => Some(&plain.clauses),
            Definition::VirtualTable(_) | Definition::Trigger(_) => None,
        }
    }

    /// The same, to change them.
    pub fn clauses_mut(&mut self) -> Option<&mut Clauses> {
        match self {
            Definition::Table(table) => Some(&mut table.clauses),
            Definition::Index(index) => Some(&mut index.clauses),
            Definition::View(view) => Some(&mut view.clauses),
            Definition::Plain(plain) => Some(&mut plain.clauses),
            Definition::VirtualTable(_) | Definition::Trigger(_) => None,
        }
    }

    /// The table or view that the object belongs to, if it can't live without one.
    pub fn owner(&self) -> Option<&QualifiedName> {
        match self {
            Definition::Index(index) => Some(&index.table),
            Definition::Trigger(trigger) => Some(&trigger.table),
            Definition::Plain(plain) => plain.owner.as_ref(),
            Definition::Table(_) | Definition::VirtualTable(_) | Definition::View(_) => None,
        }
    }
}

/// An object that is nothing but a set of clauses.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Plain {
    /// The kind of object.
    pub kind: Kind,
    /// The object that it is on, without which it can't exist.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub owner: Option<QualifiedName>,
    /// Its clauses.
    pub clauses: Clauses,
}

/// A virtual table. The tables in which its module keeps its data (its shadow tables) belong to it and are not listed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct VirtualTable {
    /// The module: `fts5`, `rtree`, …
    pub module: Name,
    /// The module's arguments, each as it was written except for white space.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub arguments: Vec<String>,
}

/// An index.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Index {
    /// The table that is indexed.
    pub table: QualifiedName,
    /// UNIQUE.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unique: bool,
    /// The indexed columns and expressions, in order.
    pub parts: Vec<IndexPart>,
    /// WHERE: which rows are indexed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub predicate: Option<Expression>,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
}

/// One column or expression of an index.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct IndexPart {
    /// The column or expression.
    pub expression: Expression,
    /// COLLATE, canonical.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub collation: Option<QualifiedName>,
    /// DESC.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub descending: bool,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
}

impl IndexPart {
    /// The column's name without quotes; an expression as it is.
    pub fn column(&self) -> Cow<'_, str> {
        unquoted(&self.expression.canonical)
    }
}

/// An identifier without its double quotes (SQL standard, `<delimited identifier>`); anything else as it is.
fn unquoted(text: &str) -> Cow<'_, str> {
    let inner = text.strip_prefix('"').and_then(|rest| rest.strip_suffix('"'));
    match inner.map(|inner| inner.replace("\"\"", "\0")) {
        Some(inner) if !inner.contains('"') => Cow::Owned(inner.replace('\0', "\"")),
        _ => Cow::Borrowed(text),
    }
}

/// A view.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct View {
    /// The column names, where they are listed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<Name>,
    /// The query.
    pub query: Expression,
    /// Other clauses.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    pub clauses: Clauses,
    /// Whether a materialised view was never filled. It is no part of the structure.
    #[serde(skip)]
    #[schemars(skip)]
    pub unpopulated: Beside<bool>,
}

/// A trigger.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Trigger {
    /// The table or view.
    pub table: QualifiedName,
    /// When it fires.
    pub timing: Timing,
    /// The events that fire it.
    pub event: Event,
    /// UPDATE OF: the columns.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<Name>,
    /// WHEN.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub condition: Option<Expression>,
    /// The statements between BEGIN and END.
    pub body: Expression,
}

/// When a trigger fires.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Timing {
    /// BEFORE, the default.
    Before,
    /// AFTER.
    After,
    /// INSTEAD OF, on views.
    InsteadOf,
}

impl Timing {
    /// The keywords.
    pub fn keywords(self) -> &'static str {
        match self {
            Timing::Before => "BEFORE",
            Timing::After => "AFTER",
            Timing::InsteadOf => "INSTEAD OF",
        }
    }
}

/// An event that fires a trigger.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Event {
    /// INSERT.
    Insert,
    /// UPDATE.
    Update,
    /// DELETE.
    Delete,
}

impl Event {
    /// The keyword.
    pub fn keyword(self) -> &'static str {
        match self {
            Event::Insert => "INSERT",
            Event::Update => "UPDATE",
            Event::Delete => "DELETE",
        }
    }
}
