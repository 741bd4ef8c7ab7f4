//! The types of expressions, as far as they decide which casts the server adds by itself.

use sqlparser::ast::{BinaryOperator, Expr, FunctionArg, FunctionArgExpr, FunctionArguments, UnaryOperator, Value};

use super::literal;
use super::tree::{ident_value, type_text};
use super::walk::Walk;

/// The type of an expression; none if it is not known, or still open as a constant's is.
pub fn type_of(walk: &Walk<'_>, expr: &Expr) -> Option<String> {
    type_within(walk, expr, DEPTH)
}

/// The one type of an extension that the server casts to text by itself.
pub const CASELESS: &str = "citext";

/// How deep an expression is looked into for its type. A sum of thousands is asked for its type at every level.
const DEPTH: usize = 64;

fn type_within(walk: &Walk<'_>, expr: &Expr, deeper: usize) -> Option<String> {
    let deeper = deeper.checked_sub(1)?;
    match expr {
        Expr::Nested(inner) => type_within(walk, inner, deeper),
        Expr::Identifier(name) => walk.column_type(None, &ident_value(name)),
        Expr::CompoundIdentifier(parts) => match &parts[..] {
            [.., alias, name] => walk.column_type(Some(&ident_value(alias)), &ident_value(name)),
            _ => None,
        },
        Expr::Cast { data_type, .. } => Some(type_text(data_type)),
        Expr::TypedString(typed) => Some(type_text(&typed.data_type)),
        Expr::Interval(_) => Some("interval".to_owned()),
        Expr::Subquery(query) => walk.output_type(query),
        Expr::Value(value) => match &value.value {
            Value::Boolean(_) => Some("boolean".to_owned()),
            Value::Number(number, _) => Some(literal::type_of_number(number).to_owned()),
            _ => None,
        },
        Expr::Function(function) => {
            let name = function.name.0.last().map(|part| part.to_string().trim_matches('"').to_lowercase())?;
            let first = || match &function.args {
                FunctionArguments::List(list) => list.args.iter().find_map(|argument| match argument {
                    FunctionArg::Unnamed(FunctionArgExpr::Expr(expr)) => type_within(walk, expr, deeper),
                    _ => None,
                }),
                _ => None,
            };
            let arguments = match &function.args {
                FunctionArguments::List(list) => list.args.len(),
                _ => 0,
            };
            walk.returns(&function.name, arguments).or_else(|| returns(&name, first))
        }
        Expr::Case { conditions, else_result, .. } => conditions
            .iter()
            .map(|when| &when.result)
            .chain(else_result.as_deref())
            .find_map(|result| type_within(walk, result, deeper)),
        Expr::Extract { .. } => Some("numeric".to_owned()),
        Expr::Substring { .. } | Expr::Trim { .. } | Expr::Overlay { .. } => Some("text".to_owned()),
        Expr::Position { .. } => Some("integer".to_owned()),
        Expr::Collate { expr, .. } => type_within(walk, expr, deeper),
        Expr::UnaryOp { op: UnaryOperator::Minus | UnaryOperator::Plus, expr } => type_within(walk, expr, deeper),
        Expr::UnaryOp { op: UnaryOperator::Not, .. } | Expr::Exists { .. } | Expr::IsNull(_) | Expr::IsNotNull(_) => {
            Some("boolean".to_owned())
        }
        Expr::BinaryOp { op, .. } if is_comparison(op) || matches!(op, BinaryOperator::And | BinaryOperator::Or) => {
            Some("boolean".to_owned())
        }
        Expr::BinaryOp { left, op: BinaryOperator::StringConcat, right } => {
            let text = |expr: &Expr| type_within(walk, expr, deeper).is_none_or(|own| is_text(&own));
            (text(left) || text(right)).then(|| "text".to_owned())
        }
        Expr::BinaryOp { op: BinaryOperator::LongArrow | BinaryOperator::HashLongArrow, .. } => Some("text".to_owned()),
        Expr::BinaryOp { left, op: BinaryOperator::Arrow | BinaryOperator::HashArrow, .. } => {
            type_within(walk, left, deeper)
        }
        Expr::BinaryOp { left, op: BinaryOperator::BitwiseAnd | BinaryOperator::BitwiseOr, .. } => {
            type_within(walk, left, deeper)
        }
        Expr::BinaryOp { left, op, right } => {
            arithmetic(type_within(walk, left, deeper), op, type_within(walk, right, deeper))
        }
        _ => None,
    }
}

/// What the engine's most used functions return.
fn returns(name: &str, first: impl Fn() -> Option<String>) -> Option<String> {
    Some(
        match name {
            "now"
            | "current_timestamp"
            | "transaction_timestamp"
            | "statement_timestamp"
            | "clock_timestamp"
            | "to_timestamp" => "timestamp with time zone",
            "localtimestamp" => "timestamp without time zone",
            "current_date" | "to_date" | "make_date" => "date",
            range if range_of(range).is_some() => range,
            "lower" | "upper" if first().is_some_and(|own| own.ends_with("range")) => {
                return first().and_then(|own| range_of(&own)).map(str::to_owned);
            }
            "to_tsvector" => "tsvector",
            "to_tsquery" | "plainto_tsquery" | "phraseto_tsquery" | "websearch_to_tsquery" => "tsquery",
            "jsonb_build_object" | "jsonb_build_array" | "to_jsonb" | "jsonb_agg" | "jsonb_object_agg"
            | "jsonb_set" => "jsonb",
            "json_build_object" | "json_build_array" | "to_json" | "json_agg" | "row_to_json" => "json",
            "string_to_array" | "regexp_match" | "regexp_split_to_array" => "text[]",
            "jsonb_typeof" | "json_typeof" | "array_to_string" => "text",
            "jsonb_array_length" | "json_array_length" => "integer",
            "lower" | "upper" | "substring" | "substr" | "replace" | "concat" | "concat_ws" | "btrim" | "ltrim"
            | "rtrim" | "to_char" | "md5" | "initcap" | "left" | "right" | "lpad" | "rpad" | "split_part"
            | "format" | "regexp_replace" | "string_agg" | "quote_ident" | "quote_literal" | "repeat" | "reverse"
            | "translate" | "encode" => "text",
            "length" | "char_length" | "octet_length" | "position" | "strpos" | "array_length" | "cardinality"
            | "ascii" => "integer",
            "count" | "row_number" | "rank" | "dense_rank" | "nextval" | "currval" | "lastval" => "bigint",
            "extract" => "numeric",
            "date_part" | "random" | "percent_rank" | "cume_dist" => "double precision",
            "age" | "make_interval" | "justify_days" => "interval",
            "bool_and" | "bool_or" | "every" => "boolean",
            "gen_random_uuid" | "uuid_generate_v4" => "uuid",
            "current_user" | "session_user" | "current_schema" | "current_database" => "name",
            "date_trunc" => return None,
            "coalesce" | "greatest" | "least" | "nullif" | "max" | "min" | "abs" | "lag" | "lead" | "first_value"
            | "last_value" => return first(),
            "sum" => {
                return first().map(|own| match own.as_str() {
                    "integer" | "smallint" => "bigint".to_owned(),
                    "bigint" => "numeric".to_owned(),
                    _ => own.split('(').next().unwrap_or(&own).to_owned(),
                });
            }
            "avg" => {
                return first().map(|own| match own.as_str() {
                    "real" | "double precision" => "double precision".to_owned(),
                    "interval" => own,
                    _ => "numeric".to_owned(),
                });
            }
            "round" | "trunc" | "ceil" | "floor" => {
                return first().map(|own| {
                    if own == "double precision" || own == "real" {
                        "double precision".to_owned()
                    } else {
                        "numeric".to_owned()
                    }
                });
            }
            _ => return None,
        }
        .to_owned(),
    )
}

fn arithmetic(left: Option<String>, op: &BinaryOperator, right: Option<String>) -> Option<String> {
    let (left, right) = (left?, right?);
    let (left, right) = (base(&left), base(&right));
    let minus = matches!(op, BinaryOperator::Minus);
    if !matches!(
        op,
        BinaryOperator::Plus
            | BinaryOperator::Minus
            | BinaryOperator::Multiply
            | BinaryOperator::Divide
            | BinaryOperator::Modulo
    ) {
        return None;
    }
    Some(match (left.as_str(), right.as_str()) {
        (a, b) if is_number(a) && is_number(b) => {
            if rank(a) >= rank(b) {
                left
            } else {
                right
            }
        }
        ("date", "interval") => "timestamp without time zone".to_owned(),
        (moment, "interval") if is_moment(moment) => left,
        ("interval", moment) if is_moment(moment) => right,
        ("date", "date") if minus => "integer".to_owned(),
        ("date", "integer") => left,
        (a, b) if minus && is_moment(a) && is_moment(b) => "interval".to_owned(),
        ("interval", _) => left,
        _ => return None,
    })
}

/// Numbers, and moments, by what they can hold.
pub fn rank(name: &str) -> u8 {
    match base(name).as_str() {
        "date" => 1,
        "timestamp without time zone" => 2,
        "timestamp with time zone" => 3,
        "smallint" => 1,
        "integer" => 2,
        "bigint" => 3,
        "numeric" => 4,
        "real" => 5,
        _ => 6,
    }
}

/// Whether the operator gives a truth value.
pub fn is_comparison(op: &BinaryOperator) -> bool {
    matches!(
        op,
        BinaryOperator::Eq
            | BinaryOperator::NotEq
            | BinaryOperator::Lt
            | BinaryOperator::LtEq
            | BinaryOperator::Gt
            | BinaryOperator::GtEq
            | BinaryOperator::PGLikeMatch
            | BinaryOperator::PGNotLikeMatch
            | BinaryOperator::PGILikeMatch
            | BinaryOperator::PGNotILikeMatch
            | BinaryOperator::PGRegexMatch
            | BinaryOperator::PGRegexNotMatch
            | BinaryOperator::PGRegexIMatch
            | BinaryOperator::PGRegexNotIMatch
    )
}

/// A type without its modifiers: `timestamp(6) without time zone` is `timestamp without time zone`.
pub fn base(name: &str) -> String {
    match (name.find('('), name.find(')')) {
        (Some(open), Some(close)) if open < close => format!("{}{}", name[..open].trim_end(), &name[close + 1..]),
        _ => name.trim().to_owned(),
    }
}

/// Whether values of the type are text to the server's operators.
pub fn is_text(name: &str) -> bool {
    matches!(base(name).as_str(), "text" | "character varying" | "character" | "bpchar" | "name")
}

/// The same, for arrays.
pub fn is_text_array(name: &str) -> bool {
    name.strip_suffix("[]").is_some_and(is_text)
}

/// Whether the type is one of the numbers.
pub fn is_number(name: &str) -> bool {
    matches!(base(name).as_str(), "smallint" | "integer" | "bigint" | "numeric" | "real" | "double precision")
}

/// Whether the type is one of the floating-point numbers.
pub fn is_float(name: &str) -> bool {
    matches!(name, "real" | "double precision")
}

/// Whether the type is a date or a timestamp.
pub fn is_moment(name: &str) -> bool {
    name == "date" || name.starts_with("timestamp")
}

/// What the bounds are of that a function of this name makes a range of
/// (<https://www.postgresql.org/docs/current/rangetypes.html#RANGETYPES-BUILTIN>).
pub fn range_of(function: &str) -> Option<&'static str> {
    Some(match function {
        "int4range" => "integer",
        "int8range" => "bigint",
        "numrange" => "numeric",
        "tsrange" => "timestamp without time zone",
        "tstzrange" => "timestamp with time zone",
        "daterange" => "date",
        _ => return None,
    })
}
