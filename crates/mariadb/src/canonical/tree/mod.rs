//! A tree as canonical text: every operation in parentheses, so that the text shows how it was read.

mod calls;

use sqlparser::ast::{
    BinaryOperator, CeilFloorKind, DataType, Expr, Ident, ObjectName, OrderByExpr, OrderBySort, Query, SelectItem,
    SetExpr, TrimWhereField, UnaryOperator, Value, WindowSpec,
};

use super::functions;
use crate::names::{always_quoted, literal};
use wevrun_core::model::Expression;

/// A printed expression.
#[derive(Debug, Clone)]
pub struct Printed {
    text: String,
    kind: Node,
    /// Whether it is the one spelling of what it means.
    sure: bool,
}

/// The kind of an operand, where the server treats kinds differently.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Node {
    Column,
    Atom,
    /// An operation, which is in parentheses as an operand.
    Operation,
    And,
    Or,
}

impl Printed {
    /// As an expression that was written so.
    pub fn of(self, written: &str) -> Expression {
        if self.sure { Expression::new(self.text, written) } else { Expression::unsure(self.text, written) }
    }

    /// An operand that needs no parentheses.
    pub fn atom(text: impl Into<String>) -> Printed {
        Printed { text: text.into(), kind: Node::Atom, sure: true }
    }

    /// A column.
    pub fn column(text: String) -> Printed {
        Printed { text, kind: Node::Column, sure: true }
    }

    /// The same, not sure.
    pub fn unsure(self) -> Printed {
        Printed { sure: false, ..self }
    }

    /// The text alone.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Whether it is the one spelling of what it means.
    pub fn is_sure(&self) -> bool {
        self.sure
    }

    fn operand(&self) -> String {
        if matches!(self.kind, Node::Column | Node::Atom) { self.text.clone() } else { format!("({})", self.text) }
    }

    /// As sure as others too.
    pub fn and_sure(self, others: &[&Printed]) -> Printed {
        let sure = self.sure && others.iter().all(|other| other.sure);
        Printed { sure, ..self }
    }
}

/// Prints trees whose columns are resolved in one way.
pub struct Printer<'n> {
    /// Resolves names.
    pub names: &'n dyn Names,
}

/// The meanings of the names in a tree.
pub trait Names {
    /// A column; none if it can't be found out.
    fn column(&self, parts: &[Ident]) -> Option<Printed>;

    /// A query, without parentheses.
    fn subquery(&self, query: &Query) -> Option<Printed>;

    /// A window that the query names.
    fn window(&self, _: &Ident) -> Option<&WindowSpec> {
        None
    }

    /// Where a function is: nothing of one of the server, or of the database itself.
    fn database_of(&self, _: &ObjectName) -> String {
        String::new()
    }
}

/// The columns of the table itself: what qualifies them means nothing. There are no queries.
pub struct OwnColumns;

impl Names for OwnColumns {
    fn column(&self, parts: &[Ident]) -> Option<Printed> {
        let name = parts.last().map_or("", |ident| ident.value.as_str());
        Some(Printed::column(always_quoted(&name.to_lowercase())))
    }

    fn subquery(&self, _: &Query) -> Option<Printed> {
        None
    }
}

impl Printer<'_> {
    /// Prints a tree; none if something in it is not known here.
    pub fn print(&self, expr: &Expr) -> Option<Printed> {
        Some(match expr {
            Expr::Nested(inner) => self.print(inner)?,
            Expr::Identifier(ident) => self.identifier(ident)?,
            Expr::CompoundIdentifier(parts) => self.names.column(parts)?,
            Expr::Value(value) => constant(&value.value)?,
            Expr::Prefixed { prefix, value } => self.prefixed(prefix, value)?,
            Expr::UnaryOp { op, expr } => self.unary(*op, expr)?,
            Expr::BinaryOp { left, op, right } => self.binary(left, op, right)?,
            Expr::IsNull(inner) | Expr::IsUnknown(inner) => self.suffix(inner, "is null")?,
            Expr::IsNotNull(inner) | Expr::IsNotUnknown(inner) => self.suffix(inner, "is not null")?,
            Expr::IsTrue(inner) => self.suffix(inner, "is true")?,
            Expr::IsNotTrue(inner) => self.suffix(inner, "is not true")?,
            Expr::IsFalse(inner) => self.suffix(inner, "is false")?,
            Expr::IsNotFalse(inner) => self.suffix(inner, "is not false")?,
            Expr::InList { expr, list, negated } => self.in_list(expr, list, *negated)?,
            Expr::Subquery(query) => {
                let query = self.names.subquery(query)?;
                Printed::atom(format!("({})", query.text)).and_sure(&[&query])
            }
            Expr::Exists { subquery, negated } => {
                let query = self.names.subquery(&without_outputs(subquery))?;
                let exists = Printed::atom(format!("exists({})", query.text)).and_sure(&[&query]);
                if *negated { not(&exists) } else { exists }
            }
            Expr::InSubquery { expr, subquery, negated } => {
                let (expr, query) = (self.print(expr)?, self.names.subquery(subquery)?);
                let found = operation(format!("{} in ({})", expr.operand(), query.text)).and_sure(&[&expr, &query]);
                if *negated { not(&found) } else { found }
            }
            Expr::AnyOp { left, compare_op, right, .. } => self.quantified(left, compare_op, "any", right)?,
            Expr::AllOp { left, compare_op, right } => self.quantified(left, compare_op, "all", right)?,
            Expr::Between { expr, negated, low, high } => {
                let (expr, low, high) = (self.print(expr)?, self.print(low)?, self.print(high)?);
                let word = if *negated { "not between" } else { "between" };
                operation(format!("{} {word} {} and {}", expr.operand(), low.operand(), high.operand()))
                    .and_sure(&[&expr, &low, &high])
            }
            Expr::Like { negated, expr, pattern, escape_char, any: false } => {
                let (expr, pattern) = (self.print(expr)?, self.print(pattern)?);
                let word = if *negated { "not like" } else { "like" };
                let mut text = format!("{} {word} {}", expr.operand(), pattern.operand());
                if let Some(escape) = escape_char {
                    let escape = self.print(escape)?.text;
                    // The default.
                    if escape != "'\\\\'" {
                        text.push_str(&format!(" escape {escape}"));
                    }
                }
                operation(text).and_sure(&[&expr, &pattern])
            }
            Expr::RLike { negated, expr, pattern, .. } => {
                let (expr, pattern) = (self.print(expr)?, self.print(pattern)?);
                let matches =
                    operation(format!("{} regexp {}", expr.operand(), pattern.operand())).and_sure(&[&expr, &pattern]);
                if *negated { not(&matches) } else { matches }
            }
            Expr::Function(function) => self.call(function)?,
            Expr::Cast { expr, data_type, .. } => cast(self.print(expr)?, &cast_type(data_type)?),
            Expr::Convert { expr, data_type: Some(data_type), charset: None, .. } => {
                cast(self.print(expr)?, &cast_type(data_type)?)
            }
            Expr::Convert { expr, charset: Some(charset), .. } => {
                let expr = self.print(expr)?;
                let charset = crate::charset::character_set(&charset.to_string());
                // The server adds it where character sets meet: around what has one of its own, and around columns, whose character sets
                // are not known here.
                if expr.text.starts_with("convert(")
                    || (expr.text.starts_with("cast(") && expr.text.contains(" charset "))
                {
                    expr
                } else if expr.kind == Node::Column {
                    Printed { sure: false, ..expr }
                } else {
                    Printed::atom(format!("convert({} using {charset})", expr.text)).and_sure(&[&expr])
                }
            }
            Expr::Extract { field, expr, .. } => {
                let expr = self.print(expr)?;
                Printed::atom(format!("extract({} from {})", field.to_string().to_ascii_lowercase(), expr.text))
                    .and_sure(&[&expr])
            }
            Expr::Ceil { expr, field: CeilFloorKind::DateTimeField(_) } => named("ceiling", &[self.print(expr)?]),
            Expr::Floor { expr, field: CeilFloorKind::DateTimeField(_) } => named("floor", &[self.print(expr)?]),
            Expr::Position { expr, r#in } => named("locate", &[self.print(expr)?, self.print(r#in)?]),
            Expr::Substring { expr, substring_from, substring_for, .. } => {
                let mut arguments = vec![self.print(expr)?];
                for part in [substring_from, substring_for].into_iter().flatten() {
                    arguments.push(self.print(part)?);
                }
                named("substr", &arguments)
            }
            Expr::Trim { trim_where, trim_what, expr, trim_characters: None } => {
                let expr = self.print(expr)?;
                let side = match trim_where {
                    Some(TrimWhereField::Leading) => "leading",
                    Some(TrimWhereField::Trailing) => "trailing",
                    _ => "both",
                };
                match trim_what {
                    Some(what) => {
                        let what = self.print(what)?;
                        Printed::atom(format!("trim({side} {} from {})", what.text, expr.text))
                            .and_sure(&[&what, &expr])
                    }
                    None => named(
                        match side {
                            "leading" => "ltrim",
                            "trailing" => "rtrim",
                            _ => "trim",
                        },
                        &[expr],
                    ),
                }
            }
            Expr::Collate { expr, collation } => {
                let expr = self.print(expr)?;
                operation(format!("{} collate {}", expr.operand(), collation.to_string().to_ascii_lowercase()))
                    .and_sure(&[&expr])
            }
            Expr::Tuple(items) => {
                let items = items.iter().map(|expr| self.print(expr)).collect::<Option<Vec<_>>>()?;
                let texts: Vec<&str> = items.iter().map(|item| item.text.as_str()).collect();
                Printed::atom(format!("({})", texts.join(","))).and_sure(&items.iter().collect::<Vec<_>>())
            }
            Expr::Case { operand, conditions, else_result, .. } => {
                let mut text = "case".to_owned();
                let mut sure = true;
                let mut add = |word: &str, expr: &Expr| {
                    let printed = self.print(expr)?;
                    sure &= printed.sure;
                    text.push_str(&format!(" {word}{}", printed.operand()));
                    Some(())
                };
                if let Some(operand) = operand {
                    add("", operand)?;
                }
                for when in conditions {
                    add("when ", &when.condition)?;
                    add("then ", &when.result)?;
                }
                if let Some(otherwise) = else_result {
                    add("else ", otherwise)?;
                }
                Printed { sure, ..Printed::atom(format!("{text} end")) }
            }
            Expr::TypedString(typed) => {
                let word = typed.data_type.to_string().to_ascii_lowercase();
                let Value::SingleQuotedString(text) = &typed.value.value else { return None };
                Printed::atom(format!("{word} {}", literal(text)))
            }
            Expr::Interval(interval) => {
                let value = self.print(&interval.value)?;
                let unit = functions::unit(&interval.leading_field.as_ref()?.to_string())?;
                Printed::atom(format!("interval {} {unit}", value.operand())).and_sure(&[&value])
            }
            _ => return None,
        })
    }

    /// A whole condition: a column by itself stays one.
    pub fn condition(&self, expr: &Expr) -> Option<Printed> {
        self.print(expr)
    }

    fn suffix(&self, inner: &Expr, words: &str) -> Option<Printed> {
        let inner = self.print(inner)?;
        Some(operation(format!("{} {words}", inner.operand())).and_sure(&[&inner]))
    }

    /// A column, or a word that is a function without parentheses.
    fn identifier(&self, ident: &Ident) -> Option<Printed> {
        if ident.quote_style.is_none() {
            if ident.value.starts_with('@') {
                return None;
            }
            let lower = ident.value.to_ascii_lowercase();
            match lower.as_str() {
                "current_timestamp" | "localtime" | "localtimestamp" | "current_date" | "current_time" => {
                    return Some(Printed::atom(format!("{}()", functions::name(&lower))));
                }
                "utc_date" | "utc_time" | "utc_timestamp" | "current_user" | "current_role" => {
                    return Some(Printed::atom(format!("{lower}()")));
                }
                "null" => return Some(Printed::atom("null")),
                "true" => return Some(Printed::atom("1")),
                "false" => return Some(Printed::atom("0")),
                _ => {}
            }
        }
        self.names.column(std::slice::from_ref(ident))
    }

    /// A literal with a character set before it. One of ASCII characters is the same in all that count here.
    fn prefixed(&self, prefix: &Ident, value: &Expr) -> Option<Printed> {
        let word = prefix.value.to_ascii_lowercase();
        let value = self.print(value)?;
        if !word.starts_with('_') {
            return None;
        }
        let plain = value.text.is_ascii() && value.text.starts_with('\'');
        Some(if plain && word != "_binary" && word != "_ucs2" {
            value
        } else {
            let text = format!("{word} {}", value.text);
            Printed { sure: false, ..Printed::atom(text) }
        })
    }

    fn unary(&self, op: UnaryOperator, expr: &Expr) -> Option<Printed> {
        let inner = self.print(expr)?;
        Some(match op {
            UnaryOperator::Not | UnaryOperator::BangNot => self.negated(expr)?,
            UnaryOperator::Plus => inner,
            UnaryOperator::Minus => {
                // The sign of a constant belongs to it.
                let is_number = inner.text.starts_with(|ch: char| ch.is_ascii_digit() || ch == '-')
                    && inner.kind == Node::Atom
                    && !inner.text.contains([' ', '(']);
                match inner.text.strip_prefix('-').filter(|_| is_number) {
                    Some(positive) => Printed::atom(positive),
                    None if is_number => Printed::atom(format!("-{}", inner.text)),
                    None => operation(format!("-{}", inner.operand())).and_sure(&[&inner]),
                }
            }
            UnaryOperator::BitwiseNot => operation(format!("~{}", inner.operand())).and_sure(&[&inner]),
            _ => return None,
        })
    }

    /// The negation of an expression, as the server pushes it down (`Item::neg_transformer`).
    fn negated(&self, expr: &Expr) -> Option<Printed> {
        Some(match expr {
            Expr::Nested(inner) => self.negated(inner)?,
            Expr::UnaryOp { op: UnaryOperator::Not | UnaryOperator::BangNot, expr } => truth(self.print(expr)?),
            Expr::IsNull(inner) | Expr::IsUnknown(inner) => self.suffix(inner, "is not null")?,
            Expr::IsNotNull(inner) | Expr::IsNotUnknown(inner) => self.suffix(inner, "is null")?,
            Expr::InList { expr, list, negated } => self.in_list(expr, list, !negated)?,
            Expr::Between { expr, negated, low, high } => self.print(&Expr::Between {
                expr: expr.clone(),
                negated: !negated,
                low: low.clone(),
                high: high.clone(),
            })?,
            Expr::Like { negated, any, expr, pattern, escape_char } => self.print(&Expr::Like {
                negated: !negated,
                any: *any,
                expr: expr.clone(),
                pattern: pattern.clone(),
                escape_char: escape_char.clone(),
            })?,
            Expr::BinaryOp { left, op, right } => {
                let (mut both, mut parts) = (true, Vec::new());
                match op {
                    BinaryOperator::And => gather(expr, is_and, &mut parts),
                    BinaryOperator::Or | BinaryOperator::StringConcat => gather(expr, is_or, &mut parts),
                    _ => both = false,
                }
                if both {
                    let word = if is_and(op) { "or" } else { "and" };
                    let parts = parts.into_iter().map(|expr| self.negated(expr)).collect::<Option<Vec<_>>>()?;
                    return Some(joined(word, parts));
                }
                if *op == BinaryOperator::Xor {
                    let (left, right) = (self.negated(left)?, self.print(right)?);
                    return Some(
                        operation(format!("{} xor {}", left.operand(), right.operand())).and_sure(&[&left, &right]),
                    );
                }
                let inverse = match op {
                    BinaryOperator::Eq => BinaryOperator::NotEq,
                    BinaryOperator::NotEq => BinaryOperator::Eq,
                    BinaryOperator::Lt => BinaryOperator::GtEq,
                    BinaryOperator::GtEq => BinaryOperator::Lt,
                    BinaryOperator::Gt => BinaryOperator::LtEq,
                    BinaryOperator::LtEq => BinaryOperator::Gt,
                    _ => return Some(not(&self.print(expr)?)),
                };
                self.binary(left, &inverse, right)?
            }
            other => {
                let printed = self.print(other)?;
                if printed.kind == Node::Column { operation(format!("{} = 0", printed.text)) } else { not(&printed) }
            }
        })
    }

    fn binary(&self, left: &Expr, op: &BinaryOperator, right: &Expr) -> Option<Printed> {
        let mut parts = Vec::new();
        if is_and(op) || is_or(op) {
            let (is_it, word) = if is_and(op) { (is_and as fn(&_) -> _, "and") } else { (is_or as fn(&_) -> _, "or") };
            gather(left, is_it, &mut parts);
            gather(right, is_it, &mut parts);
            let parts = parts.into_iter().map(|expr| self.print(expr)).collect::<Option<Vec<_>>>()?;
            return Some(joined(word, parts));
        }
        let word = match op {
            BinaryOperator::Plus => "+",
            BinaryOperator::Minus => "-",
            BinaryOperator::Multiply => "*",
            BinaryOperator::Divide => "/",
            BinaryOperator::MyIntegerDivide => "div",
            BinaryOperator::Modulo => "mod",
            BinaryOperator::Gt => ">",
            BinaryOperator::Lt => "<",
            BinaryOperator::GtEq => ">=",
            BinaryOperator::LtEq => "<=",
            BinaryOperator::Eq => "=",
            BinaryOperator::NotEq => "<>",
            BinaryOperator::Spaceship => "<=>",
            BinaryOperator::Xor => "xor",
            BinaryOperator::BitwiseOr => "|",
            BinaryOperator::BitwiseAnd => "&",
            BinaryOperator::BitwiseXor => "^",
            BinaryOperator::PGBitwiseShiftLeft => "<<",
            BinaryOperator::PGBitwiseShiftRight => ">>",
            BinaryOperator::Custom(word) if word == "sounds like" => {
                let (left, right) = (named("soundex", &[self.print(left)?]), named("soundex", &[self.print(right)?]));
                return Some(operation(format!("{} = {}", left.text, right.text)).and_sure(&[&left, &right]));
            }
            _ => return None,
        };
        // The server reads `interval 1 day + d` in an order of its own.
        let swapped = matches!(left, Expr::Interval(_)) && matches!(op, BinaryOperator::Plus);
        let (left, right) = (self.print(left)?, self.print(right)?);
        let printed = operation(format!("{} {word} {}", left.operand(), right.operand())).and_sure(&[&left, &right]);
        Some(Printed { sure: printed.sure && !swapped, ..printed })
    }

    fn in_list(&self, expr: &Expr, list: &[Expr], negated: bool) -> Option<Printed> {
        let expr = self.print(expr)?;
        let list = list.iter().map(|expr| self.print(expr)).collect::<Option<Vec<_>>>()?;
        let all: Vec<&Printed> = list.iter().collect();
        if let [only] = &all[..] {
            let word = if negated { "<>" } else { "=" };
            return Some(operation(format!("{} {word} {}", expr.operand(), only.operand())).and_sure(&[&expr, only]));
        }
        let texts: Vec<&str> = list.iter().map(|item| item.text.as_str()).collect();
        let word = if negated { "not in" } else { "in" };
        Some(operation(format!("{} {word} ({})", expr.operand(), texts.join(","))).and_sure(&[&expr]).and_sure(&all))
    }

    /// The text after ORDER BY.
    pub fn order(&self, items: &[OrderByExpr]) -> Option<String> {
        let item = |item: &OrderByExpr| {
            let printed = self.print(&item.expr)?;
            let descends = matches!(item.options.sort, Some(OrderBySort::Desc));
            Some(format!("{}{}", printed.operand(), if descends { " desc" } else { "" }))
        };
        Some(items.iter().map(item).collect::<Option<Vec<_>>>()?.join(","))
    }

    fn quantified(&self, left: &Expr, op: &BinaryOperator, word: &str, right: &Expr) -> Option<Printed> {
        let Expr::Subquery(query) = right else { return None };
        let (left, query) = (self.print(left)?, self.names.subquery(query)?);
        // `= ANY` is IN.
        if word == "any" && *op == BinaryOperator::Eq {
            return Some(operation(format!("{} in ({})", left.operand(), query.text)).and_sure(&[&left, &query]));
        }
        let sign = if *op == BinaryOperator::NotEq { "<>".to_owned() } else { op.to_string() };
        Some(operation(format!("{} {sign} {word} ({})", left.operand(), query.text)).and_sure(&[&left, &query]))
    }
}

fn operation(text: String) -> Printed {
    Printed { text, kind: Node::Operation, sure: true }
}

fn constant(value: &Value) -> Option<Printed> {
    Some(match value {
        Value::Number(number, _) => Printed::atom(number_text(number)),
        Value::SingleQuotedString(text) | Value::DoubleQuotedString(text) | Value::NationalStringLiteral(text) => {
            Printed::atom(literal(text))
        }
        // The server writes some of them as text, some as numbers.
        Value::HexStringLiteral(digits) => {
            let bytes: Option<Vec<u8>> =
                (0..digits.len()).step_by(2).map(|at| u8::from_str_radix(digits.get(at..at + 2)?, 16).ok()).collect();
            let text = bytes.filter(|bytes| bytes.iter().all(|byte| (32..127).contains(byte)));
            match text.and_then(|bytes| String::from_utf8(bytes).ok()) {
                Some(text) if !text.is_empty() => Printed::atom(literal(&text)),
                _ => Printed::atom(format!("x'{}'", digits.to_ascii_lowercase())),
            }
        }
        Value::SingleQuotedByteStringLiteral(bits) => {
            let number = u64::from_str_radix(bits, 2).ok()?;
            let digits = format!("{number:x}");
            let digits = if digits.len() % 2 == 1 { format!("0{digits}") } else { digits };
            Printed::atom(format!("x'{digits}'"))
        }
        Value::Boolean(value) => Printed::atom(if *value { "1" } else { "0" }),
        Value::Null => Printed::atom("null"),
        _ => return None,
    })
}

fn number_text(number: &str) -> String {
    let lower = number.to_ascii_lowercase();
    if lower.starts_with('.') { format!("0{lower}") } else { lower }
}

/// An operand of AND, OR and NOT that is a column is compared with 0.
fn truth(printed: Printed) -> Printed {
    if printed.kind == Node::Column { operation(format!("{} <> 0", printed.text)) } else { printed }
}

fn not(inner: &Printed) -> Printed {
    Printed { sure: inner.sure, ..operation(format!("!{}", inner.operand())) }
}

fn is_and(op: &BinaryOperator) -> bool {
    matches!(op, BinaryOperator::And)
}

fn is_or(op: &BinaryOperator) -> bool {
    matches!(op, BinaryOperator::Or | BinaryOperator::StringConcat)
}

/// The operands of a chain of AND or of OR.
fn gather<'e>(expr: &'e Expr, is_it: fn(&BinaryOperator) -> bool, parts: &mut Vec<&'e Expr>) {
    match expr {
        Expr::Nested(inner) => gather(inner, is_it, parts),
        Expr::BinaryOp { left, op, right } if is_it(op) => {
            gather(left, is_it, parts);
            gather(right, is_it, parts);
        }
        other => parts.push(other),
    }
}

fn joined(word: &str, parts: Vec<Printed>) -> Printed {
    let kind = if word == "and" { Node::And } else { Node::Or };
    let parts: Vec<Printed> = parts.into_iter().map(truth).collect();
    let mut texts = Vec::new();
    for part in &parts {
        // A negation may have made a chain of the same kind.
        if part.kind == kind { texts.push(part.text.clone()) } else { texts.push(part.operand()) }
    }
    let sure = parts.iter().all(|part| part.sure);
    Printed { text: texts.join(&format!(" {word} ")), kind, sure }
}

fn named(name: &str, arguments: &[Printed]) -> Printed {
    let texts: Vec<&str> = arguments.iter().map(|argument| argument.text.as_str()).collect();
    Printed::atom(format!("{name}({})", texts.join(","))).and_sure(&arguments.iter().collect::<Vec<_>>())
}

fn cast(inner: Printed, data_type: &str) -> Printed {
    Printed::atom(format!("cast({} as {data_type})", inner.text)).and_sure(&[&inner])
}

/// The type of a CAST as the server writes it.
fn cast_type(data_type: &DataType) -> Option<String> {
    super::functions::cast_type(&data_type.to_string())
}

/// A function's name without a database; a name in quotes keeps its case.
fn last_word(name: &ObjectName) -> Option<String> {
    Some(name.0.last()?.as_ident()?.value.clone())
}

/// A query whose outputs mean nothing, for EXISTS.
fn without_outputs(query: &Query) -> Query {
    let mut query = query.clone();
    if let SetExpr::Select(select) = &mut *query.body {
        let one = Value::Number("1".to_owned(), false).with_empty_span();
        select.projection = vec![SelectItem::UnnamedExpr(Expr::Value(one))];
    }
    // The server stops at the first row.
    query.limit_clause = None;
    query
}
