//! What INSERT and UPDATE store: into which columns, in the spelling of their types
//! (<https://www.postgresql.org/docs/current/sql-insert.html>).

use sqlparser::ast::{
    Assignment, AssignmentTarget, ConflictTarget, Expr, Insert, ObjectName, ObjectNamePart, OnConflictAction, OnInsert,
    SelectItem, SetExpr, Statement, TableFactor, TableObject, Values, VisitMut,
};

use super::outputs::output_name;
use super::scope::{Columns, Relation, Tables};
use super::tree::*;
use super::walk::Walk;

/// What an INSERT does on a conflict, and what it returns.
pub type Aside = (Option<OnInsert>, Option<Vec<SelectItem>>);

impl Walk<'_> {
    /// The columns into which a statement inserts, if it does not say them: the first ones, as many as there are values.
    pub(super) fn name_inserted(&mut self, insert: &mut Insert) {
        let Some(source) = &mut insert.source else { return };
        if let SetExpr::Values(values) = &mut *source.body {
            self.expand_rows(values);
        }
        let (TableObject::TableName(table), true) = (&insert.table, insert.columns.is_empty()) else { return };
        let count = match &*source.body {
            SetExpr::Values(values) => values.rows.first().map(|row| row.len()),
            _ => self.outputs(source).map(|columns| columns.len()),
        };
        if let (Some(count), Some(columns)) = (count, self.columns_of(table)) {
            let named =
                columns.iter().take(count).map(|(name, _)| ObjectName(vec![ObjectNamePart::Identifier(ident(name))]));
            insert.columns = named.collect();
        }
    }

    /// Takes what an INSERT does on a conflict and what it returns aside, brought to one form: there the columns of its table are in
    /// sight, as they are not in the query that it may hold.
    pub(super) fn aside(&mut self, insert: &mut Insert) -> Aside {
        let (mut on, mut returning) = (insert.on.take(), insert.returning.take());
        let TableObject::TableName(table) = &insert.table else { return (on, returning) };
        let (columns, own) = (self.columns_of(table), self.relation(&name_parts(table)));
        let alias = insert.table_alias.as_ref().map(|alias| ident_value(&alias.alias));
        let called = alias.or_else(|| name_parts(table).pop()).unwrap_or_default();
        let has_alias = insert.table_alias.is_some();
        let row = |name: String, has_alias| Relation {
            table: own.clone(),
            has_alias,
            ..Relation::new(name, columns.clone())
        };
        let target = || row(called.clone(), has_alias);
        if let Some(OnInsert::OnConflict(conflict)) = &mut on
            && let OnConflictAction::DoUpdate(update) = &mut conflict.action
        {
            self.scopes.enter(Tables::of(vec![target(), row("excluded".to_owned(), true)]));
            Self::split_assignments(&mut update.assignments);
            for assignment in &mut update.assignments {
                let _ = VisitMut::visit(&mut assignment.value, self);
            }
            let _ = VisitMut::visit(&mut update.selection, self);
            self.scopes.leave();
        }
        self.scopes.enter(Tables::of(vec![target()]));
        self.returned(&mut returning);
        let _ = VisitMut::visit(&mut returning, self);
        self.scopes.leave();
        (on, returning)
    }

    /// Lists what a statement returns, each under another name only if it is one.
    pub(super) fn returned(&self, returning: &mut Option<Vec<SelectItem>>) {
        let plain = |item: &SelectItem| match (self.expanded(item), item) {
            (Some(columns), _) => {
                let column = |(table, column): &(Option<String>, String)| column_of(table.as_deref(), column);
                columns.iter().map(|found| SelectItem::UnnamedExpr(column(found))).collect()
            }
            (None, SelectItem::ExprWithAlias { expr, alias }) if output_name(expr) == ident_value(alias) => {
                vec![SelectItem::UnnamedExpr(expr.clone())]
            }
            (None, item) => vec![item.clone()],
        };
        for items in returning.iter_mut() {
            *items = items.iter().map(plain).collect::<Vec<_>>().concat();
        }
    }

    /// `new.*` among values: its columns.
    pub(super) fn expand_rows(&self, values: &mut Values) {
        for row in &mut values.rows {
            let expanded = row.content.iter().map(|value| self.row_of(value).unwrap_or_else(|| vec![value.clone()]));
            row.content = expanded.collect::<Vec<_>>().concat();
        }
    }

    fn row_of(&self, value: &Expr) -> Option<Vec<Expr>> {
        let Expr::QualifiedWildcard(name, _) = value else { return None };
        let row = name_parts(name).pop()?;
        let columns = self.scopes.called(&row)?.columns.as_ref()?;
        Some(columns.iter().map(|(column, _)| column_of(Some(&row), column)).collect())
    }

    /// Takes away what only says the types of the columns in which a statement stores its values.
    pub(super) fn as_stored_by(&mut self, statement: &mut Statement) {
        match statement {
            Statement::Insert(insert) => {
                let TableObject::TableName(table) = &insert.table else { return };
                let Some(columns) = self.columns_of(table) else { return };
                if let Some(SetExpr::Values(values)) = insert.source.as_mut().map(|source| &mut *source.body) {
                    for row in &mut values.rows {
                        for (value, into) in row.content.iter_mut().zip(&insert.columns) {
                            self.as_stored(value, type_in(&columns, into).as_deref());
                        }
                    }
                }
                if let Some(OnInsert::OnConflict(conflict)) = &mut insert.on
                    && let OnConflictAction::DoUpdate(update) = &mut conflict.action
                {
                    self.as_assigned(&mut update.assignments, &columns);
                }
            }
            Statement::Update(update) => {
                let TableFactor::Table { name, .. } = &update.table.relation else { return };
                if let Some(columns) = self.columns_of(name) {
                    self.as_assigned(&mut update.assignments, &columns);
                }
            }
            _ => {}
        }
    }

    /// The columns into which a statement inserts and that it sets, by their plain identifiers.
    pub(super) fn fold_targets(statement: &mut Statement) {
        let fold = |name: &mut ObjectName| {
            for part in &mut name.0 {
                if let ObjectNamePart::Identifier(own) = part {
                    *own = ident(&ident_value(own));
                }
            }
        };
        let fold_all = |assignments: &mut [Assignment]| {
            for assignment in assignments {
                match &mut assignment.target {
                    AssignmentTarget::ColumnName(name) => fold(name),
                    AssignmentTarget::Tuple(names) => names.iter_mut().for_each(fold),
                }
            }
        };
        match statement {
            Statement::Insert(insert) => {
                insert.columns.iter_mut().for_each(fold);
                if let Some(OnInsert::OnConflict(conflict)) = &mut insert.on {
                    if let Some(ConflictTarget::Columns(columns)) = &mut conflict.conflict_target {
                        columns.iter_mut().for_each(|column| *column = ident(&ident_value(column)));
                    }
                    if let OnConflictAction::DoUpdate(update) = &mut conflict.action {
                        fold_all(&mut update.assignments);
                    }
                }
            }
            Statement::Update(update) => fold_all(&mut update.assignments),
            _ => {}
        }
    }

    /// `SET (a, b) = (1, 2)` is `SET a = 1, b = 2`.
    pub(super) fn split_assignments(assignments: &mut Vec<Assignment>) {
        let items = |value: &Expr| match without_parentheses(value) {
            Expr::Tuple(values) => Some(values.clone()),
            value => row_items(value),
        };
        let split = |assignment: &Assignment| match (&assignment.target, items(&assignment.value)) {
            (AssignmentTarget::Tuple(columns), Some(values)) if columns.len() == values.len() => {
                let one = |(column, value): (&ObjectName, &Expr)| Assignment {
                    target: AssignmentTarget::ColumnName(column.clone()),
                    value: value.clone(),
                };
                columns.iter().zip(&values).map(one).collect()
            }
            _ => vec![assignment.clone()],
        };
        *assignments = assignments.iter().map(split).collect::<Vec<_>>().concat();
    }

    fn as_assigned(&mut self, assignments: &mut [Assignment], columns: &Columns) {
        for Assignment { target, value } in assignments {
            if let AssignmentTarget::ColumnName(into) = target {
                self.as_stored(value, type_in(columns, into).as_deref());
            }
        }
    }

    fn columns_of(&self, table: &ObjectName) -> Option<Columns> {
        let name = self.relation(&name_parts(table))?;
        self.known.columns.get(&name).cloned()
    }
}

fn type_in(columns: &Columns, column: &ObjectName) -> Option<String> {
    let name = name_parts(column).pop()?;
    columns.iter().find(|(own, _)| *own == name).and_then(|(_, data_type)| data_type.clone())
}
