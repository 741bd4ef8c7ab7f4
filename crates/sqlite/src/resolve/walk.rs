//! The walk over a statement's tree: expressions, and what is found in all of it.

use syntaqlite::nodes::{ColumnRef, Expr, ExprList, InExprSource, OrderByList, WindowDef};
use wevrun_core::model::{Name, QualifiedName, Reference, References, Span, Unresolved, Usage};

use super::schema::{Columns, Schema};
use super::scope::{self, Level, Meaning};
use crate::names::object_name;
use crate::syntax::{Identifier, Tree};

/// The resolved names of a statement.
#[derive(Debug, Clone, Default)]
pub struct Found {
    /// The uses of objects and columns.
    pub references: References,
    /// The words in double quotes that are strings, in order.
    pub strings: Vec<Span>,
    /// The names that certainly nothing has.
    pub unresolved: Vec<Unresolved>,
}

/// The state of a walk.
pub struct Walk<'w> {
    pub(super) schema: &'w Schema<'w>,
    pub(super) tree: &'w Tree<'w>,
    pub(super) levels: Vec<Level>,
    /// Common table expressions in sight, the innermost last.
    pub(super) common: Vec<(Name, Columns)>,
    references: Vec<Reference>,
    strings: Vec<Span>,
    unresolved: Vec<Unresolved>,
}

impl<'w> Walk<'w> {
    /// A walk that has found nothing yet.
    pub fn new(schema: &'w Schema<'w>, tree: &'w Tree<'w>) -> Walk<'w> {
        Walk {
            schema,
            tree,
            levels: Vec::new(),
            common: Vec::new(),
            references: Vec::new(),
            strings: Vec::new(),
            unresolved: Vec::new(),
        }
    }

    /// The result of the walk.
    pub fn found(mut self) -> Found {
        self.strings.sort_unstable();
        self.unresolved.sort();
        self.unresolved.dedup();
        Found { references: self.references.into_iter().collect(), strings: self.strings, unresolved: self.unresolved }
    }

    /// Notes a use of an object.
    pub(super) fn uses(&mut self, object: &QualifiedName, usage: Usage, span: Option<Span>) {
        self.references.push(Reference { object: object.clone(), column: None, usage, span });
    }

    /// Notes a use of a column of an object.
    pub(super) fn uses_column(&mut self, object: &QualifiedName, column: &Name, usage: Usage, span: Option<Span>) {
        self.references.push(Reference { object: object.clone(), column: Some(column.clone()), usage, span });
    }

    /// Notes the use of a column that the grammar names without a table.
    pub(super) fn column_of(&mut self, object: &QualifiedName, column: Option<Identifier>, usage: Usage) {
        if let Some(column) = column {
            self.uses_column(object, &column.name, usage, column.span);
        }
    }

    pub(super) fn expressions(&mut self, list: Option<ExprList<'_>>) {
        list.iter().flat_map(|list| list.iter()).for_each(|expression| self.expression(Some(expression)));
    }

    pub(super) fn terms(&mut self, list: Option<OrderByList<'_>>) {
        list.iter().flat_map(|list| list.iter()).for_each(|term| self.expression(term.expr()));
    }

    /// An expression.
    pub(super) fn expression(&mut self, expression: Option<Expr<'_>>) {
        let Some(expression) = expression else { return };
        stacker::maybe_grow(64 * 1024, 2 * 1024 * 1024, || self.node(expression));
    }

    fn node(&mut self, expression: Expr<'_>) {
        match expression {
            Expr::ColumnRef(column) => self.column(&column),
            Expr::Literal(_) | Expr::Variable(_) | Expr::Error(_) => {}
            Expr::BinaryExpr(node) => {
                self.expression(node.left());
                self.expression(node.right());
            }
            Expr::UnaryExpr(node) => self.expression(node.operand()),
            Expr::ParenExpr(node) => self.expression(node.expr()),
            Expr::FunctionCall(node) => {
                self.expressions(node.args());
                self.expression(node.filter_clause());
                self.window(node.over_clause());
            }
            Expr::AggregateFunctionCall(node) => {
                self.expressions(node.args());
                self.terms(node.orderby());
                self.expression(node.filter_clause());
                self.window(node.over_clause());
            }
            Expr::OrderedSetFunctionCall(node) => {
                self.expressions(node.args());
                self.expression(node.orderby_expr());
                self.expression(node.filter_clause());
                self.window(node.over_clause());
            }
            Expr::CastExpr(node) => self.expression(node.expr()),
            Expr::CollateExpr(node) => self.expression(node.expr()),
            Expr::CaseExpr(node) => {
                self.expression(node.operand());
                for when in node.whens().iter().flat_map(|list| list.iter()) {
                    self.expression(when.when_expr());
                    self.expression(when.then_expr());
                }
                self.expression(node.else_expr());
            }
            Expr::IsExpr(node) => {
                self.expression(node.left());
                self.expression(node.right());
            }
            Expr::BetweenExpr(node) => {
                self.expression(node.operand());
                self.expression(node.low());
                self.expression(node.high());
            }
            Expr::LikeExpr(node) => {
                self.expression(node.operand());
                self.expression(node.pattern());
                self.expression(node.escape());
            }
            Expr::InExpr(node) => {
                self.expression(node.operand());
                self.in_source(node.source());
            }
            Expr::SubqueryExpr(node) => self.subquery(node.select()),
            Expr::ExistsExpr(node) => self.subquery(node.select()),
            Expr::RaiseExpr(node) => self.expression(node.error_message()),
            Expr::RowValue(node) => self.expressions(node.items()),
        }
    }

    /// The right side of IN.
    fn in_source(&mut self, source: Option<InExprSource<'_>>) {
        use syntaqlite::nodes::Select;
        match source {
            Some(InExprSource::ExprList(list)) => self.expressions(Some(list)),
            Some(InExprSource::SubqueryExpr(node)) => self.subquery(node.select()),
            Some(InExprSource::SelectStmt(node)) => self.subquery(Some(Select::SelectStmt(node))),
            Some(InExprSource::CompoundSelect(node)) => self.subquery(Some(Select::CompoundSelect(node))),
            Some(InExprSource::WithClause(node)) => self.subquery(Some(Select::WithClause(node))),
            Some(InExprSource::ValuesClause(node)) => self.subquery(Some(Select::ValuesClause(node))),
            Some(InExprSource::TableRef(table)) => {
                self.expressions(table.args());
                if let Some(relation) = self.table(&table).relation {
                    self.uses(&relation, Usage::WholeRow, None);
                }
            }
            None => {}
        }
    }

    /// OVER (…), or a window of WINDOW.
    pub(super) fn window(&mut self, window: Option<WindowDef<'_>>) {
        let Some(window) = window else { return };
        self.expressions(window.partition_by());
        self.terms(window.orderby());
        if let Some(frame) = window.frame() {
            for bound in [frame.start_bound(), frame.end_bound()].into_iter().flatten() {
                self.expression(bound.expr());
            }
        }
    }

    /// `[[schema.]table.]column`.
    fn column(&mut self, node: &ColumnRef<'_>) {
        let Some(column) = self.tree.identifier(node.column()) else { return };
        let qualifier = self.tree.identifier(node.table());
        let found = scope::column(&self.levels, qualifier.as_ref().map(|own| &own.name), &column.name);
        if let (Some(qualifier), Some(relation)) = (&qualifier, &found.qualified) {
            self.uses(relation, Usage::Qualifies, qualifier.span);
        }
        let qualifier = qualifier.map(|qualifier| qualifier.name);
        match found.meaning {
            Meaning::Column(relation) => self.uses_column(&relation, &column.name, Usage::Reads, column.span),
            Meaning::Local => {}
            // A word in double quotes that is no column is a string: https://sqlite.org/quirks.html#dblquote
            Meaning::Possible(relations) if !self.is_string(&relations, qualifier.as_ref(), &column) => {
                for relation in relations {
                    self.uses_column(&relation, &column.name, Usage::Possible, column.span);
                }
            }
            Meaning::Possible(_) => self.strings.extend(column.span),
            Meaning::Nothing if qualifier.is_none() && column.quote == Some(b'"') => self.strings.extend(column.span),
            Meaning::Nothing if is_truth_value(&column) => {}
            Meaning::Nothing => {
                let qualifier = qualifier.map(|qualifier| qualifier.written().to_owned());
                self.unresolved.push(Unresolved::Column(qualifier, column.name.written().to_owned()));
            }
        }
    }

    /// Whether a word that only an unknown source can have is taken for a string: the source is no table or view of the schema.
    fn is_string(&self, relations: &[QualifiedName], qualifier: Option<&Name>, column: &Identifier) -> bool {
        qualifier.is_none() && column.quote == Some(b'"') && relations.iter().all(|relation| !self.schema.has(relation))
    }

    /// The columns that both of some sources have by this name: USING and NATURAL.
    pub(super) fn merged_column(&mut self, before: usize, column: &Name, usage: Usage, span: Option<Span>) {
        let level = self.levels.last_mut().expect("FROM belongs to a query");
        let (left, right) = level.sources.split_at_mut(before);
        let left = left.iter().filter(|source| source.has(column) == Some(true) && !source.merged.contains(column));
        let mut relations: Vec<QualifiedName> = left.filter_map(|source| source.relation.clone()).collect();
        for source in right.iter_mut().filter(|source| source.has(column) != Some(false)) {
            relations.extend(source.relation.clone());
            source.merged.push(column.clone());
        }
        for relation in relations {
            self.uses_column(&relation, column, usage, span);
        }
    }

    /// The name of an object, where the grammar has one. (A name may be empty: then the tree does not tell its place.)
    pub(super) fn object(&self, part: &str) -> (QualifiedName, Identifier) {
        let nameless = || Identifier { name: Name::none(), span: None, quote: Some(b'"') };
        let identifier = self.tree.identifier(part).unwrap_or_else(nameless);
        (object_name(identifier.name.written()), identifier)
    }

    /// Notes INDEXED BY.
    pub(super) fn hint(&mut self, part: &str) {
        if let Some(index) = self.tree.identifier(part) {
            self.uses(&object_name(index.name.written()), Usage::Hints, index.span);
        }
    }
}

/// TRUE and FALSE are words that no column has (<https://sqlite.org/datatype3.html#boolean_datatype>).
fn is_truth_value(column: &Identifier) -> bool {
    column.quote.is_none() && matches!(column.name.canonical(), "true" | "false")
}
