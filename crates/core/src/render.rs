//! From objects to DDL.

use std::borrow::Cow;

use crate::model::{Identifiers, Object};

/// How an engine's DDL is written.
pub trait Writer: Identifiers {
    /// The CREATE statement of an object, from its structure, without a semicolon.
    fn create_statement(&self, object: &Object) -> String;

    /// The statements of a source file that make an object, laid out for a reader.
    fn source_text(&self, object: &Object) -> String;

    /// The same for an object and what is on it: the indexes and triggers of a table, each statement by itself.
    fn source_texts(&self, object: &Object, owned: &[&Object]) -> Vec<String> {
        [object].into_iter().chain(owned.iter().copied()).map(|object| self.source_text(object)).collect()
    }

    /// The statements that set an object's owner, privileges and labels.
    fn access_statements(&self, _: &Object) -> Vec<String> {
        Vec::new()
    }

    /// The CREATE statement of an object as it was written, or from its structure if that is not known.
    fn text<'o>(&self, object: &'o Object) -> Cow<'o, str> {
        if object.text.is_empty() { Cow::Owned(self.create_statement(object)) } else { Cow::Borrowed(&object.text) }
    }
}
