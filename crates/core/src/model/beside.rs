//! Values beside the canonical form, for display and for writing only.

use std::cmp::Ordering;
use std::hash::{Hash, Hasher};
use std::ops::Deref;

use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A value that comparison and fingerprint do not see: any two are equal.
///
/// It is written to JSON as it is; in the binary form that fingerprints are made from it is nothing (a unit).
#[derive(Debug, Clone, Copy, Default, JsonSchema)]
#[serde(transparent)]
pub struct Beside<T>(pub T);

impl<T> Deref for Beside<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T> PartialEq for Beside<T> {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl<T> Eq for Beside<T> {}

impl<T> Hash for Beside<T> {
    fn hash<H: Hasher>(&self, _: &mut H) {}
}

impl<T> PartialOrd for Beside<T> {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl<T> Ord for Beside<T> {
    fn cmp(&self, _: &Self) -> Ordering {
        Ordering::Equal
    }
}

impl<T: Serialize> Serialize for Beside<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if serializer.is_human_readable() { self.0.serialize(serializer) } else { serializer.serialize_unit() }
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Beside<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        T::deserialize(deserializer).map(Beside)
    }
}
