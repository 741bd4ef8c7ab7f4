//! Lists whose order means nothing to the engine, but something to the reader.

use std::ops::{Deref, DerefMut};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize, Serializer};

/// A list that is compared and fingerprinted as if sorted, and shown in the order in which it was written.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Unordered<T>(pub Vec<T>);

impl<T> Default for Unordered<T> {
    fn default() -> Self {
        Unordered(Vec::new())
    }
}

impl<T: Ord> Unordered<T> {
    /// The items in canonical order.
    pub fn sorted(&self) -> Vec<&T> {
        let mut items: Vec<&T> = self.0.iter().collect();
        items.sort();
        items
    }
}

impl<T> Deref for Unordered<T> {
    type Target = Vec<T>;

    fn deref(&self) -> &Vec<T> {
        &self.0
    }
}

impl<T> DerefMut for Unordered<T> {
    fn deref_mut(&mut self) -> &mut Vec<T> {
        &mut self.0
    }
}

impl<T: Ord> PartialEq for Unordered<T> {
    fn eq(&self, other: &Self) -> bool {
        self.0.len() == other.0.len() && (self.0 == other.0 || self.sorted() == other.sorted())
    }
}

impl<T: Ord> Eq for Unordered<T> {}

impl<T: Ord + Serialize> Serialize for Unordered<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if serializer.is_human_readable() { self.0.serialize(serializer) } else { self.sorted().serialize(serializer) }
    }
}
