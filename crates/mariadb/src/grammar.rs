//! MariaDB's tokens and statements.

use std::borrow::Cow;
use std::collections::BTreeMap;

use sqlparser::dialect::Dialect as TokenRules;
use wevrun_core::diagnostics::Diagnostic;
use wevrun_core::model::QualifiedName;
use wevrun_core::parse::{Grammar, Parsed, Reader, RowRules, Session, StatementKind, Token};

use crate::{MariaDb, parse, tokens};

impl Grammar for MariaDb {
    fn session(&self, settings: &BTreeMap<String, String>) -> Result<Session, (String, String)> {
        parse::session(settings)
    }

    fn token_rules(&self) -> &'static dyn TokenRules {
        tokens::rules()
    }

    fn without_client_commands<'t>(&self, text: &'t str) -> Cow<'t, str> {
        tokens::without_client_commands(text)
    }

    fn row_rules(&self) -> RowRules {
        RowRules { has_backslash_escapes: true, has_hash_comments: true, has_delimiters: true, ..RowRules::default() }
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
