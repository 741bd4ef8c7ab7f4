//! What the model asks of an engine's names.

use super::{Kind, Name};
use crate::engine::Engine;

/// An engine's rules for names.
pub trait Identifiers: Sync {
    /// The engine.
    fn engine(&self) -> &'static Engine;

    /// The canonical name of an identifier (without quotes).
    fn name(&self, written: &str) -> Name;

    /// The identifier as SQL: quoted if it must be.
    fn quoted(&self, name: &str) -> String;

    /// Whether a word of a text is the identifier of this name.
    fn is_called(&self, word: &str, name: &Name) -> bool {
        self.name(word.trim_matches(['"', '`', '[', ']', '\''])) == *name
    }

    /// The schema that an object is in, where the engine has schemas, and its own identifier.
    fn schema_and_name(&self, name: &Name) -> (Option<String>, String) {
        (None, name.written().to_owned())
    }

    /// A name by which statements may call an object as well: a routine's without its arguments.
    fn short_name(&self, _: &Name) -> Option<Name> {
        None
    }

    /// Whether the name belongs to the engine or to Wevrun itself, so that no side ever shows it.
    fn is_internal(&self, name: &Name) -> bool;

    /// Whether the name is a table that every database of the engine has.
    fn is_built_in(&self, name: &Name) -> bool;

    /// Whether the name is that of the row's own number, which no table lists among its columns.
    fn is_row_id(&self, name: &Name) -> bool;

    /// Whether two objects of these kinds may not have the same name.
    fn share_names(&self, a: Kind, b: Kind) -> bool;
}
