//! The columns that the queries and expressions of an object read.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Name, QualifiedName};

/// A column of a table or view that an object reads; without a column, whole rows of it.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct ColumnRead {
    /// The table or view.
    pub of: QualifiedName,
    /// Its column.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<Name>,
}

/// All columns that an object reads, recorded where its names were resolved. Ordered, each once.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct ColumnReads(Vec<ColumnRead>);

impl ColumnReads {
    /// Whether the object reads the column, by itself or in a whole row.
    pub fn has(&self, of: &QualifiedName, column: &Name) -> bool {
        self.0.iter().any(|read| read.of == *of && read.column.as_ref().is_none_or(|own| own == column))
    }

    /// Whether the object reads the column by itself.
    pub fn has_column(&self, of: &QualifiedName, column: &Name) -> bool {
        self.0.iter().any(|read| read.of == *of && read.column.as_ref() == Some(column))
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = &ColumnRead> {
        self.0.iter()
    }

    /// The same with other names, where `renamed` changes one.
    pub fn rename(&mut self, renamed: impl Fn(&mut ColumnRead)) {
        self.0.iter_mut().for_each(renamed);
        self.0.sort();
    }
}

impl FromIterator<ColumnRead> for ColumnReads {
    fn from_iter<I: IntoIterator<Item = ColumnRead>>(reads: I) -> ColumnReads {
        let mut all: Vec<ColumnRead> = reads.into_iter().collect();
        all.sort();
        all.dedup();
        ColumnReads(all)
    }
}
