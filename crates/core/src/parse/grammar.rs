//! The trait of parsing.

use std::borrow::Cow;
use std::collections::BTreeMap;

use sqlparser::dialect::Dialect as TokenRules;

use super::{Parsed, Reader, RowRules, Session, StatementKind, Token};
use crate::change::Semantics;
use crate::diagnostics::Diagnostic;
use crate::model::QualifiedName;

/// An engine's grammar.
pub trait Grammar: Semantics {
    /// Applies the settings of a project before its sources. The error is the name of a setting, and the mistake.
    fn session(&self, settings: &BTreeMap<String, String>) -> Result<Session, (String, String)> {
        match settings.keys().next() {
            Some(name) => Err((name.clone(), format!("{} has no settings for sources", self.engine().title))),
            None => Ok(Session::default()),
        }
    }

    /// How the engine's text is cut into tokens.
    fn token_rules(&self) -> &'static dyn TokenRules;

    /// The text with the commands of the engine's own client blanked out. Offsets stay as they are.
    fn without_client_commands<'t>(&self, text: &'t str) -> Cow<'t, str>;

    /// The other files that a text tells the engine's client to read, each with the byte offset of the command.
    fn included_files(&self, text: &str) -> Vec<(usize, String)>;

    /// How dumps of the engine hold rows.
    fn row_rules(&self) -> RowRules {
        RowRules::default()
    }

    /// How many tokens the first statement has, without its semicolon.
    fn statement_length(&self, text: &str, tokens: &[Token]) -> usize;

    /// The meanings of one statement: often one. `session` has the settings before it. `comments` are those
    /// before and in it. Findings that do not end the statement are added to `diagnostics`.
    fn parse_statement(
        &self,
        reader: Reader<'_>,
        comments: &[Token],
        session: &mut Session,
        diagnostics: &mut Vec<Diagnostic>,
    ) -> Parsed<Vec<StatementKind>>;

    /// The name that a CREATE statement tries to give, even if the rest of it can't be read.
    fn created_name(&self, text: &str, statement: &[Token]) -> Option<QualifiedName>;
}
