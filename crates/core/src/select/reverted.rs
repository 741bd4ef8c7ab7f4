//! The renames that are not chosen: the result keeps have's names.

use std::collections::{BTreeMap, BTreeSet};

use super::element::constraint_parts;
use super::pattern::Candidate;
use super::{ChangeKind, Chooser, Element, ElementPart};
use crate::compare::{Privileges, Renames};
use crate::model::{Kind, Model, Name, Object, ObjectKey};

/// Renames that are not made, with want's names and have's.
#[derive(Debug, Default)]
pub struct Reverted {
    objects: Vec<(ObjectKey, ObjectKey)>,
    /// The table by want's name, the column's name in want, and in have.
    columns: Vec<(ObjectKey, Name, Name)>,
    /// Constraints whose definition is their label: the table by want's name, the part in want, and as it is with have's names.
    constraints: Vec<(ObjectKey, ElementPart, ElementPart)>,
    /// Renames that are made though they are not chosen: want gives have's name to something else.
    pub forced: Vec<Element>,
    /// Objects that have the former name of a renamed object in want, and are not chosen.
    dropped: Vec<ObjectKey>,
}

impl Reverted {
    /// Reverts the renames that are not chosen, as far as have's names are free in want.
    pub fn revert(
        dialect: &dyn Privileges,
        (have, want): (&Model, &Model),
        renames: &Renames,
        (chooser, needed): (Chooser<'_>, &BTreeMap<Element, ObjectKey>),
        reachable: &BTreeSet<ObjectKey>,
    ) -> (Reverted, Model) {
        let mut model = want.clone();
        let mut reverted = Reverted::default();
        let is_chosen = |element: &Element, formerly: Option<ObjectKey>| {
            let in_want = element.clone();
            let candidate = Candidate { element, in_want, formerly, owner: None, change: ChangeKind::Change };
            chooser.includes(dialect, &candidate) || needed.contains_key(element)
        };
        for (table, from, to) in renames.columns.iter().rev() {
            let Some(owner) = model.named(table).map(Object::key).next() else { continue };
            let formerly = renames.table_in_have(&owner).map(|name| ObjectKey::new(owner.kind, name));
            let is_free = model.get(&owner).and_then(Object::as_table).is_none_or(|table| table.column(from).is_none());
            let element = Element::of(&owner, ElementPart::Column(to.clone()));
            if is_chosen(&element, formerly) {
                continue;
            }
            if !is_free {
                reverted.forced.push(element);
            } else {
                dialect.rename_column(&mut model, table, to, from);
                if let Some(object) = model.get_mut(&owner) {
                    object.formerly.columns.retain(|(name, _)| name != to && name != from);
                }
                reverted.columns.push((owner, to.clone(), from.clone()));
            }
        }
        for (kind, from, to) in renames.tables.iter().rev() {
            let (old, new) = (ObjectKey::new(*kind, from.clone()), ObjectKey::new(*kind, to.clone()));
            if is_chosen(&Element::object(new.clone()), Some(old.clone())) {
                continue;
            }
            let others = model.named(from).filter(|other| dialect.share_names(other.definition.kind(), *kind));
            let others: Vec<ObjectKey> = others.map(Object::key).collect();
            if others.iter().any(|other| reachable.contains(other)) {
                reverted.forced.push(Element::object(new));
            } else {
                // What has the former name in want is not chosen, and neither is what is on it.
                for other in others {
                    let owned = model.objects().filter(|object| object.definition.owner() == Some(&other.name));
                    let owned: Vec<ObjectKey> = owned.map(Object::key).collect();
                    reverted.dropped.extend(owned.into_iter().chain([other]).inspect(|key| drop(model.remove(key))));
                }
                dialect.rename_object(&mut model, &new, from);
                if let Some(object) = model.get_mut(&old) {
                    object.formerly.table = None;
                }
                reverted.objects.push((new, old));
            }
        }
        if !reverted.objects.is_empty() || !reverted.columns.is_empty() {
            reverted.find_constraints(want, &model);
            let others = Renames::find(dialect, have, &model);
            reverted.find_constraints(&renames.apply(dialect, have), &others.apply(dialect, have));
        }
        (reverted, model)
    }

    /// Pairs the constraints of tables with reverted names: these keep their order.
    fn find_constraints(&mut self, renamed: &Model, model: &Model) {
        for object in renamed.of_kind(Kind::Table) {
            let key = object.key();
            let now = self.objects.iter().find(|(new, _)| *new == key).map_or(&key, |(_, old)| old);
            let (Some(before), Some(after)) = (object.as_table(), model.get(now).and_then(Object::as_table)) else {
                continue;
            };
            let pairs = constraint_parts(before).into_iter().zip(constraint_parts(after));
            let other = pairs.filter(|(before, after)| before != after);
            self.constraints.extend(other.map(|(before, after)| (key.clone(), before, after)));
        }
    }

    /// An element by want's names.
    pub fn in_want(&self, element: &Element) -> Element {
        let object = self.objects.iter().find(|(_, old)| *old == element.object);
        let object = object.map_or(&element.object, |(new, _)| new);
        let part = match &element.part {
            ElementPart::Column(name) => {
                let column = self.columns.iter().find(|(owner, _, old)| owner == object && old == name);
                ElementPart::Column(column.map_or(name, |(_, new, _)| new).clone())
            }
            other => {
                let known = self.constraints.iter().find(|(owner, _, now)| owner == object && now == other);
                known.map_or(other, |(_, before, _)| before).clone()
            }
        };
        Element::of(object, part)
    }

    /// The renames of an object and its columns, by its name in the result.
    pub fn of<'r>(&'r self, object: &'r ObjectKey) -> impl Iterator<Item = Element> + 'r {
        let in_want = self.in_want(&Element::object(object.clone())).object;
        self.elements().filter(move |element| element.object == in_want)
    }

    /// The renames as elements.
    pub fn elements(&self) -> impl Iterator<Item = Element> {
        let objects = self.objects.iter().map(|(new, _)| Element::object(new.clone()));
        let objects = objects.chain(self.dropped.iter().cloned().map(Element::object));
        objects.chain(self.columns.iter().map(|(owner, new, _)| Element::of(owner, ElementPart::Column(new.clone()))))
    }
}
