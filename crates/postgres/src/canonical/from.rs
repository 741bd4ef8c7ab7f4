//! The items of FROM: the tables, functions and joins, with the columns that they have in sight.

use sqlparser::ast::{TableAlias, TableAliasColumnDef, TableFactor, TableWithJoins};

use super::super::names;
use super::joins::{self, Sight};
use super::scope::{Behind, FunctionRows, Relation, Tables};
use super::tree::*;
use super::walk::Walk;
use wevrun_core::model::Unresolved;

impl Walk<'_> {
    pub(super) fn tables_of(&mut self, from: &[TableWithJoins]) -> Tables {
        let mut relations = Vec::new();
        let mut sight: Sight = Some(Vec::new());
        for table in from {
            let own = self.add_relations(table, &mut relations);
            sight = sight.zip(own).map(|(before, own)| [before, own].concat());
        }
        Tables { relations, sight }
    }

    pub(super) fn add_relations(&mut self, table: &TableWithJoins, relations: &mut Vec<Relation>) -> Sight {
        let mut sight = self.add_relation(&table.relation, relations);
        for join in &table.joins {
            let right = self.add_relation(&join.relation, relations);
            self.sees_merged(&join.join_operator, relations);
            sight = joins::join(&join.join_operator, sight, right);
        }
        sight
    }

    /// Adds a table, and gives the columns that it has in sight.
    pub(super) fn add_relation(&mut self, factor: &TableFactor, relations: &mut Vec<Relation>) -> Sight {
        let before = relations.len();
        match factor {
            TableFactor::Table { name, alias, args: None, .. } => {
                let parts = name_parts(name);
                let last = parts.last().cloned().unwrap_or_default();
                let found = self.relation(&parts);
                let mut columns = match &found {
                    Some(name) => self.known.columns.get(name).cloned(),
                    None => {
                        let cte = self.cte(&parts).map(|cte| cte.columns.clone());
                        // The parser leaves it open how a quote in a name was written.
                        let is_plain = !parts.iter().any(|part| part.contains('"'));
                        if cte.is_none() && self.looking_ahead == 0 && is_plain && !is_of_the_catalogue(&parts) {
                            let written: Vec<String> = parts.iter().map(|part| names::quoted(part)).collect();
                            self.unresolved.insert(Unresolved::Relation(written.join(".")));
                        }
                        cte.flatten()
                    }
                };
                let called = alias.as_ref().map_or(last, |alias| ident_value(&alias.name));
                let renamed = alias.as_ref().map_or(0, |alias| alias.columns.len());
                let own_names = renamed > 0;
                let behind = columns.clone().zip(found.clone().filter(|_| own_names));
                let behind = behind.map(|(columns, table)| Behind { table, columns, renamed });
                if let Some(alias) = alias {
                    rename_columns(&mut columns, alias);
                }
                let relation = Relation { has_alias: alias.is_some(), behind, ..Relation::new(called, columns) };
                relations.push(match found.filter(|_| !own_names) {
                    Some(table) => relation.of(table),
                    None => relation,
                });
            }
            TableFactor::Derived { subquery, alias: None, .. } => {
                let columns = self.outputs(subquery);
                relations.push(Relation::new(String::new(), columns));
            }
            TableFactor::Derived { subquery, alias: Some(alias), .. } => {
                let mut columns = self.outputs(subquery);
                rename_columns(&mut columns, alias);
                relations.push(Relation::new(ident_value(&alias.name), columns));
            }
            TableFactor::NestedJoin { table_with_joins, alias: None } => {
                return self.add_relations(table_with_joins, relations);
            }
            TableFactor::Table { name, alias, with_ordinality, .. }
            | TableFactor::Function { name, alias, with_ordinality, .. } => {
                let last = name_parts(name).pop().unwrap_or_default();
                let rows = self.rows_of(factor);
                relations.push(function_relation(last, alias.as_ref(), *with_ordinality, rows));
            }
            TableFactor::UNNEST { alias, with_ordinality, .. } => {
                relations.push(function_relation("unnest".to_owned(), alias.as_ref(), *with_ordinality, None));
            }
            TableFactor::NestedJoin { table_with_joins, alias: Some(alias) } => {
                let mut joined = Vec::new();
                let sight = self.add_relations(table_with_joins, &mut joined);
                joined.iter().for_each(|relation| self.reads_all(relation));
                let mut columns =
                    sight.map(|columns| columns.into_iter().map(|column| (column.name, column.data_type)).collect());
                rename_columns(&mut columns, alias);
                relations.push(Relation::new(ident_value(&alias.name), columns));
            }
            // Something of which nobody knows the columns.
            _ => {
                self.misses_columns = true;
                relations.push(Relation::new(String::new(), None));
            }
        }
        relations.get(before).and_then(Relation::sight)
    }

    /// What a function of the model's that stands among the tables gives.
    pub(super) fn rows_of(&self, factor: &TableFactor) -> Option<FunctionRows> {
        let (name, alias, arguments) = match factor {
            TableFactor::Table { name, alias, args: Some(args), .. } => (name, alias, args.args.len()),
            TableFactor::Function { name, alias, args, .. } => (name, alias, args.len()),
            _ => return None,
        };
        let called = alias.as_ref().map_or_else(|| name_parts(name).pop(), |alias| Some(ident_value(&alias.name)))?;
        self.known.rows(&self.resolved(name), arguments, &called)
    }

    /// Names the columns over which a join is NATURAL, as the server does. Gives what is in sight, as [`Walk::add_relations`] does.
    pub(super) fn name_natural(&mut self, table: &mut TableWithJoins) -> Sight {
        let mut sight = self.natural_factor(&mut table.relation);
        for join in &mut table.joins {
            let right = self.natural_factor(&mut join.relation);
            if joins::is_natural(&join.join_operator) {
                let sides = sight.as_ref().zip(right.as_ref());
                self.sure &=
                    sides.is_some_and(|(left, right)| joins::name_natural(&mut join.join_operator, left, right));
            }
            sight = joins::join(&join.join_operator, sight, right);
        }
        sight
    }

    pub(super) fn natural_factor(&mut self, factor: &mut TableFactor) -> Sight {
        match factor {
            TableFactor::NestedJoin { table_with_joins, alias: None } => self.name_natural(table_with_joins),
            factor => self.add_relation(factor, &mut Vec::new()),
        }
    }

    /// Calls a table what the server calls it.
    pub(super) fn numbered_alias(&self, factor: &mut TableFactor) {
        let (own, alias) = match factor {
            TableFactor::Table { name, alias, .. } | TableFactor::Function { name, alias, .. } => {
                (name_parts(name).pop(), alias)
            }
            TableFactor::UNNEST { alias, .. } => (Some("unnest".to_owned()), alias),
            TableFactor::Derived { alias, .. } => (None, alias),
            _ => return,
        };
        let Some(written) = alias.as_ref().map(|alias| ident_value(&alias.name)).or(own) else { return };
        let Some(found) = self.scopes.innermost().iter().find(|relation| relation.written == written) else { return };
        if found.alias == written {
            return;
        }
        match alias {
            Some(alias) => alias.name = ident(&found.alias),
            None => {
                let name = ident(&found.alias);
                *alias = Some(TableAlias { explicit: true, name, columns: Vec::new(), at: None });
            }
        }
    }

    /// Names for some columns of a table: the server lists all.
    pub(super) fn complete_alias(&self, alias: &mut TableAlias) {
        let named = alias.columns.len();
        let called = |relation: &&Relation| relation.is_called(&ident_value(&alias.name));
        let columns = self.scopes.innermost().iter().find(called).and_then(|relation| relation.columns.as_ref());
        if let Some(columns) = columns.filter(|columns| named > 0 && named < columns.len()) {
            let rest =
                columns[named..].iter().map(|(name, _)| TableAliasColumnDef { name: ident(name), data_type: None });
            alias.columns.extend(rest.collect::<Vec<_>>());
        }
    }
}

/// Whether a name in FROM may be one of the engine's own tables and views.
fn is_of_the_catalogue(parts: &[String]) -> bool {
    match parts {
        [name] => name.starts_with("pg_"),
        [.., schema, _] => schema.starts_with("pg_") || schema == "information_schema",
        [] => true,
    }
}
