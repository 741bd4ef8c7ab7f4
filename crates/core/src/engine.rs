//! A database engine as data: its names, its versions, and what it can do. The dialect crates hold one value each.

use std::fmt;
use std::str::FromStr;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A database engine. Two with the same name are the same.
#[derive(Debug)]
pub struct Engine {
    /// The name in `wevrun.toml`, on the command line and in files.
    pub name: &'static str,
    /// The name that a person reads.
    pub title: &'static str,
    /// The oldest version that can run the scripts.
    pub oldest_version: EngineVersion,
    /// The version that is assumed where a project names none.
    pub default_version: EngineVersion,
    /// The capabilities of the engine.
    pub capabilities: Capabilities,
}

/// Capabilities of an engine on which the engine-independent stages depend.
#[derive(Debug)]
pub struct Capabilities {
    /// Names that differ only in the case of ASCII letters are the same.
    pub has_caseless_names: bool,
    /// Objects are in schemas.
    pub has_schemas: bool,
    /// An index can be built while others write to its table.
    pub can_build_indexes_concurrently: bool,
    /// The columns of a table can be put into another order.
    pub can_reorder_columns: bool,
    /// A transaction that is rolled back takes changes of the structure with it.
    pub has_transactional_ddl: bool,
}

impl PartialEq for Engine {
    fn eq(&self, other: &Engine) -> bool {
        self.name == other.name
    }
}

impl Eq for Engine {}

impl fmt::Display for Engine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name)
    }
}

/// Finds an engine by its name, or lists those that there are.
pub fn find_engine(engines: &[&'static Engine], name: &str) -> Result<&'static Engine, String> {
    engines.iter().copied().find(|engine| engine.name == name).ok_or_else(|| {
        let known: Vec<_> = engines.iter().map(|engine| engine.name).collect();
        format!("there is no engine `{name}`; known: {}", known.join(", "))
    })
}

/// An engine's version as far as its DDL depends on it: `3.40`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct EngineVersion {
    /// The first number.
    pub major: u32,
    /// The second number.
    pub minor: u32,
}

impl fmt::Display for EngineVersion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.major, self.minor)
    }
}

impl FromStr for EngineVersion {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let mut parts = text.split('.').map(str::parse::<u32>);
        match (parts.next(), parts.next(), parts.all(|part| part.is_ok())) {
            (Some(Ok(major)), Some(Ok(minor)), true) => Ok(EngineVersion { major, minor }),
            (Some(Ok(major)), None, _) => Ok(EngineVersion { major, minor: 0 }),
            _ => Err(format!("`{text}` is not a version; write it like \"3.40\" or \"15\"")),
        }
    }
}

impl Serialize for EngineVersion {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for EngineVersion {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?.parse().map_err(serde::de::Error::custom)
    }
}

impl JsonSchema for EngineVersion {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "EngineVersion".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({ "type": "string", "pattern": "^[0-9]+\\.[0-9]+(\\.[0-9]+)*$", "examples": ["3.40"] })
    }
}
