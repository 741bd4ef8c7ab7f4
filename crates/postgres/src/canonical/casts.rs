//! The casts that the server adds by itself, and constants in the spelling of their type.

use sqlparser::ast::{Array, BinaryOperator, CastKind, Expr, Value};

use super::infer;
use super::literal;
use super::tree::*;
use super::walk::Walk;

impl Walk<'_> {
    /// Takes away what only says the type that the value is stored as anyway.
    pub(super) fn as_stored(&mut self, expression: &mut Expr, wanted: Option<&str>) {
        let Some(wanted) = wanted.map(|wanted| self.known.effective_type(wanted)) else { return };
        let wanted = wanted.as_str();
        let base = infer::base;
        while let Expr::Cast { expr, data_type, .. } = expression {
            let target = type_text(data_type);
            let text = matches!(target.as_str(), "text" | "bpchar") && infer::is_text(wanted);
            let interval = target == "interval" && wanted.starts_with("interval") && is_constant(expr);
            if base(&target) != base(wanted) && !text && !interval {
                break;
            }
            // A cast to a shorter type cuts; the column does the same.
            *expression = (**expr).clone();
        }
        // '5' as a default of an integer is 5.
        if infer::is_float(wanted)
            && let Expr::Value(value) = &mut *expression
            && let Value::Number(text, _) = &mut value.value
            && let Some(number) = literal::number(&base(wanted), text)
        {
            *text = number;
        }
        self.typed_constant(expression, Some(wanted));
    }

    pub(super) fn cast(&mut self, expr: &mut Expr) {
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
            self.sure &= self.tells(text, &target);
            // '101'::bit is B'101'.
            if is_bits(&target) && text.bytes().all(|byte| matches!(byte, b'0' | b'1')) {
                *expr = Expr::value(Value::SingleQuotedByteStringLiteral(text.clone()));
                return;
            }
        }
        // The server casts each item of a list that is written out.
        if let (Expr::Array(array), Some(of)) = (&mut **inner, target.strip_suffix("[]"))
            && infer::is_number(of)
            && array.elem.iter().all(is_bare_number)
        {
            for item in &mut array.elem {
                *item = cast(item.clone(), custom(of));
                self.cast(item);
            }
            *expr = (**inner).clone();
            return;
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
                        // A number says its type by its size.
                        let by_itself = target == literal::type_of_number(&number);
                        let number = Expr::value(Value::Number(number, false));
                        *expr = if by_itself { number } else { cast(number, data_type.clone()) };
                    } else if infer::is_moment(&target) && is_of_the_clock(text) {
                        self.sure = false;
                    } else if let Some(truth) = literal::truth(text).filter(|_| target == "boolean") {
                        *expr = Expr::value(Value::Boolean(truth));
                    } else if matches!(target.as_str(), "text" | "character varying" | "bpchar") {
                        *expr = (**inner).clone();
                    }
                }
                Value::Number(number, _) if target == literal::type_of_number(number) => *expr = (**inner).clone(),
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

    /// Whether it can be told how a constant of the type is spelled: if its own functions do that, only a server has them. Of the
    /// engine's own, paths and texts for searching are rewritten from what they were read as.
    fn tells(&self, text: &str, data_type: &str) -> bool {
        match infer::base(data_type).as_str() {
            moment if infer::is_moment(moment) && is_of_the_clock(text) => false,
            _ if !literal::is_understood(data_type, text) => false,
            _ => is_plain_word(text) || !self.known.spells_by_itself(data_type),
        }
    }

    /// A constant that an operator or function of the engine takes for one of this type, whether the cast is written or not.
    pub(super) fn constant_of(&mut self, expr: &mut Expr, data_type: &str) {
        if let Expr::Cast { expr: inner, data_type: written, .. } = &*expr
            && is_constant(inner)
            && type_text(written) == data_type
        {
            *expr = (**inner).clone();
        }
        self.typed_constant(expr, Some(data_type));
    }

    pub(super) fn without_text_cast(&self, expr: Expr) -> Expr {
        match expr {
            Expr::Cast { expr: inner, data_type, .. } if type_text(&data_type) == "text" => {
                match infer::type_of(self, &inner) {
                    Some(own) if !infer::is_text(&own) && own != infer::CASELESS => {
                        Expr::Cast { kind: CastKind::DoubleColon, expr: inner, data_type, format: None }
                    }
                    _ => *inner,
                }
            }
            other => other,
        }
    }

    /// The items of an array that something is compared with, without the casts that the comparison brings.
    pub(super) fn array_items(&mut self, right: Expr, left: &Expr) -> Expr {
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

    /// Takes the casts away that two operands bring upon each other.
    pub(super) fn operands(&mut self, left: &mut Expr, right: &mut Expr, comparison: bool) {
        if self.widened_by_the_other(left, right) || self.widened_by_the_other(right, left) {
            return;
        }
        self.widened_by_constant(left, right);
        self.widened_by_constant(right, left);
        // A constant has the type that the other operand brings upon it, so it needs no cast there.
        let evidence = |of: &Expr, other: &Expr| {
            let open = is_cast_constant(of) && !is_cast_constant(other);
            infer::type_of(self, of).filter(|own| !(open && infer::is_number(own)))
        };
        let types = (evidence(left, right), evidence(right, left));
        self.coerced(left, types.1.as_deref(), comparison);
        self.coerced(right, types.0.as_deref(), comparison);
        if comparison {
            // Networks are compared as addresses.
            let of = |own: String| if own == "cidr" { "inet".to_owned() } else { own };
            let own = infer::type_of(self, left).map(of);
            self.typed_constant(right, own.as_deref());
            let other = infer::type_of(self, right).map(of);
            self.typed_constant(left, other.as_deref());
        }
    }

    /// A cast of one number to a greater type also widens the other operand, so a cast of that one is not written: `a::float / b` is
    /// `a::float / b::float`.
    fn widened_by_the_other(&self, said: &Expr, other: &mut Expr) -> bool {
        let lower = |expr: &Expr, target: &str| {
            let own = infer::type_of(self, expr).filter(|own| infer::is_number(own) && !infer::is_float(own));
            !is_constant(expr) && own.is_some_and(|own| infer::rank(&own) < infer::rank(target))
        };
        let Expr::Cast { expr: inner, data_type, .. } = said else { return false };
        let target = type_text(data_type);
        if !infer::is_number(&target) || !lower(inner, &target) {
            return false;
        }
        match &*other {
            Expr::Cast { expr: inner, data_type, .. } => type_text(data_type) == target && lower(inner, &target),
            _ if lower(other, &target) => {
                *other = cast(take(other), data_type.clone());
                true
            }
            _ => false,
        }
    }

    /// `citext` has but comparisons with its own kind, and patterns: everything else is done with it as text
    /// (<https://www.postgresql.org/docs/current/citext.html>).
    pub(super) fn caseless_as_text(&self, expr: &mut Expr, op: &BinaryOperator, other: &Expr) {
        use BinaryOperator as Op;
        if is_constant(expr) || infer::type_of(self, expr).as_deref() != Some(infer::CASELESS) {
            return;
        }
        let as_text = match op {
            Op::Eq | Op::NotEq | Op::Lt | Op::LtEq | Op::Gt | Op::GtEq => {
                !is_constant(other) && infer::type_of(self, other).is_some_and(|other| infer::is_text(&other))
            }
            Op::Modulo | Op::PGCustomBinaryOperator(_) => true,
            _ => false,
        };
        if as_text {
            *expr = cast(expr.clone(), custom("text"));
        }
    }

    /// `n / 2::float8` is `n::float8 / 2`: the server spells both in the same way. A number without a type makes a `real` one too.
    pub(super) fn widened_by_constant(&self, constant: &Expr, other: &mut Expr) {
        if is_bare_number(constant)
            && !is_constant(other)
            && !is_cast_constant(other)
            && infer::type_of(self, other).as_deref() == Some("real")
        {
            *other = cast(other.clone(), custom("double precision"));
            return;
        }
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

    /// A text constant in the spelling of the type that is wanted of it.
    pub(super) fn typed_constant(&mut self, expr: &mut Expr, data_type: Option<&str>) {
        let (Expr::Value(value), Some(data_type)) = (expr, data_type) else { return };
        let Value::SingleQuotedString(text) = &mut value.value else { return };
        self.sees_literal(data_type, text, value.span);
        let base = infer::base(data_type);
        let number = literal::number(&base, text).filter(|_| infer::is_number(data_type));
        let truth = if base == "boolean" { literal::truth(text) } else { None };
        if let Some(number) = number {
            value.value = Value::Number(number, false);
        } else if let Some(truth) = truth {
            value.value = Value::Boolean(truth);
        } else if is_bits(&base) && text.bytes().all(|byte| matches!(byte, b'0' | b'1')) {
            value.value = Value::SingleQuotedByteStringLiteral(text.clone());
        } else {
            if let Some(canonical) = literal::canonical(data_type, text) {
                *text = canonical;
            }
            let text = text.clone();
            self.sure &= self.tells(&text, data_type);
        }
    }

    /// Takes the cast of a domain's value to what the domain is made of away: operators and functions are given no other.
    fn without_domain_cast(&self, expr: &mut Expr) {
        let Expr::Cast { expr: inner, data_type, .. } = expr else { return };
        let declared = match &**inner {
            Expr::Identifier(name) => self.scopes.declared_type(None, &ident_value(name)),
            Expr::CompoundIdentifier(parts) => match &parts[..] {
                [.., alias, name] => self.scopes.declared_type(Some(&ident_value(alias)), &ident_value(name)),
                _ => None,
            },
            _ => None,
        };
        let made_of = declared.filter(|own| self.known.is_domain(own)).map(|own| self.known.effective_type(own));
        if made_of.is_some_and(|made_of| infer::base(&made_of) == type_text(data_type)) {
            *expr = (**inner).clone();
        }
    }

    /// Takes a cast from `expr` away that is there because the other operand has this type.
    pub(super) fn coerced(&self, expr: &mut Expr, other: Option<&str>, comparison: bool) {
        self.without_domain_cast(expr);
        let Expr::Cast { expr: inner, data_type, .. } = expr else { return };
        let target = type_text(data_type);
        let base = infer::base;
        let fits =
            other.is_none_or(|other| base(other) == base(&target) || infer::is_text(other) && infer::is_text(&target));
        let factor = matches!(
            (other, target.as_str()),
            (Some("interval"), "double precision") | (Some("inet" | "cidr"), "bigint")
        );
        if is_constant(inner) {
            if fits || factor {
                *expr = (**inner).clone();
            }
            return;
        }
        if comparison && target == "oid" && infer::type_of(self, inner).is_some_and(|own| own.starts_with("reg")) {
            *expr = (**inner).clone();
            return self.coerced(expr, other, comparison);
        }
        let Some(own) = infer::type_of(self, inner) else {
            if comparison && infer::is_text(&target) && other.is_none_or(infer::is_text) {
                *expr = (**inner).clone();
            }
            return;
        };
        // Beside a real, other numbers become double precision: the preferred type of numbers.
        let beside_real = other == Some("real") && target == "double precision" && !infer::is_float(&own);
        if factor && infer::is_number(&own) {
            *expr = (**inner).clone();
            return;
        }
        let widened = (beside_real || other.is_some_and(|other| base(other) == base(&target)))
            && (infer::is_number(&own) && infer::is_number(&target)
                || infer::is_moment(&own) && infer::is_moment(&target))
            && infer::rank(&own) < infer::rank(&target);
        let address = own == "cidr" && target == "inet";
        if widened || address || infer::is_text(&own) && infer::is_text(&target) && comparison {
            *expr = (**inner).clone();
        }
    }

    /// Alternatives that get one common type.
    pub(super) fn siblings(&mut self, items: Vec<&mut Expr>) {
        let of = |wanted: &dyn Fn(&Expr) -> bool| {
            items.iter().find_map(|item| wanted(item).then(|| infer::type_of(self, item)).flatten())
        };
        let common = of(&|item| !is_constant(item) && !matches!(item, Expr::Cast { .. }));
        let cast = common.clone().or_else(|| of(&|item| is_cast_constant(item)));
        let common = common.or_else(|| of(&|item| is_constant(item)));
        for item in items {
            self.coerced(item, common.as_deref(), true);
            self.typed_constant(item, cast.as_deref());
        }
    }

    /// An argument of a function, without the casts that the function brings upon it.
    pub(super) fn argument(&self, argument: &mut Expr, function: &str) {
        without_casts(argument);
        if let Expr::Array(array) = argument
            && are_cast_alike(&array.elem)
        {
            array.elem.iter_mut().for_each(without_casts);
        }
        self.without_domain_cast(argument);
        self.widened(argument, function);
        if let Expr::Cast { expr: inner, .. } = &*argument
            && OF_CASELESS.contains(&function)
            && infer::type_of(self, inner).as_deref() == Some(infer::CASELESS)
        {
            return;
        }
        *argument = self.without_text_cast(take(argument));
    }

    /// Takes a cast away that a function of the engine brings upon its argument.
    pub(super) fn widened(&self, argument: &mut Expr, function: &str) {
        let Expr::Cast { expr: inner, data_type, .. } = argument else { return };
        let target = type_text(data_type);
        let Some(own) = infer::type_of(self, inner) else { return };
        if infer::base(&own) == "bit varying" && target.trim_matches('"') == "bit" {
            *argument = (**inner).clone();
            return;
        }
        if OF_MOMENTS.contains(&function) && infer::is_moment(&own) && infer::is_moment(&target)
            || OF_NUMBERS.contains(&function)
                && infer::is_number(&own)
                && infer::is_number(&target)
                && infer::rank(&own) < infer::rank(&target)
        {
            *argument = (**inner).clone();
        }
    }
}

/// The functions that take moments of another type than they are given.
const OF_MOMENTS: &[&str] = &["generate_series", "to_char", "date_trunc", "date_part", "extract", "age", "timezone"];

/// The functions that take numbers of another type than they are given (<https://www.postgresql.org/docs/current/functions-math.html>).
#[rustfmt::skip]
const OF_NUMBERS: &[&str] = &[
    "acos", "asin", "atan", "atan2", "avg", "cbrt", "ceil", "corr", "cos", "covar_pop", "covar_samp", "degrees", "exp", "floor",
    "generate_series", "left", "ln", "log", "lpad", "max", "min", "mod", "percentile_cont", "power", "radians", "regr_avgx", "regr_avgy",
    "regr_count", "regr_intercept", "regr_r2", "regr_slope", "repeat", "right", "round", "sign", "sin", "sqrt", "sum", "tan", "to_char",
    "to_timestamp", "trunc",
];

/// The functions that are there for `citext` too (<https://www.postgresql.org/docs/current/citext.html>): a cast chooses between them.
const OF_CASELESS: [&str; 9] = [
    "regexp_match",
    "regexp_matches",
    "regexp_replace",
    "regexp_split_to_array",
    "regexp_split_to_table",
    "replace",
    "split_part",
    "strpos",
    "translate",
];

/// Whether a type's constants are bits. `bit` with quotes is of any length; a length that is said fits or cuts.
fn is_bits(data_type: &str) -> bool {
    matches!(data_type, "\"bit\"" | "bit" | "bit(1)" | "bit varying")
}

/// Whether the constant is another moment each time that it is read
/// (<https://www.postgresql.org/docs/current/datatype-datetime.html#DATATYPE-DATETIME-SPECIAL-VALUES>).
fn is_of_the_clock(text: &str) -> bool {
    ["now", "today", "tomorrow", "yesterday"].iter().any(|word| text.trim().eq_ignore_ascii_case(word))
}

/// Whether a constant's text is one that hardly any type respells: of letters, digits and what joins words.
fn is_plain_word(text: &str) -> bool {
    text.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-' | b'.' | b'@'))
}
