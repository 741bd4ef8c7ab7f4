//! Forms of whole queries that say the same, and the parentheses of the canonical spelling.

use std::ops::ControlFlow;

use sqlparser::ast::{Expr, LimitClause, Query, SelectItem, SetExpr, VisitorMut};

/// The columns of a set operation are those of its first query, and parentheses around its left side say nothing.
pub fn one_set(body: &mut SetExpr) {
    let SetExpr::SetOperation { left, right, .. } = body else { return };
    let plain = |query: &Query| query.with.is_none() && query.order_by.is_none() && query.limit_clause.is_none();
    while let SetExpr::Query(inner) = &**left
        && plain(inner)
    {
        *left = inner.body.clone();
    }
    // On the right side only around a single SELECT: operations there belong together.
    while let SetExpr::Query(inner) = &**right
        && plain(inner)
        && matches!(&*inner.body, SetExpr::Select(_) | SetExpr::Query(_))
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
