//! Where a text has a schema before a name: by its tree, so that an alias or a literal that equals the schema is none.

use std::collections::BTreeSet;
use std::ops::ControlFlow;

use sqlparser::ast::{
    ArrayElemTypeDef, DataType, Expr, Ident, ObjectName, Query, SelectItem, SelectItemQualifiedWildcardKind, SetExpr,
    Statement, Visit, Visitor,
};
use wevrun_core::model::Span;
use wevrun_core::parse::{Places, Token, TokenKind, token};

use super::canonical::parse_unchanged;
use super::parse::identifier_of;
use super::{names, tokens};

/// The meaning of a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Reading {
    /// The schema's identifier.
    Schema,
    /// A literal that the server reads as the name of an object in the schema; the object's own identifier.
    Literal(String),
}

/// The kinds of text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    /// A name, a type, or a list of these: every first part of a dotted name is a schema.
    Names,
    /// An expression, a query or a body.
    Expression,
}

/// The places of a schema in a text, in order.
pub fn places(text: &str, schema: &str, form: Form) -> Vec<(Span, Reading)> {
    let (tokens, _) = token::tokenize(tokens::rules(), text, 0);
    let in_tree = if form == Form::Expression { by_tree(text, schema) } else { None };
    let is_symbol = |at: usize, symbol: &str| tokens.get(at).is_some_and(|token: &Token| token.is_symbol(text, symbol));
    let mut found = Vec::new();
    for (index, token) in tokens.iter().enumerate() {
        let span = Span { start: token.start, end: token.end };
        match token.kind {
            TokenKind::Word | TokenKind::Quoted if identifier_of(*token, text) == schema => {
                let is_first = is_symbol(index + 1, ".") && (index == 0 || !is_symbol(index - 1, "."));
                if is_first && in_tree.as_ref().is_none_or(|places| places.contains(&token.start)) {
                    found.push((span, Reading::Schema));
                }
            }
            TokenKind::Text if is_object_name(text, &tokens, index) => {
                let value = tokens::string_value(token.text(text)).unwrap_or_default();
                let parts = names::parts(&value);
                if let [own_schema, own] = &parts[..]
                    && own_schema == schema
                    && names::dotted(own_schema, own) == value
                {
                    found.push((span, Reading::Literal(own.clone())));
                }
            }
            _ => {}
        }
    }
    found
}

/// Whether the server reads a literal as the name of an object: it is cast to a type of object identifiers, or is an argument of a function
/// that takes one (<https://www.postgresql.org/docs/current/datatype-oid.html>).
fn is_object_name(text: &str, tokens: &[Token], index: usize) -> bool {
    const TYPES: [&str; 9] = [
        "REGCLASS",
        "REGTYPE",
        "REGPROC",
        "REGPROCEDURE",
        "REGOPER",
        "REGOPERATOR",
        "REGCONFIG",
        "REGDICTIONARY",
        "REGCOLLATION",
    ];
    let is_word = |at: usize, words: &[&str]| {
        tokens.get(at).is_some_and(|token| words.iter().any(|word| token.is_word(text, word)))
    };
    let is_symbol = |at: usize, symbol: &str| tokens.get(at).is_some_and(|token| token.is_symbol(text, symbol));
    let type_at = if is_symbol(index + 3, ".") { index + 4 } else { index + 2 };
    let is_cast = is_symbol(index + 1, "::") && is_word(type_at, &TYPES);
    let is_argument = index >= 2 && is_symbol(index - 1, "(") && is_word(index - 2, &["NEXTVAL", "CURRVAL", "SETVAL"]);
    let is_typed = index >= 1 && is_word(index - 1, &TYPES);
    is_cast || is_argument || is_typed
}

/// The first bytes of the schema's places, where the text can be read as a query, a statement or an expression.
fn by_tree(text: &str, schema: &str) -> Option<BTreeSet<u32>> {
    // The tree has no places in OPERATOR(schema.op).
    if text.as_bytes().windows(8).any(|word| word.eq_ignore_ascii_case(b"operator")) {
        return None;
    }
    let mut collect = Collect { schema, places: Places::of(text), found: BTreeSet::new() };
    if let Some(query) = parse_unchanged(text, |parser| parser.parse_query()) {
        let _ = query.visit(&mut collect);
    } else if let Some(statement) = parse_unchanged(text, |parser| parser.parse_statement()) {
        let _ = statement.visit(&mut collect);
    } else if let Some(expression) = parse_unchanged(text, |parser| parser.parse_expr()) {
        let _ = expression.visit(&mut collect);
    } else {
        return None;
    }
    Some(collect.found)
}

struct Collect<'t> {
    schema: &'t str,
    places: Places<'t>,
    found: BTreeSet<u32>,
}

impl Collect<'_> {
    fn identifier(&mut self, identifier: &Ident) {
        let value = match identifier.quote_style {
            Some(_) => identifier.value.clone(),
            None => names::folded(&identifier.value),
        };
        if value == self.schema {
            self.found.insert(self.places.span(identifier.span).start);
        }
    }

    /// The name of an object: of two parts, the first is the schema.
    fn object(&mut self, name: &ObjectName) {
        if name.0.len() == 2
            && let Some(schema) = name.0[0].as_ident()
        {
            self.identifier(schema);
        }
    }

    fn data_type(&mut self, data_type: &DataType) {
        match data_type {
            DataType::Custom(name, _) => self.object(name),
            DataType::Array(ArrayElemTypeDef::SquareBracket(element, _) | ArrayElemTypeDef::AngleBracket(element)) => {
                self.data_type(element);
            }
            _ => {}
        }
    }

    fn outputs(&mut self, body: &SetExpr) {
        match body {
            SetExpr::Select(select) => {
                for item in &select.projection {
                    if let SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(name), _) = item {
                        self.object(name);
                    }
                }
            }
            SetExpr::SetOperation { left, right, .. } => {
                self.outputs(left);
                self.outputs(right);
            }
            _ => {}
        }
    }
}

impl Visitor for Collect<'_> {
    type Break = ();

    fn pre_visit_relation(&mut self, relation: &ObjectName) -> ControlFlow<()> {
        self.object(relation);
        ControlFlow::Continue(())
    }

    fn pre_visit_query(&mut self, query: &Query) -> ControlFlow<()> {
        self.outputs(&query.body);
        ControlFlow::Continue(())
    }

    fn pre_visit_statement(&mut self, _: &Statement) -> ControlFlow<()> {
        ControlFlow::Continue(())
    }

    fn pre_visit_expr(&mut self, expression: &Expr) -> ControlFlow<()> {
        match expression {
            Expr::Function(function) => self.object(&function.name),
            Expr::Cast { data_type, .. } => self.data_type(data_type),
            Expr::TypedString(typed) => self.data_type(&typed.data_type),
            Expr::Collate { collation, .. } => self.object(collation),
            // schema.table.column
            Expr::CompoundIdentifier(parts) if parts.len() > 2 => self.identifier(&parts[0]),
            _ => {}
        }
        ControlFlow::Continue(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Vec<&str> {
        places(text, "trade", Form::Expression).into_iter().map(|(span, _)| &text[span.start as usize..]).collect()
    }

    #[test]
    fn aliases_columns_and_literals_are_no_schemas() {
        assert_eq!(
            found("SELECT trade.x FROM trade.t AS trade WHERE trade.y <> 'trade.t'"),
            ["trade.t AS trade WHERE trade.y <> 'trade.t'"]
        );
        assert_eq!(found("note <> 'trade.t' AND trade.f(trade.x) > 0"), ["trade.f(trade.x) > 0"]);
        let names = |text: &str| places(text, "trade", Form::Names).len();
        assert_eq!([names("trade.k[]"), names("trade.f(trade.t, text)"), names("t.trade")], [1, 2, 0]);
        assert_eq!(found("(note)::trade.k = 'new'::\"trade\".k"), ["trade.k = 'new'::\"trade\".k", "\"trade\".k"]);
    }

    #[test]
    fn literals_that_name_objects_are_found() {
        assert_eq!(found("nextval('trade.numbers'::regclass)"), ["'trade.numbers'::regclass)"]);
        assert_eq!(found("nextval('trade.numbers')"), ["'trade.numbers')"]);
        assert_eq!(found("upper('trade.numbers')"), Vec::<&str>::new());
    }
}
