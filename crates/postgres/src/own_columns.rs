//! The columns that a table's own expressions use: in CHECK, EXCLUDE, indexes, statistics and generated columns a name without more is one
//! of the table's columns.

use std::ops::ControlFlow;

use sqlparser::ast::{AccessExpr, Expr, Visit, Visitor};
use wevrun_core::model::{Check, Column, Expression, Index, Name, Unordered};
use wevrun_core::parse::{TokenKind, token};

use crate::canonical::{exclusion_expressions, identifier_of_tree, parse_expression};
use crate::parse::identifier_of;
use crate::{clause, names, split_list, tokens};

/// The columns that an expression uses, each once, in the table's order.
pub fn used<'c>(columns: &'c Unordered<Column>, expression: &Expression) -> Vec<&'c Name> {
    let found = found(expression.written());
    let names = columns.iter().map(|column| &column.name);
    names.filter(|name| found.iter().any(|found| found == name.canonical())).collect()
}

/// Whether an expression uses the column.
pub fn uses(expression: &Expression, column: &Name) -> bool {
    found(expression.written()).iter().any(|found| found == column.canonical())
}

/// Whether a list of columns and expressions has one that uses the column.
pub fn lists(list: &Expression, column: &Name) -> bool {
    split_list(list.written()).iter().any(|item| found(item).iter().any(|found| found == column.canonical()))
}

/// Whether an EXCLUDE uses the column.
pub fn excludes(exclusion: &Check, column: &Name) -> bool {
    let elements = exclusion_expressions(exclusion.condition.written());
    let predicate = exclusion.clauses.get(clause::WHERE);
    elements.iter().any(|element| found(element).iter().any(|found| found == column.canonical()))
        || predicate.is_some_and(|predicate| uses(predicate, column))
}

/// Whether an index uses the column.
pub fn indexes(index: &Index, column: &Name) -> bool {
    let included = split_list(index.clauses.value(clause::INCLUDE).unwrap_or_default());
    index.parts.iter().map(|part| &part.expression).chain(&index.predicate).any(|part| uses(part, column))
        || included.iter().any(|name| names::unquoted(name) == column.canonical())
}

/// The identifiers that can be columns: in a text that the parser does not take, every word.
fn found(text: &str) -> Vec<String> {
    let Some(expression) = parse_expression(text) else {
        let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
        let words = tokens.iter().filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted));
        return words.map(|token| identifier_of(*token, text)).collect();
    };
    let mut collect = Collect(Vec::new());
    let _ = expression.visit(&mut collect);
    collect.0
}

struct Collect(Vec<String>);

impl Visitor for Collect {
    type Break = ();

    fn pre_visit_expr(&mut self, expression: &Expr) -> ControlFlow<()> {
        match expression {
            Expr::Identifier(name) => self.0.push(identifier_of_tree(name)),
            Expr::CompoundIdentifier(parts) => self.0.extend(parts.last().map(identifier_of_tree)),
            // `table.column[1]`: what is after the first dot.
            Expr::CompoundFieldAccess { access_chain, .. } => {
                if let Some(AccessExpr::Dot(Expr::Identifier(name))) = access_chain.first() {
                    self.0.push(identifier_of_tree(name));
                }
            }
            _ => {}
        }
        ControlFlow::Continue(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn literals_types_and_functions_are_no_columns() {
        let uses = |text: &str| uses(&Expression::plain(text), &Name::new("kg", "kg"));
        for text in [
            "kg > 0",
            "\"kg\" > 0",
            "t.kg IS NULL",
            "f(a, KG)",
            "(kg)::text <> ''",
            "a[kg] = 1",
            "t.kg[1] = 2",
            "(kg >) 0",
        ] {
            assert!(uses(text), "{text}");
        }
        for text in ["note <> 'kg'", "a::kg = 'x'", "kg(a)", "a /* kg */ > 0", "\"KG\" > 0", "(kg.a) > 0", "a = $$kg$$"]
        {
            assert!(!uses(text), "{text}");
        }
    }
}
