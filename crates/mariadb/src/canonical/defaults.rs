//! Default values: constants as the server stores them for the type of their column.

use wevrun_core::model::Expression;
use wevrun_core::parse::{Parsed, Reader, TokenKind};

use super::expression;
use super::types::Family;
use crate::names::{literal, unescaped};

/// The text after DEFAULT or ON UPDATE: a literal, a signed number, a call, or an expression in parentheses.
pub fn read(reader: &mut Reader<'_>) -> Parsed<Expression> {
    let start = reader.position;
    if reader.sees_symbol("(") {
        let range = reader.parenthesised()?;
        return Ok(expression::of(reader, range));
    }
    if reader.take(&["NEXT", "VALUE", "FOR"]) {
        let name = super::super::parse::qualified_name(reader, "the sequence's name")?;
        let text = format!("nextval({})", crate::names::in_sql(&name));
        return Ok(Expression::new(expression::of_text(&text).canonical, reader.written(start..reader.position)));
    }
    let _ = reader.take_symbol("+") || reader.take_symbol("-");
    let Some(first) = reader.take_any().filter(|token| token.kind != TokenKind::Symbol) else {
        return Err(reader.expected("a default value"));
    };
    if matches!(first.kind, TokenKind::Word | TokenKind::Quoted) {
        while reader.take_symbol(".") {
            reader.take_any();
        }
        if reader.sees_symbol("(") {
            reader.parenthesised()?;
        } else if reader.peek().is_some_and(|token| matches!(token.kind, TokenKind::Text | TokenKind::Blob))
            && first.kind == TokenKind::Word
        {
            // An introducer, or the word before a date.
            reader.position += 1;
        }
    }
    // Literals side by side are one.
    while first.kind == TokenKind::Text && reader.peek().is_some_and(|token| token.kind == TokenKind::Text) {
        reader.position += 1;
    }
    Ok(expression::of(reader, start..reader.position))
}

/// CURRENT_TIMESTAMP in its forms.
pub fn moment(written: &Expression) -> Expression {
    written.clone()
}

/// The value as a column of a type stores it.
pub fn canonical(default: &Expression, family: Family, spelling: &str) -> Expression {
    let value = default.is_sure().then(|| Constant::read(&default.canonical)).flatten();
    match value {
        None => default.clone(),
        Some(Constant::Null) => Expression::new("null".to_owned(), default.written()),
        // The server shows other bytes than text in no way that can be read back.
        Some(Constant::Bytes(digits))
            if family == Family::Binary && bytes(&digits).is_some_and(|bytes| String::from_utf8(bytes).is_err()) =>
        {
            Expression::unsure(format!("x'{}'", digits.to_lowercase()), default.written())
        }
        Some(constant) => match constant.stored(family, spelling) {
            Some(stored) => Expression::new(stored, default.written()),
            None => default.clone(),
        },
    }
}

/// A constant in canonical spelling.
enum Constant {
    Null,
    /// A number, as it was written, with its sign.
    Number(String),
    Text(String),
    /// Bytes as hexadecimal digits.
    Bytes(String),
    Bits(String),
}

impl Constant {
    fn read(canonical: &str) -> Option<Constant> {
        if canonical == "null" {
            return Some(Constant::Null);
        }
        // The server computes it.
        if canonical == "pi()" {
            return Some(Constant::Number(std::f64::consts::PI.to_string()));
        }
        if canonical.starts_with('\'') && expression::is_one_literal(canonical) {
            return Some(Constant::Text(unescaped(canonical)));
        }
        if let Some(digits) = canonical.strip_prefix("x'").and_then(|rest| rest.strip_suffix('\'')) {
            return Some(Constant::Bytes(digits.to_owned()));
        }
        if let Some(digits) = canonical.strip_prefix("b'").and_then(|rest| rest.strip_suffix('\'')) {
            return Some(Constant::Bits(digits.to_owned()));
        }
        let prefixes = ["date ", "time ", "timestamp ", "datetime "];
        if let Some(rest) = prefixes.iter().find_map(|prefix| canonical.strip_prefix(prefix))
            && expression::is_one_literal(rest)
        {
            return Some(Constant::Text(unescaped(rest)));
        }
        let unsigned = canonical.trim_start_matches('-');
        let is_number = unsigned.starts_with(|ch: char| ch.is_ascii_digit() || ch == '.')
            && unsigned.chars().all(|ch| ch.is_ascii_alphanumeric() || matches!(ch, '.' | '+' | '-'));
        is_number.then(|| Constant::Number(canonical.to_owned()))
    }

    /// The form that the server keeps; none if that can't be decided.
    fn stored(&self, family: Family, spelling: &str) -> Option<String> {
        match family {
            Family::Integer => Some(with_zeros(rounded(&self.decimal()?, 0)?, spelling)),
            Family::Year => {
                // Two digits are short for four (<https://mariadb.com/kb/en/year-data-type/>).
                let year: u32 = rounded(&self.decimal()?, 0)?.parse().ok()?;
                let is_text = matches!(self, Constant::Text(_));
                Some(match year {
                    0 if !is_text => "0000".to_owned(),
                    0..=69 => (2000 + year).to_string(),
                    70..=99 => (1900 + year).to_string(),
                    year => year.to_string(),
                })
            }
            Family::Decimal(scale) => Some(with_zeros(rounded(&self.decimal()?, scale)?, spelling)),
            Family::Float => float(&self.decimal()?),
            Family::Bit => {
                let number: u64 = match self {
                    Constant::Bits(bits) => u64::from_str_radix(bits, 2).ok()?,
                    Constant::Bytes(digits) => u64::from_str_radix(digits, 16).ok()?,
                    other => other.decimal()?.parse().ok()?,
                };
                Some(format!("b'{number:b}'"))
            }
            Family::Text | Family::Enumeration => {
                let text = self.text()?;
                // These types have expressions as their defaults.
                if matches!(self, Constant::Number(_)) && spelling.ends_with("text") {
                    return Some(text);
                }
                let text = if spelling.starts_with("char") || family == Family::Enumeration {
                    text.trim_end_matches(' ')
                } else {
                    &text
                };
                Some(literal(text))
            }
            Family::Set => {
                let order = set_values(spelling);
                let text = self.text()?;
                let said: Vec<&str> = text.split(',').collect();
                let known = order.iter().filter(|value| said.iter().any(|own| own.eq_ignore_ascii_case(value)));
                Some(literal(&known.map(String::as_str).collect::<Vec<_>>().join(",")))
            }
            Family::Date => Some(literal(&date(&self.text()?)?)),
            Family::Time(digits) => Some(literal(&time(&self.text()?, digits)?)),
            Family::Moment(digits) => {
                let text = self.text()?;
                if text == "0" {
                    return Some(literal(&format!("0000-00-00 00:00:00{}", fraction("", digits))));
                }
                let (day, clock) = text.split_once([' ', 'T']).unwrap_or((&text, "0:0:0"));
                Some(literal(&format!("{} {}", date(day)?, time(clock, digits)?)))
            }
            Family::Binary => {
                let length = spelling.strip_prefix("binary(").and_then(|rest| rest.strip_suffix(')'));
                let length = length.map_or(0usize, |length| length.parse().unwrap_or(0));
                let mut text = self.text()?;
                text.extend(std::iter::repeat_n('\0', length.saturating_sub(text.len())));
                Some(literal(&text))
            }
            Family::Other => None,
        }
    }

    fn text(&self) -> Option<String> {
        Some(match self {
            Constant::Text(text) => text.clone(),
            Constant::Number(number) if number.contains(['e', 'E']) => float(&plain_number(number)?)?,
            Constant::Number(number) => {
                let number = plain_number(number)?;
                let scale = number.split_once('.').map_or(0, |(_, part)| part.len() as u32);
                rounded(&number, scale)?
            }
            Constant::Bytes(digits) => String::from_utf8(bytes(digits)?).ok()?,
            Constant::Bits(bits) => {
                let number = u64::from_str_radix(bits, 2).ok()?.to_be_bytes();
                let first = number.iter().position(|byte| *byte != 0)?;
                String::from_utf8(number[first..].to_vec()).ok()?
            }
            Constant::Null => return None,
        })
    }

    /// As a number without an exponent.
    fn decimal(&self) -> Option<String> {
        match self {
            Constant::Number(number) => plain_number(number),
            Constant::Text(text) => plain_number(text.trim()),
            Constant::Bytes(digits) => Some(u64::from_str_radix(digits, 16).ok()?.to_string()),
            Constant::Bits(bits) => Some(u64::from_str_radix(bits, 2).ok()?.to_string()),
            Constant::Null => None,
        }
    }
}

/// The bytes of hexadecimal digits.
pub fn bytes(digits: &str) -> Option<Vec<u8>> {
    (0..digits.len()).step_by(2).map(|at| u8::from_str_radix(digits.get(at..at + 2)?, 16).ok()).collect()
}

/// `1e3` as `1000`; the text itself if it has no exponent.
fn plain_number(text: &str) -> Option<String> {
    let lower = text.to_ascii_lowercase();
    let (digits, exponent) = lower.split_once('e').unwrap_or((&lower, "0"));
    let (sign, digits) = match digits.strip_prefix('-') {
        Some(rest) => ("-", rest),
        None => ("", digits.trim_start_matches('+')),
    };
    let exponent: i32 = exponent.parse().ok()?;
    let (whole, part) = digits.split_once('.').unwrap_or((digits, ""));
    if whole.is_empty() && part.is_empty() || !(whole.to_owned() + part).bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    if exponent == 0 {
        let part = if part.is_empty() { String::new() } else { format!(".{part}") };
        return Some(format!("{sign}{}{part}", if whole.is_empty() { "0" } else { whole }));
    }
    let all = format!("{whole}{part}");
    let point = whole.len() as i32 + exponent;
    Some(if point <= 0 {
        format!("{sign}0.{}{all}", "0".repeat(point.unsigned_abs() as usize))
    } else if point as usize >= all.len() {
        format!("{sign}{all}{}", "0".repeat(point as usize - all.len()))
    } else {
        format!("{sign}{}.{}", &all[..point as usize], &all[point as usize..])
    })
}

/// A number with this many digits after the point; half is rounded away from zero.
fn rounded(number: &str, scale: u32) -> Option<String> {
    let scale = scale as usize;
    let (sign, digits) = number.strip_prefix('-').map_or(("", number), |rest| ("-", rest));
    let (whole, part) = digits.split_once('.').unwrap_or((digits, ""));
    let mut all: Vec<u8> = format!("0{whole}{part:0<scale$}").into_bytes();
    let keep = 1 + whole.len() + scale;
    let up = all.get(keep).is_some_and(|digit| *digit >= b'5');
    all.truncate(keep);
    if up {
        for digit in all.iter_mut().rev() {
            if *digit == b'9' {
                *digit = b'0';
            } else {
                *digit += 1;
                break;
            }
        }
    }
    let text = String::from_utf8(all).ok()?;
    let (whole, part) = text.split_at(text.len() - scale);
    let whole = whole.trim_start_matches('0');
    let whole = if whole.is_empty() { "0" } else { whole };
    let is_zero = whole == "0" && part.bytes().all(|digit| digit == b'0');
    let sign = if is_zero { "" } else { sign };
    Some(if scale == 0 { format!("{sign}{whole}") } else { format!("{sign}{whole}.{part}") })
}

/// ZEROFILL fills constants, too.
fn with_zeros(number: String, spelling: &str) -> String {
    if !spelling.ends_with("zerofill") {
        return number;
    }
    let inner = spelling.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map_or("", |(inner, _)| inner);
    let mut sizes = inner.split(',').filter_map(|size| size.trim().parse::<usize>().ok());
    let Some(width) = sizes.next() else { return number };
    // The point takes a place more.
    let width = if sizes.next().is_some_and(|scale| scale > 0) { width + 1 } else { width };
    format!("{number:0>width$}")
}

fn float(number: &str) -> Option<String> {
    let value: f64 = number.parse().ok()?;
    Some(format!("{value}"))
}

fn set_values(spelling: &str) -> Vec<String> {
    let inner = spelling.strip_prefix("set(").and_then(|rest| rest.strip_suffix(')')).unwrap_or_default();
    inner.split("','").map(|value| value.trim_matches('\'').replace("''", "'")).collect()
}

/// `2020-1-2` and `20200102` as `2020-01-02`.
fn date(text: &str) -> Option<String> {
    let text = text.trim();
    if text == "0" {
        return Some("0000-00-00".to_owned());
    }
    if text.len() == 8 && text.bytes().all(|byte| byte.is_ascii_digit()) {
        return Some(format!("{}-{}-{}", &text[..4], &text[4..6], &text[6..]));
    }
    let day = text.split([' ', 'T']).next()?;
    let parts: Vec<u32> = day.split(['-', '/', '.']).map(|part| part.parse().ok()).collect::<Option<_>>()?;
    match parts[..] {
        [year, month, day] if year >= 100 || year == 0 => Some(format!("{year:04}-{month:02}-{day:02}")),
        _ => None,
    }
}

/// `1:2:3` as `01:02:03`; what is finer than the type has is cut off.
fn time(text: &str, digits: u32) -> Option<String> {
    let (clock, part) = text.trim().split_once('.').unwrap_or((text.trim(), ""));
    let (sign, clock) = clock.strip_prefix('-').map_or(("", clock), |rest| ("-", rest));
    let parts: Vec<u32> = clock.split(':').map(|part| part.parse().ok()).collect::<Option<_>>()?;
    let (hours, minutes, seconds) = match parts[..] {
        [hours, minutes, seconds] => (hours, minutes, seconds),
        [hours, minutes] => (hours, minutes, 0),
        [0] => (0, 0, 0),
        _ => return None,
    };
    Some(format!("{sign}{hours:02}:{minutes:02}:{seconds:02}{}", fraction(part, digits)))
}

fn fraction(part: &str, digits: u32) -> String {
    let digits = digits as usize;
    if digits == 0 { String::new() } else { format!(".{:0<digits$}", &part[..part.len().min(digits)]) }
}
