//! What the columns of a query are called.

use sqlparser::ast::{AccessExpr, Expr, Ident, SelectItem, TrimWhereField, Value};

use super::expression::{self, first_select};
use super::tree::*;

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
    let expression = expression::with_room(text, || expression::parse(text, |parser| parser.parse_expr()));
    expression.as_ref().and_then(named).map_or_else(|| "expr".to_owned(), |(name, _)| name)
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
