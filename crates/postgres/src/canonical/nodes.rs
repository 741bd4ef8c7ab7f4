//! One node of a tree whose children are canonical: operators for keywords, functions for special syntax.

use sqlparser::ast::{
    Array, BinaryOperator, DataType, Expr, Function, FunctionArg, FunctionArgExpr, FunctionArgOperator,
    FunctionArguments, ObjectName, ObjectNamePart, Query, TrimWhereField, UnaryOperator, Value,
};

use sqlparser::tokenizer::Span;

use super::super::{functions, names};
use super::infer;
use super::literal;
use super::tree::*;
use super::walk::Walk;
use wevrun_core::model::Unresolved;

impl Walk<'_> {
    /// One node whose children are canonical already.
    pub(super) fn node(&mut self, expr: &mut Expr) {
        match expr {
            Expr::Nested(inner) => *expr = take(inner),
            Expr::Identifier(_) | Expr::CompoundIdentifier(_) => self.column(expr),
            Expr::Value(value) => {
                if let Value::Number(number, _) = &mut value.value
                    && let Some(canonical) = literal::number("numeric", number)
                {
                    let says_numeric = literal::has_exponent(number) || number.contains('.');
                    let is_numeric = says_numeric && !canonical.contains('.');
                    *number = canonical;
                    if is_numeric {
                        *expr = cast(take(expr), custom("numeric"));
                        return self.cast(expr);
                    }
                }
                let plain = match &value.value {
                    Value::DollarQuotedString(text) => Some(text.value.clone()),
                    Value::EscapedStringLiteral(text)
                    | Value::UnicodeStringLiteral(text)
                    | Value::NationalStringLiteral(text) => Some(text.clone()),
                    _ => None,
                };
                // X'1F' is eight bits.
                if let Value::HexStringLiteral(digits) = &value.value {
                    let bits = digits.chars().filter_map(|digit| Some(format!("{:04b}", digit.to_digit(16)?)));
                    value.value = Value::SingleQuotedByteStringLiteral(bits.collect());
                }
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
                if let Some(last) = &interval.last_field {
                    let fields = format!("interval {field} to {}", last.to_string().to_lowercase());
                    *expr = cast((*interval.value).clone(), custom(&fields));
                    return self.node(expr);
                }
                if let Expr::Value(value) = &*interval.value
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
                    // `-(-5)` is 5: the grammar does it (`doNegate()`).
                    let negated = number.strip_prefix('-').map_or_else(|| format!("-{number}"), str::to_owned);
                    *expr = Expr::value(Value::Number(negated, false));
                }
            }
            Expr::UnaryOp { op: UnaryOperator::PGSquareRoot | UnaryOperator::PGCubeRoot, expr: inner } => {
                self.widened(inner, "sqrt");
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
                without_names(subquery);
                self.beside_query(value, subquery);
                *expr = not(Expr::InSubquery { negated: false, expr: value.clone(), subquery: subquery.clone() });
            }
            // t.* where a value is wanted is the whole row, as t is.
            Expr::QualifiedWildcard(name, token) => match &name_parts(name)[..] {
                [alias] => {
                    self.sees_row(alias, name.0[0].as_ident().map_or_else(|| token.0.span, |ident| ident.span));
                    *expr = Expr::Identifier(ident(self.scopes.qualifier(alias).unwrap_or(alias)));
                }
                _ => *name = without_catalogue(name),
            },
            // What its columns are called is nobody's business.
            Expr::Subquery(query) | Expr::Exists { subquery: query, negated: false } => without_names(query),
            Expr::InSubquery { subquery, negated: false, expr: value } => {
                without_names(subquery);
                self.beside_query(value, subquery);
            }
            Expr::Like { negated, any, expr: value, pattern, escape_char } => {
                let operator = if *negated { BinaryOperator::PGNotLikeMatch } else { BinaryOperator::PGLikeMatch };
                if let Some(all) = quantified(value, *any, &operator, pattern) {
                    *expr = all;
                    return self.node(expr);
                }
                let pattern = escaped("like_escape", (**pattern).clone(), escape_char.as_deref());
                *expr = binary((**value).clone(), operator, pattern);
                self.node(expr);
            }
            Expr::ILike { negated, any, expr: value, pattern, escape_char } => {
                let operator = if *negated { BinaryOperator::PGNotILikeMatch } else { BinaryOperator::PGILikeMatch };
                if let Some(all) = quantified(value, *any, &operator, pattern) {
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
            Expr::AnyOp { left, right, compare_op: BinaryOperator::Eq, .. } if matches!(**right, Expr::Subquery(_)) => {
                let Expr::Subquery(subquery) = take(right) else { return };
                self.beside_query(left, &subquery);
                *expr = Expr::InSubquery { expr: left.clone(), subquery, negated: false };
            }
            Expr::AnyOp { is_some: is_some @ true, .. } => {
                *is_some = false;
                self.node(expr);
            }
            Expr::AnyOp { left, right, compare_op, .. } | Expr::AllOp { left, right, compare_op } => {
                if let Expr::Subquery(query) = &**right {
                    self.beside_query(left, query);
                }
                **left = self.without_text_cast(take(left));
                **right = self.array_items(take(right), left);
                if let BinaryOperator::PGCustomBinaryOperator(parts) = compare_op
                    && let Some(plain) = plain_operator(parts, self.home_schema)
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
                // A list of constants of one type that is not theirs by themselves has it from nobody else.
                if !are_cast_alike(&array.elem) {
                    self.siblings(array.elem.iter_mut().collect());
                }
            }
            Expr::Tuple(items) => {
                items.iter_mut().for_each(without_casts);
                *expr = call("row", std::mem::take(items));
            }
            Expr::IsNull(inner) | Expr::IsNotNull(inner) => **inner = self.without_text_cast(take(inner)),
            Expr::IsDistinctFrom(left, right) => self.operands(left, right, true),
            Expr::IsNotDistinctFrom(left, right) => {
                self.operands(left, right, true);
                *expr = not(Expr::IsDistinctFrom(left.clone(), right.clone()));
            }
            Expr::Exists { negated: true, subquery } => {
                without_names(subquery);
                *expr = not(Expr::Exists { negated: false, subquery: subquery.clone() });
            }
            _ => {}
        }
    }

    /// `x IN (…)` as the server reads it: constants as an array, columns one by one (`transformAExprIn()`).
    pub(super) fn in_list(&mut self, value: Expr, items: Vec<Expr>, negated: bool) -> Expr {
        let constant_count = items.iter().filter(|item| !names_column(item)).count();
        if constant_count < 2 || row_items(&value).is_some() {
            return self.one_by_one(value, items, negated, None);
        }
        let (columns, constants): (Vec<Expr>, Vec<Expr>) = items.into_iter().partition(names_column);
        let mut array = Expr::Array(Array { elem: constants, named: true });
        self.node(&mut array);
        let (left, right) = (Box::new(value.clone()), Box::new(array));
        let mut any = if negated {
            Expr::AllOp { left, compare_op: BinaryOperator::NotEq, right }
        } else {
            Expr::AnyOp { left, compare_op: BinaryOperator::Eq, right, is_some: false }
        };
        self.node(&mut any);
        self.one_by_one(value, columns, negated, Some(any))
    }

    /// Each item compared by itself, after what is first.
    fn one_by_one(&mut self, value: Expr, items: Vec<Expr>, negated: bool, first: Option<Expr>) -> Expr {
        let (compare, join) = if negated {
            (BinaryOperator::NotEq, BinaryOperator::And)
        } else {
            (BinaryOperator::Eq, BinaryOperator::Or)
        };
        let mut parts: Vec<Expr> = first.into_iter().collect();
        for item in items {
            let mut part = binary(value.clone(), compare.clone(), item);
            self.node(&mut part);
            parts.push(part);
        }
        parts.into_iter().reduce(|left, right| binary(left, join.clone(), right)).unwrap_or(value)
    }

    pub(super) fn binary(&mut self, expr: &mut Expr) {
        let Expr::BinaryOp { left, op, right } = expr else { return };
        if let BinaryOperator::PGCustomBinaryOperator(parts) = op
            && let Some(plain) = plain_operator(parts, self.home_schema)
        {
            *op = plain;
        }
        if matches!(op, BinaryOperator::And | BinaryOperator::Or) {
            // a AND (b AND c) is one list.
            if let Expr::BinaryOp { left: first, op: inner, right: second } = &mut **right
                && inner == op
            {
                let mut joined = binary(take(left), op.clone(), take(first));
                self.binary(&mut joined);
                *expr = binary(joined, op.clone(), take(second));
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
            **left = self.without_text_cast(take(left));
            **right = self.without_text_cast(take(right));
        }
        self.caseless_as_text(left, op, right);
        self.caseless_as_text(right, op, left);
        self.operands(left, right, comparison);
        if matches!(op, BinaryOperator::AtArrow | BinaryOperator::ArrowAt) {
            let types = (infer::type_of(self, left), infer::type_of(self, right));
            self.typed_constant(right, types.0.as_deref());
            self.typed_constant(left, types.1.as_deref());
        }
        self.rows(left, right);
        self.constants_beside(left, op, right);
        let searched = infer::type_of(self, left);
        match (&op, searched.as_deref()) {
            (BinaryOperator::StringConcat, Some("jsonb")) => self.constant_of(right, "jsonb"),
            (BinaryOperator::PGOverlap | BinaryOperator::AtArrow, Some(own)) if own.ends_with("range") => {
                self.constant_of(right, own);
            }
            (BinaryOperator::AtQuestion | BinaryOperator::AtAt, Some("jsonb")) => self.constant_of(right, "jsonpath"),
            (BinaryOperator::AtAt, Some("tsvector")) => self.constant_of(right, "tsquery"),
            // Powers of whole numbers are those of floating-point ones.
            (BinaryOperator::Plus, Some(own)) if own.starts_with("time") => {
                self.constant_of(right, "interval");
            }
            (BinaryOperator::PGExp, _) => [left, right].into_iter().for_each(|side| self.widened(side, "power")),
            _ => {}
        }
    }

    /// The items of two rows that are compared, each with the other's.
    fn rows(&mut self, left: &mut Expr, right: &mut Expr) {
        let (Some(mut items), Some(mut others)) = (row_items(left), row_items(right)) else { return };
        items.iter_mut().zip(&mut others).for_each(|(left, right)| self.operands(left, right, true));
        (*left, *right) = (call("row", items), call("row", others));
    }

    /// Takes the cast away that the rows of a query bring upon the value that is compared with them.
    fn beside_query(&self, value: &mut Expr, query: &Query) {
        if let Some(own) = self.output_type(query) {
            self.coerced(value, Some(&own), true);
        }
    }

    /// `public.hives_id_seq` in a text, as canonical names are written.
    pub(super) fn relation_text(&self, text: &str) -> String {
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

    /// A function's name with its schema, if it is one of the model's.
    pub(super) fn resolved(&self, name: &ObjectName) -> String {
        let text: Vec<String> = name_parts(name).iter().map(|part| names::quoted(part)).collect();
        self.known.function(&text.join("."), self.own_schema)
    }

    /// A function's name as it stands in canonical forms: the usual schemas are not said.
    pub(super) fn called(&self, name: &ObjectName) -> ObjectName {
        let mut parts = names::parts(&self.resolved(name));
        if parts.len() > 1 && matches!(parts[0].as_str(), "public" | "pg_catalog") {
            parts.remove(0);
        }
        // Names of the grammar and of the functions behind it.
        if parts == ["ceiling"] {
            parts = vec!["ceil".to_owned()];
        }
        ObjectName(parts.iter().map(|part| ObjectNamePart::Identifier(ident(part))).collect())
    }

    /// What a function of the model returns.
    pub(super) fn returns(&self, name: &ObjectName, arguments: usize) -> Option<String> {
        let data_type = self.known.returns(&self.resolved(name), arguments)?;
        Some(data_type.strip_prefix("public.").unwrap_or(data_type).to_owned())
    }

    /// A function without a schema that nobody has: neither the model, under this or another kind of name, nor the engine.
    pub(super) fn must_be_known(&mut self, name: &ObjectName, resolved: &str) {
        let parts = name_parts(name);
        let [own] = &parts[..] else { return };
        if !self.known.routines.contains_key(resolved)
            && !self.known.identifiers.contains(own)
            && (!functions::is_known(own) || functions::since(own).is_some())
            && !super::type_names::is_plainly_built_in(own)
        {
            self.unresolved.insert(Unresolved::Function(own.clone()));
        }
    }

    /// An item of a row: `h.*` is each of its columns.
    fn row_item(&self, item: FunctionArg) -> Vec<FunctionArg> {
        let FunctionArg::Unnamed(FunctionArgExpr::QualifiedWildcard(name)) = &item else { return vec![item] };
        let found = name_parts(name).pop().and_then(|alias| self.scopes.called(&alias).cloned());
        let Some((alias, columns)) = found.and_then(|found| Some((found.alias, found.columns?))) else {
            return vec![item];
        };
        let column = |(column, _): &(String, Option<String>)| {
            FunctionArg::Unnamed(FunctionArgExpr::Expr(column_of(Some(&alias), column)))
        };
        columns.iter().map(column).collect()
    }

    pub(super) fn function(&mut self, function: &mut Function) {
        let resolved = self.resolved(&function.name);
        let takes = match &function.args {
            FunctionArguments::List(list) => self.known.parameters(&resolved, list.args.len()),
            _ => Vec::new(),
        };
        self.must_be_known(&function.name, &resolved);
        let given = match &function.args {
            FunctionArguments::List(list) => list.args.len(),
            _ => 0,
        };
        self.sees_call(&function.name, &resolved, given);
        self.sees_configuration(function);
        function.name = self.called(&function.name);
        let last = name_parts(&function.name).pop().unwrap_or_default();
        let takes = match infer::range_of(&last) {
            Some(bound) if takes.is_empty() => vec![bound.to_owned(); 2],
            _ => takes,
        };
        // ORDER BY of an ordered-set aggregate is an argument too.
        for item in &mut function.within_group {
            self.widened(&mut item.expr, &last);
        }
        if let FunctionArguments::Subquery(query) = &mut function.args {
            without_names(query);
        }
        if let FunctionArguments::List(list) = &mut function.args {
            for argument in &list.args {
                if let FunctionArg::Unnamed(FunctionArgExpr::QualifiedWildcard(name)) = argument {
                    let span = name.0.first().and_then(|part| part.as_ident()).map(|ident| ident.span);
                    self.sees_row(&name_parts(name).pop().unwrap_or_default(), span.unwrap_or_else(Span::empty));
                }
            }
            if last == "row" {
                list.args = std::mem::take(&mut list.args).into_iter().flat_map(|item| self.row_item(item)).collect();
            }
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
            for argument in &mut list.args {
                if let FunctionArg::Named { arg: FunctionArgExpr::Expr(expr), operator, .. } = argument {
                    *operator = FunctionArgOperator::RightArrow;
                    without_casts(expr);
                }
            }
            let mut arguments: Vec<&mut Expr> = list
                .args
                .iter_mut()
                .filter_map(|argument| match argument {
                    FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) => Some(expr),
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
                            self.sees_relation_text(text, value.span);
                            *text = self.relation_text(text);
                        }
                    }
                }
                _ => {
                    self.constants_told(&last, &mut arguments);
                    let mut takes = takes.iter();
                    let of_paths = last.starts_with("jsonb_path_");
                    for (index, argument) in arguments.into_iter().enumerate() {
                        self.argument(argument, &last);
                        if of_paths && index == 1 {
                            self.constant_of(argument, "jsonpath");
                        }
                        if let Some(wanted) = takes.next() {
                            self.coerced(argument, Some(wanted), true);
                            self.typed_constant(argument, Some(wanted));
                        }
                    }
                }
            }
        }
    }
}
