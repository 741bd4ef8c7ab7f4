//! The differences between two models. Both are canonical, so this is plain structural equality.

mod access;
mod aligned;
mod aspect;
mod lookalikes;
mod privileges;
mod properties;
mod property;
mod renames;
mod unproven;

pub use access::{access_properties, add_access, granted_only};
pub use aligned::aligned;
pub use aspect::{Aspect, DefaultTreatment};
pub use lookalikes::lookalikes;
pub use privileges::{BodyOptions, Fact, Privileges};
pub use properties::column_words;
pub use property::{ConstraintKind, Part, Property};
pub use renames::Renames;

use crate::model::{Model, Name, Object, ObjectKey, QualifiedName};

/// The outcome of a comparison.
#[derive(Debug, Clone)]
pub struct Comparison<'m> {
    /// The differences, ordered by kind and name.
    pub differences: Vec<Difference<'m>>,
    /// Objects in both for which only the engine could decide whether they differ.
    pub unproven: Vec<ObjectKey>,
    /// How many objects are the same.
    pub same: usize,
    /// Tables with another order of columns. They count as differences only on request.
    pub reordered: Vec<Reordered>,
    /// The renames between the two sides.
    pub renames: Renames,
}

/// One object that differs.
#[derive(Debug, Clone)]
pub struct Difference<'m> {
    /// The object, by the name that it has in want, or in have where it is only there.
    pub key: ObjectKey,
    /// In which way.
    pub change: Change<'m>,
}

/// In which way an object differs.
#[derive(Debug, Clone)]
pub enum Change<'m> {
    /// Only in want.
    Create(&'m Object),
    /// Only in have.
    Remove(&'m Object),
    /// In both, and not the same.
    Change {
        /// As it is.
        have: Box<Object>,
        /// As it shall be.
        want: &'m Object,
        /// Its name in have, if that is another one.
        formerly: Option<QualifiedName>,
        /// The differing properties.
        properties: Vec<Property>,
    },
}

/// A table with another order of columns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reordered {
    /// The table.
    pub table: QualifiedName,
    /// The columns that both sides have, in have's order.
    pub have: Vec<Name>,
    /// The same, in want's order.
    pub want: Vec<Name>,
}

impl Comparison<'_> {
    /// Whether nothing differs.
    pub fn is_identical(&self) -> bool {
        self.differences.is_empty()
    }

    /// How many objects there are to create, to remove and to change.
    pub fn counts(&self) -> (usize, usize, usize) {
        let count = |of: fn(&Change<'_>) -> bool| self.differences.iter().filter(|d| of(&d.change)).count();
        (
            count(|change| matches!(change, Change::Create(_))),
            count(|change| matches!(change, Change::Remove(_))),
            count(|change| matches!(change, Change::Change { .. })),
        )
    }
}

/// Compares two models. Former names in want pair objects and columns that have.
pub fn compare<'m>(dialect: &dyn Privileges, have: &'m Model, want: &'m Model) -> Comparison<'m> {
    let renames = Renames::find(dialect, have, want);
    compare_with(dialect, have, want, renames)
}

/// Compares two models in which these names mean the same.
pub fn compare_with<'m>(
    dialect: &dyn Privileges,
    have: &'m Model,
    want: &'m Model,
    renames: Renames,
) -> Comparison<'m> {
    let renamed = renames.apply(dialect, have);
    let unproven = Vec::new();
    let mut comparison = Comparison { differences: Vec::new(), unproven, same: 0, reordered: Vec::new(), renames };
    for object in have.objects() {
        let key = comparison.renames.key_in_want(&object.key());
        if want.get(&key).is_none() {
            comparison.differences.push(Difference { key: object.key(), change: Change::Remove(object) });
        }
    }
    for wanted in want.objects() {
        let key = wanted.key();
        let Some(present) = renamed.get(&key) else {
            comparison.differences.push(Difference { key, change: Change::Create(wanted) });
            continue;
        };
        let formerly = comparison.renames.table_in_have(&key);
        let renamed_columns = comparison.renames.columns_of(&key.name);
        comparison.reordered.extend(reordered(present, wanted));
        if present.definition == wanted.definition && formerly.is_none() && renamed_columns.is_empty() {
            comparison.same += 1;
            continue;
        }
        if formerly.is_none()
            && renamed_columns.is_empty()
            && unproven::is_unproven(&present.definition, &wanted.definition)
        {
            comparison.unproven.push(key);
            continue;
        }
        let have_key = comparison.renames.key_in_have(&key);
        let original = have.get(&have_key).unwrap_or(present);
        let change = Change::Change {
            properties: properties::properties(dialect, (present, wanted), formerly.as_ref(), &renamed_columns),
            have: Box::new(original.clone()),
            want: wanted,
            formerly,
        };
        comparison.differences.push(Difference { key, change });
    }
    comparison.differences.sort_by(|a, b| a.key.cmp(&b.key));
    comparison
}

fn reordered(have: &Object, want: &Object) -> Option<Reordered> {
    let (have, wanted) = (have.as_table()?, want.as_table()?);
    let common = |a: &crate::model::Table, b: &crate::model::Table| -> Vec<Name> {
        a.columns.iter().filter(|column| b.column(&column.name).is_some()).map(|column| column.name.clone()).collect()
    };
    if have.columns.len() == wanted.columns.len()
        && have.columns.iter().zip(wanted.columns.iter()).all(|(a, b)| a.name == b.name)
    {
        return None;
    }
    let (have, wanted) = (common(have, wanted), common(wanted, have));
    (have != wanted).then(|| Reordered { table: want.name.clone(), have, want: wanted })
}
