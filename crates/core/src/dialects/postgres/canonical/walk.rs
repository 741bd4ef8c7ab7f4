//! The walk over a tree that brings it to one spelling.

use std::ops::ControlFlow;

use sqlparser::ast::{
    AccessExpr, Array, BinaryOperator, CastKind, DataType, Expr, FromTable, Function, FunctionArg, FunctionArgExpr,
    FunctionArguments, GroupByExpr, Insert, ObjectName, ObjectNamePart, OrderByKind, Query, Select, SelectItem,
    SetExpr, Statement, TableAlias, TableFactor, TableObject, TableWithJoins, TrimWhereField, UnaryOperator,
    UpdateTableFromKind, Value, VisitorMut,
};

use super::super::names;
use super::expression::first_select;
use super::infer;
use super::known::Known;
use super::literal;
use super::outputs::*;
use super::scope::{Columns, Relation, Scopes};
use super::sets::*;
use super::tree::*;
use crate::model::Name;

/// The walk.
pub struct Walk<'k> {
    pub(super) known: &'k Known,
    own_schema: &'k str,
    pub(super) scopes: Scopes,
    /// Whether everything has been brought to its one spelling so far.
    pub sure: bool,
    /// WITH queries in sight.
    ctes: Vec<(String, Option<Columns>)>,
}

impl<'k> Walk<'k> {
    /// A walk over what stands in these scopes.
    pub fn new(known: &'k Known, own_schema: &'k str, scopes: Scopes) -> Walk<'k> {
        Walk { known, own_schema, scopes, sure: true, ctes: Vec::new() }
    }

    /// The type of a column by its qualifier and name.
    pub fn column_type(&self, qualifier: Option<&str>, name: &str) -> Option<String> {
        self.scopes.column_type(self.known, qualifier, name)
    }

    /// Takes away what only says the type that the value is stored as anyway.
    pub fn as_stored(&self, expression: &mut Expr, wanted: Option<&str>) {
        let Some(wanted) = wanted.map(|wanted| self.known.effective_type(wanted)) else { return };
        let wanted = wanted.as_str();
        let base = infer::base;
        while let Expr::Cast { expr, data_type, .. } = expression {
            let target = type_text(data_type);
            if base(&target) != base(wanted) && !(target == "text" && infer::is_text(wanted)) {
                break;
            }
            // A cast to a shorter type cuts; the column does the same.
            *expression = (**expr).clone();
        }
        // '5' as a default of an integer is 5.
        if infer::is_number(wanted)
            && let Expr::Value(value) = expression
            && let Value::SingleQuotedString(text) = &value.value
            && let Some(number) = literal::number(&base(wanted), text)
        {
            value.value = Value::Number(number, false);
        } else if infer::is_float(wanted)
            && let Expr::Value(value) = expression
            && let Value::Number(text, _) = &mut value.value
            && let Some(number) = literal::number(&base(wanted), text)
        {
            *text = number;
        }
        if let Expr::Value(value) = expression
            && let Value::SingleQuotedString(text) = &value.value
            && wanted == "boolean"
        {
            match text.to_ascii_lowercase().as_str() {
                "t" | "true" | "y" | "yes" | "on" | "1" => value.value = Value::Boolean(true),
                "f" | "false" | "n" | "no" | "off" | "0" => value.value = Value::Boolean(false),
                _ => {}
            }
        }
        if let Expr::Value(value) = expression
            && let Value::SingleQuotedString(text) = &mut value.value
            && let Some(canonical) = literal::canonical(wanted, text)
        {
            *text = canonical;
        }
    }

    /// The names and types of a query's columns.
    pub fn outputs(&mut self, query: &Query) -> Option<Columns> {
        let before = self.ctes.len();
        self.see_ctes(query);
        let found = first_select(query).and_then(|select| self.select_outputs(select));
        self.ctes.truncate(before);
        found
    }

    fn select_outputs(&mut self, select: &Select) -> Option<Columns> {
        let relations = self.relations_of(&select.from);
        self.scopes.enter(relations);
        let mut columns = Vec::new();
        let mut complete = true;
        for item in &select.projection {
            match item {
                SelectItem::UnnamedExpr(expr) => columns.push((output_name(expr), infer::type_of(self, expr))),
                SelectItem::ExprWithAlias { expr, alias } => {
                    columns.push((ident_value(alias), infer::type_of(self, expr)))
                }
                SelectItem::Wildcard(_) => {
                    match self
                        .scopes
                        .innermost()
                        .iter()
                        .map(|relation| relation.columns.clone())
                        .collect::<Option<Vec<_>>>()
                    {
                        Some(all) => columns.extend(all.into_iter().flatten()),
                        None => complete = false,
                    }
                }
                SelectItem::QualifiedWildcard(kind, _) => {
                    let alias = wildcard_alias(kind);
                    let mut own = self.scopes.innermost().iter();
                    match own.find(|own| Some(&own.written) == alias.as_ref()).and_then(|own| own.columns.clone()) {
                        Some(own) => columns.extend(own),
                        None => complete = false,
                    }
                }
                SelectItem::ExprWithAliases { .. } => complete = false,
            }
        }
        self.scopes.leave();
        complete.then_some(columns)
    }

    fn see_ctes(&mut self, query: &Query) {
        for cte in query.with.iter().flat_map(|with| &with.cte_tables) {
            let mut columns = self.outputs(&cte.query);
            rename_columns(&mut columns, &cte.alias);
            self.ctes.push((ident_value(&cte.alias.name), columns));
        }
    }

    /// Gives the columns of the query the names that the view has for them.
    ///
    /// False if there is a column that it can't name.
    pub fn name_outputs(&mut self, query: &mut Query, columns: &[Name]) -> bool {
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

    fn relations_of(&mut self, from: &[TableWithJoins]) -> Vec<Relation> {
        let mut relations = Vec::new();
        for table in from {
            self.add_relations(table, &mut relations);
        }
        relations
    }

    fn add_relations(&mut self, table: &TableWithJoins, relations: &mut Vec<Relation>) {
        self.add_relation(&table.relation, relations);
        for join in &table.joins {
            self.add_relation(&join.relation, relations);
        }
    }

    fn add_relation(&mut self, factor: &TableFactor, relations: &mut Vec<Relation>) {
        match factor {
            TableFactor::Table { name, alias, args: None, .. } => {
                let parts = name_parts(name);
                let last = parts.last().cloned().unwrap_or_default();
                let cte = if parts.len() == 1 { self.ctes.iter().rev().find(|(cte, _)| *cte == last) } else { None };
                let mut columns = match cte {
                    Some((_, columns)) => columns.clone(),
                    None => {
                        let name = self.known.relation_in_query(&parts, self.own_schema);
                        name.and_then(|name| self.known.columns.get(&name).cloned())
                    }
                };
                let called = alias.as_ref().map_or(last, |alias| ident_value(&alias.name));
                if let Some(alias) = alias {
                    rename_columns(&mut columns, alias);
                }
                relations.push(Relation::new(called, columns));
            }
            TableFactor::Derived { subquery, alias: Some(alias), .. } => {
                let mut columns = self.outputs(subquery);
                rename_columns(&mut columns, alias);
                relations.push(Relation::new(ident_value(&alias.name), columns));
            }
            TableFactor::NestedJoin { table_with_joins, alias: None } => {
                self.add_relations(table_with_joins, relations)
            }
            TableFactor::Table { name, alias, .. } | TableFactor::Function { name, alias, .. } => {
                let last = name_parts(name).pop().unwrap_or_default();
                relations.push(function_relation(last, alias.as_ref()));
            }
            TableFactor::UNNEST { alias, .. } => relations.push(function_relation("unnest".to_owned(), alias.as_ref())),
            TableFactor::NestedJoin { alias: Some(alias), .. } => {
                relations.push(Relation::new(ident_value(&alias.name), None));
            }
            _ => {}
        }
    }

    fn column(&mut self, expr: &mut Expr) {
        let (qualifier, column) = match expr {
            Expr::Identifier(column) => {
                let name = ident_value(column);
                // One of several relations has it, and it can't be said which.
                self.sure &= self.scopes.knows(&name) || is_special(&name);
                match (self.scopes.qualifier_of(&name), self.scopes.called(&name)) {
                    (None, Some(row)) => (None, row.alias.clone()),
                    (qualifier, _) => (qualifier, name),
                }
            }
            Expr::CompoundIdentifier(parts) => match &parts[..] {
                [.., qualifier, column] => {
                    let written = ident_value(qualifier);
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

    /// Calls a table what the server calls it.
    fn numbered_alias(&self, factor: &mut TableFactor) {
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

    /// Brings the select's list, tables and clauses to one form. Nothing in it has been visited yet.
    fn select(&mut self, select: &mut Select) {
        for table in &mut select.from {
            // The server names the columns that both have.
            self.sure &= !table.joins.iter().any(|join| is_natural(&join.join_operator));
            flatten(table);
        }
        // What `*` stands for.
        let mut projection = Vec::new();
        let scope = self.scopes.innermost().to_vec();
        for item in std::mem::take(&mut select.projection) {
            let expanded = match &item {
                SelectItem::Wildcard(_) if !has_merged_columns(&select.from) => {
                    expand(&scope.iter().collect::<Vec<_>>())
                }
                SelectItem::QualifiedWildcard(kind, _) => {
                    let alias = wildcard_alias(kind);
                    expand(
                        &scope.iter().filter(|relation| Some(&relation.written) == alias.as_ref()).collect::<Vec<_>>(),
                    )
                }
                _ => None,
            };
            // The server lists the columns.
            let wild = matches!(item, SelectItem::Wildcard(_) | SelectItem::QualifiedWildcard(..));
            self.sure &= expanded.is_some() || !wild;
            match expanded {
                Some(items) => projection.extend(items),
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

    /// An ordinal or an output's name as the expression that it stands for. In ORDER BY an output's name comes first, in
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

    fn data_type(&self, data_type: &DataType) -> DataType {
        let text = self.known.qualified_types(&type_text(data_type), self.own_schema);
        let text = text.strip_prefix("public.").map_or(text.clone(), str::to_owned);
        custom(&text)
    }

    /// `t.tags[1]` and `(t).title`: what stands before the first bracket is a column like any other.
    fn field_access(&self, expr: &mut Expr) {
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

    /// One node whose children are canonical already.
    fn node(&mut self, expr: &mut Expr) {
        match expr {
            Expr::Nested(inner) => *expr = (**inner).clone(),
            Expr::Identifier(_) | Expr::CompoundIdentifier(_) => self.column(expr),
            Expr::Value(value) => {
                if let Value::Number(number, _) = &mut value.value
                    && let Some(canonical) = literal::number("numeric", number)
                {
                    *number = canonical;
                }
                let plain = match &value.value {
                    Value::DollarQuotedString(text) => Some(text.value.clone()),
                    Value::EscapedStringLiteral(text)
                    | Value::UnicodeStringLiteral(text)
                    | Value::NationalStringLiteral(text) => Some(text.clone()),
                    _ => None,
                };
                if let Some(text) = plain {
                    value.value = Value::SingleQuotedString(text.replace('\'', "''"));
                }
            }
            Expr::TypedString(typed) => {
                let value = Expr::Value(typed.value.clone());
                *expr = cast(value, typed.data_type.clone());
                self.node(expr);
            }
            Expr::Interval(interval) if interval.leading_field.is_none() => {
                *expr = cast((*interval.value).clone(), DataType::Interval { fields: None, precision: None });
                self.node(expr);
            }
            Expr::Interval(interval) => {
                // INTERVAL '1' DAY: the unit belongs to the value.
                let field =
                    interval.leading_field.as_ref().map(|field| field.to_string().to_lowercase()).unwrap_or_default();
                if let (Expr::Value(value), None) = (&*interval.value, &interval.last_field)
                    && let Value::SingleQuotedString(text) = &value.value
                {
                    let value = Expr::value(Value::SingleQuotedString(format!("{text} {field}")));
                    *expr = cast(value, DataType::Interval { fields: None, precision: None });
                    self.node(expr);
                }
            }
            Expr::Cast { .. } => self.cast(expr),
            Expr::UnaryOp { op: UnaryOperator::Minus, expr: inner } => {
                if let Expr::Value(value) = &**inner
                    && let Value::Number(number, _) = &value.value
                {
                    *expr = Expr::value(Value::Number(format!("-{number}"), false));
                }
            }
            Expr::UnaryOp { op: UnaryOperator::Plus, expr: inner } => *expr = (**inner).clone(),
            Expr::Between { expr: value, negated, low, high } => {
                let (below, above, join) = if *negated {
                    (BinaryOperator::Lt, BinaryOperator::Gt, BinaryOperator::Or)
                } else {
                    (BinaryOperator::GtEq, BinaryOperator::LtEq, BinaryOperator::And)
                };
                let mut low = binary((**value).clone(), below, (**low).clone());
                let mut high = binary((**value).clone(), above, (**high).clone());
                self.node(&mut low);
                self.node(&mut high);
                *expr = binary(low, join, high);
            }
            Expr::InList { expr: value, list, negated } => {
                let items = std::mem::take(list);
                *expr = self.in_list((**value).clone(), items, *negated);
            }
            Expr::InSubquery { negated: true, expr: value, subquery } => {
                *expr = not(Expr::InSubquery { negated: false, expr: value.clone(), subquery: subquery.clone() });
            }
            Expr::QualifiedWildcard(name, _) => *name = without_catalogue(name),
            Expr::Like { negated, expr: value, pattern, escape_char, .. } => {
                let operator = if *negated { BinaryOperator::PGNotLikeMatch } else { BinaryOperator::PGLikeMatch };
                if let Some(all) = quantified(value, &operator, pattern) {
                    *expr = all;
                    return self.node(expr);
                }
                let pattern = escaped("like_escape", (**pattern).clone(), escape_char.as_deref());
                *expr = binary((**value).clone(), operator, pattern);
                self.node(expr);
            }
            Expr::ILike { negated, expr: value, pattern, escape_char, .. } => {
                let operator = if *negated { BinaryOperator::PGNotILikeMatch } else { BinaryOperator::PGILikeMatch };
                if let Some(all) = quantified(value, &operator, pattern) {
                    *expr = all;
                    return self.node(expr);
                }
                let pattern = escaped("like_escape", (**pattern).clone(), escape_char.as_deref());
                *expr = binary((**value).clone(), operator, pattern);
                self.node(expr);
            }
            Expr::SimilarTo { negated, expr: value, pattern, escape_char } => {
                let operator = if *negated { BinaryOperator::PGRegexNotMatch } else { BinaryOperator::PGRegexMatch };
                let mut arguments = vec![(**pattern).clone()];
                arguments.extend(escape_char.as_deref().cloned());
                *expr = binary((**value).clone(), operator, call("similar_to_escape", arguments));
                self.node(expr);
            }
            Expr::BinaryOp { .. } => self.binary(expr),
            Expr::AnyOp { left, right, compare_op, .. } | Expr::AllOp { left, right, compare_op } => {
                **left = self.without_text_cast((**left).clone());
                **right = self.array_items((**right).clone(), left);
                if let BinaryOperator::PGCustomBinaryOperator(parts) = compare_op
                    && let Some(plain) = plain_operator(parts)
                {
                    *compare_op = plain;
                }
            }
            Expr::Function(function) => self.function(function),
            Expr::Case { conditions, else_result, operand, .. } => {
                if else_result.as_deref().is_some_and(is_null) {
                    *else_result = None;
                }
                if let Some(operand) = operand {
                    for when in conditions.iter_mut() {
                        self.operands(operand, &mut when.condition, true);
                    }
                }
                let mut results: Vec<&mut Expr> = conditions.iter_mut().map(|when| &mut when.result).collect();
                results.extend(else_result.as_deref_mut());
                self.siblings(results);
            }
            Expr::Trim { trim_where, trim_what, expr: value, trim_characters } => {
                let place = trim_where.unwrap_or(TrimWhereField::Both);
                let name = match place {
                    TrimWhereField::Both => "btrim",
                    TrimWhereField::Leading => "ltrim",
                    TrimWhereField::Trailing => "rtrim",
                };
                let mut arguments = vec![self.without_text_cast((**value).clone())];
                arguments.extend(trim_what.as_deref().cloned());
                arguments.extend(trim_characters.iter().flatten().cloned());
                *expr = call(name, arguments);
            }
            Expr::Substring { expr: value, substring_from, substring_for, .. } => {
                let mut arguments = vec![self.without_text_cast((**value).clone())];
                match (&substring_from, &substring_for) {
                    (None, Some(_)) => arguments.push(Expr::value(Value::Number("1".to_owned(), false))),
                    (from, _) => arguments.extend(from.as_deref().cloned()),
                }
                arguments.extend(substring_for.as_deref().cloned());
                *expr = call("substring", arguments);
            }
            Expr::Position { expr: what, r#in } => {
                let arguments =
                    vec![self.without_text_cast((**r#in).clone()), self.without_text_cast((**what).clone())];
                *expr = call("position", arguments);
            }
            Expr::Overlay { expr: value, overlay_what, overlay_from, overlay_for } => {
                let mut arguments = vec![(**value).clone(), (**overlay_what).clone(), (**overlay_from).clone()];
                arguments.extend(overlay_for.as_deref().cloned());
                *expr = call("overlay", arguments);
            }
            Expr::Ceil { expr: value, .. } => *expr = call("ceil", vec![(**value).clone()]),
            Expr::Floor { expr: value, .. } => *expr = call("floor", vec![(**value).clone()]),
            Expr::Extract { field, expr: value, .. } => {
                let field =
                    Expr::value(Value::SingleQuotedString(field.to_string().trim_matches(['\'', '"']).to_lowercase()));
                *expr = call("extract", vec![field, (**value).clone()]);
            }
            Expr::AtTimeZone { timestamp, time_zone } => {
                *expr = call("timezone", vec![(**time_zone).clone(), (**timestamp).clone()]);
            }
            Expr::Collate { collation, .. } => *collation = without_catalogue(collation),
            Expr::Array(array) => {
                array.named = true;
                let items: Vec<&mut Expr> = array.elem.iter_mut().collect();
                self.siblings(items);
            }
            Expr::Tuple(items) => {
                items.iter_mut().for_each(without_casts);
                *expr = call("row", std::mem::take(items));
            }
            Expr::IsNull(inner) | Expr::IsNotNull(inner) => **inner = self.without_text_cast((**inner).clone()),
            Expr::IsDistinctFrom(left, right) => self.operands(left, right, true),
            Expr::IsNotDistinctFrom(left, right) => {
                self.operands(left, right, true);
                *expr = not(Expr::IsDistinctFrom(left.clone(), right.clone()));
            }
            Expr::Exists { negated: true, subquery } => {
                *expr = not(Expr::Exists { negated: false, subquery: subquery.clone() });
            }
            _ => {}
        }
    }

    fn cast(&mut self, expr: &mut Expr) {
        let Expr::Cast { kind, expr: inner, data_type, .. } = expr else { return };
        *kind = CastKind::DoubleColon;
        *data_type = self.data_type(data_type);
        let target = type_text(data_type);
        if let Expr::Value(value) = &mut **inner
            && let Value::SingleQuotedString(text) = &mut value.value
        {
            if let Some(canonical) = literal::canonical(&target, text) {
                *text = canonical;
            }
            // '101'::bit is B'101'.
            if matches!(target.as_str(), "\"bit\"" | "bit(1)") && text.bytes().all(|byte| matches!(byte, b'0' | b'1')) {
                *expr = Expr::value(Value::SingleQuotedByteStringLiteral(text.clone()));
                return;
            }
        }
        if matches!(target.as_str(), "regclass")
            && let Expr::Value(value) = &mut **inner
            && let Value::SingleQuotedString(text) = &mut value.value
        {
            *text = self.relation_text(text);
        }
        if target.starts_with("interval ") && is_constant(inner) {
            *data_type = custom("interval");
        }
        // A number in a text, and what is no more than a name for its type.
        if let Expr::Value(value) = &**inner {
            match &value.value {
                Value::Null => *expr = (**inner).clone(),
                Value::SingleQuotedString(text) => {
                    let number = literal::number(&infer::base(&target), text).filter(|_| infer::is_number(&target));
                    if let Some(number) = number {
                        let number = Expr::value(Value::Number(number, false));
                        *expr = if target == "integer" { number } else { cast(number, data_type.clone()) };
                    } else if target == "boolean" && matches!(text.as_str(), "t" | "f" | "true" | "false") {
                        *expr = Expr::value(Value::Boolean(text.starts_with('t')));
                    } else if matches!(target.as_str(), "text" | "character varying" | "bpchar") {
                        *expr = (**inner).clone();
                    }
                }
                Value::Number(..) if target == "integer" => *expr = (**inner).clone(),
                _ => {}
            }
            return;
        }
        // A cast to what it is anyway.
        if infer::type_of(self, inner).is_some_and(|own| own == target) {
            *expr = (**inner).clone();
            return;
        }
        // The same cast twice, and text that is text already.
        if let Expr::Cast { data_type: before, .. } = &**inner
            && type_text(before) == target
        {
            *expr = (**inner).clone();
            return;
        }
        if target == "text" || target == "text[]" {
            let of_text = match infer::type_of(self, inner) {
                Some(data_type) => infer::is_text(&data_type) || infer::is_text_array(&data_type),
                None => matches!(&**inner, Expr::Array(_) | Expr::Identifier(_) | Expr::CompoundIdentifier(_)),
            };
            if of_text {
                *expr = (**inner).clone();
            }
        }
    }

    fn without_text_cast(&self, expr: Expr) -> Expr {
        match expr {
            Expr::Cast { expr: inner, data_type, .. } if type_text(&data_type) == "text" => {
                match infer::type_of(self, &inner) {
                    Some(own) if !infer::is_text(&own) => {
                        Expr::Cast { kind: CastKind::DoubleColon, expr: inner, data_type, format: None }
                    }
                    _ => *inner,
                }
            }
            other => other,
        }
    }

    /// `x IN (…)` as the server reads it: constants as an array, columns one by one (`transformAExprIn()`).
    fn in_list(&mut self, value: Expr, items: Vec<Expr>, negated: bool) -> Expr {
        let (columns, constants): (Vec<Expr>, Vec<Expr>) = items.into_iter().partition(names_column);
        let (compare, join) = if negated {
            (BinaryOperator::NotEq, BinaryOperator::And)
        } else {
            (BinaryOperator::Eq, BinaryOperator::Or)
        };
        let mut parts = Vec::new();
        let singles = if constants.len() > 1 && row_items(&value).is_none() {
            let mut array = Expr::Array(Array { elem: constants, named: true });
            self.node(&mut array);
            let (left, right) = (Box::new(value.clone()), Box::new(array));
            let mut any = if negated {
                Expr::AllOp { left, compare_op: compare.clone(), right }
            } else {
                Expr::AnyOp { left, compare_op: compare.clone(), right, is_some: false }
            };
            self.node(&mut any);
            parts.push(any);
            columns
        } else {
            constants.into_iter().chain(columns).collect()
        };
        for item in singles {
            let mut part = binary(value.clone(), compare.clone(), item);
            self.node(&mut part);
            parts.push(part);
        }
        parts.into_iter().reduce(|left, right| binary(left, join.clone(), right)).unwrap_or(value)
    }

    /// The items of an array that something is compared with, without the casts that the comparison brings.
    fn array_items(&mut self, right: Expr, left: &Expr) -> Expr {
        let mut right = right;
        while let Expr::Cast { expr: inner, data_type, .. } = &right {
            let element = type_text(data_type);
            let Some(element) = element.strip_suffix("[]") else { break };
            let fits = match infer::type_of(self, left) {
                Some(own) => {
                    element == own.split('(').next().unwrap_or(&own)
                        || (infer::is_text(&own) && infer::is_text(element))
                }
                None => true,
            };
            if !fits {
                break;
            }
            right = (**inner).clone();
        }
        // '{a,b}' as the items that it holds.
        if let Expr::Value(value) = &right
            && let Value::SingleQuotedString(text) = &value.value
            && let Some(items) = text.strip_prefix('{').and_then(|rest| rest.strip_suffix('}'))
            && !items.contains(['"', '\\', '{'])
        {
            let items = items.split(',').filter(|item| !item.is_empty());
            let elem: Vec<Expr> =
                items.map(|item| Expr::value(Value::SingleQuotedString(item.trim().to_owned()))).collect();
            right = Expr::Array(Array { elem, named: true });
        }
        if let Expr::Array(array) = &mut right {
            for item in &mut array.elem {
                let mut other = left.clone();
                self.operands(&mut other, item, true);
            }
        }
        right
    }

    fn binary(&mut self, expr: &mut Expr) {
        let Expr::BinaryOp { left, op, right } = expr else { return };
        if let BinaryOperator::PGCustomBinaryOperator(parts) = op
            && let Some(plain) = plain_operator(parts)
        {
            *op = plain;
        }
        if matches!(op, BinaryOperator::And | BinaryOperator::Or) {
            // a AND (b AND c) is one list.
            if let Expr::BinaryOp { left: first, op: inner, right: second } = &**right
                && inner == op
            {
                let mut joined = binary((**left).clone(), op.clone(), (**first).clone());
                self.binary(&mut joined);
                *expr = binary(joined, op.clone(), (**second).clone());
                self.binary(expr);
            }
            return;
        }
        if let BinaryOperator::Custom(name) = op
            && name == "!="
        {
            *op = BinaryOperator::NotEq;
        }
        // Paths into documents are arrays of texts.
        if matches!(
            op,
            BinaryOperator::HashArrow
                | BinaryOperator::HashLongArrow
                | BinaryOperator::HashMinus
                | BinaryOperator::QuestionAnd
                | BinaryOperator::QuestionPipe
        ) && let Expr::Cast { expr: inner, data_type, .. } = &**right
            && type_text(data_type) == "text[]"
            && is_constant(inner)
        {
            **right = (**inner).clone();
        }
        // (a, b) = (1, 2)
        if matches!(op, BinaryOperator::Eq | BinaryOperator::NotEq)
            && let (Some(left), Some(right)) = (row_items(left), row_items(right))
            && left.len() == right.len()
        {
            let (compare, join) =
                (op.clone(), if *op == BinaryOperator::Eq { BinaryOperator::And } else { BinaryOperator::Or });
            let pairs = left.into_iter().zip(right).map(|(left, right)| {
                let mut pair = binary(left, compare.clone(), right);
                self.node(&mut pair);
                pair
            });
            if let Some(joined) =
                pairs.collect::<Vec<_>>().into_iter().reduce(|left, right| binary(left, join.clone(), right))
            {
                *expr = joined;
            }
            return;
        }
        let comparison = infer::is_comparison(op);
        let concatenation = matches!(op, BinaryOperator::StringConcat);
        if concatenation {
            **left = self.without_text_cast((**left).clone());
            **right = self.without_text_cast((**right).clone());
        }
        self.operands(left, right, comparison);
        if matches!(op, BinaryOperator::AtArrow | BinaryOperator::ArrowAt) {
            let types = (infer::type_of(self, left), infer::type_of(self, right));
            self.typed_constant(right, types.0.as_deref());
            self.typed_constant(left, types.1.as_deref());
        }
    }

    /// Takes the casts away that two operands bring upon each other.
    fn operands(&self, left: &mut Expr, right: &mut Expr, comparison: bool) {
        self.widened_by_constant(left, right);
        self.widened_by_constant(right, left);
        // A constant has the type that the other operand brings upon it, so it says nothing of a cast there.
        let evidence = |of: &Expr, other: &Expr| {
            let open = is_cast_constant(of) && !is_cast_constant(other);
            infer::type_of(self, of).filter(|own| !(open && infer::is_number(own)))
        };
        let types = (evidence(left, right), evidence(right, left));
        self.coerced(left, types.1.as_deref(), comparison);
        self.coerced(right, types.0.as_deref(), comparison);
        let own = infer::type_of(self, left);
        if comparison {
            self.typed_constant(right, own.as_deref());
            let other = infer::type_of(self, right);
            self.typed_constant(left, other.as_deref());
        }
    }

    /// `n / 2::float8` is `n::float8 / 2`: the server spells both in the same way.
    fn widened_by_constant(&self, constant: &Expr, other: &mut Expr) {
        let Expr::Cast { data_type, .. } = constant else { return };
        let target = type_text(data_type);
        if !is_cast_constant(constant) || !infer::is_number(&target) || is_constant(other) || is_cast_constant(other) {
            return;
        }
        let own = infer::type_of(self, other).filter(|own| infer::is_number(own));
        if own.is_some_and(|own| infer::rank(&own) < infer::rank(&target)) {
            *other = cast(other.clone(), data_type.clone());
        }
    }

    /// A text constant in the spelling of the type that it is compared with.
    fn typed_constant(&self, expr: &mut Expr, data_type: Option<&str>) {
        let (Expr::Value(value), Some(data_type)) = (expr, data_type) else { return };
        let Value::SingleQuotedString(text) = &mut value.value else { return };
        let number = literal::number(&infer::base(data_type), text).filter(|_| infer::is_number(data_type));
        if let Some(number) = number {
            value.value = Value::Number(number, false);
        } else if let Some(canonical) = literal::canonical(data_type, text) {
            *text = canonical;
        }
    }

    /// Takes a cast from `expr` away that is there because the other operand has this type.
    fn coerced(&self, expr: &mut Expr, other: Option<&str>, comparison: bool) {
        let Expr::Cast { expr: inner, data_type, .. } = expr else { return };
        let target = type_text(data_type);
        let base = infer::base;
        let fits =
            other.is_none_or(|other| base(other) == base(&target) || infer::is_text(other) && infer::is_text(&target));
        let factor = other == Some("interval") && target == "double precision";
        if is_constant(inner) {
            if fits || factor {
                *expr = (**inner).clone();
            }
            return;
        }
        let Some(own) = infer::type_of(self, inner) else {
            if comparison && infer::is_text(&target) && other.is_none_or(infer::is_text) {
                *expr = (**inner).clone();
            }
            return;
        };
        let widened = other.is_some_and(|other| base(other) == base(&target))
            && (infer::is_number(&own) && infer::is_number(&target)
                || infer::is_moment(&own) && infer::is_moment(&target))
            && infer::rank(&own) < infer::rank(&target);
        if widened || infer::is_text(&own) && infer::is_text(&target) && comparison {
            *expr = (**inner).clone();
        }
    }

    /// Alternatives that get one common type.
    fn siblings(&self, items: Vec<&mut Expr>) {
        let of = |wanted: &dyn Fn(&Expr) -> bool| {
            items.iter().find_map(|item| wanted(item).then(|| infer::type_of(self, item)).flatten())
        };
        let common = of(&|item| !is_constant(item) && !matches!(item, Expr::Cast { .. }));
        let common = common.or_else(|| of(&|item| is_constant(item)));
        for item in items {
            self.coerced(item, common.as_deref(), true);
        }
    }

    /// An argument of a function, without the casts that the function brings upon it.
    fn argument(&self, argument: &mut Expr, function: &str) {
        without_casts(argument);
        self.widened(argument, function);
        *argument = self.without_text_cast(argument.clone());
    }

    /// Takes a cast away that a function of the engine brings upon its argument.
    fn widened(&self, argument: &mut Expr, function: &str) {
        let Expr::Cast { expr: inner, data_type, .. } = argument else { return };
        let target = type_text(data_type);
        let Some(own) = infer::type_of(self, inner) else { return };
        let of_moments = matches!(
            function,
            "generate_series" | "to_char" | "date_trunc" | "date_part" | "extract" | "age" | "timezone"
        );
        let of_numbers = matches!(
            function,
            "sqrt"
                | "percentile_cont"
                | "power"
                | "exp"
                | "ln"
                | "log"
                | "floor"
                | "ceil"
                | "round"
                | "trunc"
                | "mod"
                | "sign"
                | "sum"
                | "avg"
                | "max"
                | "min"
                | "to_char"
                | "generate_series"
                | "lpad"
                | "repeat"
                | "left"
                | "right"
        );
        if of_moments && infer::is_moment(&own) && infer::is_moment(&target)
            || of_numbers
                && infer::is_number(&own)
                && infer::is_number(&target)
                && infer::rank(&own) < infer::rank(&target)
        {
            *argument = (**inner).clone();
        }
    }

    /// `public.hives_id_seq` in a text, as canonical names are written.
    fn relation_text(&self, text: &str) -> String {
        let parts = names::parts(text);
        let name = self.known.relation_in_query(&parts, self.own_schema).unwrap_or_else(|| text.to_owned());
        let parts = names::parts(&name);
        match &parts[..] {
            [schema, identifier] if schema == "public" || schema == "pg_catalog" => names::quoted(identifier),
            [schema, identifier] => format!("{}.{}", names::quoted(schema), names::quoted(identifier)),
            _ => name,
        }
        .replace('\'', "''")
    }

    fn function(&mut self, function: &mut Function) {
        let parts = name_parts(&function.name);
        let text: Vec<String> = parts.iter().map(|part| names::quoted(part)).collect();
        let resolved = self.known.function(&text.join("."), self.own_schema);
        let mut parts = names::parts(&resolved);
        if parts.len() > 1 && matches!(parts[0].as_str(), "public" | "pg_catalog") {
            parts.remove(0);
        }
        // Names of the grammar and of the functions behind it.
        if parts == ["ceiling"] {
            parts = vec!["ceil".to_owned()];
        }
        let last = parts.last().cloned().unwrap_or_default();
        function.name = ObjectName(parts.iter().map(|part| ObjectNamePart::Identifier(ident(part))).collect());
        // ORDER BY of an ordered-set aggregate is an argument too.
        for item in &mut function.within_group {
            self.widened(&mut item.expr, &last);
        }
        if let FunctionArguments::List(list) = &mut function.args {
            // h.* is the whole row, as h is.
            for argument in &mut list.args {
                if let FunctionArg::Unnamed(whole @ FunctionArgExpr::QualifiedWildcard(_)) = argument
                    && let FunctionArgExpr::QualifiedWildcard(name) = &*whole
                    && let [alias] = &name_parts(name)[..]
                {
                    let alias = self.scopes.qualifier(alias).unwrap_or(alias).to_owned();
                    *whole = FunctionArgExpr::Expr(Expr::Identifier(ident(&alias)));
                }
            }
            let mut arguments: Vec<&mut Expr> = list
                .args
                .iter_mut()
                .filter_map(|argument| match argument {
                    FunctionArg::Unnamed(FunctionArgExpr::Expr(expr))
                    | FunctionArg::Named { arg: FunctionArgExpr::Expr(expr), .. } => Some(expr),
                    _ => None,
                })
                .collect();
            match last.as_str() {
                "coalesce" | "greatest" | "least" | "nullif" => self.siblings(arguments),
                "nextval" | "currval" | "setval" => {
                    if let Some(first) = arguments.first_mut() {
                        if let Expr::Cast { expr: inner, .. } = &**first {
                            **first = (**inner).clone();
                        }
                        if let Expr::Value(value) = &mut **first
                            && let Value::SingleQuotedString(text) = &mut value.value
                        {
                            *text = self.relation_text(text);
                        }
                    }
                }
                _ => {
                    for argument in arguments {
                        self.argument(argument, &last);
                    }
                }
            }
        }
    }
}

impl VisitorMut for Walk<'_> {
    type Break = ();

    fn pre_visit_statement(&mut self, statement: &mut Statement) -> ControlFlow<()> {
        let relations = match statement {
            Statement::Update(update) => {
                let mut relations = self.relations_of(std::slice::from_ref(&update.table));
                if let Some(UpdateTableFromKind::AfterSet(from) | UpdateTableFromKind::BeforeSet(from)) = &update.from {
                    relations.extend(self.relations_of(from));
                }
                relations
            }
            Statement::Delete(delete) => {
                let (FromTable::WithFromKeyword(from) | FromTable::WithoutKeyword(from)) = &delete.from;
                let mut relations = self.relations_of(from);
                relations.extend(delete.using.iter().flat_map(|using| self.relations_of(using)).collect::<Vec<_>>());
                relations
            }
            Statement::Insert(Insert { table: TableObject::TableName(name), table_alias, .. }) => {
                // Its name is taken in the query that it may hold, its columns are not in sight there.
                let alias = table_alias.as_ref().map(|alias| ident_value(&alias.alias));
                let name = alias.unwrap_or_else(|| name_parts(name).pop().unwrap_or_default());
                vec![Relation::new(name, Some(Columns::new()))]
            }
            _ => Vec::new(),
        };
        self.scopes.enter(relations);
        ControlFlow::Continue(())
    }

    fn post_visit_statement(&mut self, _: &mut Statement) -> ControlFlow<()> {
        self.scopes.leave();
        ControlFlow::Continue(())
    }

    fn pre_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        if let SetExpr::Table(table) = &*query.body
            && let Some(select) = select_all(table)
        {
            *query.body = select;
        }
        self.see_ctes(query);
        fetch_as_limit(query);
        if let (SetExpr::Select(select), Some(order)) = (&mut *query.body, &mut query.order_by) {
            let relations = self.relations_of(&select.from);
            self.scopes.enter_query(relations);
            let listed = outputs_by_name(&select.projection);
            if let OrderByKind::Expressions(items) = &mut order.kind {
                for item in items {
                    self.resolve_output(&mut item.expr, &listed, true);
                    usual_order(item);
                }
            }
        } else {
            if let Some(order) = &mut query.order_by
                && let OrderByKind::Expressions(items) = &mut order.kind
            {
                items.iter_mut().for_each(usual_order);
            }
            // A SELECT without an order has a level of its own; one of several has one within the whole's.
            match &*query.body {
                SetExpr::Select(select) => {
                    let relations = self.relations_of(&select.from);
                    self.scopes.enter_query(relations);
                }
                _ => self.scopes.enter(Vec::new()),
            }
        }
        ControlFlow::Continue(())
    }

    fn post_visit_query(&mut self, query: &mut Query) -> ControlFlow<()> {
        self.scopes.leave();
        let gone = query.with.as_ref().map_or(0, |with| with.cte_tables.len());
        self.ctes.truncate(self.ctes.len() - gone.min(self.ctes.len()));
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
        let relations = self.relations_of(&select.from);
        self.scopes.enter_select(relations);
        self.select(select);
        ControlFlow::Continue(())
    }

    fn post_visit_select(&mut self, _: &mut Select) -> ControlFlow<()> {
        self.scopes.leave();
        ControlFlow::Continue(())
    }

    fn pre_visit_relation(&mut self, name: &mut ObjectName) -> ControlFlow<()> {
        let parts = name_parts(name);
        if parts.len() == 1 && self.ctes.iter().any(|(cte, _)| *cte == parts[0]) {
            *name = ObjectName(vec![ObjectNamePart::Identifier(ident(&parts[0]))]);
            return ControlFlow::Continue(());
        }
        let found = self.known.relation_in_query(&parts, self.own_schema);
        let mut parts = found.map_or(parts, |name| names::parts(&name));
        if parts.len() > 1 && matches!(parts[0].as_str(), "public" | "pg_catalog") {
            parts.remove(0);
        }
        *name = ObjectName(parts.iter().map(|part| ObjectNamePart::Identifier(ident(part))).collect());
        ControlFlow::Continue(())
    }

    fn post_visit_table_factor(&mut self, factor: &mut TableFactor) -> ControlFlow<()> {
        self.numbered_alias(factor);
        one_kind_of_function(factor);
        if let TableFactor::Function { name, args, .. } = factor {
            let function = name_parts(name).pop().unwrap_or_default();
            for argument in args {
                if let FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) = argument {
                    self.argument(expr, &function);
                }
            }
        }
        if let TableFactor::Table { name, alias, args, .. } = factor {
            let own = name_parts(name).pop().unwrap_or_default();
            let redundant = args.is_none()
                && alias.as_ref().is_some_and(|alias| alias.columns.is_empty() && ident_value(&alias.name) == own);
            if redundant {
                *alias = None;
            }
        }
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
                alias.columns.iter_mut().for_each(|column| column.name = ident(&ident_value(&column.name)));
                // The server lists what the columns of a function are called anyway.
                let listed: Vec<String> = alias.columns.iter().map(|column| ident_value(&column.name)).collect();
                let untyped = alias.columns.iter().all(|column| column.data_type.is_none());
                if let Some(function) = function
                    && untyped
                    && (listed == [ident_value(&alias.name)]
                        || function_columns(&function).is_some_and(|usual| listed == usual))
                {
                    alias.columns.clear();
                }
            }
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_expr(&mut self, expr: &mut Expr) -> ControlFlow<()> {
        self.field_access(expr);
        ControlFlow::Continue(())
    }

    fn post_visit_expr(&mut self, expr: &mut Expr) -> ControlFlow<()> {
        self.node(expr);
        ControlFlow::Continue(())
    }
}
