//! Names of objects and columns.

use std::fmt;
use std::hash::{Hash, Hasher};

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use smol_str::SmolStr;

use super::spelling;

/// An SQL identifier: its canonical form, by which two names are compared, and its spelling, which is shown.
///
/// The dialect makes the canonical form (SQLite compares identifiers without regard to ASCII case:
/// <https://sqlite.org/lang_keywords.html>). Equality, order and hash see the canonical form only.
#[derive(Debug, Clone)]
pub struct Name {
    canonical: SmolStr,
    written: SmolStr,
}

impl Name {
    /// A name whose canonical form differs from how it is written.
    pub fn new(canonical: impl Into<SmolStr>, written: impl Into<SmolStr>) -> Name {
        Name { canonical: canonical.into(), written: written.into() }
    }

    /// No name at all: that of a constraint without a name.
    pub fn none() -> Name {
        Name::new("", "")
    }

    /// A name to which the engine gives no meaning, so that comparison does not see it.
    pub fn silent(written: impl Into<SmolStr>) -> Name {
        Name::new("", written)
    }

    /// Whether somebody gave it, seen or silent.
    pub fn is_given(&self) -> bool {
        !self.written.is_empty()
    }

    /// The form that comparison uses.
    pub fn canonical(&self) -> &str {
        &self.canonical
    }

    /// The form that a person wrote, without quotes.
    pub fn written(&self) -> &str {
        &self.written
    }
}

impl AsRef<Name> for Name {
    fn as_ref(&self) -> &Name {
        self
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.written)
    }
}

impl PartialEq for Name {
    fn eq(&self, other: &Self) -> bool {
        self.canonical == other.canonical
    }
}

impl Eq for Name {}

impl Hash for Name {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.canonical.hash(state);
    }
}

impl PartialOrd for Name {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Name {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.canonical.cmp(&other.canonical)
    }
}

impl Serialize for Name {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        spelling::serialize(&self.canonical, &self.written, false, serializer)
    }
}

impl<'de> Deserialize<'de> for Name {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let spelled = spelling::deserialize(deserializer)?;
        let canonical = SmolStr::from(spelled.canonical);
        Ok(Name { written: spelled.written.map_or_else(|| canonical.clone(), SmolStr::from), canonical })
    }
}

impl JsonSchema for Name {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Name".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        spelling::schema("An identifier, without quotes")
    }
}
