//! Small steps on a tree: what a node is, and how one is made.

use std::ops::ControlFlow;

use sqlparser::ast::{
    BinaryOperator, CastKind, DataType, Expr, Function, FunctionArg, FunctionArgExpr, FunctionArguments, Ident,
    JoinConstraint, JoinOperator, ObjectName, ObjectNamePart, OrderByExpr, OrderBySort, Query, Select, SelectItem,
    SelectItemQualifiedWildcardKind, SetExpr, Table, TableAlias, TableFactor, TableWithJoins, UnaryOperator, Value,
};

use sqlparser::parser::Parser;

use super::super::{names, tokens};
use super::scope::{Columns, FunctionRows, Relation};

/// The value of an identifier: in lower case, if it has no quotes.
pub fn ident_value(ident: &Ident) -> String {
    if ident.quote_style.is_some() { ident.value.replace("\"\"", "\"") } else { names::folded(&ident.value) }
}

pub fn ident(value: &str) -> Ident {
    let quoted = names::quoted(value);
    if quoted.starts_with('"') { Ident::with_quote('"', value) } else { Ident::new(value) }
}

pub fn name_parts(name: &ObjectName) -> Vec<String> {
    name.0
        .iter()
        .map(|part| match part {
            ObjectNamePart::Identifier(ident) => ident_value(ident),
            other => other.to_string(),
        })
        .collect()
}

pub fn without_catalogue(name: &ObjectName) -> ObjectName {
    let mut parts = name_parts(name);
    if parts.len() > 1 && parts[0] == "pg_catalog" {
        parts.remove(0);
    }
    ObjectName(parts.iter().map(|part| ObjectNamePart::Identifier(ident(part))).collect())
}

/// The canonical name of a type in a tree.
pub fn type_text(data_type: &DataType) -> String {
    super::super::parse::canonical_type(&data_type.to_string())
}

pub fn custom(text: &str) -> DataType {
    DataType::Custom(ObjectName(vec![ObjectNamePart::Identifier(Ident::new(text))]), Vec::new())
}

pub fn cast(expr: Expr, data_type: DataType) -> Expr {
    Expr::Cast { kind: CastKind::DoubleColon, expr: Box::new(expr), data_type, format: None }
}

pub fn binary(left: Expr, op: BinaryOperator, right: Expr) -> Expr {
    Expr::BinaryOp { left: Box::new(left), op, right: Box::new(right) }
}

pub fn not(expr: Expr) -> Expr {
    Expr::UnaryOp { op: UnaryOperator::Not, expr: Box::new(expr) }
}

pub fn call(name: &str, arguments: Vec<Expr>) -> Expr {
    let args = arguments.into_iter().map(|expr| FunctionArg::Unnamed(FunctionArgExpr::Expr(expr))).collect();
    Expr::Function(Function {
        name: ObjectName(vec![ObjectNamePart::Identifier(ident(name))]),
        uses_odbc_syntax: false,
        parameters: FunctionArguments::None,
        args: FunctionArguments::List(sqlparser::ast::FunctionArgumentList {
            duplicate_treatment: None,
            args,
            clauses: Vec::new(),
        }),
        within_group: Vec::new(),
        filter: None,
        null_treatment: None,
        over: None,
    })
}

/// `x LIKE ALL (array)` and `x LIKE ANY (array)`, whose array is read as the argument of a function, or as what `any` tells.
pub fn quantified(value: &Expr, any: bool, operator: &BinaryOperator, pattern: &Expr) -> Option<Expr> {
    if any {
        let (left, right) = (Box::new(value.clone()), Box::new(pattern.clone()));
        return Some(Expr::AnyOp { left, compare_op: operator.clone(), right, is_some: false });
    }
    let Expr::Function(function) = pattern else { return None };
    let FunctionArguments::List(list) = &function.args else { return None };
    let [FunctionArg::Unnamed(FunctionArgExpr::Expr(array))] = &list.args[..] else { return None };
    let (left, right, compare_op) = (Box::new(value.clone()), Box::new(array.clone()), operator.clone());
    match name_parts(&function.name).as_slice() {
        [name] if name == "all" => Some(Expr::AllOp { left, compare_op, right }),
        [name] if name == "any" || name == "some" => Some(Expr::AnyOp { left, compare_op, right, is_some: false }),
        _ => None,
    }
}

pub fn escaped(function: &str, pattern: Expr, escape: Option<&Expr>) -> Expr {
    match escape {
        Some(escape) => call(function, vec![pattern, escape.clone()]),
        None => pattern,
    }
}

/// `OPERATOR(pg_catalog.=)` as the plain operator.
pub fn plain_operator(parts: &[String], own_schema: &str) -> Option<BinaryOperator> {
    let [.., symbol] = parts else { return None };
    if parts.len() > 1 && ![own_schema, "pg_catalog", "public"].contains(&names::unquoted(&parts[0]).as_str()) {
        return None;
    }
    Some(match symbol.as_str() {
        "=" => BinaryOperator::Eq,
        "<>" | "!=" => BinaryOperator::NotEq,
        "<" => BinaryOperator::Lt,
        ">" => BinaryOperator::Gt,
        "<=" => BinaryOperator::LtEq,
        ">=" => BinaryOperator::GtEq,
        "+" => BinaryOperator::Plus,
        "-" => BinaryOperator::Minus,
        "*" => BinaryOperator::Multiply,
        "/" => BinaryOperator::Divide,
        "||" => BinaryOperator::StringConcat,
        "~~" => BinaryOperator::PGLikeMatch,
        "~~*" => BinaryOperator::PGILikeMatch,
        "!~~" => BinaryOperator::PGNotLikeMatch,
        "!~~*" => BinaryOperator::PGNotILikeMatch,
        "~" => BinaryOperator::PGRegexMatch,
        "~*" => BinaryOperator::PGRegexIMatch,
        "!~" => BinaryOperator::PGRegexNotMatch,
        "!~*" => BinaryOperator::PGRegexNotIMatch,
        other => BinaryOperator::Custom(other.to_owned()),
    })
}

pub fn is_null(expr: &Expr) -> bool {
    matches!(expr, Expr::Value(value) if value.value == Value::Null)
}

/// Whether the expression is one constant.
pub fn is_constant(expr: &Expr) -> bool {
    match expr {
        Expr::Value(_) => true,
        Expr::Array(array) => array.elem.iter().all(is_constant),
        _ => false,
    }
}

/// The items of ROW(…).
pub fn row_items(expr: &Expr) -> Option<Vec<Expr>> {
    let Expr::Function(function) = expr else { return None };
    let FunctionArguments::List(list) = &function.args else { return None };
    if name_parts(&function.name) != ["row"] {
        return None;
    }
    let items = list.args.iter().map(|argument| match argument {
        FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) => Some(expr.clone()),
        _ => None,
    });
    items.collect()
}

/// 'english'::regconfig: a constant takes the type that is wanted of it.
pub fn without_casts(expr: &mut Expr) {
    while let Expr::Cast { expr: inner, .. } = &*expr
        && is_constant(innermost(inner))
    {
        *expr = (**inner).clone();
    }
}

pub fn without_parentheses(expr: &Expr) -> &Expr {
    match expr {
        Expr::Nested(inner) => without_parentheses(inner),
        other => other,
    }
}

pub fn innermost(expr: &Expr) -> &Expr {
    match expr {
        Expr::Cast { expr, .. } => innermost(expr),
        other => other,
    }
}

pub fn names_column(expr: &Expr) -> bool {
    use sqlparser::ast::Visit;
    struct Finder(bool);
    impl sqlparser::ast::Visitor for Finder {
        type Break = ();
        fn pre_visit_expr(&mut self, expr: &Expr) -> ControlFlow<()> {
            self.0 |= matches!(expr, Expr::Identifier(_) | Expr::CompoundIdentifier(_));
            ControlFlow::Continue(())
        }
    }
    let mut finder = Finder(false);
    let _ = expr.visit(&mut finder);
    finder.0
}

/// ASC is the default, and so is where NULLs come.
pub fn usual_order(item: &mut OrderByExpr) {
    let descending = matches!(item.options.sort, Some(OrderBySort::Desc));
    if matches!(item.options.sort, Some(OrderBySort::Asc)) {
        item.options.sort = None;
    }
    if item.options.nulls_first == Some(descending) {
        item.options.nulls_first = None;
    }
}

/// Takes apart joins in parentheses that are first, and names joins in one way.
pub fn flatten(table: &mut TableWithJoins) {
    while let TableFactor::NestedJoin { table_with_joins, alias: None } = &table.relation {
        let inner = (**table_with_joins).clone();
        table.relation = inner.relation;
        let rest = std::mem::replace(&mut table.joins, inner.joins);
        table.joins.extend(rest);
    }
    for join in &mut table.joins {
        if let TableFactor::NestedJoin { table_with_joins, alias: None } = &mut join.relation {
            flatten(table_with_joins);
            if table_with_joins.joins.is_empty() {
                join.relation = table_with_joins.relation.clone();
            }
        }
        join.join_operator = match std::mem::replace(&mut join.join_operator, JoinOperator::CrossApply) {
            JoinOperator::Inner(on) => JoinOperator::Join(on),
            JoinOperator::LeftOuter(on) => JoinOperator::Left(on),
            JoinOperator::RightOuter(on) => JoinOperator::Right(on),
            other => other,
        };
        // JOIN … ON true is a cross join.
        if let JoinOperator::Join(JoinConstraint::On(on)) = &join.join_operator
            && let Expr::Value(value) = without_parentheses(on)
            && value.value == Value::Boolean(true)
        {
            join.join_operator = JoinOperator::CrossJoin(JoinConstraint::None);
        }
    }
}

/// Whether all are numbers that are cast to one and the same type.
pub fn are_cast_alike(items: &[Expr]) -> bool {
    let target = |item: &Expr| match item {
        Expr::Cast { expr, data_type, .. } if is_constant(expr) => Some(type_text(data_type)),
        _ => None,
    };
    let first = items.first().and_then(target).filter(|target| super::infer::is_number(target));
    first.is_some() && items.iter().all(|item| target(item) == first)
}

/// Whether it is a number without a type.
pub fn is_bare_number(expr: &Expr) -> bool {
    matches!(expr, Expr::Value(value) if matches!(value.value, Value::Number(..)))
}

/// The expression itself, for who puts another in its place. A copy of every level of a deep one would take the square of its
/// length.
pub fn take(expr: &mut Expr) -> Expr {
    std::mem::replace(expr, Expr::value(Value::Null))
}

/// Whether the expression is a constant with a cast.
pub fn is_cast_constant(expr: &Expr) -> bool {
    matches!(expr, Expr::Cast { expr, .. } if is_constant(expr))
}

/// `TABLE name` as a SELECT.
pub fn select_all(table: &Table) -> Option<SetExpr> {
    let parts: Vec<String> = table.schema_name.iter().chain(&table.table_name).cloned().collect();
    let text = format!("SELECT * FROM {}", parts.join("."));
    let mut parser = Parser::new(&tokens::RULES).try_with_sql(&text).ok()?;
    Some(*parser.parse_query().ok()?.body)
}

/// Whether the name is a value of the grammar and no column.
pub fn is_special(name: &str) -> bool {
    matches!(name, "user" | "system_user" | "default" | "new" | "old")
        || name.starts_with("current_")
        || name.starts_with("session_")
        || name.starts_with("local")
}

/// A column with or without a qualifier.
pub fn column_of(qualifier: Option<&str>, column: &str) -> Expr {
    match qualifier {
        Some(alias) => Expr::CompoundIdentifier(vec![ident(alias), ident(column)]),
        None => Expr::Identifier(ident(column)),
    }
}

/// Takes the names of a query's columns away, where nothing can name them.
pub fn without_names(query: &mut Query) {
    let SetExpr::Select(select) = &mut *query.body else { return };
    for item in &mut select.projection {
        if let SelectItem::ExprWithAlias { expr, .. } = item {
            *item = SelectItem::UnnamedExpr(take(expr));
        }
    }
}

/// A column of `*`.
pub fn listed(qualifier: Option<&str>, column: &str) -> SelectItem {
    SelectItem::ExprWithAlias { expr: column_of(qualifier, column), alias: ident(column) }
}

pub fn wildcard_alias(kind: &SelectItemQualifiedWildcardKind) -> Option<String> {
    match kind {
        SelectItemQualifiedWildcardKind::ObjectName(name) => name_parts(name).pop(),
        SelectItemQualifiedWildcardKind::Expr(_) => None,
    }
}

pub fn rename_columns(columns: &mut Option<Columns>, alias: &TableAlias) {
    if alias.columns.is_empty() {
        return;
    }
    let listed: Vec<String> = alias.columns.iter().map(|column| ident_value(&column.name)).collect();
    match columns {
        Some(columns) => {
            let more = listed.iter().skip(columns.len()).map(|name| (name.clone(), None)).collect::<Vec<_>>();
            columns.iter_mut().zip(listed).for_each(|(column, name)| column.0 = name);
            columns.extend(more);
        }
        None => *columns = Some(listed.into_iter().map(|name| (name, None)).collect()),
    }
}

/// A function among the tables is always lateral, however it was written.
pub fn one_kind_of_function(factor: &mut TableFactor) {
    match factor {
        TableFactor::Function { lateral, .. } => *lateral = false,
        TableFactor::UNNEST { alias, array_exprs, with_ordinality, with_offset: false, .. } => {
            let args =
                array_exprs.iter().map(|expr| FunctionArg::Unnamed(FunctionArgExpr::Expr(expr.clone()))).collect();
            *factor = TableFactor::Function {
                lateral: false,
                name: ObjectName(vec![ObjectNamePart::Identifier(Ident::new("unnest"))]),
                args,
                with_ordinality: *with_ordinality,
                alias: alias.take(),
            };
        }
        TableFactor::Table { name, alias, args: Some(args), with_ordinality, .. } => {
            *factor = TableFactor::Function {
                lateral: false,
                name: name.clone(),
                args: std::mem::take(&mut args.args),
                with_ordinality: *with_ordinality,
                alias: alias.take(),
            };
        }
        _ => {}
    }
}

/// A function among the tables. `rows` is what it gives if it is one of the model's.
pub fn function_relation(
    function: String,
    alias: Option<&TableAlias>,
    with_ordinality: bool,
    rows: Option<FunctionRows>,
) -> Relation {
    let name = alias.map_or_else(|| function.clone(), |alias| ident_value(&alias.name));
    let usual = function_columns(&function);
    let single = || {
        matches!(
            function.as_str(),
            "generate_series"
                | "generate_subscripts"
                | "unnest"
                | "regexp_split_to_table"
                | "regexp_matches"
                | "string_to_table"
                | "jsonb_array_elements"
                | "json_array_elements"
                | "jsonb_object_keys"
                | "json_object_keys"
                | "jsonb_path_query"
        )
    };
    let is_composite = rows.as_ref().is_some_and(|rows| !rows.scalar);
    let mut columns = match usual {
        _ if rows.is_some() => rows.map(|rows| rows.columns),
        Some(usual) => Some(usual.iter().map(|name| ((*name).to_owned(), None)).collect::<Columns>()),
        None if single() => Some(Columns::from_iter([(name.clone(), None)])),
        None => None,
    };
    if let Some(columns) = columns.as_mut().filter(|_| with_ordinality) {
        columns.push(("ordinality".to_owned(), Some("bigint".to_owned())));
    }
    if let Some(alias) = alias {
        // f() AS x(a integer, b text) says all columns.
        let typed = |column: &sqlparser::ast::TableAliasColumnDef| {
            Some((ident_value(&column.name), Some(type_text(column.data_type.as_ref()?))))
        };
        match alias.columns.iter().map(typed).collect::<Option<Columns>>().filter(|typed| !typed.is_empty()) {
            Some(typed) => columns = Some(typed),
            None => rename_columns(&mut columns, alias),
        }
    }
    let scalar = !with_ordinality
        && !is_composite
        && columns.as_ref().is_some_and(|columns| columns.len() == 1)
        && alias.is_none_or(|alias| alias.columns.iter().all(|column| column.data_type.is_none()));
    Relation { scalar, ..Relation::new(name, columns) }
}

/// The columns of the engine's functions that give rows of more than one.
pub fn function_columns(function: &str) -> Option<&'static [&'static str]> {
    Some(match function {
        "jsonb_each" | "json_each" | "jsonb_each_text" | "json_each_text" | "each" => &["key", "value"],
        "jsonb_array_elements" | "json_array_elements" | "jsonb_array_elements_text" | "json_array_elements_text" => {
            &["value"]
        }
        "pg_options_to_table" => &["option_name", "option_value"],
        _ => return None,
    })
}

pub fn first_select_mut(query: &mut Query) -> Option<&mut Select> {
    let mut body = &mut *query.body;
    loop {
        match body {
            SetExpr::Select(select) => return Some(select),
            SetExpr::SetOperation { left, .. } => body = left,
            SetExpr::Query(query) => body = &mut query.body,
            _ => return None,
        }
    }
}

/// `-a ^ 2` is `(-a) ^ 2`: a sign binds closer than a power
/// (<https://www.postgresql.org/docs/current/sql-syntax-lexical.html#SQL-PRECEDENCE>), which the parser takes the other way round.
pub fn negative_base(expr: &mut Expr) {
    let Expr::UnaryOp { op: op @ (UnaryOperator::Minus | UnaryOperator::Plus), expr: power } = expr else { return };
    if !matches!(&**power, Expr::BinaryOp { op: BinaryOperator::PGExp, .. }) {
        return;
    }
    let (op, mut power) = (*op, (**power).clone());
    let mut base = &mut power;
    while let Expr::BinaryOp { left, op: BinaryOperator::PGExp, .. } = base {
        base = left;
    }
    *base = Expr::UnaryOp { op, expr: Box::new(base.clone()) };
    *expr = power;
}

/// `a > b COLLATE c` is `a > (b COLLATE c)`: COLLATE binds closer than any operator
/// (<https://www.postgresql.org/docs/current/sql-syntax-lexical.html#SQL-PRECEDENCE>).
pub fn collated_operand(expr: &mut Expr) {
    let Expr::Collate { expr: operation, collation } = expr else { return };
    if !matches!(&**operation, Expr::BinaryOp { .. }) {
        return;
    }
    let (mut operation, collation) = (take(operation), collation.clone());
    let mut operand = &mut operation;
    while let Expr::BinaryOp { right, .. } = operand {
        operand = right;
    }
    *operand = Expr::Collate { expr: Box::new(take(operand)), collation };
    *expr = operation;
}
