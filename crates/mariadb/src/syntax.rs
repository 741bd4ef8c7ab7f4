//! The rules for `sqlparser`: its MySQL grammar, with MariaDB's precedences and what the grammar lacks
//! (<https://mariadb.com/kb/en/operator-precedence/>).

use std::any::TypeId;

use sqlparser::ast::{
    DateTimeField, Expr, Function, FunctionArg, FunctionArgExpr, FunctionArgumentList, FunctionArguments, Ident,
    Interval, ObjectName, TrimWhereField, UnaryOperator,
};
use sqlparser::dialect::{Dialect, MySqlDialect, Precedence};
use sqlparser::keywords::Keyword;
use sqlparser::parser::{Parser, ParserError};
use sqlparser::tokenizer::Token;

/// The nesting of expressions that is read.
pub const DEPTH: usize = 300;

/// The grammar that is built on.
const BASE: MySqlDialect = MySqlDialect {};

/// MariaDB's tokens, expressions and queries.
#[derive(Debug)]
pub struct Syntax;

/// Precedences, the strongest last.
mod strength {
    pub const OR: u8 = 5;
    pub const XOR: u8 = 7;
    pub const AND: u8 = 10;
    pub const NOT: u8 = 15;
    pub const BETWEEN: u8 = 17;
    pub const COMPARISON: u8 = 20;
    pub const BIT_OR: u8 = 22;
    pub const BIT_AND: u8 = 24;
    pub const SHIFT: u8 = 26;
    pub const SUM: u8 = 30;
    pub const PRODUCT: u8 = 40;
    pub const BIT_XOR: u8 = 42;
    pub const ARROW: u8 = 60;
}

impl Dialect for Syntax {
    fn dialect(&self) -> TypeId {
        BASE.dialect()
    }

    fn is_identifier_start(&self, ch: char) -> bool {
        BASE.is_identifier_start(ch)
    }

    fn is_identifier_part(&self, ch: char) -> bool {
        BASE.is_identifier_part(ch)
    }

    fn is_delimited_identifier_start(&self, ch: char) -> bool {
        ch == '`'
    }

    fn identifier_quote_style(&self, _: &str) -> Option<char> {
        Some('`')
    }

    fn supports_string_literal_backslash_escape(&self) -> bool {
        true
    }

    fn supports_string_literal_concatenation(&self) -> bool {
        true
    }

    fn ignores_wildcard_escapes(&self) -> bool {
        true
    }

    fn supports_numeric_prefix(&self) -> bool {
        true
    }

    fn supports_bitwise_shift_operators(&self) -> bool {
        true
    }

    fn requires_single_line_comment_whitespace(&self) -> bool {
        true
    }

    fn require_interval_qualifier(&self) -> bool {
        true
    }

    fn supports_limit_comma(&self) -> bool {
        true
    }

    fn supports_match_against(&self) -> bool {
        true
    }

    fn supports_select_modifiers(&self) -> bool {
        true
    }

    fn supports_table_hints(&self) -> bool {
        true
    }

    fn supports_binary_kw_as_cast(&self) -> bool {
        true
    }

    fn supports_double_ampersand_operator(&self) -> bool {
        true
    }

    fn supports_data_type_signed_suffix(&self) -> bool {
        true
    }

    fn supports_cross_join_constraint(&self) -> bool {
        true
    }

    fn is_table_factor_alias(&self, explicit: bool, keyword: &Keyword, parser: &mut Parser) -> bool {
        BASE.is_table_factor_alias(explicit, keyword, parser)
    }

    fn supports_window_clause_named_window_reference(&self) -> bool {
        true
    }

    fn prec_value(&self, precedence: Precedence) -> u8 {
        match precedence {
            Precedence::Or => strength::OR,
            Precedence::Xor => strength::XOR,
            Precedence::And => strength::AND,
            Precedence::UnaryNot => strength::NOT,
            Precedence::Between => strength::BETWEEN,
            Precedence::Eq | Precedence::Like | Precedence::Is => strength::COMPARISON,
            Precedence::Pipe => strength::BIT_OR,
            Precedence::Ampersand => strength::BIT_AND,
            Precedence::PlusMinus => strength::SUM,
            Precedence::MulDivModOp => strength::PRODUCT,
            Precedence::Caret => strength::BIT_XOR,
            Precedence::PgOther => strength::ARROW,
            other => BASE.prec_value(other),
        }
    }

    fn get_next_precedence(&self, parser: &Parser) -> Option<Result<u8, ParserError>> {
        let strength = match &parser.peek_token_ref().token {
            // Unless PIPES_AS_CONCAT is set.
            Token::StringConcat => strength::OR,
            Token::Overlap => strength::AND,
            Token::ShiftLeft | Token::ShiftRight => strength::SHIFT,
            Token::Word(word) if word.keyword == Keyword::IN => strength::COMPARISON,
            Token::Word(word) if word.quote_style.is_none() && word.value.eq_ignore_ascii_case("mod") => {
                strength::PRODUCT
            }
            Token::Word(word) if word.quote_style.is_none() && word.value.eq_ignore_ascii_case("sounds") => {
                strength::COMPARISON
            }
            _ => return None,
        };
        Some(Ok(strength))
    }

    fn parse_prefix(&self, parser: &mut Parser) -> Option<Result<Expr, ParserError>> {
        match &parser.peek_token_ref().token {
            // It binds more strongly than every operator.
            Token::ExclamationMark => {
                parser.advance_token();
                let operand = parser.parse_subexpr(strength::ARROW);
                Some(operand.map(|expr| Expr::UnaryOp { op: UnaryOperator::Not, expr: Box::new(nested(expr)) }))
            }
            Token::Word(word) if word.quote_style.is_none() => {
                let opens = parser.peek_nth_token_ref(1).token == Token::LParen;
                match word.value.to_ascii_lowercase().as_str() {
                    "interval" => Some(interval(parser)),
                    "binary" => Some(binary(parser)),
                    "cast" if opens => special(parser, cast),
                    "convert" if opens => special(parser, convert),
                    "char" if opens => special(parser, characters),
                    "trim" if opens => special(parser, trim),
                    // The grammar takes them for the beginning of a type.
                    "date" | "time" | "timestamp" if opens => special(parser, call),
                    "next" => special(parser, next_value),
                    _ => None,
                }
            }
            _ => None,
        }
    }

    fn parse_infix(&self, parser: &mut Parser, left: &Expr, precedence: u8) -> Option<Result<Expr, ParserError>> {
        let word = match &parser.peek_token_ref().token {
            Token::Word(word) if word.quote_style.is_none() => word.value.to_ascii_lowercase(),
            _ => return BASE.parse_infix(parser, left, precedence),
        };
        match word.as_str() {
            "mod" => {
                parser.advance_token();
                let right = parser.parse_subexpr(precedence);
                Some(right.map(|right| Expr::BinaryOp {
                    left: Box::new(left.clone()),
                    op: sqlparser::ast::BinaryOperator::Modulo,
                    right: Box::new(right),
                }))
            }
            "sounds" => {
                parser.advance_token();
                let right = parser.expect_keyword(Keyword::LIKE).and_then(|_| parser.parse_subexpr(precedence));
                Some(right.map(|right| Expr::BinaryOp {
                    left: Box::new(left.clone()),
                    op: sqlparser::ast::BinaryOperator::Custom("sounds like".to_owned()),
                    right: Box::new(right),
                }))
            }
            _ => BASE.parse_infix(parser, left, precedence),
        }
    }
}

/// Reads something that the grammar reads in another way, or not at all; none leaves it to the grammar.
fn special(
    parser: &mut Parser,
    read: fn(&mut Parser) -> Result<Option<Expr>, ParserError>,
) -> Option<Result<Expr, ParserError>> {
    let outcome = parser
        .maybe_parse(|parser| read(parser)?.ok_or_else(|| ParserError::ParserError("left to the grammar".to_owned())));
    match outcome {
        Ok(Some(expr)) => Some(Ok(expr)),
        Ok(None) => None,
        Err(error) => Some(Err(error)),
    }
}

/// A call of a function of this name, which may be more than an identifier: the name is what it does.
fn function(name: &str, arguments: Vec<Expr>) -> Expr {
    let argument = |expr| FunctionArg::Unnamed(FunctionArgExpr::Expr(expr));
    let list = FunctionArgumentList {
        duplicate_treatment: None,
        args: arguments.into_iter().map(argument).collect(),
        clauses: Vec::new(),
    };
    Expr::Function(Function {
        name: ObjectName::from(vec![Ident::new(name)]),
        uses_odbc_syntax: false,
        parameters: FunctionArguments::None,
        args: FunctionArguments::List(list),
        filter: None,
        null_treatment: None,
        over: None,
        within_group: Vec::new(),
    })
}

/// `INTERVAL value unit`, or the function `INTERVAL(a, b, …)`.
fn interval(parser: &mut Parser) -> Result<Expr, ParserError> {
    parser.advance_token();
    let value = if parser.consume_token(&Token::LParen) {
        let mut values = parser.parse_comma_separated(Parser::parse_expr)?;
        parser.expect_token(&Token::RParen)?;
        if values.len() > 1 {
            return Ok(function("interval", values));
        }
        values.remove(0)
    } else {
        parser.parse_subexpr(strength::BETWEEN)?
    };
    let unit = parser.parse_identifier()?;
    Ok(Expr::Interval(Interval {
        value: Box::new(value),
        leading_field: Some(DateTimeField::Custom(unit)),
        leading_precision: None,
        last_field: None,
        fractional_seconds_precision: None,
    }))
}

/// `BINARY value`, which binds more strongly than every operator but COLLATE.
fn binary(parser: &mut Parser) -> Result<Expr, ParserError> {
    parser.advance_token();
    Ok(function("cast as binary", vec![parser.parse_subexpr(strength::ARROW)?]))
}

/// The words up to the parenthesis that closes what was opened.
fn words_to_the_end(parser: &mut Parser) -> Result<String, ParserError> {
    let (mut words, mut depth) = (Vec::new(), 0);
    loop {
        let token = parser.next_token().token;
        match &token {
            Token::RParen if depth == 0 => return Ok(words.join(" ").replace(" ( ", "(").replace(" )", ")")),
            Token::LParen => depth += 1,
            Token::RParen => depth -= 1,
            Token::EOF => return parser.expected_ref("a parenthesis", parser.peek_token_ref()),
            _ => {}
        }
        words.push(token.to_string());
    }
}

/// `CAST(value AS type)`.
fn cast(parser: &mut Parser) -> Result<Option<Expr>, ParserError> {
    parser.advance_token();
    parser.expect_token(&Token::LParen)?;
    let value = parser.parse_expr()?;
    parser.expect_keyword(Keyword::AS)?;
    let data_type = words_to_the_end(parser)?;
    Ok(Some(function(&format!("cast as {data_type}"), vec![value])))
}

/// `CONVERT(value, type)`; USING is the grammar's.
fn convert(parser: &mut Parser) -> Result<Option<Expr>, ParserError> {
    parser.advance_token();
    parser.expect_token(&Token::LParen)?;
    let value = parser.parse_expr()?;
    if !parser.consume_token(&Token::Comma) {
        return Ok(None);
    }
    let data_type = words_to_the_end(parser)?;
    Ok(Some(function(&format!("cast as {data_type}"), vec![value])))
}

/// `CHAR(65, 66 USING utf8mb4)`.
fn characters(parser: &mut Parser) -> Result<Option<Expr>, ParserError> {
    parser.advance_token();
    parser.expect_token(&Token::LParen)?;
    let values = parser.parse_comma_separated(Parser::parse_expr)?;
    let mut name = "char".to_owned();
    if parser.parse_keyword(Keyword::USING) {
        name = format!("char using {}", parser.parse_identifier()?.value.to_ascii_lowercase());
    }
    parser.expect_token(&Token::RParen)?;
    Ok(Some(function(&name, values)))
}

/// `TRIM(LEADING FROM text)` and `TRIM(what FROM text)`.
fn trim(parser: &mut Parser) -> Result<Option<Expr>, ParserError> {
    parser.advance_token();
    parser.expect_token(&Token::LParen)?;
    let side = match parser.parse_one_of_keywords(&[Keyword::LEADING, Keyword::TRAILING, Keyword::BOTH]) {
        Some(Keyword::LEADING) => Some(TrimWhereField::Leading),
        Some(Keyword::TRAILING) => Some(TrimWhereField::Trailing),
        Some(_) => Some(TrimWhereField::Both),
        None => None,
    };
    let mut what = None;
    let mut expr = if side.is_some() && parser.parse_keyword(Keyword::FROM) {
        parser.parse_expr()?
    } else {
        let first = parser.parse_expr()?;
        if parser.parse_keyword(Keyword::FROM) {
            what = Some(Box::new(first));
            parser.parse_expr()?
        } else {
            first
        }
    };
    parser.expect_token(&Token::RParen)?;
    if let Expr::Nested(inner) = expr {
        expr = *inner;
    }
    Ok(Some(Expr::Trim { trim_where: side, trim_what: what, expr: Box::new(expr), trim_characters: None }))
}

/// A call of a function whose name is a type.
fn call(parser: &mut Parser) -> Result<Option<Expr>, ParserError> {
    let name = parser.parse_identifier()?.value;
    parser.expect_token(&Token::LParen)?;
    let values = parser.parse_comma_separated(Parser::parse_expr)?;
    parser.expect_token(&Token::RParen)?;
    Ok(Some(function(&name, values)))
}

/// `NEXT VALUE FOR sequence`.
fn next_value(parser: &mut Parser) -> Result<Option<Expr>, ParserError> {
    parser.advance_token();
    let is_word = |parser: &Parser, word: &str| matches!(&parser.peek_token_ref().token, Token::Word(own) if own.value.eq_ignore_ascii_case(word));
    if !is_word(parser, "value") {
        return Ok(None);
    }
    parser.advance_token();
    parser.expect_keyword(Keyword::FOR)?;
    let parts: Vec<Ident> =
        parser.parse_object_name(false)?.0.into_iter().filter_map(|part| part.as_ident().cloned()).collect();
    Ok(Some(function("nextval", vec![Expr::CompoundIdentifier(parts)])))
}

fn nested(expr: Expr) -> Expr {
    Expr::Nested(Box::new(expr))
}
