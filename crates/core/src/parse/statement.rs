//! What one statement of a source says.

use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

use smol_str::SmolStr;

use crate::diagnostics::Diagnostic;
use crate::model::{Check, Column, ForeignKey, Key, Kind, Model, Name, Object, ObjectKey, OnConflict, QualifiedName};
use crate::source::Location;

/// A statement and where it stands.
#[derive(Debug, Clone)]
pub struct Statement {
    /// From its first token to its last, without the semicolon.
    pub location: Location,
    /// What it says.
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
            StatementKind::Alter { table: subject, .. } | StatementKind::Drop { name: subject, .. } => subject == name,
            StatementKind::Amend(amendment) => amendment.name == *name,
            StatementKind::IfMissing(kind) => kind.is_about(name),
            StatementKind::Create { .. }
            | StatementKind::Grant(_)
            | StatementKind::Aside { .. }
            | StatementKind::Session => false,
        }
    }
}

/// What a statement says.
#[derive(Debug, Clone)]
pub enum StatementKind {
    /// CREATE.
    Create {
        /// The object.
        object: Box<Object>,
        /// IF NOT EXISTS.
        if_not_exists: bool,
        /// OR REPLACE: what there is of this name goes.
        or_replace: bool,
    },
    /// ALTER TABLE.
    Alter {
        /// The table.
        table: QualifiedName,
        /// What changes.
        action: Box<AlterTable>,
    },
    /// DROP.
    Drop {
        /// The kind of object. `Kind::Table` stands for virtual tables too.
        kind: Kind,
        /// The object.
        name: QualifiedName,
        /// IF EXISTS.
        if_exists: bool,
        /// CASCADE: with all that depends on it.
        cascade: bool,
    },
    /// Any other change of an object that was created before.
    Amend(Amendment),
    /// One of these that says nothing if what it makes is there already.
    IfMissing(Box<StatementKind>),
    /// A change of who may do what with many objects, or with what is no part of the structure.
    Grant(Grant),
    /// Something that is no part of a schema.
    Aside {
        /// Says so.
        note: Box<Diagnostic>,
        /// What it makes, if that is temporary.
        temporary: Option<QualifiedName>,
        /// Whether it runs code that may make objects.
        runs_code: bool,
    },
    /// A session setting: stepped over.
    Session,
}

/// What settings have said so far in a source.
#[derive(Debug, Clone, Default)]
pub struct Session {
    /// The schemas in which names without a schema are looked for, in order; none is the engine's default.
    pub path: Vec<SmolStr>,
    /// What a new object has if its statement does not say it, by clause: `tablespace`.
    pub defaults: BTreeMap<SmolStr, SmolStr>,
    /// The default privileges of whoever runs the source, by their name.
    pub granted: BTreeMap<QualifiedName, Object>,
}

/// A change of an object that was created before, as the dialect that read it makes it.
#[derive(Clone)]
pub struct Amendment {
    /// What kinds of object the statement may mean, the likeliest first.
    pub kinds: Vec<Kind>,
    /// The object.
    pub name: QualifiedName,
    /// What it is called afterwards, if that changes.
    pub becomes: Option<QualifiedName>,
    /// IF EXISTS, or the object need not be there for another reason.
    pub if_exists: bool,
    /// Makes the change. It gets the model and the key of the object that was found.
    pub apply: Apply,
}

/// A change of who may do what, as the dialect that read it makes it.
#[derive(Clone)]
pub struct Grant {
    /// Whether it is about many objects: it is made for those that its own file has created before, and once all files are read
    /// for those of other files.
    pub of_many: bool,
    /// Makes the change, for the objects that it is about.
    pub apply: ApplyGrant,
}

/// The change of a grant. It gets the model, and which objects it is about.
pub type ApplyGrant = Arc<dyn Fn(&mut Model, &dyn Fn(&Object) -> bool) + Send + Sync>;

impl fmt::Debug for Grant {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Grant").field("of_many", &self.of_many).finish_non_exhaustive()
    }
}

/// The change itself.
pub type Apply = Arc<dyn Fn(&mut Model, &ObjectKey) -> Result<(), Box<Diagnostic>> + Send + Sync>;

impl fmt::Debug for Amendment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Amendment").field("kinds", &self.kinds).field("name", &self.name).finish_non_exhaustive()
    }
}

/// What ALTER TABLE does.
#[derive(Debug, Clone)]
pub enum AlterTable {
    /// RENAME TO.
    Rename(QualifiedName),
    /// RENAME COLUMN … TO.
    RenameColumn {
        /// The present name.
        from: Name,
        /// The new name.
        to: Name,
    },
    /// ADD COLUMN, with the constraints that were written with the column.
    AddColumn {
        /// The column.
        column: Box<Column>,
        /// Constraints of the column that the model keeps with the table.
        constraints: Constraints,
    },
    /// DROP COLUMN.
    DropColumn(Name),
    /// ALTER COLUMN … SET NOT NULL (SQLite 3.53).
    SetNotNull(Name, OnConflict),
    /// ALTER COLUMN … DROP NOT NULL (SQLite 3.53).
    DropNotNull(Name),
    /// ADD CHECK (SQLite 3.53).
    AddCheck(Check),
    /// DROP CONSTRAINT (SQLite 3.53).
    DropConstraint(Name),
}

/// Constraints that were met while reading a column or a table.
#[derive(Debug, Clone, Default)]
pub struct Constraints {
    /// PRIMARY KEY; more than one is an error of the table's.
    pub primary_keys: Vec<Key>,
    /// UNIQUE.
    pub unique_keys: Vec<Key>,
    /// CHECK.
    pub checks: Vec<Check>,
    /// REFERENCES and FOREIGN KEY.
    pub foreign_keys: Vec<ForeignKey>,
}
