//! The possible meanings of names in a query.

use std::collections::BTreeMap;

use sqlparser::ast::WindowSpec;

use super::super::tree::Printed;
use crate::names::always_quoted;

/// A relation of FROM under one name.
#[derive(Debug, Clone)]
pub(super) struct Relation {
    pub(super) alias: String,
    pub(super) columns: Vec<String>,
    /// Columns that `*` leaves out.
    pub(super) invisible: Vec<String>,
}

impl Relation {
    /// Whether there is a column of this name.
    pub(super) fn has(&self, column: &String) -> bool {
        self.columns.contains(column) || self.invisible.contains(column)
    }
}

/// The meanings of names, the innermost query last.
#[derive(Debug, Clone, Default)]
pub(super) struct Scope {
    pub(super) levels: Vec<Level>,
    /// Common table expressions with their columns.
    pub(super) common: BTreeMap<String, Vec<String>>,
}

#[derive(Debug, Clone, Default)]
pub(super) struct Level {
    pub(super) relations: Vec<Relation>,
    /// Columns that USING and NATURAL have made one, each with the name that it is printed as.
    pub(super) merged: BTreeMap<String, String>,
    pub(super) windows: Vec<(String, WindowSpec)>,
}

/// The clause of an expression.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Place {
    Anywhere,
    /// A name of an output is printed as it is.
    Having,
    /// A name of an output is replaced by its expression.
    Order,
    /// The same, unless a column has the name.
    Group,
}

pub(super) fn columns_of(relation: &Relation) -> Vec<(String, Printed)> {
    let printed = |column: &String| {
        let text = format!("{}.{}", always_quoted(&relation.alias), always_quoted(column));
        (column.clone(), Printed::column(text))
    };
    relation.columns.iter().map(printed).collect()
}

/// The columns of `*`: merged columns first, then those of each table.
pub(super) fn all_columns(level: &Level) -> Vec<(String, Printed)> {
    let mut all: Vec<(String, Printed)> = Vec::new();
    let first = level.relations.iter().flat_map(|relation| &relation.columns);
    for column in first.filter(|column| level.merged.contains_key(*column)) {
        if !all.iter().any(|(name, _)| name == column) {
            all.push((column.clone(), Printed::column(level.merged[column].clone())));
        }
    }
    for relation in &level.relations {
        all.extend(columns_of(relation).into_iter().filter(|(name, _)| !level.merged.contains_key(name)));
    }
    all
}
