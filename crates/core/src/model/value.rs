//! The values of clauses.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize, Serializer};

use super::{Expression, Name, QualifiedName};

/// The value of a clause, by its type.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Value {
    /// Present; no value.
    Flag,
    /// Words without names in them: `by default`, a number.
    Text(String),
    /// An identifier: of a column, a tablespace, a role.
    Identifier(Name),
    /// Identifiers in order.
    Identifiers(Vec<Name>),
    /// The name of an object.
    Object(QualifiedName),
    /// Names of objects in order.
    Objects(Vec<QualifiedName>),
    /// An expression, a query, a type or a body.
    Expression(Expression),
    /// Expressions, literals or types in order.
    List(Vec<Expression>),
}

/// A type that a clause's value can have.
pub trait ClauseType: Sized {
    /// The value, if it has this type.
    fn of(value: &Value) -> Option<&Self>;

    /// The value taken, if it has this type.
    fn from_value(value: Value) -> Option<Self>;

    /// As a value.
    fn into_value(self) -> Value;
}

/// The value of a clause without a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Flag;

impl ClauseType for Flag {
    fn of(value: &Value) -> Option<&Self> {
        matches!(value, Value::Flag).then_some(&Flag)
    }

    fn from_value(value: Value) -> Option<Self> {
        matches!(value, Value::Flag).then_some(Flag)
    }

    fn into_value(self) -> Value {
        Value::Flag
    }
}

macro_rules! clause_type {
    ($type:ty, $variant:ident) => {
        impl ClauseType for $type {
            fn of(value: &Value) -> Option<&Self> {
                if let Value::$variant(value) = value { Some(value) } else { None }
            }

            fn from_value(value: Value) -> Option<Self> {
                if let Value::$variant(value) = value { Some(value) } else { None }
            }

            fn into_value(self) -> Value {
                Value::$variant(self)
            }
        }
    };
}

clause_type!(String, Text);
clause_type!(Name, Identifier);
clause_type!(Vec<Name>, Identifiers);
clause_type!(QualifiedName, Object);
clause_type!(Vec<QualifiedName>, Objects);
clause_type!(Expression, Expression);
clause_type!(Vec<Expression>, List);

impl<T: ClauseType> From<T> for Value {
    fn from(value: T) -> Value {
        value.into_value()
    }
}

impl Value {
    /// The expression, if it is one.
    pub fn expression(&self) -> Option<&Expression> {
        if let Value::Expression(expression) = self { Some(expression) } else { None }
    }

    /// The expression, if it is one, to change it.
    pub fn expression_mut(&mut self) -> Option<&mut Expression> {
        if let Value::Expression(expression) = self { Some(expression) } else { None }
    }

    /// The names of objects in it.
    pub fn objects(&self) -> &[QualifiedName] {
        match self {
            Value::Object(name) => std::slice::from_ref(name),
            Value::Objects(names) => names,
            _ => &[],
        }
    }

    /// The same, to change them.
    pub fn objects_mut(&mut self) -> &mut [QualifiedName] {
        match self {
            Value::Object(name) => std::slice::from_mut(name),
            Value::Objects(names) => names,
            _ => &mut [],
        }
    }

    /// The canonical forms of what it holds.
    pub fn canonical_texts(&self) -> Vec<&str> {
        match self {
            Value::Flag => Vec::new(),
            Value::Text(text) => vec![text],
            Value::Identifier(name) => vec![name.canonical()],
            Value::Identifiers(names) => names.iter().map(Name::canonical).collect(),
            Value::Object(name) => vec![name.canonical()],
            Value::Objects(names) => names.iter().map(|name| name.canonical()).collect(),
            Value::Expression(expression) => vec![&expression.canonical],
            Value::List(items) => items.iter().map(|item| item.canonical.as_str()).collect(),
        }
    }

    /// As a person reads it, on one line; nothing of a flag.
    pub fn on_one_line(&self) -> String {
        match self {
            Value::Flag => String::new(),
            Value::Text(text) => text.split_whitespace().collect::<Vec<_>>().join(" "),
            Value::Identifier(name) => name.written().to_owned(),
            Value::Identifiers(names) => list(names.iter().map(Name::written)),
            Value::Object(name) => name.written().to_owned(),
            Value::Objects(names) => list(names.iter().map(|name| name.written())),
            Value::Expression(expression) => expression.on_one_line(),
            Value::List(items) => items.iter().map(Expression::on_one_line).collect::<Vec<_>>().join(", "),
        }
    }
}

fn list<'t>(texts: impl Iterator<Item = &'t str>) -> String {
    texts.collect::<Vec<_>>().join(", ")
}

/// Each type but an expression names itself, so that no two values of different types or lists are serialised alike.
#[derive(Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
enum Tagged {
    Flag(bool),
    Text { text: String },
    Identifier { identifier: Name },
    Identifiers { identifiers: Vec<Name> },
    Object { object: QualifiedName },
    Objects { objects: Vec<QualifiedName> },
    List { list: Vec<Expression> },
    Expression(Expression),
}

impl Serialize for Value {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.clone() {
            Value::Flag => Tagged::Flag(true),
            Value::Text(text) => Tagged::Text { text },
            Value::Identifier(identifier) => Tagged::Identifier { identifier },
            Value::Identifiers(identifiers) => Tagged::Identifiers { identifiers },
            Value::Object(object) => Tagged::Object { object },
            Value::Objects(objects) => Tagged::Objects { objects },
            Value::List(list) => Tagged::List { list },
            Value::Expression(expression) => Tagged::Expression(expression),
        }
        .serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for Value {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Ok(match Tagged::deserialize(deserializer)? {
            Tagged::Flag(_) => Value::Flag,
            Tagged::Text { text } => Value::Text(text),
            Tagged::Identifier { identifier } => Value::Identifier(identifier),
            Tagged::Identifiers { identifiers } => Value::Identifiers(identifiers),
            Tagged::Object { object } => Value::Object(object),
            Tagged::Objects { objects } => Value::Objects(objects),
            Tagged::List { list } => Value::List(list),
            Tagged::Expression(expression) => Value::Expression(expression),
        })
    }
}

impl JsonSchema for Value {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Value".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        Tagged::json_schema(generator)
    }
}
