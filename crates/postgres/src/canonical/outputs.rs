//! The columns of a query, and their names.

use sqlparser::ast::{AccessExpr, Expr, Ident, Query, Select, SelectItem, SetExpr, TrimWhereField, Value};

use super::expression::{self, first_select};
use super::infer;
use super::scope::Columns;
use super::sets::select_of_values;
use super::tree::*;
use super::walk::Walk;
use wevrun_core::model::Name;

pub fn outputs_by_name(projection: &[SelectItem]) -> Vec<(String, Expr)> {
    projection
        .iter()
        .map(|item| match item {
            SelectItem::UnnamedExpr(expr) => (output_name(expr), expr.clone()),
            SelectItem::ExprWithAlias { expr, alias } => (ident_value(alias), expr.clone()),
            other => (String::new(), Expr::Identifier(Ident::new(other.to_string()))),
        })
        .collect()
}

/// What the server calls a column that has no alias (`FigureColname()`).
pub fn output_name(expr: &Expr) -> String {
    named(expr).map_or_else(|| "?column?".to_owned(), |(name, _)| name)
}

/// What the server calls the column of an index that is an expression (`FigureIndexColname()`).
pub fn index_column(text: &str) -> String {
    expression::parse_expression(text).as_ref().and_then(named).map_or_else(|| "expr".to_owned(), |(name, _)| name)
}

/// The name, and whether it is better than a type's.
pub fn named(expr: &Expr) -> Option<(String, bool)> {
    let strong = |name: &str| Some((name.to_owned(), true));
    match expr {
        Expr::Identifier(name) => Some((ident_value(name), true)),
        Expr::CompoundIdentifier(parts) => parts.last().map(|name| (ident_value(name), true)),
        Expr::Nested(inner) => named(inner),
        Expr::Function(function) => name_parts(&function.name).pop().map(|name| (name, true)),
        Expr::Cast { expr, data_type, .. } => match named(expr) {
            Some((name, true)) => Some((name, true)),
            _ => Some((type_column(&type_text(data_type)), false)),
        },
        Expr::TypedString(typed) => Some((type_column(&type_text(&typed.data_type)), false)),
        Expr::Interval(_) => Some(("interval".to_owned(), false)),
        Expr::Collate { expr, .. } => named(expr),
        Expr::Case { else_result, .. } => match else_result.as_deref().and_then(named) {
            Some((name, true)) => Some((name, true)),
            _ => Some(("case".to_owned(), false)),
        },
        Expr::Array(_) => strong("array"),
        // A field's name, or what an item is taken from.
        Expr::CompoundFieldAccess { root, access_chain } => {
            let field = access_chain.iter().rev().find_map(|access| match access {
                AccessExpr::Dot(field) => Some(field),
                AccessExpr::Subscript(_) => None,
            });
            named(field.unwrap_or(root))
        }
        Expr::Exists { .. } => strong("exists"),
        Expr::Extract { .. } => strong("extract"),
        Expr::AtTimeZone { .. } => strong("timezone"),
        Expr::Substring { shorthand, .. } => strong(if *shorthand { "substr" } else { "substring" }),
        Expr::Position { .. } => strong("position"),
        Expr::Overlay { .. } => strong("overlay"),
        Expr::Ceil { .. } => strong("ceil"),
        Expr::Floor { .. } => strong("floor"),
        Expr::Tuple(_) => strong("row"),
        Expr::Trim { trim_where, .. } => strong(match trim_where {
            Some(TrimWhereField::Leading) => "ltrim",
            Some(TrimWhereField::Trailing) => "rtrim",
            _ => "btrim",
        }),
        Expr::Subquery(query) => {
            let select = first_select(query)?;
            match select.projection.first()? {
                SelectItem::UnnamedExpr(expr) => named(expr),
                SelectItem::ExprWithAlias { alias, .. } => Some((ident_value(alias), true)),
                _ => None,
            }
        }
        Expr::Value(value) if matches!(value.value, Value::Boolean(_)) => Some(("bool".to_owned(), false)),
        _ => None,
    }
}

/// The name of a type in the catalogue, which a cast gives to a column.
pub fn type_column(name: &str) -> String {
    let base = name.split(['(', '[']).next().unwrap_or(name).trim();
    let base = base.rsplit('.').next().unwrap_or(base);
    match base {
        "integer" => "int4",
        "bigint" => "int8",
        "smallint" => "int2",
        "double precision" => "float8",
        "real" => "float4",
        "boolean" => "bool",
        "character varying" => "varchar",
        "character" => "bpchar",
        "timestamp without time zone" | "timestamp" => "timestamp",
        "timestamp with time zone" => "timestamptz",
        "time without time zone" => "time",
        "time with time zone" => "timetz",
        other => other,
    }
    .to_owned()
}

/// Whether it is `*` or `t.*`.
pub fn is_wildcard(item: &SelectItem) -> bool {
    matches!(item, SelectItem::Wildcard(_) | SelectItem::QualifiedWildcard(..))
}

impl Walk<'_> {
    /// The type of a query's first column, where the query stands as a value.
    pub fn output_type(&self, query: &Query) -> Option<String> {
        let mut within = Walk::new(self.known, (self.own_schema, self.home_schema), self.scopes.clone());
        within.ctes.clone_from(&self.ctes);
        within.outputs(query)?.first()?.1.clone()
    }

    /// The names and types of a query's columns.
    pub fn outputs(&mut self, query: &Query) -> Option<Columns> {
        let before = self.ctes.len();
        self.looking_ahead += 1;
        self.see_ctes(query);
        let alone = matches!(&*query.body, SetExpr::Select(_));
        let found = first_select(query).and_then(|select| self.select_outputs(select, alone));
        self.ctes.truncate(before);
        self.looking_ahead -= 1;
        found
    }

    /// The columns of a SELECT. Constants without a type are text if it is `alone`: no other SELECT gives them one.
    fn select_outputs(&mut self, select: &Select, alone: bool) -> Option<Columns> {
        let from = self.tables_of(&select.from);
        self.scopes.enter(from);
        let type_of = |walk: &Walk<'_>, expr: &Expr| {
            infer::type_of(walk, expr).or_else(|| (alone && is_open_text(expr)).then(|| "text".to_owned()))
        };
        let mut columns = Columns::default();
        let mut complete = true;
        for item in &select.projection {
            match item {
                SelectItem::UnnamedExpr(expr) => columns.push((output_name(expr), type_of(self, expr))),
                SelectItem::ExprWithAlias { expr, alias } => columns.push((ident_value(alias), type_of(self, expr))),
                SelectItem::Wildcard(_) => match self.scopes.columns() {
                    Some(all) => columns.extend(all.into_iter().map(|(_, column)| (column.name, column.data_type))),
                    None => complete = false,
                },
                SelectItem::QualifiedWildcard(kind, _) => {
                    let alias = wildcard_alias(kind);
                    let mut own = self.scopes.innermost().iter();
                    match own.find(|own| Some(&own.written) == alias.as_ref()).and_then(|own| own.columns.clone()) {
                        Some(own) => columns.extend(own.iter().cloned()),
                        None => complete = false,
                    }
                }
                SelectItem::ExprWithAliases { .. } => complete = false,
            }
        }
        self.scopes.leave();
        complete.then_some(columns)
    }

    /// Gives the columns of the query the names that the view has for them.
    ///
    /// False if there is a column that it can't name.
    pub fn name_outputs(&mut self, query: &mut Query, columns: &[Name]) -> bool {
        if !columns.is_empty() && query.order_by.is_none() {
            select_of_values(&mut query.body);
        }
        if let SetExpr::Table(table) = &*query.body
            && let Some(select) = select_all(table)
        {
            *query.body = select;
        }
        self.expand_outputs(query);
        let Some(select) = first_select_mut(query) else { return false };
        if select.projection.len() < columns.len() {
            return false;
        }
        for (item, name) in select.projection.iter_mut().zip(columns) {
            let alias = ident(name.canonical());
            let expr = match item {
                SelectItem::UnnamedExpr(expr) | SelectItem::ExprWithAlias { expr, .. } => expr.clone(),
                _ => return false,
            };
            *item = SelectItem::ExprWithAlias { expr, alias };
        }
        true
    }

    /// Lists the columns of `*` among a query's own columns, as far as that is known, under the names that its tables have there.
    fn expand_outputs(&mut self, query: &mut Query) {
        let Some(select) = first_select(query).filter(|select| select.projection.iter().any(is_wildcard)) else {
            return;
        };
        let before = self.ctes.len();
        let from = select.from.clone();
        self.see_ctes(query);
        let from = self.tables_of(&from);
        self.scopes.enter(from);
        if let Some(select) = first_select_mut(query) {
            let written = |alias: &str| {
                let found = self.scopes.innermost().iter().find(|relation| relation.alias == alias);
                found.map_or_else(|| alias.to_owned(), |relation| relation.written.clone())
            };
            let items = select.projection.iter().map(|item| match self.expanded(item) {
                Some(columns) => {
                    let named = |(alias, column): (Option<String>, String)| {
                        listed(alias.map(|alias| written(&alias)).as_deref(), &column)
                    };
                    columns.into_iter().map(named).collect()
                }
                None => vec![item.clone()],
            });
            select.projection = items.collect::<Vec<_>>().concat();
        }
        self.scopes.leave();
        self.ctes.truncate(before);
    }

    /// The columns of `*` or `t.*`, with qualifiers.
    pub(super) fn expanded(&self, item: &SelectItem) -> Option<Vec<(Option<String>, String)>> {
        match item {
            SelectItem::Wildcard(_) => {
                let columns = self.scopes.columns().filter(|columns| !columns.is_empty())?;
                Some(columns.into_iter().map(|(table, column)| (table, column.name)).collect())
            }
            SelectItem::QualifiedWildcard(kind, _) => {
                let alias = wildcard_alias(kind);
                let mut own = self.scopes.innermost().iter();
                let own = own.find(|own| Some(&own.written) == alias.as_ref())?;
                let columns = own.columns.as_ref()?.iter();
                Some(columns.map(|(column, _)| (Some(own.alias.clone()), column.clone())).collect())
            }
            _ => None,
        }
    }
}

/// Whether the expression can only be constants without a type: `'x'`, NULL, a CASE of such.
fn is_open_text(expr: &Expr) -> bool {
    match expr {
        Expr::Nested(inner) => is_open_text(inner),
        Expr::Value(value) => matches!(
            value.value,
            Value::SingleQuotedString(_) | Value::DollarQuotedString(_) | Value::EscapedStringLiteral(_) | Value::Null
        ),
        Expr::Case { conditions, else_result, .. } => {
            conditions.iter().map(|when| &when.result).chain(else_result.as_deref()).all(is_open_text)
        }
        _ => false,
    }
}
