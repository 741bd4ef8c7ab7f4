//! The database engines that Wevrun knows, and their versions.

use std::fmt;
use std::str::FromStr;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A database engine. Each has a folder in [`crate::dialects`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Engine {
    /// SQLite, the embedded default.
    Sqlite,
    /// PostgreSQL.
    Postgres,
}

impl Engine {
    /// Every engine, in the order in which help texts list them.
    pub const ALL: [Engine; 2] = [Engine::Sqlite, Engine::Postgres];

    /// The name that is written in `wevrun.toml` and on the command line.
    pub fn name(self) -> &'static str {
        match self {
            Engine::Sqlite => "sqlite",
            Engine::Postgres => "postgres",
        }
    }

    /// The name that a person reads.
    pub fn title(self) -> &'static str {
        match self {
            Engine::Sqlite => "SQLite",
            Engine::Postgres => "PostgreSQL",
        }
    }

    /// The oldest version that can run the scripts. SQLite: `PRAGMA legacy_alter_table` came with 3.26
    /// (<https://sqlite.org/changes.html>).
    pub fn oldest_version(self) -> EngineVersion {
        match self {
            Engine::Sqlite => EngineVersion { major: 3, minor: 26 },
            Engine::Postgres => EngineVersion { major: 13, minor: 0 },
        }
    }

    /// The version that is assumed where a project names none.
    pub fn default_version(self) -> EngineVersion {
        match self {
            Engine::Sqlite => EngineVersion { major: 3, minor: 40 },
            Engine::Postgres => EngineVersion { major: 18, minor: 0 },
        }
    }
}

impl fmt::Display for Engine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

impl FromStr for Engine {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        Engine::ALL.into_iter().find(|engine| engine.name() == text).ok_or_else(|| {
            let known: Vec<_> = Engine::ALL.iter().map(|engine| engine.name()).collect();
            format!("there is no engine `{text}`; known: {}", known.join(", "))
        })
    }
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
