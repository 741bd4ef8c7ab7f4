//! The rows of a list of differences.

use std::collections::{BTreeMap, BTreeSet};

use crate::model::ObjectKey;
use crate::select::{ChangeKind, Element, ElementPart};

/// A row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Row {
    /// The head of a group.
    Heading {
        /// The subject of the group.
        group: Group,
        /// The objects of the group that are shown.
        objects: Vec<ObjectKey>,
    },
    /// An object with all that differs in it.
    Object(ObjectKey),
    /// A column or constraint of the table above, or what else differs in it.
    Part(Element),
}

/// How rows are grouped.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Grouping {
    /// By what happens to the object.
    Change,
    /// By the kind of object.
    Kind,
    /// By the schema that the object is in.
    Schema,
}

/// The common property of the objects of a group.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Group {
    /// The change of the objects.
    Change(ChangeKind),
    /// Their kind, in the plural.
    Kind(String),
    /// Their schema.
    Schema(Option<String>),
}

impl Row {
    /// The object that the row is about.
    pub fn object(&self) -> Option<&ObjectKey> {
        match self {
            Row::Heading { .. } => None,
            Row::Object(key) => Some(key),
            Row::Part(element) => Some(&element.object),
        }
    }
}

/// The rows of what differs: groups, objects, and parts of objects that have more than one.
pub fn rows(
    elements: &BTreeMap<ObjectKey, BTreeSet<Element>>,
    changes: &BTreeMap<ObjectKey, ChangeKind>,
    grouping: Grouping,
    filter: &str,
) -> Vec<Row> {
    let group = |key: &ObjectKey| match grouping {
        Grouping::Change => Group::Change(changes.get(key).copied().unwrap_or(ChangeKind::Change)),
        Grouping::Kind => Group::Kind(key.kind.plural()),
        Grouping::Schema => Group::Schema(key.name.schema().map(str::to_owned)),
    };
    let is_shown = |key: &&ObjectKey| {
        let text = key.to_string().to_lowercase();
        filter.split_whitespace().all(|word| text.contains(word))
    };
    let mut groups: BTreeMap<Group, Vec<ObjectKey>> = BTreeMap::new();
    for key in elements.keys().filter(is_shown) {
        groups.entry(group(key)).or_default().push(key.clone());
    }
    let mut rows = Vec::new();
    for (group, objects) in groups {
        rows.push(Row::Heading { group, objects: objects.clone() });
        for key in objects {
            let parts = elements.get(&key).into_iter().flatten();
            let parts: Vec<Row> =
                parts.filter(|element| is_shown_alone(element, &elements[&key])).cloned().map(Row::Part).collect();
            rows.push(Row::Object(key));
            rows.extend(parts);
        }
    }
    rows
}

/// A part is a row of its own where there are others, or where it is not the whole object.
fn is_shown_alone(element: &Element, all: &BTreeSet<Element>) -> bool {
    all.len() > 1 || element.part != ElementPart::Object
}
