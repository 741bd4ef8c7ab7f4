//! The columns of the tables and views of a model.

use std::cell::RefCell;
use std::collections::HashMap;
use std::sync::Arc;

use syntaqlite::nodes::Stmt;
use wevrun_core::model::{Definition, Model, Name, QualifiedName, View, VirtualTable};

use super::walk::Walk;
use crate::names::name;
use crate::{parse, syntax};

/// The names of a relation's columns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Columns {
    /// All of them, in order.
    Known(Arc<[Name]>),
    /// Only the engine knows them.
    Unknown,
}

impl FromIterator<Name> for Columns {
    fn from_iter<I: IntoIterator<Item = Name>>(names: I) -> Columns {
        Columns::Known(names.into_iter().collect())
    }
}

/// The relations of a model, by name.
pub struct Schema<'m> {
    model: &'m Model,
    /// A column that is left out, with its table.
    without: Option<(&'m QualifiedName, &'m Name)>,
    /// The columns of views, each found once; `None` while they are being found.
    views: RefCell<HashMap<QualifiedName, Option<Columns>>>,
}

impl<'m> Schema<'m> {
    /// The relations of a model.
    pub fn new(model: &'m Model) -> Schema<'m> {
        Schema { model, without: None, views: RefCell::default() }
    }

    /// The same without a column of a table.
    pub fn without_column(model: &'m Model, table: &'m QualifiedName, column: &'m Name) -> Schema<'m> {
        Schema { without: Some((table, column)), ..Schema::new(model) }
    }

    /// Whether the model has a table or view of this name.
    pub fn has(&self, relation: &QualifiedName) -> bool {
        self.model.relation(relation).is_some()
    }

    /// The columns of a table or view; unknown if there is none.
    pub fn columns(&self, relation: &QualifiedName) -> Columns {
        match self.model.relation(relation).map(|object| &object.definition) {
            Some(Definition::Table(table)) => {
                let names = table.columns.iter().map(|column| &column.name);
                names.filter(|name| self.without != Some((relation, name))).cloned().collect()
            }
            Some(Definition::VirtualTable(table)) => virtual_columns(relation, table),
            Some(Definition::View(view)) => self.view_columns(relation, view),
            _ => Columns::Unknown,
        }
    }

    fn view_columns(&self, relation: &QualifiedName, view: &View) -> Columns {
        if !view.columns.is_empty() {
            return view.columns.iter().cloned().collect();
        }
        if let Some(known) = self.views.borrow().get(relation) {
            // A view that reads from itself.
            return known.clone().unwrap_or(Columns::Unknown);
        }
        self.views.borrow_mut().insert(relation.clone(), None);
        let columns = syntax::read(view.query.written(), |tree, statement| match statement {
            Stmt::SelectStmt(_) | Stmt::CompoundSelect(_) | Stmt::ValuesClause(_) | Stmt::WithClause(_) => {
                Walk::new(self, tree).statement_outputs(statement)
            }
            _ => Columns::Unknown,
        });
        let columns = columns.unwrap_or(Columns::Unknown);
        self.views.borrow_mut().insert(relation.clone(), Some(columns.clone()));
        columns
    }
}

/// The columns of a virtual table, hidden ones included, where its arguments name them.
fn virtual_columns(relation: &QualifiedName, table: &VirtualTable) -> Columns {
    let named = parse::virtual_columns(table);
    let hidden: Vec<Name> = match table.module.canonical() {
        "fts5" => vec![relation.printed().clone(), name("rank")],
        "fts3" | "fts4" => vec![relation.printed().clone(), name("docid")],
        "rtree" | "rtree_i32" => Vec::new(),
        "geopoly" => vec![name("_shape")],
        _ => return Columns::Unknown,
    };
    named.into_iter().chain(hidden).collect()
}

/// The columns of a table-valued function (<https://sqlite.org/json1.html#jeach>, `series.c`).
pub fn function_columns(function: &Name) -> Columns {
    let names: &[&str] = match function.canonical() {
        "json_each" | "json_tree" => {
            &["key", "value", "type", "atom", "id", "parent", "fullkey", "path", "json", "root"]
        }
        "generate_series" => &["value", "start", "stop", "step"],
        _ => return Columns::Unknown,
    };
    names.iter().map(|text| name(text)).collect()
}
