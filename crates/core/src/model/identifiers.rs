//! The rules of an engine for names.

use super::{Kind, Name, NameParts, QualifiedName};
use crate::engine::Engine;

/// An engine's rules for names.
pub trait Identifiers: Sync {
    /// The engine.
    fn engine(&self) -> &'static Engine;

    /// The canonical name of an identifier (without quotes).
    fn name(&self, written: &str) -> Name;

    /// The name of an object that is one identifier (without quotes), and not looked up.
    fn object_name(&self, written: &str) -> QualifiedName;

    /// The name of an identifier (without quotes) as a catalogue has it: its letter case is kept.
    fn exact_name(&self, identifier: &str) -> Name {
        self.name(identifier)
    }

    /// The name of an object of a kind, in parts.
    fn name_of(&self, kind: Kind, parts: NameParts) -> QualifiedName;

    /// The identifier as SQL: quoted if it must be.
    fn quoted(&self, name: &str) -> String;

    /// Whether a word of a text is this identifier (without quotes).
    fn is_called(&self, word: &str, identifier: &str) -> bool {
        self.name(word.trim_matches(['"', '`', '[', ']', '\''])) == self.name(identifier)
    }

    /// A name by which statements may call an object as well: a routine's without its arguments.
    fn short_name(&self, _: &QualifiedName) -> Option<QualifiedName> {
        None
    }

    /// Whether the name belongs to the engine or to Wevrun itself, so that no side ever shows it.
    fn is_internal(&self, name: &QualifiedName) -> bool;

    /// Whether the name is a table that every database of the engine has.
    fn is_built_in(&self, name: &QualifiedName) -> bool;

    /// Whether the name is that of the row's own number, which no table lists among its columns.
    fn is_row_id(&self, name: &Name) -> bool;

    /// Whether two objects of these kinds may not have the same name.
    fn share_names(&self, a: Kind, b: Kind) -> bool;
}
