//! Constants without a type of their own: the operator, the function or the value beside them tells it.

use sqlparser::ast::{BinaryOperator, Expr};

use super::infer;
use super::walk::Walk;

impl Walk<'_> {
    /// Constants of operators that are no comparisons: each is of the other operand's type, where that has such an operator with
    /// itself (<https://www.postgresql.org/docs/current/typeconv-oper.html>).
    pub(super) fn constants_beside(&mut self, left: &mut Expr, op: &BinaryOperator, right: &mut Expr) {
        use BinaryOperator as Op;
        let types = (infer::type_of(self, left), infer::type_of(self, right));
        let of_itself = |own: &str| match infer::base(own).as_str() {
            "inet" | "cidr" => {
                matches!(
                    op,
                    Op::PGBitwiseShiftLeft | Op::PGBitwiseShiftRight | Op::PGOverlap | Op::BitwiseAnd | Op::BitwiseOr
                ) || is_custom(op, &["<<=", ">>="])
            }
            "bit" | "\"bit\"" | "bit varying" => {
                matches!(op, Op::BitwiseAnd | Op::BitwiseOr | Op::PGBitwiseXor)
            }
            "tsquery" => matches!(op, Op::PGOverlap | Op::AtArrow | Op::ArrowAt),
            range if range.ends_with("range") => {
                matches!(
                    op,
                    Op::PGOverlap
                        | Op::AtArrow
                        | Op::ArrowAt
                        | Op::PGBitwiseShiftLeft
                        | Op::PGBitwiseShiftRight
                        | Op::Plus
                        | Op::Minus
                        | Op::Multiply
                ) || is_custom(op, &["&<", "&>", "-|-"])
            }
            _ => false,
        };
        for (constant, own) in [(right, types.0), (left, types.1)] {
            if let Some(own) = own.filter(|own| of_itself(own)) {
                // Networks are compared as addresses.
                let own = if own == "cidr" { "inet".to_owned() } else { own };
                self.constant_of(constant, &own);
            }
        }
    }

    /// Constants whose type the function or the moments beside them tell.
    pub(super) fn constants_told(&mut self, function: &str, arguments: &mut [&mut Expr]) {
        match (function, arguments) {
            ("date_bin", [width, moment, origin]) => {
                self.constant_of(width, "interval");
                if let Some(own) = infer::type_of(self, moment).filter(|own| infer::is_moment(own)) {
                    self.constant_of(origin, &own);
                }
            }
            ("generate_series", [from, to, step]) => {
                let own = infer::type_of(self, from).or_else(|| infer::type_of(self, to));
                if let Some(own) = own.filter(|own| infer::is_moment(own)) {
                    let own = if own == "date" { "timestamp with time zone" } else { &own };
                    self.constant_of(from, own);
                    self.constant_of(to, own);
                    self.constant_of(step, "interval");
                }
            }
            // The engine's own, but those that take any value and say so in their names.
            (name, [first, ..])
                if name.starts_with("jsonb_")
                    && !name.starts_with("jsonb_build_")
                    && !self.known.identifiers.contains(name) =>
            {
                self.constant_of(first, "jsonb");
            }
            _ => {}
        }
    }
}

/// Whether the operator is one of these, which the parser has no names for.
fn is_custom(op: &BinaryOperator, symbols: &[&str]) -> bool {
    match op {
        BinaryOperator::Custom(symbol) => symbols.contains(&symbol.as_str()),
        BinaryOperator::PGCustomBinaryOperator(parts) => {
            parts.last().is_some_and(|symbol| symbols.contains(&symbol.as_str()))
        }
        _ => false,
    }
}
