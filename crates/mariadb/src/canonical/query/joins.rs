//! FROM: tables, queries and joins, nested as the server nests them.

use std::collections::BTreeSet;

use sqlparser::ast::{Join, JoinConstraint, JoinOperator, TableFactor, TableWithJoins};

use super::super::tree::Printer;
use super::scope::{Place, Relation, Scope};
use super::{Resolver, Whole};
use crate::names::always_quoted;

impl Whole<'_> {
    pub(super) fn from(&self, from: &[TableWithJoins], scope: &mut Scope, sure: &mut bool) -> Option<String> {
        let mut all: Option<String> = None;
        for table in from {
            let mut joined = self.factor(&table.relation, scope, sure)?;
            for join in &table.joins {
                joined = self.join(joined, join, scope, sure)?;
            }
            all = Some(match all {
                None => joined,
                Some(before) => format!("({before} join {joined})"),
            });
        }
        Some(all.unwrap_or_default())
    }

    fn join(&self, left: String, join: &Join, scope: &mut Scope, sure: &mut bool) -> Option<String> {
        let before = scope.levels.last()?.relations.len();
        let right = self.factor(&join.relation, scope, sure)?;
        let (word, constraint, swapped) = match &join.join_operator {
            JoinOperator::Join(constraint) | JoinOperator::Inner(constraint) | JoinOperator::CrossJoin(constraint) => {
                ("join", constraint, false)
            }
            JoinOperator::Left(constraint) | JoinOperator::LeftOuter(constraint) => ("left join", constraint, false),
            JoinOperator::Right(constraint) | JoinOperator::RightOuter(constraint) => ("left join", constraint, true),
            JoinOperator::StraightJoin(constraint) => ("straight_join", constraint, false),
            _ => return None,
        };
        let condition = match constraint {
            JoinConstraint::On(condition) => {
                let resolver = Resolver { whole: self, scope, aliases: &[], place: Place::Anywhere };
                let condition = Printer { names: &resolver }.condition(condition)?;
                *sure &= condition.is_sure();
                Some(condition.text().to_owned())
            }
            JoinConstraint::Using(columns) => {
                let columns: Option<Vec<String>> =
                    columns.iter().map(|column| Some(column.0.last()?.as_ident()?.value.to_lowercase())).collect();
                Some(self.merge(scope, before, &columns?, swapped)?)
            }
            JoinConstraint::Natural => {
                let level = scope.levels.last()?;
                let of_right: BTreeSet<&String> =
                    level.relations[before..].iter().flat_map(|relation| &relation.columns).collect();
                let of_left = level.relations[..before].iter().flat_map(|relation| &relation.columns);
                let common: Vec<String> = of_left.filter(|column| of_right.contains(column)).cloned().collect();
                let condition = self.merge(scope, before, &common, swapped)?;
                (!condition.is_empty()).then_some(condition)
            }
            JoinConstraint::None => None,
        };
        let on = condition.map(|condition| format!(" on({condition})")).unwrap_or_default();
        Some(if swapped { format!("({right} {word} {left}{on})") } else { format!("({left} {word} {right}{on})") })
    }

    /// Makes columns of both sides one: gives the condition.
    fn merge(&self, scope: &mut Scope, before: usize, columns: &[String], swapped: bool) -> Option<String> {
        let level = scope.levels.last_mut()?;
        let mut conditions = Vec::new();
        for column in columns {
            let printed = |relation: &Relation| format!("{}.{}", always_quoted(&relation.alias), always_quoted(column));
            let find = |relations: &[Relation]| relations.iter().find(|relation| relation.has(column)).map(printed);
            let left = level.merged.get(column).cloned().or_else(|| find(&level.relations[..before]))?;
            let right = find(&level.relations[before..])?;
            conditions.push(format!("{left} = {right}"));
            level.merged.insert(column.clone(), if swapped { right } else { left });
        }
        Some(conditions.join(" and "))
    }

    fn factor(&self, factor: &TableFactor, scope: &mut Scope, sure: &mut bool) -> Option<String> {
        match factor {
            TableFactor::Table { name, alias, args: None, version: None, partitions, index_hints, .. }
                if partitions.is_empty() =>
            {
                let parts: Vec<&str> =
                    name.0.iter().filter_map(|part| part.as_ident()).map(|ident| ident.value.as_str()).collect();
                let (database, table) = match parts[..] {
                    [table] => (None, table),
                    [database, table] => (Some(database), table),
                    _ => return None,
                };
                let lower = table.to_lowercase();
                let common = scope.common.get(&lower).filter(|_| database.is_none()).cloned();
                let is_common = common.is_some();
                let columns = match common {
                    Some(columns) => columns,
                    // What is in another database is not known.
                    None if database.is_some() => return None,
                    None => self.known.columns(table)?,
                };
                let invisible = if is_common { Vec::new() } else { self.known.invisible(table).to_vec() };
                let own = if is_common { lower } else { table.to_owned() };
                let shown = alias.as_ref().map_or_else(|| own.clone(), |alias| alias.name.value.clone());
                let mut text = always_quoted(&own);
                if shown != own {
                    text.push_str(&format!(" {}", always_quoted(&shown)));
                }
                for hint in index_hints {
                    text.push_str(&format!(" {}", hint.to_string().to_ascii_lowercase().replace('`', "")));
                }
                scope.levels.last_mut()?.relations.push(Relation { alias: shown, columns, invisible });
                Some(text)
            }
            TableFactor::Derived { lateral: false, subquery, alias: Some(alias), .. } => {
                // Nothing beside it is in its sight.
                let mut outer = scope.clone();
                outer.levels.pop();
                let named: Vec<String> = alias.columns.iter().map(|column| column.name.value.to_lowercase()).collect();
                let done = self.query(subquery, &outer, (!named.is_empty()).then_some(&named[..]))?;
                *sure &= done.sure;
                let shown = alias.name.value.clone();
                let text = format!("({}) {}", done.text, always_quoted(&shown));
                scope.levels.last_mut()?.relations.push(Relation {
                    alias: shown,
                    columns: done.outputs,
                    invisible: Vec::new(),
                });
                Some(text)
            }
            TableFactor::NestedJoin { table_with_joins, alias: None } => {
                let mut joined = self.factor(&table_with_joins.relation, scope, sure)?;
                for join in &table_with_joins.joins {
                    joined = self.join(joined, join, scope, sure)?;
                }
                Some(joined)
            }
            _ => None,
        }
    }
}
