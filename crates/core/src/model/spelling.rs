//! How something that has a canonical and a written form is serialised.
//!
//! In JSON it is a string, or `{canonical, written}` where the two differ; an approximate one has the mark `approximate`. In the
//! binary form that fingerprints are made from it is the canonical form alone, in a list if it is approximate.

use schemars::{Schema, json_schema};
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A canonical form, and what is beside it.
#[derive(Default)]
pub(super) struct Spelled {
    pub canonical: String,
    /// The written form, where it differs.
    pub written: Option<String>,
    pub is_approximate: bool,
}

#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum Spelling<T> {
    Same(T),
    Differs {
        canonical: T,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        written: Option<T>,
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        approximate: bool,
    },
}

pub(super) fn serialize<S: Serializer>(
    canonical: &str,
    written: &str,
    approximate: bool,
    serializer: S,
) -> Result<S::Ok, S::Error> {
    if !serializer.is_human_readable() {
        return if approximate { [canonical].serialize(serializer) } else { serializer.serialize_str(canonical) };
    }
    let written = (canonical != written).then_some(written);
    if written.is_none() && !approximate {
        return serializer.serialize_str(canonical);
    }
    Spelling::Differs { canonical, written, approximate }.serialize(serializer)
}

pub(super) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Spelled, D::Error> {
    Ok(match Spelling::<String>::deserialize(deserializer)? {
        Spelling::Same(canonical) => Spelled { canonical, ..Spelled::default() },
        Spelling::Differs { canonical, written, approximate } => {
            Spelled { canonical, written, is_approximate: approximate }
        }
    })
}

pub(super) fn schema(description: &str) -> Schema {
    json_schema!({
        "description": format!("{description}; an object where its canonical form differs from how it was written."),
        "anyOf": [
            { "type": "string" },
            {
                "type": "object",
                "properties": {
                    "canonical": { "type": "string" },
                    "written": { "type": "string" },
                    "approximate": { "type": "boolean" }
                },
                "required": ["canonical"],
                "additionalProperties": false
            }
        ]
    })
}
