//! The hash by which two structures are known to be the same.

use std::fmt;
use std::str::FromStr;

use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use super::{Model, Object};

/// SHA-256 over the canonical structure: for every object, in order of kind and name, the CBOR encoding (RFC 8949) of
/// its name and its definition, where names and expressions have their canonical form.
///
/// Layout, comments, letter case, the order of columns and of constraints, and where an object was written do not
/// change it.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Fingerprint(#[schemars(regex(pattern = "^[0-9a-f]{64}$"))] String);

impl Fingerprint {
    /// The fingerprint of a model.
    pub fn of(model: &Model) -> Fingerprint {
        let objects: Vec<&Object> = model.objects().collect();
        let encoded: Vec<Vec<u8>> = objects
            .par_chunks(256)
            .map(|objects| {
                let mut bytes = Vec::new();
                for object in objects {
                    ciborium::into_writer(&(&object.name, object.definition.structure()), &mut bytes)
                        .expect("a Vec takes every byte");
                }
                bytes
            })
            .collect();
        let mut hash = Sha256::new();
        encoded.iter().for_each(|bytes| hash.update(bytes));
        Fingerprint(hex(&hash.finalize()))
    }

    /// All 64 hexadecimal digits.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The first twelve digits, for people.
    pub fn short(&self) -> &str {
        &self.0[..12]
    }
}

impl fmt::Display for Fingerprint {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl FromStr for Fingerprint {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        if text.len() == 64 && text.bytes().all(|byte| matches!(byte, b'0'..=b'9' | b'a'..=b'f')) {
            Ok(Fingerprint(text.to_owned()))
        } else {
            Err(format!("`{text}` is not a fingerprint (64 hexadecimal digits)"))
        }
    }
}

/// Bytes as lower-case hexadecimal digits.
pub fn hex(bytes: &[u8]) -> String {
    use fmt::Write;
    bytes.iter().fold(String::with_capacity(bytes.len() * 2), |mut text, byte| {
        write!(text, "{byte:02x}").expect("a String takes every byte");
        text
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Column, Definition, Kind, Name, ObjectKey, QualifiedName, Table};

    fn table(name: &str) -> Object {
        Object::new(QualifiedName::plain(Name::new(name, name)), Definition::Table(Table::default()))
    }

    fn add_column(object: &mut Object) {
        if let Definition::Table(table) = &mut object.definition {
            table.columns.push(Column::named(Name::new("weight", "weight")));
        }
    }

    #[test]
    fn a_changed_model_has_another_fingerprint() {
        let hives = ObjectKey::new(Kind::Table, table("hives").name);
        let changes: [fn(&mut Model, &ObjectKey); 7] = [
            |model, _| drop(model.insert(table("visits"))),
            |model, key| drop(model.remove(key)),
            |model, key| model.get_mut(key).into_iter().for_each(add_column),
            |model, key| model.table_mut(key).into_iter().for_each(|table| table.strict = true),
            |model, _| model.objects_mut().for_each(add_column),
            |model, _| drop(model.take_objects()),
            |model, _| model.extend([table("visits")]),
        ];
        for (number, change) in changes.into_iter().enumerate() {
            let mut model: Model = [table("hives"), table("queens")].into_iter().collect();
            let before = model.fingerprint();
            change(&mut model, &hives);
            let computed: Model = model.objects().cloned().collect();
            assert_eq!(model.fingerprint(), computed.fingerprint(), "change {number}");
            assert_ne!(model.fingerprint(), before, "change {number}");
        }
        let model: Model = [table("hives"), table("queens")].into_iter().collect();
        let (before, rest) = (model.fingerprint(), model.without(&[hives.to_string()]).fingerprint());
        assert_ne!(before, rest);
    }
}
