//! What queries say once a column that they read is called otherwise. The server keeps columns by number: the query reads the same
//! column, and what it calls its own columns stays.

use std::ops::ControlFlow;

use sqlparser::ast::{
    Assignment, AssignmentTarget, Expr, Insert, ObjectName, ObjectNamePart, OnInsert, Query, Select, SelectItem,
    Statement, TableObject, VisitMut, VisitorMut,
};

use super::expression::{Scope, parse, parts_of_body, with_room};
use super::outputs::output_name;
use super::tree::{first_select_mut, ident, ident_value, listed, name_parts, wildcard_alias};
use super::walk::Walk;
use crate::model::Name;

/// A column of a table or view under a new name.
pub struct Renamed<'n> {
    /// The table's name.
    pub table: &'n Name,
    /// What the column was called.
    pub from: &'n Name,
    /// What it is called.
    pub to: &'n Name,
    /// Whether the text is canonical: then all columns of queries have a name where it counts.
    pub in_canonical: bool,
}

impl Scope<'_> {
    /// A view's query once the column is called otherwise; none if it can't be read.
    pub fn followed_query(&self, text: &str, renamed: &Renamed<'_>) -> Option<String> {
        with_room(text, || {
            let mut query = parse(text, |parser| parser.parse_query())?;
            let mut follow = self.following(renamed);
            let _ = VisitMut::visit(&mut *query, &mut follow);
            Some(query.to_string())
        })
    }

    /// The same of an expression that may hold queries.
    pub fn followed_expression(&self, text: &str, renamed: &Renamed<'_>) -> Option<String> {
        with_room(text, || {
            let mut expression = parse(text, |parser| parser.parse_expr())?;
            let mut follow = self.following(renamed);
            let _ = VisitMut::visit(&mut expression, &mut follow);
            Some(expression.to_string())
        })
    }

    /// The same of the body of a routine or a rule.
    pub fn followed_body(&self, text: &str, renamed: &Renamed<'_>) -> Option<String> {
        let returned = text.trim_start().get(..6).is_some_and(|head| head.eq_ignore_ascii_case("return"));
        if returned {
            let start = text.len() - text.trim_start().len() + 6;
            return Some(format!("{} {}", &text[..start], self.followed_expression(&text[start..], renamed)?));
        }
        let (mut out, mut done) = (String::new(), 0);
        for part in parts_of_body(text) {
            let followed = self.followed_statement(&text[part.clone()], renamed)?;
            out.push_str(&text[done..part.start]);
            let blank = text[part.clone()].len() - text[part.clone()].trim_start().len();
            out.push_str(&text[part.start..part.start + blank]);
            out.push_str(&followed);
            done = part.end;
        }
        Some(out + &text[done..])
    }

    fn followed_statement(&self, text: &str, renamed: &Renamed<'_>) -> Option<String> {
        if text.trim().is_empty() || text.trim().eq_ignore_ascii_case("nothing") {
            return Some(text.trim().to_owned());
        }
        with_room(text, || {
            let mut statement = parse(text, |parser| parser.parse_statement())?;
            let mut follow = self.following(renamed);
            let _ = VisitMut::visit(&mut statement, &mut follow);
            Some(statement.to_string())
        })
    }

    fn following<'f>(&'f self, renamed: &'f Renamed<'f>) -> Follow<'f> {
        Follow { walk: self.walk(self.scopes()), renamed, outputs: Vec::new(), inserts: false }
    }

    /// A view's query with another name for one of its own columns; none if it can't be said in it.
    pub fn with_output(&self, text: &str, from: &Name, to: &Name) -> Option<String> {
        with_room(text, || {
            let mut query = parse(text, |parser| parser.parse_query())?;
            let select = first_select_mut(&mut query)?;
            let item = select.projection.iter_mut().find(|item| match item {
                SelectItem::UnnamedExpr(expr) => output_name(expr) == from.canonical(),
                SelectItem::ExprWithAlias { alias, .. } => ident_value(alias) == from.canonical(),
                _ => false,
            })?;
            let (SelectItem::UnnamedExpr(expr) | SelectItem::ExprWithAlias { expr, .. }) = item else { return None };
            *item = SelectItem::ExprWithAlias { expr: expr.clone(), alias: ident(to.canonical()) };
            Some(query.to_string())
        })
    }
}

struct Follow<'f> {
    /// Knows what is in sight.
    walk: Walk<'f>,
    renamed: &'f Renamed<'f>,
    /// What the columns of the queries around are called.
    outputs: Vec<Vec<Option<String>>>,
    /// Whether the statement inserts into the table: then EXCLUDED is a row of it.
    inserts: bool,
}

impl Follow<'_> {
    fn is_from(&self, column: &str) -> bool {
        column == self.renamed.from.canonical()
    }

    /// Whether a column means the one that has a new name.
    fn is_meant(&self, qualifier: Option<&str>, column: &str) -> bool {
        if self.inserts && qualifier == Some("excluded") {
            return self.is_from(column);
        }
        let relation = match qualifier {
            Some(qualifier) => self.walk.scopes.called(qualifier),
            None => self.walk.scopes.relation_of(column),
        };
        self.is_from(column) && relation.is_some_and(|relation| relation.is(self.renamed.table))
    }

    /// The columns that `*` stands for, if one of them has a new name.
    fn expanded(&self, item: &SelectItem) -> Option<Vec<SelectItem>> {
        let alias = match item {
            SelectItem::Wildcard(_) => None,
            SelectItem::QualifiedWildcard(kind, _) => Some(wildcard_alias(kind)?),
            _ => return None,
        };
        let own = self.walk.scopes.innermost().iter();
        let mut meant = own.filter(|own| alias.as_ref().is_none_or(|alias| own.is_called(alias)));
        let has_it = |own: &super::scope::Relation| own.columns.iter().flatten().any(|(name, _)| self.is_from(name));
        let touched = meant.clone().any(|own| own.is(self.renamed.table) && has_it(own));
        if !touched {
            return None;
        }
        match alias {
            Some(_) => {
                let own = meant.next()?;
                Some(own.columns.as_ref()?.iter().map(|(column, _)| listed(Some(&own.written), column)).collect())
            }
            None => {
                let columns = self.walk.scopes.columns()?;
                Some(columns.iter().map(|(_, column)| listed(column.table.as_deref(), &column.name)).collect())
            }
        }
    }

    fn rename(&self, name: &mut ObjectName) {
        if name_parts(name).last().is_some_and(|column| self.is_from(column))
            && let Some(last) = name.0.last_mut()
        {
            *last = ObjectNamePart::Identifier(ident(self.renamed.to.canonical()));
        }
    }

    fn assign(&self, assignments: &mut [Assignment]) {
        for assignment in assignments {
            match &mut assignment.target {
                AssignmentTarget::ColumnName(name) => self.rename(name),
                AssignmentTarget::Tuple(names) => names.iter_mut().for_each(|name| self.rename(name)),
            }
        }
    }

    fn is_table(&self, name: &ObjectName) -> bool {
        self.walk.relation(&name_parts(name)).as_deref() == Some(self.renamed.table.canonical())
    }
}

impl VisitorMut for Follow<'_> {
    type Break = ();

    fn pre_visit_statement(&mut self, statement: &mut Statement) -> ControlFlow<()> {
        self.walk.enter_statement(statement);
        self.inserts = false;
        match statement {
            Statement::Insert(Insert { table: TableObject::TableName(name), columns, on, .. })
                if self.is_table(name) =>
            {
                self.inserts = true;
                columns.iter_mut().for_each(|column| self.rename(column));
                if let Some(OnInsert::OnConflict(conflict)) = on
                    && let sqlparser::ast::OnConflictAction::DoUpdate(update) = &mut conflict.action
                {
                    self.assign(&mut update.assignments);
                }
            }
            Statement::Update(update) => {
                let sqlparser::ast::TableFactor::Table { name, .. } = &update.table.relation else {
                    return ControlFlow::Continue(());
                };
                if self.is_table(name) {
                    self.assign(&mut update.assignments);
                }
            }
            _ => {}
        }
        ControlFlow::Continue(())
    }

    fn post_visit_statement(&mut self, _: &mut Statement) -> ControlFlow<()> {
        self.walk.scopes.leave();
        ControlFlow::Continue(())
    }

    fn pre_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        self.walk.enter_query(query);
        ControlFlow::Continue(())
    }

    fn post_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        self.walk.leave_query(query);
        ControlFlow::Continue(())
    }

    fn pre_visit_select(&mut self, select: &mut Select) -> ControlFlow<()> {
        self.walk.enter_select(select);
        let items = std::mem::take(&mut select.projection);
        select.projection =
            items.into_iter().flat_map(|item| self.expanded(&item).unwrap_or_else(|| vec![item])).collect();
        let named = |item: &SelectItem| match item {
            SelectItem::UnnamedExpr(expr) => Some(output_name(expr)),
            _ => None,
        };
        self.outputs.push(select.projection.iter().map(named).collect());
        ControlFlow::Continue(())
    }

    fn post_visit_select(&mut self, select: &mut Select) -> ControlFlow<()> {
        let outputs = self.outputs.pop().unwrap_or_default();
        for (item, before) in select.projection.iter_mut().zip(outputs) {
            if let (SelectItem::UnnamedExpr(expr), Some(before)) = (&*item, before)
                && !self.renamed.in_canonical
                && output_name(expr) != before
            {
                *item = SelectItem::ExprWithAlias { expr: expr.clone(), alias: ident(&before) };
            }
        }
        self.walk.scopes.leave();
        ControlFlow::Continue(())
    }

    fn post_visit_expr(&mut self, expr: &mut Expr) -> ControlFlow<()> {
        let column = match expr {
            Expr::Identifier(column) if self.is_meant(None, &ident_value(column)) => Some(column),
            Expr::CompoundIdentifier(parts) => match &mut parts[..] {
                [.., qualifier, column] if self.is_meant(Some(&ident_value(qualifier)), &ident_value(column)) => {
                    Some(column)
                }
                _ => None,
            },
            _ => None,
        };
        if let Some(column) = column {
            *column = ident(self.renamed.to.canonical());
        }
        ControlFlow::Continue(())
    }
}
