//! The names of objects.

use std::fmt;
use std::hash::{Hash, Hasher};
use std::ops::Deref;
use std::sync::Arc;

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use smol_str::SmolStr;

use super::Name;

/// The name of an object in its parts, and as it is printed.
///
/// The dialect prints it, with the engine's quotes; nothing reads the printed form back. Two are equal if their printed
/// canonical forms are: no two names are printed alike.
#[derive(Clone)]
pub struct QualifiedName(Arc<Whole>);

struct Whole {
    parts: NameParts,
    printed: Name,
}

/// The parts of an object's name, as identifiers without quotes.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NameParts {
    /// The schema that the object is in; none if the engine has no schemas, if objects of this kind are in none, or if the name
    /// was not looked up yet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(with = "Option<String>")]
    pub schema: Option<SmolStr>,
    /// The object's own identifier.
    #[schemars(with = "String")]
    pub identifier: SmolStr,
    /// The types of a routine's arguments, which distinguish objects of one identifier.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(with = "Option<Vec<String>>")]
    pub signature: Option<Vec<SmolStr>>,
    /// The object that the name is local to: the table of a trigger.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub owner: Option<QualifiedName>,
}

impl QualifiedName {
    /// A name of these parts that is printed so.
    pub fn new(parts: NameParts, printed: Name) -> QualifiedName {
        QualifiedName(Arc::new(Whole { parts, printed }))
    }

    /// A name that is one identifier and is printed as it is.
    pub fn plain(name: Name) -> QualifiedName {
        QualifiedName::new(NameParts { identifier: name.written().into(), ..NameParts::default() }, name)
    }

    /// The schema.
    pub fn schema(&self) -> Option<&str> {
        self.0.parts.schema.as_deref()
    }

    /// The object's own identifier.
    pub fn identifier(&self) -> &str {
        &self.0.parts.identifier
    }

    /// The types of a routine's arguments.
    pub fn signature(&self) -> Option<&[SmolStr]> {
        self.0.parts.signature.as_deref()
    }

    /// The object that the name is local to.
    pub fn owner(&self) -> Option<&QualifiedName> {
        self.0.parts.owner.as_ref()
    }

    /// All parts.
    pub fn parts(&self) -> &NameParts {
        &self.0.parts
    }

    /// As it is printed.
    pub fn printed(&self) -> &Name {
        &self.0.printed
    }
}

impl AsRef<Name> for QualifiedName {
    fn as_ref(&self) -> &Name {
        &self.0.printed
    }
}

/// A qualified name is compared, ordered and shown as its printed form.
impl Deref for QualifiedName {
    type Target = Name;

    fn deref(&self) -> &Name {
        &self.0.printed
    }
}

impl fmt::Display for QualifiedName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.0.printed, f)
    }
}

impl fmt::Debug for QualifiedName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&self.0.printed, f)
    }
}

impl PartialEq for QualifiedName {
    fn eq(&self, other: &Self) -> bool {
        self.0.printed == other.0.printed
    }
}

impl Eq for QualifiedName {}

impl Hash for QualifiedName {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.0.printed.hash(state);
    }
}

impl PartialOrd for QualifiedName {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for QualifiedName {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.printed.cmp(&other.0.printed)
    }
}

/// In JSON: the printed name alone where it is the identifier.
#[derive(Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
enum Form {
    Plain(Name),
    Whole {
        /// As it is printed.
        printed: Name,
        #[serde(flatten)]
        parts: NameParts,
    },
}

impl Serialize for QualifiedName {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let printed = self.0.printed.clone();
        let parts = &self.0.parts;
        let is_plain = parts.schema.is_none()
            && parts.signature.is_none()
            && parts.owner.is_none()
            && parts.identifier == printed.written();
        if is_plain || !serializer.is_human_readable() {
            return printed.serialize(serializer);
        }
        Form::Whole { printed, parts: parts.clone() }.serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for QualifiedName {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        Ok(match Form::deserialize(deserializer)? {
            Form::Plain(name) => QualifiedName::plain(name),
            Form::Whole { printed, parts } => QualifiedName::new(parts, printed),
        })
    }
}

impl JsonSchema for QualifiedName {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "QualifiedName".into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        Form::json_schema(generator)
    }
}
