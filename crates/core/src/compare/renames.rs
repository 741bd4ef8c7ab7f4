//! Renamed tables and columns, by their `-- wevrun: formerly OLD_NAME` comments.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use crate::change::Semantics;
use crate::model::{Column, Kind, Model, Name, Object, ObjectKey, QualifiedName};

/// Names in have and the names in want that mean the same.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Renames {
    /// Objects: the kind, the name in have, the name in want.
    pub tables: Vec<(Kind, QualifiedName, QualifiedName)>,
    /// Objects that are renamed with another one: the key in have, the key in want.
    moved: BTreeMap<ObjectKey, ObjectKey>,
    /// Columns: the table by its name in want, the column's name in have, and in want.
    pub columns: Vec<(QualifiedName, Name, Name)>,
    /// Former names that have has, and that can't be followed.
    pub unfollowed: Vec<Unfollowed>,
}

/// A former name that can't be followed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unfollowed {
    /// The object with the former name: `table public.hives`.
    pub what: String,
    /// The former name.
    pub old: String,
    /// Why it can't.
    pub why: &'static str,
}

/// The only name that differs in letter case alone.
fn in_any_case<'m, N: AsRef<Name>>(names: impl Iterator<Item = &'m N>, wanted: &N) -> Option<&'m N> {
    let plain = |name: &N| name.as_ref().canonical().replace('"', "").to_lowercase();
    let wanted = plain(wanted);
    let mut found = names.filter(|name| plain(name) == wanted);
    found.next().filter(|_| found.next().is_none())
}

/// The former name of an object or column.
#[derive(Debug)]
struct Claim<'m, N> {
    /// The kind of object; none for a column.
    kind: Option<Kind>,
    old: &'m N,
    new: &'m N,
    what: String,
}

/// The claims of one set of names.
#[derive(Debug)]
struct Claims<'m, N> {
    /// Each with whether have has the new name too.
    open: Vec<(Claim<'m, N>, bool)>,
    unfollowed: Vec<Unfollowed>,
}

impl<N> Default for Claims<'_, N> {
    fn default() -> Self {
        Claims { open: Vec::new(), unfollowed: Vec::new() }
    }
}

impl<'m, N: Ord + ToString> Claims<'m, N> {
    fn add(&mut self, claim: Claim<'m, N>, is_there: bool) {
        let is_of = |other: &Claim<'_, N>| other.old == claim.old && other.kind == claim.kind;
        if self.open.iter().any(|(other, _)| is_of(other)) {
            // Where the new name is there, the rename is done.
            if !is_there {
                self.refuse(&claim, "something else claims that name, too");
            }
        } else {
            self.open.push((claim, is_there));
        }
    }

    fn refuse(&mut self, claim: &Claim<'_, N>, why: &'static str) {
        self.unfollowed.push(Unfollowed { what: claim.what.clone(), old: claim.old.to_string(), why });
    }

    /// The renames to be made, each after the one that makes its new name free. `same` tells whether have's object of the first name is
    /// equal to want's of the second: this tells names that were exchanged already from names that are to be exchanged.
    fn followed(&mut self, same: impl Fn(&N, &N) -> bool) -> Vec<Claim<'m, N>> {
        // A new name that is in use, and stays so, has been given already.
        loop {
            let old: BTreeSet<&N> = self.open.iter().map(|(claim, _)| claim.old).collect();
            let before = self.open.len();
            self.open.retain(|(claim, is_there)| !is_there || old.contains(claim.new));
            if self.open.len() == before {
                break;
            }
        }
        let mut waiting: Vec<Claim<'m, N>> =
            std::mem::take(&mut self.open).into_iter().map(|(claim, _)| claim).collect();
        let mut followed = Vec::new();
        while !waiting.is_empty() {
            let old: BTreeSet<&N> = waiting.iter().map(|claim| claim.old).collect();
            let (ready, others): (Vec<_>, Vec<_>) = waiting.into_iter().partition(|claim| !old.contains(claim.new));
            waiting = others;
            if ready.is_empty() {
                break;
            }
            followed.extend(ready);
        }
        // What is left is a cycle of names.
        let is_done = waiting.iter().all(|claim| same(claim.new, claim.new))
            && !waiting.iter().all(|claim| same(claim.old, claim.new));
        for claim in waiting.iter().filter(|_| !is_done) {
            let why = "the names are exchanged, and whether that was done already can't be told; take the comments out if it \
                       was, else rename one of them to a third name in one release, and to its last one in the next";
            self.refuse(claim, why);
        }
        followed
    }
}

impl Renames {
    /// The renames by want's former names that fit have: the old name is there, and the new one is not, or is renamed itself.
    /// Other renames in a schema that is renamed itself are not followed.
    pub fn find(dialect: &dyn Semantics, have: &Model, want: &Model) -> Renames {
        let mut renames = Renames::default();
        let mut claims = Claims::default();
        for object in want.objects() {
            let Some(old) = &object.formerly.table else { continue };
            let kind = object.definition.kind();
            let found = have.find(kind, old).map(|object| &object.name);
            let old = found.or_else(|| in_any_case(have.of_kind(kind).map(|object| &object.name), old)).unwrap_or(old);
            let claim = Claim { kind: Some(kind), old, new: &object.name, what: object.key().to_string() };
            let is_there = have.relation(&object.name).is_some() || have.find(kind, &object.name).is_some();
            if have.find(kind, old).is_some() && dialect.can_rename(kind) {
                claims.add(claim, is_there);
            } else if !is_there && kind.is_relation() && have.relation(old).is_some() {
                claims.refuse(&claim, "have's object of that name is of another kind");
            }
        }
        let same = |old: &QualifiedName, new: &QualifiedName| {
            let (have, want) = (have.relation(old), want.relation(new));
            have.zip(want).is_some_and(|(have, want)| have.definition == want.definition)
        };
        for claim in claims.followed(same) {
            let kind = claim.kind.expect("it is an object");
            for key in have.objects().map(Object::key) {
                let now = renames.moved.get(&key).unwrap_or(&key);
                if let Some(to) = dialect.renamed_with(now, kind, claim.old, claim.new) {
                    renames.moved.insert(key, to);
                }
            }
            renames.tables.push((kind, claim.old.clone(), claim.new.clone()));
        }
        renames.unfollowed = claims.unfollowed;
        // A schema's new name is that in which its objects are renamed.
        renames.tables.sort_by_key(|(kind, _, _)| *kind != Kind::Schema);
        for object in want.objects().filter(|object| !object.formerly.columns.is_empty()) {
            let in_have = renames.table_in_have(&object.key()).unwrap_or_else(|| object.name.clone());
            if object.definition.kind() == Kind::Type {
                let labels = have.find(Kind::Type, &in_have).map_or_else(Vec::new, |have| dialect.labels(have));
                let what = |new: &Name| format!("label {new} of {}", object.key());
                renames.find_parts(object, &labels.iter().collect::<Vec<_>>(), what, |_, _| false);
            } else if let (Some(have), Some(want)) = (have.table(&in_have), object.as_table()) {
                let columns: Vec<&Name> = have.columns.iter().map(|column| &column.name).collect();
                let what = |new: &Name| format!("column {}.{new}", object.name);
                let same = |old: &Name, new: &Name| {
                    have.column(old)
                        .zip(want.column(new))
                        .is_some_and(|(have, want)| *want == Column { name: new.clone(), ..have.clone() })
                };
                renames.find_parts(object, &columns, what, same);
            }
        }
        renames
    }

    /// Follows the former names of an object's columns or labels. `present` are those that it has in have.
    fn find_parts(
        &mut self,
        object: &Object,
        present: &[&Name],
        what: impl Fn(&Name) -> String,
        same: impl Fn(&Name, &Name) -> bool,
    ) {
        let mut claims = Claims::default();
        for (new, old) in &object.formerly.columns {
            let found = present.iter().copied().find(|name| *name == old);
            let Some(old) = found.or_else(|| in_any_case(present.iter().copied(), old)) else { continue };
            claims.add(Claim { kind: None, old, new, what: what(new) }, present.contains(&new));
        }
        let followed = claims.followed(same).into_iter();
        self.columns.extend(followed.map(|claim| (object.name.clone(), claim.old.clone(), claim.new.clone())));
        self.unfollowed.extend(claims.unfollowed);
    }

    /// The same, the other way round: for the way back.
    pub fn inverted(&self) -> Renames {
        let old_table = |new: &QualifiedName| {
            self.tables.iter().find(|(_, _, to)| to == new).map_or_else(|| new.clone(), |(_, from, _)| from.clone())
        };
        Renames {
            moved: self.moved.iter().map(|(from, to)| (to.clone(), from.clone())).collect(),
            tables: self.tables.iter().rev().map(|(kind, from, to)| (*kind, to.clone(), from.clone())).collect(),
            // They are reverted in the opposite order.
            columns: (self.columns.iter().rev())
                .map(|(table, from, to)| (old_table(table), to.clone(), from.clone()))
                .collect(),
            unfollowed: Vec::new(),
        }
    }

    /// Whether nothing is renamed.
    pub fn is_empty(&self) -> bool {
        self.tables.is_empty() && self.columns.is_empty()
    }

    /// The key in want of an object of have.
    pub fn key_in_want(&self, key: &ObjectKey) -> ObjectKey {
        let renamed = self.tables.iter().find(|(kind, from, _)| *kind == key.kind && *from == key.name);
        let moved = || self.moved.get(key).unwrap_or(key).clone();
        renamed.map_or_else(moved, |(kind, _, to)| ObjectKey::new(*kind, to.clone()))
    }

    /// The key in have of an object of want.
    pub fn key_in_have(&self, key: &ObjectKey) -> ObjectKey {
        if let Some(name) = self.table_in_have(key) {
            return ObjectKey::new(key.kind, name);
        }
        let moved = self.moved.iter().find(|(_, to)| *to == key);
        moved.map_or_else(|| key.clone(), |(from, _)| from.clone())
    }

    /// The name in have of an object of want that is renamed itself.
    pub fn table_in_have(&self, key: &ObjectKey) -> Option<QualifiedName> {
        self.tables.iter().find(|(kind, _, to)| *kind == key.kind && *to == key.name).map(|(_, from, _)| from.clone())
    }

    /// The renamed columns of a table of want: the name in have, and in want.
    pub fn columns_of(&self, table: &QualifiedName) -> Vec<(Name, Name)> {
        self.columns
            .iter()
            .filter(|(name, _, _)| name == table)
            .map(|(_, from, to)| (from.clone(), to.clone()))
            .collect()
    }

    /// The model with have's names replaced by want's.
    pub fn apply<'m>(&self, dialect: &dyn Semantics, have: &'m Model) -> Cow<'m, Model> {
        if self.is_empty() {
            return Cow::Borrowed(have);
        }
        let mut model = have.clone();
        for (kind, from, to) in &self.tables {
            dialect.rename_object(&mut model, &ObjectKey::new(*kind, from.clone()), to);
        }
        for (table, from, to) in &self.columns {
            dialect.rename_column(&mut model, table, from, to);
        }
        Cow::Owned(model)
    }
}
