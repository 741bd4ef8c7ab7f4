//! The possible meanings of names in a query, level by level.

use std::collections::BTreeSet;

use sqlparser::ast::Query;
use wevrun_core::model::QualifiedName;

/// A relation of FROM under its name or alias.
#[derive(Debug, Clone)]
pub struct Relation {
    /// The alias, or the name.
    pub alias: String,
    /// Whether the text has no alias for the relation.
    pub has_own_name: bool,
    /// The table or view; none of subqueries, common table expressions and tables of other databases.
    pub object: Option<QualifiedName>,
    /// The columns in lower case; none if they are not known.
    pub columns: Option<Vec<String>>,
    /// How many of the last columns `*` leaves out.
    pub invisible: usize,
}

impl Relation {
    /// A subquery or table function.
    pub fn derived(alias: &str, columns: Option<Vec<String>>) -> Relation {
        Relation { alias: alias.to_owned(), has_own_name: false, object: None, columns, invisible: 0 }
    }

    /// Whether the relation certainly has a column. `column` is in lower case.
    pub fn has(&self, column: &str) -> bool {
        self.columns.as_ref().is_some_and(|columns| columns.iter().any(|own| own == column))
    }
}

/// The relations of one SELECT, UPDATE, DELETE or INSERT.
#[derive(Debug, Clone, Default)]
pub struct Level {
    /// In the order of the text.
    pub relations: Vec<Relation>,
    /// Columns that USING and NATURAL join, in lower case.
    pub merged: BTreeSet<String>,
    /// Explicit names of outputs, in lower case.
    pub outputs: BTreeSet<String>,
    /// Names in GROUP BY, in lower case.
    pub grouped: BTreeSet<String>,
    /// Whether names are outputs of a set operation and nothing else.
    pub is_set: bool,
}

/// A common table expression.
#[derive(Debug)]
pub struct Common {
    /// The name in lower case.
    pub name: String,
    /// The columns in lower case; none if they are not known.
    pub columns: Option<Vec<String>>,
    /// The address of its query, which is compared and never followed.
    pub query: *const Query,
}

/// The clause in which an expression is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Place {
    /// An output's name means nothing.
    #[default]
    Anywhere,
    /// An output's name hides a column: ORDER BY.
    OutputFirst,
    /// An output's name hides a column, unless the rows are grouped by the column: HAVING.
    GroupFirst,
    /// A column hides an output's name: GROUP BY.
    ColumnFirst,
}

/// A query that is being walked.
#[derive(Debug)]
pub struct Frame {
    /// Its common table expressions.
    pub commons: Vec<Common>,
    /// Whether they see themselves.
    pub is_recursive: bool,
    /// How many of them are in sight.
    pub in_sight: usize,
    /// The level of its SELECT, for ORDER BY.
    pub last: Option<Level>,
    /// Whether the query is a set operation.
    pub is_set: bool,
    /// Whether something uses its outputs by their names.
    pub is_used_by_names: bool,
    /// The clause around the query.
    pub around: Place,
}
