//! FROM: the relations that a query, UPDATE or DELETE has in sight, and the outputs of queries in it.

use sqlparser::ast::{
    Expr, Ident, JoinConstraint, JoinOperator, Query, SelectItem, SelectItemQualifiedWildcardKind, SetExpr,
    TableFactor, TableWithJoins,
};
use wevrun_core::model::{Reference, Usage};

use super::found::SourceColumn;
use super::scope::{Level, Relation};
use super::walk::Walk;
use crate::names;

impl Walk<'_> {
    /// Adds the relations of FROM to a level, and what USING and NATURAL compare to `joins`.
    pub(super) fn relations(&self, from: &[TableWithJoins], level: &mut Level, joins: &mut Vec<Reference>) {
        for table in from {
            self.joined(table, level, joins);
        }
    }

    /// The same for one relation with its joins.
    pub(super) fn joined(&self, table: &TableWithJoins, level: &mut Level, joins: &mut Vec<Reference>) {
        let start = level.relations.len();
        self.factor(&table.relation, level, joins);
        for join in &table.joins {
            let right = level.relations.len();
            self.factor(&join.relation, level, joins);
            let (JoinOperator::Join(constraint)
            | JoinOperator::Inner(constraint)
            | JoinOperator::Left(constraint)
            | JoinOperator::LeftOuter(constraint)
            | JoinOperator::Right(constraint)
            | JoinOperator::RightOuter(constraint)
            | JoinOperator::CrossJoin(constraint)
            | JoinOperator::StraightJoin(constraint)) = &join.join_operator
            else {
                continue;
            };
            let joined = &level.relations[start..];
            let mut merged = Vec::new();
            match constraint {
                JoinConstraint::Using(columns) => {
                    for column in columns.iter().filter_map(|name| name.0.last()?.as_ident()) {
                        merged.push((column.value.to_lowercase(), Some(self.places.span(column.span))));
                    }
                }
                JoinConstraint::Natural => {
                    let (left, right) = joined.split_at(right - start);
                    let of_left = left.iter().flat_map(|relation| relation.columns.iter().flatten());
                    let common = of_left.filter(|column| right.iter().any(|relation| relation.has(column)));
                    merged.extend(common.map(|column| (column.clone(), None)));
                }
                JoinConstraint::On(_) | JoinConstraint::None => {}
            }
            for (column, span) in merged {
                let objects =
                    joined.iter().filter(|relation| relation.has(&column)).filter_map(|own| own.object.clone());
                joins.extend(objects.map(|object| Reference {
                    object,
                    column: Some(names::simple(&column)),
                    usage: Usage::Joins,
                    span,
                }));
                level.merged.insert(column);
            }
        }
    }

    fn factor(&self, factor: &TableFactor, level: &mut Level, joins: &mut Vec<Reference>) {
        let relation = match factor {
            TableFactor::Table { name, alias, .. } => {
                let alias = alias.as_ref().map(|alias| alias.name.value.clone());
                let Some(own) = name.0.last().and_then(|part| part.as_ident()) else { return };
                let is_here = name.0.len() == 1;
                let common = self.common(&own.value).filter(|_| is_here);
                let columns = match common {
                    Some(common) => common.columns.clone(),
                    None if is_here => self.known.all_columns(&own.value),
                    None => None,
                };
                let object = (is_here && common.is_none()).then(|| names::table(None, &own.value));
                let has_own_name = alias.is_none();
                let invisible = if object.is_some() { self.known.invisible(&own.value).len() } else { 0 };
                Relation { alias: alias.unwrap_or_else(|| own.value.clone()), has_own_name, object, columns, invisible }
            }
            TableFactor::NestedJoin { table_with_joins, .. } => return self.joined(table_with_joins, level, joins),
            TableFactor::Derived { subquery, alias: Some(alias), .. } => {
                let named: Vec<String> = alias.columns.iter().map(|column| column.name.value.to_lowercase()).collect();
                let columns = if named.is_empty() { self.outputs(subquery) } else { Some(named) };
                Relation::derived(&alias.name.value, columns)
            }
            TableFactor::JsonTable { alias: Some(alias), .. } => Relation::derived(&alias.name.value, None),
            _ => Relation::derived("", None),
        };
        level.relations.push(relation);
    }

    /// The names of a query's outputs in lower case; none if they are not known.
    pub(super) fn outputs(&self, query: &Query) -> Option<Vec<String>> {
        let mut body = &*query.body;
        let select = loop {
            match body {
                SetExpr::Select(select) => break select,
                SetExpr::SetOperation { left, .. } => body = left,
                SetExpr::Query(query) => body = &query.body,
                _ => return None,
            }
        };
        let mut level = Level::default();
        // The names of an inner WITH are not in sight here: what they give is not known.
        self.relations(&select.from, &mut level, &mut Vec::new());
        let is_defined_within = query.with.is_some();
        let mut outputs = Vec::new();
        for item in &select.projection {
            match item {
                SelectItem::ExprWithAlias { alias, .. } => outputs.push(alias.value.to_lowercase()),
                SelectItem::UnnamedExpr(expr) => match named_column(expr) {
                    Some(column) => outputs.push(column.value.to_lowercase()),
                    None => outputs.push(String::new()),
                },
                _ if is_defined_within => return None,
                SelectItem::Wildcard(_) => {
                    outputs.extend(star(&level.relations)?.into_iter().map(|own| own.column));
                }
                SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), _) => {
                    let alias = &name.0.last()?.as_ident()?.value;
                    let relation = level.relations.iter().find(|relation| relation.alias == *alias)?;
                    outputs.extend(star(std::slice::from_ref(relation))?.into_iter().map(|own| own.column));
                }
                _ => return None,
            }
        }
        Some(outputs)
    }
}

/// The name of the column that an expression is.
pub(super) fn named_column(expr: &Expr) -> Option<&Ident> {
    match expr {
        Expr::Identifier(column) => Some(column),
        Expr::CompoundIdentifier(parts) => parts.last(),
        _ => None,
    }
}

/// The columns of `*`; none if they are not all known.
pub(super) fn star(relations: &[Relation]) -> Option<Vec<SourceColumn>> {
    let mut all = Vec::new();
    for relation in relations {
        let columns = relation.columns.iter().flatten().take(relation.columns.as_ref()?.len() - relation.invisible);
        all.extend(columns.map(|column| SourceColumn {
            alias: (!relation.has_own_name).then(|| relation.alias.clone()),
            object: relation.object.clone(),
            column: column.clone(),
        }));
    }
    Some(all)
}
