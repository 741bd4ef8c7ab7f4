//! Queries: FROM, result columns, WITH and compound selects (<https://sqlite.org/lang_select.html>).

use syntaqlite::nodes::{
    CteList, Expr, JoinClause, JoinType, OrderByList, ResultColumn, Select, SelectStmt, Stmt, TableRef, TableSource,
};
use wevrun_core::model::{Identifiers, Name, Usage};

use super::schema::{self, Columns};
use super::scope::{Level, Source};
use super::walk::Walk;
use crate::Sqlite;
use crate::names::name;

/// The arms of a query: its columns, and the names of each arm for ORDER BY.
struct Arms {
    columns: Columns,
    levels: Vec<Level>,
}

impl Walk<'_> {
    /// The columns of a statement that is a query.
    pub fn statement_outputs(&mut self, statement: Stmt<'_>) -> Columns {
        match statement {
            Stmt::SelectStmt(node) => self.select(Select::SelectStmt(node)),
            Stmt::CompoundSelect(node) => self.select(Select::CompoundSelect(node)),
            Stmt::ValuesClause(node) => self.select(Select::ValuesClause(node)),
            Stmt::WithClause(node) => self.select(Select::WithClause(node)),
            _ => Columns::Unknown,
        }
    }

    /// A query in an expression.
    pub(super) fn subquery(&mut self, select: Option<Select<'_>>) {
        if let Some(select) = select {
            self.select(select);
        }
    }

    /// A query; returns its columns.
    pub(super) fn select(&mut self, select: Select<'_>) -> Columns {
        stacker::maybe_grow(64 * 1024, 2 * 1024 * 1024, || self.arms(select).columns)
    }

    fn arms(&mut self, select: Select<'_>) -> Arms {
        match select {
            Select::SelectStmt(node) => self.simple(&node),
            Select::ValuesClause(node) => {
                let mut width = 0;
                for row in node.rows().iter().flat_map(|rows| rows.iter()) {
                    width = row.len();
                    self.expressions(Some(row));
                }
                let columns = (1..=width).map(|number| name(&format!("column{number}"))).collect();
                Arms { columns, levels: Vec::new() }
            }
            Select::WithClause(node) => {
                let outer = self.common.len();
                self.with(node.ctes());
                let arms = node.select().map(|select| self.arms(select));
                self.common.truncate(outer);
                arms.unwrap_or(Arms { columns: Columns::Unknown, levels: Vec::new() })
            }
            Select::CompoundSelect(node) => {
                let mut arms = Arms { columns: Columns::Unknown, levels: Vec::new() };
                if let Some(left) = node.left() {
                    arms = self.arms(left);
                }
                if let Some(right) = node.right() {
                    arms.levels.extend(self.arms(right).levels);
                }
                self.compound_order(node.orderby(), &arms);
                if let Some(limit) = node.limit_clause() {
                    self.expression(limit.limit());
                    self.expression(limit.offset());
                }
                arms
            }
        }
    }

    /// WITH: each expression sees all of them.
    pub(super) fn with(&mut self, list: Option<CteList<'_>>) {
        let outer = self.common.len();
        let definitions: Vec<_> = list.iter().flat_map(|list| list.iter()).collect();
        for definition in &definitions {
            let Some(own) = self.tree.identifier(definition.cte_name()) else { continue };
            let listed = definition.columns().map(|columns| self.listed(columns.iter()));
            self.common.push((own.name, listed.unwrap_or(Columns::Unknown)));
        }
        for (index, definition) in definitions.iter().enumerate() {
            let columns = definition.select().map_or(Columns::Unknown, |select| self.select(select));
            if let Some((_, known)) = self.common.get_mut(outer + index)
                && *known == Columns::Unknown
            {
                *known = columns;
            }
        }
    }

    /// Names in a list that defines columns.
    fn listed<'e>(&self, columns: impl Iterator<Item = Expr<'e>>) -> Columns {
        let named = columns.filter_map(|column| match column {
            Expr::ColumnRef(column) => self.tree.identifier(column.column()),
            _ => None,
        });
        named.map(|column| column.name).collect()
    }

    /// One SELECT.
    fn simple(&mut self, node: &SelectStmt<'_>) -> Arms {
        self.levels.push(Level::default());
        let mut conditions = Vec::new();
        if let Some(from) = node.from_clause() {
            self.source(from, &mut conditions);
        }
        conditions.into_iter().for_each(|condition| self.expression(Some(condition)));
        let mut columns = Some(Vec::new());
        let mut aliases = Vec::new();
        for column in node.columns().iter().flat_map(|list| list.iter()) {
            self.result(&column, &mut columns, &mut aliases);
        }
        self.levels.last_mut().expect("pushed above").aliases = aliases;
        self.expression(node.where_clause());
        self.expressions(node.groupby());
        self.expression(node.having());
        for window in node.window_clause().iter().flat_map(|list| list.iter()) {
            self.window(window.window_def());
        }
        for term in node.orderby().iter().flat_map(|list| list.iter()) {
            if !self.is_alias(term.expr()) {
                self.expression(term.expr());
            }
        }
        if let Some(limit) = node.limit_clause() {
            self.expression(limit.limit());
            self.expression(limit.offset());
        }
        let level = self.levels.pop().expect("pushed above");
        Arms { columns: columns.map_or(Columns::Unknown, |names| names.into_iter().collect()), levels: vec![level] }
    }

    /// Whether a whole term of ORDER BY is an alias of this query's.
    fn is_alias(&self, term: Option<Expr<'_>>) -> bool {
        let aliases = self.levels.last().map_or(&[][..], |level| &level.aliases);
        self.plain_name(term).is_some_and(|name| aliases.contains(&name))
    }

    /// A term that is one name, perhaps with a collation.
    fn plain_name(&self, term: Option<Expr<'_>>) -> Option<Name> {
        match term? {
            Expr::CollateExpr(node) => self.plain_name(node.expr()),
            Expr::ColumnRef(column) if column.table().is_empty() => {
                self.tree.identifier(column.column()).map(|column| column.name)
            }
            _ => None,
        }
    }

    /// ORDER BY of a compound query: an alias of an arm, or an expression as one of the arms has it.
    fn compound_order(&mut self, terms: Option<OrderByList<'_>>, arms: &Arms) {
        for term in terms.iter().flat_map(|list| list.iter()) {
            let own = self.plain_name(term.expr());
            if own.as_ref().is_some_and(|own| arms.levels.iter().any(|level| level.aliases.contains(own))) {
                continue;
            }
            let has = |level: &&Level| {
                own.as_ref().is_none_or(|own| level.sources.iter().any(|source| source.has(own) == Some(true)))
            };
            let Some(level) = arms.levels.iter().find(has) else { continue };
            self.levels.push(level.clone());
            self.expression(term.expr());
            self.levels.pop();
        }
    }

    /// One result column: its names are added to those of the query, which are unknown once one can't be told.
    fn result(&mut self, column: &ResultColumn<'_>, columns: &mut Option<Vec<Name>>, aliases: &mut Vec<Name>) {
        if column.flags().star() {
            let found = self.star(column);
            *columns = columns.take().zip(found).map(|(mut columns, found)| {
                columns.extend(found);
                columns
            });
            return;
        }
        self.expression(column.expr());
        let alias = self.tree.name(column.alias()).map(|alias| alias.name);
        aliases.extend(alias.clone());
        // A column that is neither a name nor has one can't be named from outside but by the text of its expression.
        let own = alias.or_else(|| match column.expr() {
            Some(Expr::ColumnRef(node)) => self.tree.identifier(node.column()).map(|column| column.name),
            _ => None,
        });
        if let Some(columns) = columns {
            columns.push(own.unwrap_or_else(Name::none));
        }
    }

    /// `*` or `name.*`: the columns, if they are known.
    fn star(&mut self, column: &ResultColumn<'_>) -> Option<Vec<Name>> {
        let qualifier = self.tree.star_qualifier(column);
        let level = self.levels.last().expect("a result column belongs to a query");
        let is_meant =
            |source: &&Source| qualifier.as_ref().is_none_or(|own| source.qualifier.as_ref() == Some(&own.name));
        let sources: Vec<Source> = level.sources.iter().filter(is_meant).cloned().collect();
        let mut columns = Some(Vec::new());
        for source in &sources {
            if let Some(relation) = &source.relation {
                self.uses(relation, Usage::WholeRow, None);
                if let Some(qualifier) = qualifier.as_ref().filter(|_| source.has_own_name) {
                    self.uses(relation, Usage::Qualifies, qualifier.span);
                }
            }
            match &source.columns {
                Columns::Known(own) => {
                    let is_shown = |name: &&Name| qualifier.is_some() || !source.merged.contains(name);
                    columns.iter_mut().for_each(|all| all.extend(own.iter().filter(is_shown).cloned()));
                }
                Columns::Unknown => columns = None,
            }
        }
        columns
    }

    /// Adds what is in FROM to the innermost level. Conditions are resolved when all of it is known.
    pub(super) fn source<'t>(&mut self, source: TableSource<'t>, conditions: &mut Vec<Expr<'t>>) {
        match source {
            TableSource::TableRef(table) => {
                let source = self.table(&table);
                self.add(source);
                self.expressions(table.args());
            }
            TableSource::SubqueryTableSource(node) => {
                // It does not see what is beside it.
                let level = self.levels.pop();
                let columns = node.select().map_or(Columns::Unknown, |select| self.select(select));
                self.levels.extend(level);
                self.add(local(self.tree.name(node.alias()).map(|alias| alias.name), columns));
            }
            TableSource::ParenTableSource(node) => {
                if let Some(inner) = node.source() {
                    self.source(inner, conditions);
                }
            }
            TableSource::JoinClause(node) => self.join(&node, conditions),
            TableSource::JoinPrefix(node) => {
                if let Some(inner) = node.source() {
                    self.source(inner, conditions);
                }
            }
        }
    }

    fn join<'t>(&mut self, node: &JoinClause<'t>, conditions: &mut Vec<Expr<'t>>) {
        if let Some(left) = node.left() {
            self.source(left, conditions);
        }
        let before = self.levels.last().map_or(0, |level| level.sources.len());
        if let Some(right) = node.right() {
            self.source(right, conditions);
        }
        conditions.extend(node.on_expr());
        for column in node.using_columns().iter().flat_map(|list| list.iter()) {
            if let Expr::ColumnRef(column) = column
                && let Some(column) = self.tree.identifier(column.column())
            {
                self.merged_column(before, &column.name, Usage::Reads, column.span);
            }
        }
        let is_natural = matches!(
            node.join_type(),
            JoinType::NaturalInner
                | JoinType::NaturalLeft
                | JoinType::NaturalRight
                | JoinType::NaturalFull
                | JoinType::NaturalCross
        );
        if is_natural {
            self.natural(before);
        }
    }

    fn natural(&mut self, before: usize) {
        let sources = self.levels.last().map_or(Vec::new(), |level| level.sources.clone());
        let (left, right) = sources.split_at(before);
        for source in right {
            let Columns::Known(columns) = &source.columns else { continue };
            for column in columns.iter().filter(|column| left.iter().any(|other| other.has(column) == Some(true))) {
                self.merged_column(before, column, Usage::Joins, None);
            }
        }
    }

    pub(super) fn add(&mut self, source: Source) {
        self.levels.last_mut().expect("FROM belongs to a query").sources.push(source);
    }

    /// A table, view, common table expression or function; its use is noted.
    pub(super) fn table(&mut self, table: &TableRef<'_>) -> Source {
        let (relation, own) = self.object(table.table_name());
        let alias = self.tree.name(table.alias()).map(|alias| alias.name);
        self.hint(table.index_name());
        if table.schema().is_empty()
            && let Some((_, columns)) = self.common.iter().rev().find(|(name, _)| *name == own.name)
        {
            return local(Some(alias.unwrap_or(own.name)), columns.clone());
        }
        let is_function = Sqlite.is_built_in(&relation) || (table.has_parens() && !self.schema.has(&relation));
        if is_function {
            let columns = schema::function_columns(&own.name);
            return local(Some(alias.unwrap_or(own.name)), columns);
        }
        self.uses(&relation, Usage::Reads, own.span);
        Source {
            has_own_name: alias.is_none(),
            qualifier: Some(alias.unwrap_or(own.name)),
            columns: self.schema.columns(&relation),
            relation: Some(relation),
            merged: Vec::new(),
            only_qualified: false,
        }
    }
}

/// A source that the statement itself defines.
fn local(qualifier: Option<Name>, columns: Columns) -> Source {
    Source { qualifier, relation: None, columns, merged: Vec::new(), has_own_name: false, only_qualified: false }
}
