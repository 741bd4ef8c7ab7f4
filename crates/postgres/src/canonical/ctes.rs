//! The queries of WITH that are in sight: one that is not recursive sees neither itself nor those after it
//! (<https://www.postgresql.org/docs/current/queries-with.html>).

use sqlparser::ast::Query;

use super::scope::Columns;
use super::tree::{ident_value, rename_columns};
use super::walk::Walk;

/// A query of WITH.
#[derive(Clone)]
pub(super) struct Cte {
    pub(super) name: String,
    pub(super) columns: Option<Columns>,
    is_in_sight: bool,
}

impl Cte {
    pub(super) fn new(name: String, columns: Option<Columns>) -> Cte {
        Cte { name, columns, is_in_sight: true }
    }
}

/// Which of the queries of a tree it is: they stay where they are while the tree is walked over.
fn address(query: &Query) -> usize {
    std::ptr::from_ref(query).addr()
}

impl Walk<'_> {
    /// The WITH query that a name in FROM means.
    pub(super) fn cte(&self, parts: &[String]) -> Option<&Cte> {
        let [name] = parts else { return None };
        self.ctes.iter().rev().find(|cte| cte.name == *name && cte.is_in_sight)
    }

    /// The queries of WITH of a query begin.
    pub(super) fn enter_ctes(&mut self, query: &Query) {
        self.show_ctes_of(query, false);
        let before = self.ctes.len();
        self.see_ctes(query);
        if let Some(with) = query.with.as_ref().filter(|with| !with.recursive) {
            let queries = with.cte_tables.iter().map(|cte| address(&cte.query));
            self.cte_queries.extend(queries.zip(before..));
        }
    }

    /// The queries of WITH of a query end.
    pub(super) fn leave_ctes(&mut self, query: &Query) {
        if let Some(with) = &query.with {
            self.ctes.truncate(self.ctes.len().saturating_sub(with.cte_tables.len()));
            self.cte_queries.retain(|(_, place)| *place < self.ctes.len());
        }
        self.show_ctes_of(query, true);
    }

    /// Adds the queries of WITH of a query.
    pub(super) fn see_ctes(&mut self, query: &Query) {
        for cte in query.with.iter().flat_map(|with| &with.cte_tables) {
            let mut columns = self.outputs(&cte.query);
            rename_columns(&mut columns, &cte.alias);
            self.ctes.push(Cte::new(ident_value(&cte.alias.name), columns));
        }
    }

    /// Shows or hides what a query of WITH does not see: itself and those after it.
    fn show_ctes_of(&mut self, query: &Query, is_in_sight: bool) {
        let own = address(query);
        if let Some((_, place)) = self.cte_queries.iter().find(|(address, _)| *address == own) {
            self.ctes[*place..].iter_mut().for_each(|cte| cte.is_in_sight = is_in_sight);
        }
    }
}
