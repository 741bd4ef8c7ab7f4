//! Constant expressions of partitions, which the server computes when the table is created.

use chrono::{Datelike, NaiveDate, NaiveDateTime, NaiveTime};
use sqlparser::ast::{BinaryOperator, Expr, FunctionArg, FunctionArgExpr, FunctionArguments, UnaryOperator, Value};

use super::expression;

/// The value of a text; none if it is not known how the server computes it.
pub fn value(text: &str) -> Option<i128> {
    of(&expression::parse(text)?)
}

fn of(tree: &Expr) -> Option<i128> {
    match tree {
        Expr::Nested(inner) => of(inner),
        Expr::Value(literal) => match &literal.value {
            Value::Number(digits, _) => digits.parse().ok(),
            _ => None,
        },
        Expr::UnaryOp { op: UnaryOperator::Minus, expr } => of(expr)?.checked_neg(),
        Expr::UnaryOp { op: UnaryOperator::Plus, expr } => of(expr),
        Expr::BinaryOp { left, op, right } => {
            let (left, right) = (of(left)?, of(right)?);
            match op {
                BinaryOperator::Plus => left.checked_add(right),
                BinaryOperator::Minus => left.checked_sub(right),
                BinaryOperator::Multiply => left.checked_mul(right),
                BinaryOperator::MyIntegerDivide => left.checked_div(right),
                BinaryOperator::Modulo => left.checked_rem(right),
                _ => None,
            }
        }
        Expr::Function(function) => {
            let FunctionArguments::List(list) = &function.args else { return None };
            let [FunctionArg::Unnamed(FunctionArgExpr::Expr(Expr::Value(argument)))] = &list.args[..] else {
                return None;
            };
            let moment = moment(argument.value.clone().into_string()?.trim())?;
            let days = i128::from(moment.num_days_from_ce()) + DAYS_BEFORE_YEAR_ONE;
            let second = i128::from(moment.and_utc().timestamp().rem_euclid(86_400));
            match function.name.to_string().to_ascii_lowercase().as_str() {
                "to_days" => Some(days),
                "to_seconds" => Some(days * 86_400 + second),
                "year" => Some(i128::from(moment.year())),
                "unix_timestamp" => Some(i128::from(moment.and_utc().timestamp())),
                _ => None,
            }
        }
        _ => None,
    }
}

/// TO_DAYS counts from the year 0.
const DAYS_BEFORE_YEAR_ONE: i128 = 365;

/// A date, or a date with a time; from the year 1 on.
fn moment(text: &str) -> Option<NaiveDateTime> {
    let (day, time) = text.split_once([' ', 'T']).unwrap_or((text, "00:00:00"));
    let day = NaiveDate::parse_from_str(day, "%Y-%m-%d").or_else(|_| NaiveDate::parse_from_str(day, "%Y%m%d")).ok()?;
    let time = NaiveTime::parse_from_str(time, "%H:%M:%S").ok()?;
    (day.year() >= 1000).then(|| day.and_time(time))
}

#[cfg(test)]
mod tests {
    use super::value;

    #[test]
    fn values_are_those_of_the_server() {
        // Each was computed by MariaDB 10.11, with time_zone = '+00:00'.
        for (text, expected) in [
            ("to_days('2020-01-01')", 737_790),
            ("TO_SECONDS('2020-01-01')", 63_745_056_000),
            ("UNIX_TIMESTAMP('2020-01-01 00:00:00')", 1_577_836_800),
            ("year('2020-01-01')", 2020),
            ("-(-5000)", 5000),
            ("10*9000000000", 90_000_000_000),
        ] {
            assert_eq!(value(text), Some(expected), "{text}");
        }
        assert_eq!(value("rand()"), None);
        assert_eq!(value("to_days('2020-02-30')"), None);
    }
}
