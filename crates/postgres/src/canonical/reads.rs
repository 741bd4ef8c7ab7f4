//! Which columns a walk reads.

use sqlparser::ast::JoinOperator;

use super::joins;
use super::scope::Relation;
use super::tree::is_special;
use super::walk::Walk;

impl Walk<'_> {
    /// Records a column that an expression names, by its qualifier and name as they are written.
    pub(super) fn reads_column(&mut self, qualifier: Option<&str>, name: &str) {
        let of = match qualifier {
            Some(qualifier) => self.scopes.called(qualifier),
            None => self.scopes.relation_of(name),
        };
        match of {
            Some(relation) => self.reads.extend(relation.table.clone().map(|table| (table, Some(name.to_owned())))),
            None if qualifier.is_none() => self.reads_name(name),
            None => self.misses_columns = true,
        }
    }

    /// A name that no single table has as a column.
    fn reads_name(&mut self, name: &str) {
        if let Some(row) = self.scopes.called(name) {
            self.reads.extend(row.table.clone().map(|table| (table, None)));
            return;
        }
        // The columns that a join merges have been recorded with the join.
        let is_known = is_special(name) || self.scopes.has_merged(name) || self.is_an_output(name);
        self.misses_columns |= !is_known;
    }

    /// Records that whole rows are read.
    pub(super) fn reads_row(&mut self, relation: &Relation) {
        self.reads.extend(relation.table.clone().map(|table| (table, None)));
    }

    /// Records that whole rows are read of what has this name here.
    pub(super) fn reads_row_called(&mut self, name: &str) {
        match self.scopes.called(name) {
            Some(row) => self.reads.extend(row.table.clone().map(|table| (table, None))),
            None => self.misses_columns = true,
        }
    }

    /// Records the columns by which tables are joined without naming them in an expression.
    pub(super) fn reads_merged(&mut self, operator: &JoinOperator, joined: &[Relation]) {
        if joins::is_natural(operator) {
            joined.iter().for_each(|relation| self.reads_row(relation));
        }
        for name in joins::using(operator) {
            let having = joined.iter().filter(|relation| !relation.lacks(&name));
            let tables = having.filter_map(|relation| relation.table.clone());
            self.reads.extend(tables.map(|table| (table, Some(name.clone()))));
        }
    }
}
