//! Takes over have's value of everything that is ignored, so that it is no difference to anything that follows.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use super::Aspects;
use super::element::Constraint;
use crate::compare::{Aspect, BodyOptions, Privileges, Renames};
use crate::model::{
    Check, Clauses, Column, Definition, ForeignKey, Key, Kind, Model, Name, Object, ObjectKey, Table, Unordered, Value,
};

/// How many differences are ignored, by aspect.
pub type IgnoredCounts = BTreeMap<Aspect, usize>;

/// Want with have's value of each ignored aspect, where both have the object. Owners, privileges and labels are taken over
/// if some of them are compared and some are not.
pub fn ignore<'m>(
    dialect: &dyn Privileges,
    have: &Model,
    want: &'m Model,
    aspects: &Aspects,
) -> (Cow<'m, Model>, IgnoredCounts) {
    let renames = Renames::find(dialect, have, want);
    let mut ignoring = Ignoring { dialect, aspects, counts: BTreeMap::new() };
    let mut result = Cow::Borrowed(want);
    if !aspects.minds(Aspect::IndexName) {
        ignoring.index_names(&renames.apply(dialect, have), &mut result);
    }
    let renamed = renames.apply(dialect, have);
    let keys: Vec<ObjectKey> = result.objects().map(Object::key).collect();
    for key in keys {
        let (Some(present), Some(wanted)) = (renamed.get(&key), result.get(&key)) else { continue };
        let has_access = aspects.minds_access() && present.access != wanted.access;
        if present.definition == wanted.definition && !has_access {
            continue;
        }
        let mut object = wanted.clone();
        let before = ignoring.counts.clone();
        ignoring.object(present, &mut object);
        if ignoring.counts != before {
            result.to_mut().insert(object);
        }
    }
    (result, ignoring.counts)
}

struct Ignoring<'i> {
    dialect: &'i dyn Privileges,
    aspects: &'i Aspects,
    counts: IgnoredCounts,
}

impl Ignoring<'_> {
    /// Whether a difference in an aspect is ignored; then it is counted.
    fn ignores(&mut self, aspect: Aspect) -> bool {
        let is_ignored = !self.aspects.minds(aspect);
        if is_ignored {
            *self.counts.entry(aspect).or_default() += 1;
        }
        is_ignored
    }

    fn object(&mut self, have: &Object, want: &mut Object) {
        let (kind, text) = (want.definition.kind(), std::mem::take(&mut want.text));
        let before = want.definition.clone();
        self.bodies(have, want);
        match (&have.definition, &mut want.definition) {
            (Definition::Table(have), Definition::Table(want)) => self.table(kind, have, want),
            (Definition::Index(have), Definition::Index(want)) => {
                self.clauses(kind, &have.clauses, &mut want.clauses);
                for (part, wanted) in have.parts.iter().zip(&mut want.parts) {
                    self.clauses(kind, &part.clauses, &mut wanted.clauses);
                }
            }
            (Definition::Trigger(have), Definition::Trigger(want)) => {
                if have.body != want.body && self.ignores(Aspect::Body) {
                    want.body.clone_from(&have.body);
                }
            }
            (have, want) => {
                if let (Some(have), Some(want)) = (have.clauses(), want.clauses_mut()) {
                    self.clauses(kind, have, want);
                }
            }
        }
        if self.aspects.minds_access() {
            self.access(&have.access, &mut want.access);
        }
        // The statement as it was written is not that of the definition any more.
        if before == want.definition {
            want.text = text;
        }
    }

    fn clauses(&mut self, kind: Kind, have: &Clauses, want: &mut Clauses) {
        let differing: Vec<String> = have.differing(want).into_iter().map(str::to_owned).collect();
        for name in differing {
            if self.ignores_clause(kind, &name) {
                copy(have, want, &name);
            }
        }
    }

    fn ignores_clause(&mut self, kind: Kind, name: &str) -> bool {
        let aspect = self.dialect.aspect_of(kind, name);
        self.ignores(aspect)
    }

    fn access(&mut self, have: &Clauses, want: &mut Clauses) {
        let differing: Vec<String> = have.differing(want).into_iter().map(str::to_owned).collect();
        let mut ignored = BTreeSet::new();
        for name in differing {
            let aspect = self.dialect.access_aspect(&name);
            if !self.aspects.minds(aspect) {
                ignored.insert(aspect);
                copy(have, want, &name);
            }
        }
        ignored.into_iter().for_each(|aspect| *self.counts.entry(aspect).or_default() += 1);
    }

    fn table(&mut self, kind: Kind, have: &Table, want: &mut Table) {
        for column in want.columns.iter_mut() {
            if let Some(present) = have.column(&column.name) {
                self.column(kind, present, column);
            }
        }
        if let (Some(present), Some(wanted)) = (&have.primary_key, &mut want.primary_key) {
            self.clauses(kind, &present.clauses, &mut wanted.clauses);
        }
        self.constraints(kind, &have.unique_keys, &mut want.unique_keys);
        self.constraints(kind, &have.foreign_keys, &mut want.foreign_keys);
        self.constraints(kind, &have.checks, &mut want.checks);
        self.constraints(kind, &have.exclusions, &mut want.exclusions);
        self.clauses(kind, &have.clauses, &mut want.clauses);
        self.constraint_names(have, want);
    }

    fn column(&mut self, kind: Kind, have: &Column, want: &mut Column) {
        if have.not_null != want.not_null && self.ignores(Aspect::NotNull) {
            want.not_null = have.not_null;
        }
        if have.default != want.default && self.ignores(Aspect::Default) {
            want.default.clone_from(&have.default);
        }
        if have.collation != want.collation && self.ignores(Aspect::Collation) {
            want.collation.clone_from(&have.collation);
        }
        self.clauses(kind, &have.clauses, &mut want.clauses);
    }

    fn constraints<T: Named>(&mut self, kind: Kind, have: &Unordered<T>, want: &mut Unordered<T>) {
        for wanted in want.iter_mut() {
            if let Some(present) = have.iter().find(|present| present.label() == wanted.label()) {
                self.clauses(kind, present.clauses(), wanted.clauses_mut());
            }
        }
    }

    /// Names of constraints that are alike in everything else, unless a clause of the table is about one of them by its name.
    fn constraint_names(&mut self, have: &Table, want: &mut Table) {
        if self.aspects.minds(Aspect::ConstraintName) {
            return;
        }
        let clauses = want.clauses.clone();
        if let (Some(present), Some(wanted)) = (&have.primary_key, &mut want.primary_key) {
            let mut number = 0;
            rename(present, wanted, &clauses, &mut number);
            *self.counts.entry(Aspect::ConstraintName).or_default() += number;
        }
        let mut number = rename_all(&have.unique_keys, &mut want.unique_keys, &clauses);
        number += rename_all(&have.foreign_keys, &mut want.foreign_keys, &clauses);
        number += rename_all(&have.checks, &mut want.checks, &clauses);
        number += rename_all(&have.exclusions, &mut want.exclusions, &clauses);
        if number > 0 {
            *self.counts.entry(Aspect::ConstraintName).or_default() += number;
        }
        self.counts.retain(|_, number| *number > 0);
    }

    /// The bodies of routines, where they differ only in layout or letter case.
    fn bodies(&mut self, have: &Object, want: &mut Object) {
        let options = BodyOptions {
            without_layout: !self.aspects.minds(Aspect::BodyLayout),
            without_case: !self.aspects.minds(Aspect::BodyCase),
        };
        if !options.without_layout && !options.without_case {
            return;
        }
        let kind = want.definition.kind();
        let (Some(old), Some(new)) = (have.definition.clauses(), want.definition.clauses()) else { return };
        let body = old.differing(new).into_iter().find(|name| self.dialect.aspect_of(kind, name) == Aspect::Body);
        let Some(body) = body.map(str::to_owned) else { return };
        let plain = |object: &Object, options: BodyOptions| {
            let text = object.definition.clauses()?.expression_named(&body)?;
            self.dialect.plain_body(object, text.written(), options)
        };
        let same = |options: BodyOptions| plain(have, options).is_some_and(|text| Some(text) == plain(want, options));
        if !same(options) {
            return;
        }
        let layout_alone = BodyOptions { without_case: false, ..options };
        let aspect = if options.without_layout && same(layout_alone) { Aspect::BodyLayout } else { Aspect::BodyCase };
        *self.counts.entry(aspect).or_default() += 1;
        if let (Some(old), Some(new)) = (have.definition.clauses(), want.definition.clauses_mut()) {
            copy(old, new, &body);
        }
    }

    /// Indexes of one table that are alike in everything but their names.
    fn index_names(&mut self, have: &Model, want: &mut Cow<'_, Model>) {
        let only = |model: &Model, other: &Model| -> Vec<Object> {
            let alone = model.of_kind(Kind::Index).filter(|index| other.find(Kind::Index, &index.name).is_none());
            alone.cloned().collect()
        };
        let mut present: BTreeMap<_, Vec<Object>> = BTreeMap::new();
        for index in only(have, want) {
            let owner = index.definition.owner().cloned();
            present.entry(owner).or_default().push(index);
        }
        for wanted in only(want, have) {
            let Some(candidates) = present.get_mut(&wanted.definition.owner().cloned()) else { continue };
            let Some(at) = candidates.iter().position(|index| index.definition == wanted.definition) else { continue };
            let found = candidates.remove(at);
            if self.dialect.can_rename(Kind::Index) {
                self.dialect.rename_object(want.to_mut(), &wanted.key(), &found.name);
            } else {
                want.to_mut().remove(&wanted.key());
                want.to_mut().insert(found);
            }
            *self.counts.entry(Aspect::IndexName).or_default() += 1;
        }
    }
}

fn copy(have: &Clauses, want: &mut Clauses, name: &str) {
    match have.get_named(name) {
        Some(value) => want.set_named(name, value.clone()),
        None => drop(want.remove_named(name)),
    }
}

/// A constraint whose name and clauses can be changed.
trait Named: Constraint {
    fn clauses(&self) -> &Clauses;
    fn clauses_mut(&mut self) -> &mut Clauses;
    /// The name, if comparison sees one.
    fn own_name(&self) -> Option<Name>;
    fn set_name(&mut self, name: Option<Name>);
}

macro_rules! named_by_field {
    ($($constraint:ty),*) => {$(
        impl Named for $constraint {
            fn clauses(&self) -> &Clauses {
                &self.clauses
            }

            fn clauses_mut(&mut self) -> &mut Clauses {
                &mut self.clauses
            }

            fn own_name(&self) -> Option<Name> {
                Some(self.name.clone())
            }

            fn set_name(&mut self, name: Option<Name>) {
                self.name = name.unwrap_or_else(Name::none);
            }
        }
    )*};
}

named_by_field!(Key, ForeignKey);

impl Named for Check {
    fn clauses(&self) -> &Clauses {
        &self.clauses
    }

    fn clauses_mut(&mut self) -> &mut Clauses {
        &mut self.clauses
    }

    fn own_name(&self) -> Option<Name> {
        self.name.clone()
    }

    fn set_name(&mut self, name: Option<Name>) {
        self.name = name;
    }
}

/// Gives `want` the name of `have` if they are alike in everything else.
fn rename<T: Named>(have: &T, want: &mut T, clauses: &Clauses, number: &mut usize) -> bool {
    let (old, new) = (have.own_name(), want.own_name());
    let mut renamed = want.clone();
    renamed.set_name(old.clone());
    if old == new || renamed != *have || new.is_some_and(|name| is_named(clauses, &name)) {
        return false;
    }
    *want = renamed;
    *number += 1;
    true
}

fn rename_all<T: Named>(have: &Unordered<T>, want: &mut Unordered<T>, clauses: &Clauses) -> usize {
    let mut number = 0;
    let mut open: Vec<T> = have.iter().filter(|item| !want.contains(item)).cloned().collect();
    for wanted in want.iter_mut().filter(|item| !have.contains(item)) {
        if let Some(at) = open.iter().position(|present| rename(present, wanted, clauses, &mut number)) {
            open.remove(at);
        }
    }
    number
}

/// Whether a clause of a table is about a constraint of this name.
fn is_named(clauses: &Clauses, name: &Name) -> bool {
    let is_it = |value: &Value| matches!(value, Value::Identifier(other) if other == name);
    clauses.iter().any(|(clause, value)| clause.ends_with(name.canonical()) || is_it(value))
}
