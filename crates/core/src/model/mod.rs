//! The canonical model: what a side holds, in a form in which equality is plain structural equality.

mod beside;
mod clauses;
mod definition;
mod expression;
mod fingerprint;
mod identifiers;
mod name;
mod qualified;
mod reads;
mod reference;
mod scope;
mod spelling;
mod table;
mod unordered;
mod value;
mod visit;

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::sync::OnceLock;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use smol_str::SmolStr;

pub use beside::Beside;
pub use clauses::{Clause, ClauseFamily, Clauses, is};
pub use definition::{Definition, Event, Index, IndexPart, Plain, Timing, Trigger, View, VirtualTable};
pub use expression::Expression;
pub use fingerprint::{Fingerprint, hex};
pub use identifiers::Identifiers;
pub use name::Name;
pub use qualified::{NameParts, QualifiedName};
pub use reads::{ColumnRead, ColumnReads};
pub use reference::{Reference, References, Span, Usage, edited};
pub use scope::{Pattern, Scope, is_like};
pub use table::{Action, Check, Column, ForeignKey, Generated, Key, KeyPart, OfParent, OnConflict, Table};
pub use unordered::Unordered;
pub use value::{ClauseType, Flag, Value};

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
    /// A schema: a namespace for other objects (PostgreSQL, and so are the kinds below it).
    Schema,
    /// An extension, with its members.
    Extension,
    /// A procedural language.
    Language,
    /// A collation.
    Collation,
    /// A type: enum, composite, range, base or shell.
    Type,
    /// A domain.
    Domain,
    /// A sequence.
    Sequence,
    /// A foreign-data wrapper.
    ForeignDataWrapper,
    /// A foreign server.
    Server,
    /// A user mapping, without its secrets.
    UserMapping,
    /// A foreign table.
    ForeignTable,
    /// A materialised view.
    MaterializedView,
    /// A function, window functions included.
    Function,
    /// A procedure.
    Procedure,
    /// An aggregate function.
    Aggregate,
    /// An operator.
    Operator,
    /// An operator family.
    OperatorFamily,
    /// An operator class.
    OperatorClass,
    /// A cast.
    Cast,
    /// A conversion between encodings.
    Conversion,
    /// A transform.
    Transform,
    /// An access method.
    AccessMethod,
    /// A text search parser.
    TextSearchParser,
    /// A text search template.
    TextSearchTemplate,
    /// A text search dictionary.
    TextSearchDictionary,
    /// A text search configuration.
    TextSearchConfiguration,
    /// Extended statistics.
    Statistics,
    /// A rewrite rule.
    Rule,
    /// A row-level security policy.
    Policy,
    /// An event trigger.
    EventTrigger,
    /// A publication.
    Publication,
    /// A subscription.
    Subscription,
    /// Privileges of roles on objects that are created later. They are no part of the structure.
    DefaultPrivileges,
    /// Code that a scheduler runs.
    Event,
    /// The specification of a package: routines and variables that belong together.
    Package,
    /// The implementation of a package.
    PackageBody,
}

impl Kind {
    /// Every kind.
    pub const ALL: [Kind; 41] = [
        Kind::Table,
        Kind::VirtualTable,
        Kind::Index,
        Kind::View,
        Kind::Trigger,
        Kind::Schema,
        Kind::Extension,
        Kind::Language,
        Kind::Collation,
        Kind::Type,
        Kind::Domain,
        Kind::Sequence,
        Kind::ForeignDataWrapper,
        Kind::Server,
        Kind::UserMapping,
        Kind::ForeignTable,
        Kind::MaterializedView,
        Kind::Function,
        Kind::Procedure,
        Kind::Aggregate,
        Kind::Operator,
        Kind::OperatorFamily,
        Kind::OperatorClass,
        Kind::Cast,
        Kind::Conversion,
        Kind::Transform,
        Kind::AccessMethod,
        Kind::TextSearchParser,
        Kind::TextSearchTemplate,
        Kind::TextSearchDictionary,
        Kind::TextSearchConfiguration,
        Kind::Statistics,
        Kind::Rule,
        Kind::Policy,
        Kind::EventTrigger,
        Kind::Publication,
        Kind::Subscription,
        Kind::DefaultPrivileges,
        Kind::Event,
        Kind::Package,
        Kind::PackageBody,
    ];

    /// The name in messages: `virtual table`.
    pub fn title(self) -> &'static str {
        match self {
            Kind::Table => "table",
            Kind::VirtualTable => "virtual table",
            Kind::Index => "index",
            Kind::View => "view",
            Kind::Trigger => "trigger",
            Kind::Schema => "schema",
            Kind::Extension => "extension",
            Kind::Language => "language",
            Kind::Collation => "collation",
            Kind::Type => "type",
            Kind::Domain => "domain",
            Kind::Sequence => "sequence",
            Kind::ForeignDataWrapper => "foreign-data wrapper",
            Kind::Server => "server",
            Kind::UserMapping => "user mapping",
            Kind::ForeignTable => "foreign table",
            Kind::MaterializedView => "materialized view",
            Kind::Function => "function",
            Kind::Procedure => "procedure",
            Kind::Aggregate => "aggregate",
            Kind::Operator => "operator",
            Kind::OperatorFamily => "operator family",
            Kind::OperatorClass => "operator class",
            Kind::Cast => "cast",
            Kind::Conversion => "conversion",
            Kind::Transform => "transform",
            Kind::AccessMethod => "access method",
            Kind::TextSearchParser => "text search parser",
            Kind::TextSearchTemplate => "text search template",
            Kind::TextSearchDictionary => "text search dictionary",
            Kind::TextSearchConfiguration => "text search configuration",
            Kind::Statistics => "statistics",
            Kind::Rule => "rule",
            Kind::Policy => "policy",
            Kind::EventTrigger => "event trigger",
            Kind::Publication => "publication",
            Kind::Subscription => "subscription",
            Kind::DefaultPrivileges => "default privileges",
            Kind::Event => "event",
            Kind::Package => "package",
            Kind::PackageBody => "package body",
        }
    }

    /// The name in options and JSON: `virtual-table`.
    pub fn word(self) -> String {
        self.title().replace(' ', "-")
    }

    /// More than one of them: `indexes`.
    pub fn plural(self) -> String {
        match self.title() {
            title @ ("statistics" | "default privileges") => title.to_owned(),
            title if title.ends_with('x') || title.ends_with("ss") => format!("{title}es"),
            title if title.ends_with("cy") || title.ends_with("ry") || title.ends_with("ly") => {
                format!("{}ies", &title[..title.len() - 1])
            }
            title => format!("{title}s"),
        }
    }

    /// Whether rows can be read from it.
    pub fn is_relation(self) -> bool {
        matches!(self, Kind::Table | Kind::VirtualTable | Kind::View | Kind::MaterializedView | Kind::ForeignTable)
    }
}

/// An object's kind and name. Unique within a model.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ObjectKey {
    /// The kind.
    pub kind: Kind,
    /// The name.
    pub name: QualifiedName,
}

impl ObjectKey {
    /// A key of this kind and name.
    pub fn new(kind: Kind, name: QualifiedName) -> ObjectKey {
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
    pub name: QualifiedName,
    /// The canonical structure.
    pub definition: Definition,
    /// The CREATE statement as it was written, without the semicolon; empty if later statements have made it untrue.
    pub text: String,
    /// The former names of the object and its columns.
    pub formerly: Formerly,
    /// Owner and privileges. Always read, compared on request.
    pub access: Clauses,
    /// The objects that it needs to be there: the tables that a view's query reads, the types of a table. Ordered.
    pub uses: Vec<QualifiedName>,
    /// The columns that it reads; none if its dialect does not record them, or not every name could be resolved.
    pub reads: Option<ColumnReads>,
    /// References of the text; none if its names are not resolved.
    pub references: Option<References>,
    /// The schema in which names of the definition that have none are looked for, if it is not the object's own.
    pub names_in: Option<SmolStr>,
    /// Names in its expressions that certainly mean nothing. Ordered; empty where nothing is certain.
    pub unresolved: Vec<Unresolved>,
    /// The place of the statement, if it was read from a source.
    pub location: Option<Location>,
}

/// A name in an expression that nothing has.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Unresolved {
    /// A column; with the table or alias before it, if one is written.
    Column(Option<String>, String),
    /// A table or view.
    Relation(String),
    /// A function without a schema, which the model does not have and the engine not in every version.
    Function(String),
}

impl Object {
    /// An object of which nothing is known but its structure.
    pub fn new(name: QualifiedName, definition: Definition) -> Object {
        Object {
            name,
            definition,
            text: String::new(),
            formerly: Formerly::default(),
            access: Clauses::default(),
            uses: Vec::new(),
            reads: None,
            references: None,
            names_in: None,
            unresolved: Vec::new(),
            location: None,
        }
    }

    /// The object's key.
    pub fn key(&self) -> ObjectKey {
        ObjectKey::new(self.definition.kind(), self.name.clone())
    }

    /// The table, if it is a base table.
    pub fn as_table(&self) -> Option<&Table> {
        if let Definition::Table(table) = &self.definition { Some(table) } else { None }
    }

    /// The index, if it is one.
    pub fn as_index(&self) -> Option<&Index> {
        if let Definition::Index(index) = &self.definition { Some(index) } else { None }
    }
}

/// The former names in `-- wevrun: formerly OLD_NAME` comments of a table and its columns.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Formerly {
    /// The table's former name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub table: Option<QualifiedName>,
    /// Each column's present and former name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<(Name, Name)>,
}

impl Formerly {
    /// Whether there are no former names.
    pub fn is_empty(&self) -> bool {
        self.table.is_none() && self.columns.is_empty()
    }
}

/// Everything that a side holds.
#[derive(Debug, Clone, Default)]
pub struct Model {
    objects: BTreeMap<ObjectKey, Object>,
    granted_only: BTreeMap<ObjectKey, Object>,
    /// Computed when it is asked for, and forgotten when an object may change.
    fingerprint: OnceLock<Fingerprint>,
}

impl Model {
    /// A model with nothing in it: the side `empty`.
    pub fn empty() -> Model {
        Model::default()
    }

    /// Adds an object; gives back the one of the same key that was there.
    pub fn insert(&mut self, object: Object) -> Option<Object> {
        self.changing().insert(object.key(), object)
    }

    /// The objects, to change them.
    fn changing(&mut self) -> &mut BTreeMap<ObjectKey, Object> {
        self.fingerprint.take();
        &mut self.objects
    }

    /// Takes an object out.
    pub fn remove(&mut self, key: &ObjectKey) -> Option<Object> {
        self.changing().remove(key)
    }

    /// The object of this key.
    pub fn get(&self, key: &ObjectKey) -> Option<&Object> {
        self.objects.get(key)
    }

    /// The object of this key, to change it: its kind and name must stay.
    pub fn get_mut(&mut self, key: &ObjectKey) -> Option<&mut Object> {
        self.changing().get_mut(key)
    }

    /// The table of this key, to change it.
    pub fn table_mut(&mut self, key: &ObjectKey) -> Option<&mut Table> {
        match &mut self.get_mut(key)?.definition {
            Definition::Table(table) => Some(table),
            _ => None,
        }
    }

    /// The object of this kind and name.
    pub fn find(&self, kind: Kind, name: &QualifiedName) -> Option<&Object> {
        self.objects.get(&ObjectKey::new(kind, name.clone()))
    }

    /// The base table of this name.
    pub fn table(&self, name: &QualifiedName) -> Option<&Table> {
        self.find(Kind::Table, name).and_then(Object::as_table)
    }

    /// The table, virtual table or view of this name.
    pub fn relation(&self, name: &QualifiedName) -> Option<&Object> {
        [Kind::Table, Kind::View, Kind::VirtualTable, Kind::MaterializedView, Kind::ForeignTable]
            .into_iter()
            .find_map(|kind| self.find(kind, name))
    }

    /// The objects of any kind that have this name.
    pub fn named<'m>(&'m self, name: &'m QualifiedName) -> impl Iterator<Item = &'m Object> {
        Kind::ALL.into_iter().filter_map(|kind| self.find(kind, name))
    }

    /// All objects, ordered by kind and name.
    pub fn objects(&self) -> impl Iterator<Item = &Object> {
        self.objects.values()
    }

    /// All objects, to change them in place. Their kind and name must stay.
    pub fn objects_mut(&mut self) -> impl Iterator<Item = &mut Object> {
        self.changing().values_mut()
    }

    /// All objects, taken out.
    pub fn take_objects(&mut self) -> Vec<Object> {
        std::mem::take(self.changing()).into_values().collect()
    }

    /// The objects of one kind, ordered by name.
    pub fn of_kind(&self, kind: Kind) -> impl Iterator<Item = &Object> {
        let first = ObjectKey::new(kind, QualifiedName::plain(Name::none()));
        self.objects.range(first..).take_while(move |(key, _)| key.kind == kind).map(|(_, object)| object)
    }

    /// All base tables with their names.
    pub fn tables(&self) -> impl Iterator<Item = (&QualifiedName, &Table)> {
        self.of_kind(Kind::Table).filter_map(|object| Some((&object.name, object.as_table()?)))
    }

    /// The objects on each object, by its name: the indexes and triggers of a table.
    pub fn by_owner(&self) -> BTreeMap<&QualifiedName, Vec<&Object>> {
        let mut owned: BTreeMap<&QualifiedName, Vec<&Object>> = BTreeMap::new();
        for object in self.objects() {
            if let Some(owner) = object.definition.owner() {
                owned.entry(owner).or_default().push(object);
            }
        }
        owned
    }

    /// What is no part of the structure, and yet roles may do something with it: objects to come, and a schema that every
    /// database has. Ordered by kind and name.
    pub fn granted_only(&self) -> impl Iterator<Item = &Object> {
        self.granted_only.values()
    }

    /// The one of this key, if anything is granted or revoked there.
    pub fn find_granted_only(&self, key: &ObjectKey) -> Option<&Object> {
        self.granted_only.get(key)
    }

    /// Adds one; gives back the one of the same key that was there.
    pub fn insert_granted_only(&mut self, object: Object) -> Option<Object> {
        self.granted_only.insert(object.key(), object)
    }

    /// Takes one out.
    pub fn remove_granted_only(&mut self, key: &ObjectKey) -> Option<Object> {
        self.granted_only.remove(key)
    }

    /// How many objects there are.
    pub fn len(&self) -> usize {
        self.objects.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.objects.is_empty()
    }

    /// The objects of which a definition's expression has no canonical form, by kind and name.
    pub fn unsure(&self) -> Vec<ObjectKey> {
        self.objects().filter(|object| !object.definition.is_sure()).map(Object::key).collect()
    }

    /// The model without some objects.
    pub fn without(&self, keys: &[String]) -> Cow<'_, Model> {
        if keys.is_empty() {
            return Cow::Borrowed(self);
        }
        let keys: BTreeSet<&str> = keys.iter().map(String::as_str).collect();
        let mut model = self.clone();
        model.changing().retain(|key, _| !keys.contains(key.to_string().as_str()));
        Cow::Owned(model)
    }

    /// The hash of the canonical structure.
    pub fn fingerprint(&self) -> Fingerprint {
        if let Some(known) = self.fingerprint.get() {
            return known.clone();
        }
        let fingerprint = Fingerprint::of(self);
        // Whoever has been quicker has found the same.
        let _ = self.fingerprint.set(fingerprint.clone());
        fingerprint
    }
}

impl PartialEq for Model {
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len()
            && self.objects.iter().zip(&other.objects).all(|(a, b)| a.0 == b.0 && a.1.definition == b.1.definition)
    }
}

impl Extend<Object> for Model {
    fn extend<I: IntoIterator<Item = Object>>(&mut self, objects: I) {
        self.changing().extend(objects.into_iter().map(|object| (object.key(), object)));
    }
}

impl FromIterator<Object> for Model {
    fn from_iter<I: IntoIterator<Item = Object>>(objects: I) -> Self {
        let mut model = Model::default();
        model.extend(objects);
        model
    }
}
