//! The walk over a tree that brings it to one spelling.

use std::collections::BTreeSet;
use std::ops::ControlFlow;

use sqlparser::ast::{
    AccessExpr, DataType, Expr, FromTable, FunctionArg, FunctionArgExpr, FunctionArguments, GroupByExpr, Insert,
    ObjectName, ObjectNamePart, OrderByKind, Query, Select, SelectItem, SetExpr, Statement, TableAlias,
    TableAliasWithoutColumns, TableFactor, TableObject, UpdateTableFromKind, Value, VisitorMut,
};

use sqlparser::tokenizer::Span;

use super::super::names;
use super::ctes::Cte;
use super::joins;
use super::known::Known;
use super::outputs::*;
use super::references::{Seen, Surroundings};
use super::scope::{Columns, Relation, Scopes, Tables};
use super::sets::*;
use super::stored::Aside;
use super::tree::*;
use wevrun_core::model::Unresolved;

/// The walk.
pub struct Walk<'k> {
    pub(super) known: &'k Known,
    pub(super) own_schema: &'k str,
    pub(super) home_schema: &'k str,
    pub(super) scopes: Scopes,
    /// Whether everything has been brought to its one spelling so far.
    pub sure: bool,
    /// WITH queries around.
    pub(super) ctes: Vec<Cte>,
    /// The addresses of the queries of WITH around, each with its place among them: it does not see itself and those after it.
    pub(super) cte_queries: Vec<(usize, usize)>,
    /// Parts of the INSERTs around, which have been walked over.
    aside: Vec<Aside>,
    /// What the columns of the SELECTs around are called: ORDER BY and DISTINCT ON may mean these.
    outputs: Vec<Vec<String>>,
    /// The fields of composite values that were met: they are no columns.
    fields: BTreeSet<String>,
    /// In how many queries it is only looked at what columns they have, before they are walked over.
    pub(super) looking_ahead: usize,
    /// What is named and certainly not there.
    pub unresolved: BTreeSet<Unresolved>,
    /// The references.
    pub seen: Vec<Seen>,
    /// The places of attributes that are taken from values: they are no columns.
    pub(super) attributes: Vec<Span>,
    /// The surroundings of the references, if they are kept.
    pub around: Option<Surroundings<Span>>,
    /// Whether it could not be told of which table a column is.
    pub misses_columns: bool,
}

impl<'k> Walk<'k> {
    /// A walk over what stands in these scopes.
    pub fn new(known: &'k Known, (own_schema, home_schema): (&'k str, &'k str), scopes: Scopes) -> Walk<'k> {
        Walk {
            known,
            own_schema,
            home_schema,
            scopes,
            sure: true,
            ctes: Vec::new(),
            cte_queries: Vec::new(),
            aside: Vec::new(),
            outputs: Vec::new(),
            fields: BTreeSet::new(),
            looking_ahead: 0,
            unresolved: BTreeSet::new(),
            seen: Vec::new(),
            attributes: Vec::new(),
            around: None,
            misses_columns: false,
        }
    }

    /// The type of a column by its qualifier and name.
    pub fn column_type(&self, qualifier: Option<&str>, name: &str) -> Option<String> {
        self.scopes.declared_type(qualifier, name).map(|data_type| self.known.effective_type(data_type))
    }

    /// The table or view that a name in FROM means; none if it is a WITH query, or not known.
    pub fn relation(&self, parts: &[String]) -> Option<String> {
        if self.cte(parts).is_some() { None } else { self.known.relation_in_query(parts, self.own_schema) }
    }

    /// Whether a SELECT around calls a column of its result so.
    pub(super) fn is_an_output(&self, name: &str) -> bool {
        self.outputs.iter().flatten().any(|own| own == name)
    }

    pub(super) fn column(&mut self, expr: &mut Expr) {
        let (qualifier, column) = match expr {
            Expr::Identifier(column) => {
                let name = ident_value(column);
                self.sees_column(&[], column);
                if self.scopes.lacks(&name)
                    && !is_special(&name)
                    && !name.contains('"')
                    && !self.fields.contains(&name)
                    && !self.is_an_output(&name)
                {
                    self.unresolved.insert(Unresolved::Column(None, name.clone()));
                }
                // One of several relations has it, and it can't be said which.
                self.sure &= self.scopes.knows(&name) || is_special(&name);
                match (self.scopes.qualifier_of(&name), self.scopes.called(&name)) {
                    // The rows of a function that gives single values are these values.
                    (None, Some(Relation { alias, columns: Some(columns), scalar: true, .. }))
                        if columns.len() == 1 =>
                    {
                        (Some(alias.as_str()), columns[0].0.clone())
                    }
                    (None, Some(row)) => (None, row.alias.clone()),
                    (qualifier, _) => (qualifier, name),
                }
            }
            Expr::CompoundIdentifier(parts) => match &parts[..] {
                [qualifiers @ .., column] if !qualifiers.is_empty() => {
                    let written = ident_value(&qualifiers[qualifiers.len() - 1]);
                    self.sees_column(qualifiers, column);
                    let lacks =
                        |relation: &Relation| relation.lacks(&ident_value(column)) && !column.value.contains('"');
                    if self.scopes.called(&written).is_some_and(lacks) {
                        self.unresolved.insert(Unresolved::Column(Some(written.clone()), ident_value(column)));
                    }
                    let qualifier = self.scopes.qualifier(&written).map(str::to_owned);
                    *expr = column_of(qualifier.as_deref(), &ident_value(column));
                    return;
                }
                _ => return,
            },
            _ => return,
        };
        *expr = column_of(qualifier, &column);
    }

    /// Brings the select's list, tables and clauses to one form. Nothing in it has been visited yet.
    fn select(&mut self, select: &mut Select) {
        for table in &mut select.from {
            if joins::has_natural(table) {
                self.name_natural(table);
            }
            flatten(table);
        }
        // The columns of `*`.
        let mut projection = Vec::new();
        for item in std::mem::take(&mut select.projection) {
            let expanded = self.expanded(&item);
            // The server lists the columns.
            self.sure &= expanded.is_some() || !is_wildcard(&item);
            self.misses_columns |= expanded.is_none() && is_wildcard(&item);
            match expanded {
                Some(columns) => {
                    projection.extend(columns.iter().map(|(table, column)| listed(table.as_deref(), column)))
                }
                None => projection.push(match item {
                    SelectItem::UnnamedExpr(expr) => {
                        let alias = ident(&output_name(&expr));
                        SelectItem::ExprWithAlias { expr, alias }
                    }
                    SelectItem::ExprWithAlias { expr, alias } => {
                        SelectItem::ExprWithAlias { expr, alias: ident(&ident_value(&alias)) }
                    }
                    other => other,
                }),
            }
        }
        select.projection = projection;
        // GROUP BY 1 and GROUP BY alias.
        let listed = outputs_by_name(&select.projection);
        if let GroupByExpr::Expressions(expressions, _) = &mut select.group_by {
            for expr in expressions {
                self.resolve_output(expr, &listed, false);
            }
        }
    }

    /// An ordinal or an output's name as its expression. In ORDER BY an output's name is first, in
    /// GROUP BY a column's (<https://www.postgresql.org/docs/current/sql-select.html#SQL-ORDERBY>).
    fn resolve_output(&self, expr: &mut Expr, listed: &[(String, Expr)], output_first: bool) {
        match expr {
            Expr::Value(value) => {
                if let Value::Number(number, _) = &value.value
                    && let Some((_, output)) = number.parse::<usize>().ok().and_then(|n| listed.get(n.wrapping_sub(1)))
                {
                    *expr = output.clone();
                }
            }
            Expr::Identifier(name) => {
                let name = ident_value(name);
                let is_column = self.scopes.has_column(&name);
                if (output_first || !is_column)
                    && let Some((_, output)) = listed.iter().find(|(listed, _)| *listed == name)
                {
                    *expr = output.clone();
                }
            }
            _ => {}
        }
    }

    pub(super) fn data_type(&self, data_type: &DataType) -> DataType {
        let text = self.known.qualified_types(&type_text(data_type), self.own_schema);
        let text = text.strip_prefix("public.").map_or(text.clone(), str::to_owned);
        custom(&text)
    }

    /// `t.tags[1]` and `(t).title`: what stands before the first bracket is a column like any other.
    pub(super) fn field_access(&self, expr: &mut Expr) {
        let Expr::CompoundFieldAccess { root, access_chain } = expr else { return };
        let alias = match &**root {
            Expr::Identifier(alias) => alias.clone(),
            Expr::Nested(inner) => match &**inner {
                Expr::Identifier(alias) => alias.clone(),
                _ => return,
            },
            _ => return,
        };
        let in_sight = self.scopes.called(&ident_value(&alias)).is_some();
        let Some(AccessExpr::Dot(Expr::Identifier(column))) = access_chain.first().filter(|_| in_sight) else { return };
        let whole = Expr::CompoundIdentifier(vec![alias, column.clone()]);
        let rest = access_chain.split_off(1);
        *expr = if rest.is_empty() {
            whole
        } else {
            Expr::CompoundFieldAccess { root: Box::new(whole), access_chain: rest }
        };
    }
}

/// The number of a column in place of its name.
fn number_output(expr: &mut Expr, outputs: Option<&[(String, Option<String>)]>) {
    let Expr::Identifier(name) = expr else { return };
    let name = ident_value(name);
    let position = outputs.iter().flat_map(|columns| columns.iter()).position(|(column, _)| *column == name);
    if let Some(position) = position {
        *expr = Expr::value(Value::Number((position + 1).to_string(), false));
    }
}

impl Walk<'_> {
    /// What a statement that is no query has in sight.
    pub fn enter_statement(&mut self, statement: &Statement) {
        let relations = match statement {
            Statement::Update(update) => {
                let mut relations = self.tables_of(std::slice::from_ref(&update.table)).relations;
                if let Some(UpdateTableFromKind::AfterSet(from) | UpdateTableFromKind::BeforeSet(from)) = &update.from {
                    relations.extend(self.tables_of(from).relations);
                }
                relations
            }
            Statement::Delete(delete) => {
                let (FromTable::WithFromKeyword(from) | FromTable::WithoutKeyword(from)) = &delete.from;
                let mut relations = self.tables_of(from).relations;
                relations.extend(delete.using.iter().flat_map(|using| self.tables_of(using).relations));
                relations
            }
            Statement::Insert(Insert { table: TableObject::TableName(name), table_alias, columns, .. }) => {
                if columns.is_empty() {
                    self.reads_row_of(self.relation(&name_parts(name)));
                }
                // Its name is taken in the query that it may hold, its columns are not in sight there.
                let alias = table_alias.as_ref().map(|alias| ident_value(&alias.alias));
                let name = alias.unwrap_or_else(|| name_parts(name).pop().unwrap_or_default());
                vec![Relation { is_hidden: true, ..Relation::new(name, Some(Columns::default())) }]
            }
            Statement::Query(_) => Vec::new(),
            _ => {
                self.misses_columns = true;
                Vec::new()
            }
        };
        self.scopes.enter(Tables::of(relations));
    }

    /// What a query has in sight. A SELECT has a level of its own; one of several has one within the whole's.
    pub fn enter_query(&mut self, query: &Query) {
        self.enter_ctes(query);
        match &*query.body {
            SetExpr::Select(select) => {
                let from = self.tables_of(&select.from);
                self.scopes.enter_query(from);
            }
            _ => self.scopes.enter(Tables::default()),
        }
    }

    /// What it had in sight goes out of sight.
    pub fn leave_query(&mut self, query: &Query) {
        self.scopes.leave();
        self.leave_ctes(query);
    }

    /// What a SELECT has in sight.
    pub fn enter_select(&mut self, select: &Select) {
        let from = self.tables_of(&select.from);
        self.scopes.enter_select(from);
    }
}

impl VisitorMut for Walk<'_> {
    type Break = ();

    fn pre_visit_statement(&mut self, statement: &mut Statement) -> ControlFlow<()> {
        if let Statement::Insert(insert) = statement {
            self.name_inserted(insert);
        }
        self.sees_targets(statement);
        Self::fold_targets(statement);
        if let Statement::Insert(insert) = statement {
            let aside = self.aside(insert);
            self.aside.push(aside);
        }
        self.enter_statement(statement);
        // The server calls a target otherwise where a row of a rule has the name.
        if let Statement::Insert(insert) = statement
            && let [target] = self.scopes.innermost()
        {
            let is_numbered = target.alias != target.written;
            match &mut insert.table_alias {
                Some(alias) => alias.alias = ident(&target.alias),
                None if is_numbered => {
                    insert.table_alias = Some(TableAliasWithoutColumns { explicit: true, alias: ident(&target.alias) });
                }
                None => {}
            }
        }
        match statement {
            Statement::Update(update) => {
                Self::split_assignments(&mut update.assignments);
                self.returned(&mut update.returning);
            }
            Statement::Delete(delete) => self.returned(&mut delete.returning),
            _ => {}
        }
        ControlFlow::Continue(())
    }

    fn post_visit_statement(&mut self, statement: &mut Statement) -> ControlFlow<()> {
        if let Statement::Insert(insert) = statement {
            (insert.on, insert.returning) = self.aside.pop().unwrap_or_default();
        }
        self.as_stored_by(statement);
        self.scopes.leave();
        ControlFlow::Continue(())
    }

    fn pre_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        if let SetExpr::Table(table) = &*query.body
            && let Some(select) = select_all(table)
        {
            *query.body = select;
        }
        if let SetExpr::Values(values) = &mut *query.body {
            self.expand_rows(values);
        }
        self.enter_query(query);
        let is_ordered_set = query.order_by.is_some() && !matches!(&*query.body, SetExpr::Select(_));
        let outputs = if is_ordered_set { self.outputs(query) } else { None };
        fetch_as_limit(query);
        if let Some(order) = &mut query.order_by
            && let OrderByKind::Expressions(items) = &mut order.kind
        {
            match &*query.body {
                SetExpr::Select(select) => {
                    let listed = outputs_by_name(&select.projection);
                    items.iter_mut().for_each(|item| self.resolve_output(&mut item.expr, &listed, true));
                }
                // Of several SELECTs the server says the numbers of the columns.
                _ => items
                    .iter_mut()
                    .for_each(|item| number_output(&mut item.expr, outputs.as_ref().map(|columns| &columns[..]))),
            }
            // What is ordered already can't be ordered again (`addTargetToSortList()`).
            let mut kept: Vec<Expr> = Vec::new();
            items.retain(|item| {
                !kept.contains(&item.expr) && {
                    kept.push(item.expr.clone());
                    true
                }
            });
            items.iter_mut().for_each(usual_order);
        }
        ControlFlow::Continue(())
    }

    fn post_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        self.leave_query(query);
        one_set(&mut query.body);
        // FOR UPDATE of the only table that there is.
        if let SetExpr::Select(select) = &*query.body
            && let [table] = &select.from[..]
            && table.joins.is_empty()
        {
            query.locks.iter_mut().for_each(|lock| lock.of = None);
        }
        // A query in parentheses that is all there is.
        if let SetExpr::Query(inner) = &*query.body
            && query.with.is_none()
            && query.order_by.is_none()
            && query.limit_clause.is_none()
        {
            *query = (**inner).clone();
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_select(&mut self, select: &mut Select) -> ControlFlow<()> {
        self.enter_select(select);
        self.sees_select(select);
        self.select(select);
        // A column that only has its own name is none to be named.
        let called = outputs_by_name(&select.projection).into_iter();
        let other = called.filter(|(name, expr)| !matches!(expr, Expr::Identifier(own) if ident_value(own) == *name));
        self.outputs.push(other.map(|(name, _)| name).collect());
        ControlFlow::Continue(())
    }

    fn post_visit_select(&mut self, _: &mut Select) -> ControlFlow<()> {
        self.outputs.pop();
        self.scopes.leave();
        ControlFlow::Continue(())
    }

    fn pre_visit_relation(&mut self, name: &mut ObjectName) -> ControlFlow<()> {
        let parts = name_parts(name);
        if self.cte(&parts).is_some() {
            *name = ObjectName(vec![ObjectNamePart::Identifier(ident(&parts[0]))]);
            return ControlFlow::Continue(());
        }
        self.sees_relation(name);
        let found = self.known.relation_in_query(&parts, self.own_schema);
        let mut parts = found.map_or(parts, |name| names::parts(&name));
        if parts.len() > 1 && matches!(parts[0].as_str(), "public" | "pg_catalog") {
            parts.remove(0);
        }
        *name = ObjectName(parts.iter().map(|part| ObjectNamePart::Identifier(ident(part))).collect());
        ControlFlow::Continue(())
    }

    fn pre_visit_table_factor(&mut self, factor: &mut TableFactor) -> ControlFlow<()> {
        one_kind_of_function(factor);
        self.sees_table(factor);
        // The server lists all columns of a join that has a name if any has another one there, or both sides have it.
        if let TableFactor::NestedJoin { table_with_joins, alias: Some(alias) } = factor {
            let columns = self.add_relations(table_with_joins, &mut Vec::new());
            self.sure &= columns.is_some_and(|columns| match alias.columns.len() {
                0 => !joins::has_twice(&columns),
                listed => listed == columns.len(),
            });
        }
        ControlFlow::Continue(())
    }

    fn post_visit_table_factor(&mut self, factor: &mut TableFactor) -> ControlFlow<()> {
        self.numbered_alias(factor);
        if let TableFactor::Function { name, args, .. } = factor {
            let resolved = self.resolved(name);
            self.sees_call(name, &resolved, args.len());
            *name = self.called(name);
            let function = name_parts(name).pop().unwrap_or_default();
            let given = args.iter_mut().filter_map(|argument| match argument {
                FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) => Some(expr),
                _ => None,
            });
            let mut given: Vec<&mut Expr> = given.collect();
            self.constants_told(&function, &mut given);
            given.into_iter().for_each(|expr| self.argument(expr, &function));
        }
        if let TableFactor::Table { alias: Some(alias), args: None, .. }
        | TableFactor::Function { alias: Some(alias), .. } = factor
        {
            self.complete_alias(alias);
        }
        // Names that the columns have anyway are not said.
        if let TableFactor::Table { name, alias: Some(alias), args: None, .. } = factor {
            let table = self.relation(&name_parts(name)).and_then(|table| self.known.columns.get(&table));
            let usual = table.is_some_and(|columns| {
                columns.len() == alias.columns.len()
                    && columns.iter().zip(&alias.columns).all(|((own, _), called)| *own == ident_value(&called.name))
            });
            if usual {
                alias.columns.clear();
            }
        }
        let with_ordinality = matches!(factor, TableFactor::Function { with_ordinality: true, .. });
        if let TableFactor::Table { name, alias, args, .. } = factor {
            let own = name_parts(name).pop().unwrap_or_default();
            let redundant = args.is_none()
                && alias.as_ref().is_some_and(|alias| alias.columns.is_empty() && ident_value(&alias.name) == own);
            if redundant {
                *alias = None;
            }
        }
        let own_names = self.rows_of(factor).filter(|rows| !rows.scalar);
        let own_names = own_names.map(|rows| rows.columns.iter().map(|(name, _)| name.clone()).collect::<Vec<_>>());
        let function = match factor {
            TableFactor::Table { args, name, .. } if args.is_some() => name_parts(name).pop(),
            TableFactor::Function { name, .. } => name_parts(name).pop(),
            TableFactor::UNNEST { .. } => Some("unnest".to_owned()),
            _ => None,
        };
        if let TableFactor::Table { alias, .. }
        | TableFactor::Function { alias, .. }
        | TableFactor::UNNEST { alias, .. }
        | TableFactor::Derived { alias, .. }
        | TableFactor::NestedJoin { alias, .. } = factor
        {
            if let (None, Some(name)) = (&alias, &function) {
                *alias = Some(TableAlias { explicit: false, name: ident(name), columns: Vec::new(), at: None });
            }
            if let Some(alias) = alias {
                alias.explicit = true;
                alias.name = ident(&ident_value(&alias.name));
                for column in &mut alias.columns {
                    column.name = ident(&ident_value(&column.name));
                    column.data_type.iter().for_each(|data_type| self.sees_type(data_type));
                    column.data_type = column.data_type.as_ref().map(|data_type| self.data_type(data_type));
                }
                // The server lists what the columns of a function are called anyway.
                let mut listed: Vec<String> = alias.columns.iter().map(|column| ident_value(&column.name)).collect();
                listed.pop_if(|last| with_ordinality && last == "ordinality");
                let untyped = alias.columns.iter().all(|column| column.data_type.is_none());
                if let Some(function) = function
                    && untyped
                    && (listed == [ident_value(&alias.name)]
                        || function_columns(&function).is_some_and(|usual| listed == usual)
                        || own_names.is_some_and(|own| listed == own))
                {
                    alias.columns.clear();
                }
            }
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_expr(&mut self, expr: &mut Expr) -> ControlFlow<()> {
        if let Expr::CompoundFieldAccess { access_chain, .. } = &*expr {
            self.fields.extend(access_chain.iter().filter_map(|access| match access {
                AccessExpr::Dot(Expr::Identifier(field)) => Some(ident_value(field)),
                _ => None,
            }));
        }
        // f(name => value)
        if let Expr::Function(function) = &*expr
            && let FunctionArguments::List(list) = &function.args
        {
            self.fields.extend(list.args.iter().filter_map(|argument| match argument {
                FunctionArg::ExprNamed { name: Expr::Identifier(name), .. } => Some(ident_value(name)),
                _ => None,
            }));
        }
        self.sees_cast(expr);
        self.sees_operator(expr);
        self.field_access(expr);
        self.sees_attribute(expr);
        negative_base(expr);
        collated_operand(expr);
        ControlFlow::Continue(())
    }

    fn post_visit_expr(&mut self, expr: &mut Expr) -> ControlFlow<()> {
        self.node(expr);
        ControlFlow::Continue(())
    }
}
