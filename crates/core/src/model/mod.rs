//! The canonical model: what a side holds, in a form in which equality is plain structural equality.

mod beside;
mod definition;
mod expression;
mod fingerprint;
mod name;
mod spelling;
mod table;
mod unordered;

use std::collections::BTreeMap;
use std::fmt;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use beside::Beside;
pub use definition::{Definition, Event, Index, IndexPart, Timing, Trigger, View, VirtualTable};
pub use expression::Expression;
pub use fingerprint::{Fingerprint, hex};
pub use name::Name;
pub use table::{Action, Check, Column, ForeignKey, Generated, Key, KeyPart, OnConflict, Table};
pub use unordered::Unordered;

use crate::source::Location;

/// The kinds of object, in the order in which a script creates them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// A base table.
    Table,
    /// A virtual table.
    VirtualTable,
    /// An index.
    Index,
    /// A view.
    View,
    /// A trigger.
    Trigger,
}

impl Kind {
    /// Every kind.
    pub const ALL: [Kind; 5] = [Kind::Table, Kind::VirtualTable, Kind::Index, Kind::View, Kind::Trigger];

    /// What a person reads: `virtual table`.
    pub fn title(self) -> &'static str {
        match self {
            Kind::Table => "table",
            Kind::VirtualTable => "virtual table",
            Kind::Index => "index",
            Kind::View => "view",
            Kind::Trigger => "trigger",
        }
    }

    /// What a machine reads: `virtual-table`.
    pub fn word(self) -> &'static str {
        if self == Kind::VirtualTable { "virtual-table" } else { self.title() }
    }

    /// Whether rows can be read from it.
    pub fn is_relation(self) -> bool {
        matches!(self, Kind::Table | Kind::VirtualTable | Kind::View)
    }
}

/// An object's kind and name. Unique within a model.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ObjectKey {
    /// The kind.
    pub kind: Kind,
    /// The name.
    pub name: Name,
}

impl ObjectKey {
    /// A key of this kind and name.
    pub fn new(kind: Kind, name: Name) -> ObjectKey {
        ObjectKey { kind, name }
    }
}

impl fmt::Display for ObjectKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.kind.title(), self.name)
    }
}

/// One object: its canonical definition, and beside it what only display, scripts and diagnostics use.
#[derive(Debug, Clone)]
pub struct Object {
    /// The name.
    pub name: Name,
    /// The canonical structure.
    pub definition: Definition,
    /// The CREATE statement as it was written, without the semicolon.
    pub text: String,
    /// What the object and its columns were called before.
    pub formerly: Formerly,
    /// The tables and views that a view's query or a trigger's body reads and writes, ordered.
    pub uses: Vec<Name>,
    /// Where the statement stands, if it was read from a source.
    pub location: Option<Location>,
}

impl Object {
    /// The object's key.
    pub fn key(&self) -> ObjectKey {
        ObjectKey::new(self.definition.kind(), self.name.clone())
    }

    /// The table, if it is a base table.
    pub fn as_table(&self) -> Option<&Table> {
        if let Definition::Table(table) = &self.definition { Some(table) } else { None }
    }
}

/// What `-- wevrun: formerly OLD_NAME` comments say of a table and its columns.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Formerly {
    /// The table's former name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub table: Option<Name>,
    /// Each column's present and former name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<(Name, Name)>,
}

impl Formerly {
    /// Whether no comment says anything.
    pub fn is_empty(&self) -> bool {
        self.table.is_none() && self.columns.is_empty()
    }
}

/// Everything that a side holds.
#[derive(Debug, Clone, Default)]
pub struct Model {
    objects: BTreeMap<ObjectKey, Object>,
}

impl Model {
    /// A model with nothing in it: the side `empty`.
    pub fn empty() -> Model {
        Model::default()
    }

    /// Adds an object; gives back the one of the same key that was there.
    pub fn insert(&mut self, object: Object) -> Option<Object> {
        self.objects.insert(object.key(), object)
    }

    /// Takes an object out.
    pub fn remove(&mut self, key: &ObjectKey) -> Option<Object> {
        self.objects.remove(key)
    }

    /// The object of this key.
    pub fn get(&self, key: &ObjectKey) -> Option<&Object> {
        self.objects.get(key)
    }

    /// The object of this kind and name.
    pub fn find(&self, kind: Kind, name: &Name) -> Option<&Object> {
        self.objects.get(&ObjectKey::new(kind, name.clone()))
    }

    /// The base table of this name.
    pub fn table(&self, name: &Name) -> Option<&Table> {
        self.find(Kind::Table, name).and_then(Object::as_table)
    }

    /// The table, virtual table or view of this name.
    pub fn relation(&self, name: &Name) -> Option<&Object> {
        [Kind::Table, Kind::View, Kind::VirtualTable].into_iter().find_map(|kind| self.find(kind, name))
    }

    /// All objects, ordered by kind and name.
    pub fn objects(&self) -> impl Iterator<Item = &Object> {
        self.objects.values()
    }

    /// All objects, to change them in place. Their kind and name must stay.
    pub fn objects_mut(&mut self) -> impl Iterator<Item = &mut Object> {
        self.objects.values_mut()
    }

    /// The objects of one kind, ordered by name.
    pub fn of_kind(&self, kind: Kind) -> impl Iterator<Item = &Object> {
        let first = ObjectKey::new(kind, Name::new("", ""));
        self.objects.range(first..).take_while(move |(key, _)| key.kind == kind).map(|(_, object)| object)
    }

    /// All base tables with their names.
    pub fn tables(&self) -> impl Iterator<Item = (&Name, &Table)> {
        self.of_kind(Kind::Table).filter_map(|object| Some((&object.name, object.as_table()?)))
    }

    /// The indexes and triggers of every table and view, by its name.
    pub fn by_owner(&self) -> BTreeMap<&Name, Vec<&Object>> {
        let mut owned: BTreeMap<&Name, Vec<&Object>> = BTreeMap::new();
        for object in self.of_kind(Kind::Index).chain(self.of_kind(Kind::Trigger)) {
            owned.entry(object.definition.owner().expect("these kinds have an owner")).or_default().push(object);
        }
        owned
    }

    /// How many objects there are.
    pub fn len(&self) -> usize {
        self.objects.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.objects.is_empty()
    }

    /// The hash of the canonical structure.
    pub fn fingerprint(&self) -> Fingerprint {
        Fingerprint::of(self)
    }
}

impl PartialEq for Model {
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len()
            && self.objects.iter().zip(&other.objects).all(|(a, b)| a.0 == b.0 && a.1.definition == b.1.definition)
    }
}

impl FromIterator<Object> for Model {
    fn from_iter<I: IntoIterator<Item = Object>>(objects: I) -> Self {
        Model { objects: objects.into_iter().map(|object| (object.key(), object)).collect() }
    }
}
