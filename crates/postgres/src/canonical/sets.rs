//! Forms of whole queries that say the same, and the parentheses of the canonical spelling.

use std::ops::ControlFlow;

use sqlparser::ast::{Expr, LimitClause, Query, SelectItem, SetExpr, SetOperator, VisitorMut};
use sqlparser::parser::Parser;

/// The columns of a set operation are those of its first query, and parentheses around its left side have no effect.
pub fn one_set(body: &mut SetExpr) {
    let SetExpr::SetOperation { left, right, op, .. } = body else { return };
    let plain = |query: &Query| query.with.is_none() && query.order_by.is_none() && query.limit_clause.is_none();
    // INTERSECT binds closer: https://www.postgresql.org/docs/current/queries-union.html
    let (meets, is_meet) = (*op == SetOperator::Intersect, |body: &SetExpr| {
        matches!(body, SetExpr::SetOperation { op: SetOperator::Intersect, .. })
    });
    while let SetExpr::Query(inner) = &**left
        && plain(inner)
        && (!meets || is_meet(&inner.body) || !matches!(&*inner.body, SetExpr::SetOperation { .. }))
    {
        *left = inner.body.clone();
    }
    // On the right side only around a single SELECT, or what belongs together anyway.
    while let SetExpr::Query(inner) = &**right
        && plain(inner)
        && (matches!(&*inner.body, SetExpr::Select(_) | SetExpr::Query(_)) || !meets && is_meet(&inner.body))
    {
        *right = inner.body.clone();
    }
    one_set(left);
    without_aliases(right);
}

pub fn without_aliases(body: &mut SetExpr) {
    match body {
        SetExpr::Select(select) => {
            for item in &mut select.projection {
                if let SelectItem::ExprWithAlias { expr, .. } = item {
                    *item = SelectItem::UnnamedExpr(expr.clone());
                }
            }
        }
        SetExpr::SetOperation { left, right, .. } => {
            without_aliases(left);
            without_aliases(right);
        }
        SetExpr::Query(query) => without_aliases(&mut query.body),
        _ => {}
    }
}

/// VALUES as the server spells it when its columns have names of their own.
pub fn select_of_values(body: &mut SetExpr) {
    let SetExpr::Values(values) = &*body else { return };
    let width = values.rows.first().map_or(0, |row| row.content.len());
    let listed: Vec<String> = (1..=width).map(|n| format!("\"*VALUES*\".column{n} AS column{n}")).collect();
    let text = format!("SELECT {} FROM ({values}) AS \"*VALUES*\"", listed.join(", "));
    let parsed =
        Parser::new(&super::super::tokens::RULES).try_with_sql(&text).and_then(|mut parser| parser.parse_query());
    if let Ok(query) = parsed {
        *body = *query.body;
    }
}

/// `FETCH FIRST n ROWS ONLY` is `LIMIT n`.
pub fn fetch_as_limit(query: &mut Query) {
    let plain = query.fetch.as_ref().is_some_and(|fetch| !fetch.with_ties && !fetch.percent);
    if !plain {
        return;
    }
    let limit = query.fetch.take().and_then(|fetch| fetch.quantity);
    match &mut query.limit_clause {
        Some(LimitClause::LimitOffset { limit: there, .. }) => *there = limit,
        _ => query.limit_clause = Some(LimitClause::LimitOffset { limit, offset: None, limit_by: Vec::new() }),
    }
}

/// Puts parentheses around every operation, so that no reading depends on precedence.
pub struct Parentheses;

impl VisitorMut for Parentheses {
    type Break = ();

    fn post_visit_expr(&mut self, expr: &mut Expr) -> ControlFlow<()> {
        let plain = matches!(
            expr,
            Expr::Identifier(_)
                | Expr::CompoundIdentifier(_)
                | Expr::Value(_)
                | Expr::Function(_)
                | Expr::Nested(_)
                | Expr::Array(_)
                | Expr::Case { .. }
                | Expr::Subquery(_)
                | Expr::Exists { .. }
                | Expr::GroupingSets(_)
                | Expr::Cube(_)
                | Expr::Rollup(_)
        );
        if !plain {
            *expr = Expr::Nested(Box::new(super::tree::take(expr)));
        }
        ControlFlow::Continue(())
    }
}
