//! The statements of a source, as data.

use std::collections::BTreeMap;
use std::sync::Arc;

use smol_str::SmolStr;

use crate::change::{Change, PrivilegeChange};
use crate::diagnostics::Diagnostic;
use crate::model::{Kind, Object, QualifiedName};
use crate::source::Location;

/// A statement and its place.
#[derive(Debug, Clone)]
pub struct Statement {
    /// From its first token to its last, without the semicolon.
    pub location: Location,
    /// Its meaning.
    pub kind: StatementKind,
}

impl Statement {
    /// Whether it changes or drops what has this name.
    pub fn is_about(&self, name: &QualifiedName) -> bool {
        self.kind.is_about(name)
    }
}

impl StatementKind {
    fn is_about(&self, name: &QualifiedName) -> bool {
        match self {
            StatementKind::Alter(alter) => alter.name == *name,
            StatementKind::Drop { name: subject, .. } => subject == name,
            StatementKind::IfMissing(kind) => kind.is_about(name),
            StatementKind::Create { .. }
            | StatementKind::Grant(_)
            | StatementKind::Aside { .. }
            | StatementKind::Session => false,
        }
    }
}

/// The meaning of a statement.
#[derive(Debug, Clone)]
pub enum StatementKind {
    /// CREATE.
    Create {
        /// The object.
        object: Box<Object>,
        /// IF NOT EXISTS.
        if_not_exists: bool,
        /// OR REPLACE: an object of this name is dropped.
        or_replace: bool,
    },
    /// ALTER, COMMENT, and GRANT on objects that are named.
    Alter(Box<Alter>),
    /// DROP.
    Drop {
        /// The kind of object. `Kind::Table` includes virtual tables.
        kind: Kind,
        /// The object.
        name: QualifiedName,
        /// IF EXISTS.
        if_exists: bool,
        /// CASCADE: with all that depends on it.
        cascade: bool,
    },
    /// One of these without effect if its result is there already.
    IfMissing(Box<StatementKind>),
    /// GRANT on many objects, or on what is no part of the structure.
    Grant(Grant),
    /// Something that is no part of a schema.
    Aside {
        /// A note about it.
        note: Box<Diagnostic>,
        /// The object that it makes, if that is temporary.
        temporary: Option<QualifiedName>,
        /// Whether it runs code that may make objects.
        runs_code: bool,
    },
    /// A session setting: stepped over.
    Session,
}

/// The settings so far in a source.
#[derive(Debug, Clone, Default)]
pub struct Session {
    /// The schemas in which names without a schema are looked for, in order; none is the engine's default.
    pub path: Vec<SmolStr>,
    /// The defaults of new objects, by clause: `tablespace`.
    pub defaults: BTreeMap<SmolStr, SmolStr>,
    /// The default privileges of the role that runs the source, by their name.
    pub granted: BTreeMap<QualifiedName, Object>,
}

/// A change of an object that was created before.
#[derive(Debug, Clone)]
pub struct Alter {
    /// The possible kinds of the object, the likeliest first.
    pub kinds: Vec<Kind>,
    /// The object.
    pub name: QualifiedName,
    /// Its name afterwards, if that changes.
    pub new_name: Option<QualifiedName>,
    /// IF EXISTS, or the object need not be there for another reason.
    pub if_exists: bool,
    /// The changes.
    pub change: Change,
}

/// A change of privileges on many objects, or on what is no part of the structure.
#[derive(Debug, Clone)]
pub struct Grant {
    /// Whether it is about many objects: it is made for those that its own file has created before, and once all files are read
    /// for those of other files.
    pub of_many: bool,
    /// The changes.
    pub change: Arc<dyn PrivilegeChange>,
}
