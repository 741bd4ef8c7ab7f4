//! How something that has a canonical and a written form is serialised.
//!
//! In JSON it is a string, or `{canonical, written}` where the two differ. In the binary form that fingerprints are made
//! from it is the canonical form alone.

use schemars::{Schema, json_schema};
use serde::{Deserialize, Deserializer, Serialize, Serializer};

#[derive(Serialize, Deserialize)]
#[serde(untagged)]
enum Spelling<T> {
    Same(T),
    Differs { canonical: T, written: T },
}

pub(super) fn serialize<S: Serializer>(canonical: &str, written: &str, serializer: S) -> Result<S::Ok, S::Error> {
    if serializer.is_human_readable() && canonical != written {
        Spelling::Differs { canonical, written }.serialize(serializer)
    } else {
        serializer.serialize_str(canonical)
    }
}

/// The canonical form, and the written one where it differs.
pub(super) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<(String, Option<String>), D::Error> {
    Ok(match Spelling::<String>::deserialize(deserializer)? {
        Spelling::Same(text) => (text, None),
        Spelling::Differs { canonical, written } => (canonical, Some(written)),
    })
}

pub(super) fn schema(description: &str) -> Schema {
    json_schema!({
        "description": format!("{description}; an object where its canonical form differs from how it was written."),
        "anyOf": [
            { "type": "string" },
            {
                "type": "object",
                "properties": { "canonical": { "type": "string" }, "written": { "type": "string" } },
                "required": ["canonical", "written"],
                "additionalProperties": false
            }
        ]
    })
}
