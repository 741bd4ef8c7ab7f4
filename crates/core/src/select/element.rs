//! The parts of a difference that can be chosen by themselves.

use std::collections::BTreeSet;
use std::fmt;

use smol_str::SmolStr;

use crate::compare::{Aspect, Change, Comparison, ConstraintKind, Difference};
use crate::model::{Check, Definition, ForeignKey, Key, Model, Name, Object, ObjectKey, Table, Unordered};

/// A part that can be chosen by itself: an object, or a column or constraint of a table that both sides have.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Element {
    /// The object, by its name in want, or in have where it is only there.
    pub object: ObjectKey,
    /// The part of it.
    pub part: ElementPart,
}

/// The part of an object.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ElementPart {
    /// The object: of a table that both sides have, everything but columns and constraints.
    Object,
    /// A column.
    Column(Name),
    /// A constraint.
    Constraint(ConstraintKind, SmolStr),
}

impl fmt::Display for Element {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.part {
            ElementPart::Object => write!(f, "{}", self.object),
            ElementPart::Column(name) => write!(f, "column {}.{name}", self.object.name),
            ElementPart::Constraint(kind, label) if label.is_empty() => {
                write!(f, "{} of {}", kind.title(), self.object)
            }
            ElementPart::Constraint(kind, label) => write!(f, "{} {label} of {}", kind.title(), self.object),
        }
    }
}

impl Element {
    /// The element that is an object.
    pub fn object(object: ObjectKey) -> Element {
        Element { object, part: ElementPart::Object }
    }

    /// The element that is a part of an object.
    pub fn of(object: &ObjectKey, part: ElementPart) -> Element {
        Element { object: object.clone(), part }
    }
}

/// A constraint as an element: by its name, or by its definition where it has none that comparison sees.
pub trait Constraint: Clone + PartialEq {
    /// Its name, or its definition.
    fn label(&self) -> SmolStr;

    /// Whether a constraint of this kind uses the column.
    fn uses(&self, column: &Name) -> bool;
}

fn label_of(name: Option<&Name>, definition: impl FnOnce() -> String) -> SmolStr {
    match name.map(Name::canonical) {
        None | Some("") => definition().into(),
        Some(name) => name.into(),
    }
}

fn list<'n>(names: impl Iterator<Item = &'n Name>) -> String {
    names.map(Name::canonical).collect::<Vec<_>>().join(", ")
}

impl Constraint for Key {
    fn label(&self) -> SmolStr {
        label_of(Some(&self.name), || format!("({})", list(self.parts.iter().map(|part| &part.column))))
    }

    fn uses(&self, column: &Name) -> bool {
        self.has_column(column)
    }
}

impl Constraint for ForeignKey {
    fn label(&self) -> SmolStr {
        label_of(Some(&self.name), || format!("({}) references {}", list(self.columns.iter()), self.parent.canonical()))
    }

    fn uses(&self, column: &Name) -> bool {
        self.columns.contains(column)
    }
}

impl Constraint for Check {
    fn label(&self) -> SmolStr {
        label_of(self.name.as_ref(), || self.condition.canonical.clone())
    }

    fn uses(&self, column: &Name) -> bool {
        self.condition.may_use_column(column)
    }
}

/// The elements of a difference. `have` is the object under want's names.
fn elements(
    comparison: &Comparison<'_>,
    difference: &Difference<'_>,
    key: &ObjectKey,
    have: Option<&Object>,
) -> BTreeSet<Element> {
    if let (Change::Change { want, properties, formerly, .. }, Some(have)) = (&difference.change, have)
        && let (Definition::Table(old), Definition::Table(new)) = (&have.definition, &want.definition)
    {
        let mut parts = table_parts(old, new);
        let has_more = {
            let mut rest = new.clone();
            take_parts(&mut rest, old);
            rest != *old
        };
        let is_access = |aspect| matches!(aspect, Aspect::Owner | Aspect::Privileges | Aspect::SecurityLabel);
        let has_access = properties.iter().any(|property| is_access(property.aspect));
        let renamed = comparison.renames.columns_of(&key.name);
        parts.extend(renamed.into_iter().map(|(_, name)| ElementPart::Column(name)));
        if has_more || has_access || formerly.is_some() || parts.is_empty() {
            parts.insert(ElementPart::Object);
        }
        return parts.into_iter().map(|part| Element::of(key, part)).collect();
    }
    BTreeSet::from([Element::object(key.clone())])
}

/// The columns and constraints in which two tables differ.
fn table_parts(have: &Table, want: &Table) -> BTreeSet<ElementPart> {
    let mut parts = BTreeSet::new();
    let names = have.columns.iter().chain(want.columns.iter()).map(|column| &column.name);
    parts.extend(
        names.filter(|name| have.column(name) != want.column(name)).map(|name| ElementPart::Column(name.clone())),
    );
    if have.primary_key != want.primary_key {
        parts.insert(ElementPart::Constraint(ConstraintKind::PrimaryKey, SmolStr::default()));
    }
    differing(ConstraintKind::UniqueKey, &have.unique_keys, &want.unique_keys, &mut parts);
    differing(ConstraintKind::ForeignKey, &have.foreign_keys, &want.foreign_keys, &mut parts);
    differing(ConstraintKind::Check, &have.checks, &want.checks, &mut parts);
    differing(ConstraintKind::Exclusion, &have.exclusions, &want.exclusions, &mut parts);
    parts
}

/// The constraints of a table, in order.
pub fn constraint_parts(table: &Table) -> Vec<ElementPart> {
    fn parts<T: Constraint>(kind: ConstraintKind, list: &[T]) -> impl Iterator<Item = ElementPart> {
        list.iter().map(move |item| ElementPart::Constraint(kind, item.label()))
    }
    parts(ConstraintKind::UniqueKey, &table.unique_keys)
        .chain(parts(ConstraintKind::ForeignKey, &table.foreign_keys))
        .chain(parts(ConstraintKind::Check, &table.checks))
        .chain(parts(ConstraintKind::Exclusion, &table.exclusions))
        .collect()
}

/// All columns and constraints of a table.
pub fn all_parts(table: &Table) -> BTreeSet<ElementPart> {
    table_parts(&Table::default(), table)
}

fn differing<T: Constraint>(
    kind: ConstraintKind,
    have: &Unordered<T>,
    want: &Unordered<T>,
    parts: &mut BTreeSet<ElementPart>,
) {
    let only = |a: &Unordered<T>, b: &Unordered<T>| -> Vec<SmolStr> {
        a.iter().filter(|item| !b.contains(item)).map(Constraint::label).collect()
    };
    let labels = only(have, want).into_iter().chain(only(want, have));
    parts.extend(labels.map(|label| ElementPart::Constraint(kind, label)));
}

/// Takes over another table's columns and constraints.
fn take_parts(table: &mut Table, from: &Table) {
    table.columns.clone_from(&from.columns);
    table.primary_key.clone_from(&from.primary_key);
    table.unique_keys.clone_from(&from.unique_keys);
    table.foreign_keys.clone_from(&from.foreign_keys);
    table.checks.clone_from(&from.checks);
    table.exclusions.clone_from(&from.exclusions);
}

/// The key of an object that differs, under want's names.
pub fn key_of(comparison: &Comparison<'_>, difference: &Difference<'_>) -> ObjectKey {
    match &difference.change {
        Change::Remove(object) => comparison.renames.key_in_want(&object.key()),
        _ => difference.key.clone(),
    }
}

/// The columns that a constraint of a table is on.
pub fn columns_of(table: &Table, kind: ConstraintKind, label: &str) -> Vec<Name> {
    let used = |uses: &dyn Fn(&Name) -> bool| -> Vec<Name> {
        table.columns.iter().map(|column| &column.name).filter(|name| uses(name)).cloned().collect()
    };
    fn find<'t, T: Constraint>(list: &'t [T], label: &str) -> Option<&'t T> {
        list.iter().find(|item| item.label() == label)
    }
    match kind {
        ConstraintKind::PrimaryKey => table.primary_key.as_ref().map(|key| used(&|name| key.uses(name))),
        ConstraintKind::UniqueKey => find(&table.unique_keys, label).map(|key| used(&|name| key.uses(name))),
        ConstraintKind::ForeignKey => find(&table.foreign_keys, label).map(|key| used(&|name| key.uses(name))),
        ConstraintKind::Check => find(&table.checks, label).map(|check| used(&|name| check.uses(name))),
        ConstraintKind::Exclusion => find(&table.exclusions, label).map(|check| used(&|name| check.uses(name))),
    }
    .unwrap_or_default()
}

/// All elements of a comparison.
pub fn all_elements(comparison: &Comparison<'_>, renamed: &Model) -> BTreeSet<Element> {
    let of = |difference: &Difference<'_>| {
        let key = key_of(comparison, difference);
        elements(comparison, difference, &key, renamed.get(&key))
    };
    let unproven = comparison.unproven.iter().cloned().map(Element::object);
    comparison.differences.iter().flat_map(of).chain(unproven).collect()
}
