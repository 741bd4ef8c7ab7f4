//! PostgreSQL's tokens and statements.

use std::borrow::Cow;

use sqlparser::dialect::Dialect as TokenRules;
use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::QualifiedName;
use wevrun_core::parse::{Grammar, Parsed, Reader, RowRules, Session, StatementKind, Token};

use crate::{Postgres, parse, tokens};

impl Grammar for Postgres {
    fn token_rules(&self) -> &'static dyn TokenRules {
        tokens::rules()
    }

    fn without_client_commands<'t>(&self, text: &'t str) -> Cow<'t, str> {
        tokens::without_client_commands(text)
    }

    fn row_rules(&self) -> RowRules {
        RowRules {
            has_copy: true,
            has_dollar_quotes: true,
            has_nested_comments: true,
            plain_text_setting: Some("standard_conforming_strings"),
            client_command: Some(b'\\'),
            ..RowRules::default()
        }
    }

    fn included_files(&self, text: &str) -> Vec<(usize, String)> {
        tokens::included_files(text)
    }

    fn statement_length(&self, text: &str, tokens: &[Token]) -> usize {
        tokens::statement_length(text, tokens)
    }

    fn parse_statement(
        &self,
        reader: Reader<'_>,
        comments: &[Token],
        session: &mut Session,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Parsed<Vec<StatementKind>> {
        parse::statement(reader, comments, session, diagnostics)
    }

    fn created_name(&self, text: &str, statement: &[Token]) -> Option<QualifiedName> {
        parse::created_name(statement, text)
    }
}
