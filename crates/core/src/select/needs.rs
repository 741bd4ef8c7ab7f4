//! The needs of a choice, so that the result is a schema that an engine takes: the table under a view, the key under a foreign key, and
//! the removal of what depends on something that is removed.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Deref;

use super::element::{Constraint, Element, ElementPart};
use super::reverted::Reverted;
use crate::compare::{ConstraintKind, Privileges};
use crate::model::{Column, Definition, ForeignKey, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table};

/// Something that was included because a choice needs it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Included {
    /// The element.
    pub element: Element,
    /// The object because of which it is included.
    pub because: ObjectKey,
    /// The reason.
    pub reason: Reason,
}

/// Why an element is included in a choice.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reason {
    /// The chosen object needs it.
    Needed,
    /// It depends on something that is removed or changed.
    Dependent,
    /// It has the name of a chosen object.
    SameName,
    /// It is renamed, and something else has its former name.
    NameTaken,
}

impl Included {
    /// The reason in words: `view a needs it`.
    pub fn words(&self) -> String {
        let because = &self.because;
        match self.reason {
            Reason::Needed => format!("{because} needs this"),
            Reason::Dependent => format!("this depends on {because}"),
            Reason::NameTaken => "its former name is given to something else".to_owned(),
            Reason::SameName => format!("{because} has the same name"),
        }
    }
}

/// A model, and what is on each of its tables and views.
pub struct Indexed<'s> {
    model: &'s Model,
    by_owner: BTreeMap<&'s QualifiedName, Vec<&'s Object>>,
}

impl<'s> Indexed<'s> {
    pub fn new(model: &'s Model) -> Indexed<'s> {
        Indexed { model, by_owner: model.by_owner() }
    }

    fn owned(&self, by: &QualifiedName) -> &[&'s Object] {
        self.by_owner.get(by).map_or(&[], Vec::as_slice)
    }

    /// Whether a key or index of the parent is on the columns that a foreign key references.
    fn has_key_for(&self, foreign: &ForeignKey) -> bool {
        let Some(table) = self.model.table(&foreign.parent) else { return false };
        table.is_unique(&foreign.referenced_columns(table), self.owned(&foreign.parent))
    }
}

impl Deref for Indexed<'_> {
    type Target = Model;

    fn deref(&self) -> &Model {
        self.model
    }
}

/// The sides, the result so far, and what differs.
pub struct Needs<'s> {
    pub dialect: &'s dyn Privileges,
    /// Have, under its own names.
    pub before: &'s Model,
    /// Have, under want's names.
    pub have: &'s Indexed<'s>,
    pub want: &'s Indexed<'s>,
    /// The result of the choice so far.
    pub result: &'s Indexed<'s>,
    /// All elements that differ, and those that are chosen.
    pub all: &'s BTreeMap<ObjectKey, BTreeSet<ElementPart>>,
    pub chosen: &'s BTreeSet<Element>,
}

impl Needs<'_> {
    /// The elements that the result lacks: none if it is complete.
    pub fn missing(&self) -> Vec<Included> {
        let mut missing = Vec::new();
        for object in self.result.objects() {
            let key = object.key();
            self.schema(object, &key, &mut missing);
            self.names(object, &key, &mut missing);
            let owner = object.definition.owner().into_iter();
            // What is the same on both sides may use another routine of a name on each.
            let before = self.have.get(&key).filter(|_| !self.all.contains_key(&key));
            let is_there = |name: &QualifiedName| self.result.named(name).next().is_some();
            let fits = before.is_some_and(|before| before.uses.iter().all(is_there));
            let uses = if fits { before.map_or(&object.uses, |before| &before.uses) } else { &object.uses };
            for used in owner.chain(uses) {
                self.used(&key, used, &mut missing);
            }
            match &object.definition {
                Definition::Table(table) => self.table(&key, table, &mut missing),
                Definition::Index(index) => {
                    let parts = index.parts.iter().map(|part| self.dialect.name(&part.column()));
                    let parts: Vec<Name> = parts.collect();
                    self.columns(&key, &index.table, parts.iter(), &mut missing);
                }
                Definition::Trigger(trigger) => {
                    self.columns(&key, &trigger.table, trigger.columns.iter(), &mut missing)
                }
                _ => {}
            }
            self.reads(object, &key, &mut missing);
        }
        self.sequences(&mut missing);
        missing
    }

    /// A sequence that is made for a column: the two are created and removed together.
    fn sequences(&self, missing: &mut Vec<Included>) {
        for key in self.all.keys().filter(|key| key.kind == Kind::Sequence) {
            let (before, after) = (self.have.get(key), self.want.get(key));
            let Some(sequence) = before.xor(after) else { continue };
            let owner = sequence.definition.owner();
            let find = |name| self.want.find(Kind::Table, name).or_else(|| self.have.find(Kind::Table, name));
            let owner = owner.and_then(find);
            let Some(owner) = owner.map(Object::key) else { continue };
            let element = Element::object(key.clone());
            for part in self.all.get(&owner).into_iter().flatten() {
                let is_whole = self.have.get(&owner).is_none() || self.want.get(&owner).is_none();
                let is_meant = |column: &&Column| match part {
                    ElementPart::Column(name) => column.name == *name,
                    ElementPart::Object => is_whole,
                    ElementPart::Constraint(..) => false,
                };
                let tables = [self.have.get(&owner), self.want.get(&owner)].into_iter().flatten();
                let columns =
                    tables.filter_map(|table| Some(table.as_table()?.columns.iter())).flatten().filter(is_meant);
                let mut defaults = columns.filter_map(|column| column.default.as_ref());
                if !defaults.any(|default| default.may_use_object(&key.name)) {
                    continue;
                }
                let column = Element::of(&owner, part.clone());
                if self.chosen.contains(&column) {
                    self.add(element.clone(), &owner, Reason::Needed, missing);
                } else if self.chosen.contains(&element) {
                    self.add(column, key, Reason::Dependent, missing);
                }
            }
        }
    }

    /// Adds an element if it differs and is not chosen yet.
    fn add(&self, element: Element, because: &ObjectKey, reason: Reason, missing: &mut Vec<Included>) -> bool {
        let differs = self.all.get(&element.object).is_some_and(|parts| parts.contains(&element.part));
        let is_new = differs && !self.chosen.contains(&element);
        if is_new && missing.iter().all(|included| included.element != element) {
            missing.push(Included { element, because: because.clone(), reason });
        }
        is_new
    }

    /// Adds all of an object that differs.
    fn add_all(&self, object: &ObjectKey, because: &ObjectKey, reason: Reason, missing: &mut Vec<Included>) -> bool {
        let mut is_any_new = false;
        for part in self.all.get(object).into_iter().flatten() {
            is_any_new |= self.add(Element::of(object, part.clone()), because, reason, missing);
        }
        is_any_new
    }

    /// The schema of an object, where the schemas are objects.
    fn schema(&self, object: &Object, key: &ObjectKey, missing: &mut Vec<Included>) {
        let Some(schema) = object.name.schema() else { return };
        let is_it = |other: &&Object| other.name.identifier() == schema;
        let find = |model: &Model| model.of_kind(Kind::Schema).find(is_it).map(Object::key);
        if key.kind == Kind::Schema || find(self.result).is_some() {
            return;
        }
        if let Some(schema) = find(self.want) {
            self.add(Element::object(schema), key, Reason::Needed, missing);
        } else if let Some(schema) = find(self.have) {
            self.add_all(key, &schema, Reason::Dependent, missing);
        }
    }

    /// An object that has the place of another one, which is removed.
    fn names(&self, object: &Object, key: &ObjectKey, missing: &mut Vec<Included>) {
        if self.have.get(key).is_some() {
            return;
        }
        let others: Vec<ObjectKey> = self.result.named(&object.name).map(Object::key).collect();
        for other in others.iter().filter(|other| *other != key && self.dialect.share_names(key.kind, other.kind)) {
            self.add_all(other, key, Reason::SameName, missing);
        }
    }

    /// An object that another one uses.
    fn used(&self, key: &ObjectKey, used: &QualifiedName, missing: &mut Vec<Included>) {
        if self.result.named(used).next().is_some() {
            self.outputs(key, used, missing);
            return;
        }
        let wanted: Vec<ObjectKey> = self.want.named(used).map(Object::key).collect();
        let mut is_any_new = false;
        for wanted in wanted {
            is_any_new |= self.add(Element::object(wanted), key, Reason::Needed, missing);
        }
        let removed = self.have.named(used).next().map(Object::key);
        if let Some(removed) = removed.filter(|_| !is_any_new) {
            self.add_all(key, &removed, Reason::Dependent, missing);
        }
    }

    /// A view or type that another object uses: what it gives can't be told apart column by column, so the two go together.
    fn outputs(&self, key: &ObjectKey, used: &QualifiedName, missing: &mut Vec<Included>) {
        if !self.all.contains_key(key) {
            return;
        }
        let is_opaque = |object: &&Object| is_opaque(object.definition.kind());
        for object in self.result.named(used).filter(is_opaque) {
            let other = object.key();
            if self.has_chosen(key) && self.all.contains_key(&other) {
                self.add_all(&other, key, Reason::Needed, missing);
            }
            let before = self.before.get(&other).map(|object| &object.definition);
            if before.is_some_and(|before| *before != object.definition) {
                self.add_all(key, &other, Reason::Dependent, missing);
            }
        }
    }

    fn has_chosen(&self, key: &ObjectKey) -> bool {
        let parts = self.all.get(key).into_iter().flatten();
        parts.into_iter().any(|part| self.chosen.contains(&Element::of(key, part.clone())))
    }

    /// The renames without which a chosen object does not fit a view that it uses.
    pub fn renames(&self, want: &Model, reverted: &Reverted) -> BTreeMap<Element, ObjectKey> {
        let mut renames = BTreeMap::new();
        for object in self.result.objects().filter(|object| self.has_chosen(&object.key())) {
            let mut open: Vec<&Object> = object.uses.iter().flat_map(|used| self.result.named(used)).collect();
            open.retain(|used| {
                let key = used.key();
                let wanted = want.get(&reverted.in_want(&Element::object(key)).object);
                is_opaque(used.definition.kind()) && wanted.is_some_and(|wanted| wanted.definition != used.definition)
            });
            let mut seen = BTreeSet::new();
            while let Some(used) = open.pop() {
                let key = used.key();
                if seen.insert(key.clone()) {
                    renames.extend(reverted.of(&key).map(|element| (element, object.key())));
                    open.extend(used.uses.iter().flat_map(|used| self.result.named(used)));
                }
            }
        }
        renames
    }

    /// The columns that constraints of a table use, and the tables and keys of its foreign keys.
    fn table(&self, key: &ObjectKey, table: &Table, missing: &mut Vec<Included>) {
        let parts = |keys: &mut dyn Iterator<Item = &crate::model::Key>| -> Vec<Name> {
            keys.flat_map(|key| &key.parts).map(|part| part.column.clone()).collect()
        };
        let own = parts(&mut table.primary_key.iter());
        self.own_columns(key, table, &own, (ConstraintKind::PrimaryKey, ""), missing);
        for unique in table.unique_keys.iter() {
            let own = parts(&mut std::iter::once(unique));
            self.own_columns(key, table, &own, (ConstraintKind::UniqueKey, &unique.label()), missing);
        }
        for foreign in table.foreign_keys.iter() {
            self.own_columns(key, table, &foreign.columns, (ConstraintKind::ForeignKey, &foreign.label()), missing);
            self.parent(key, foreign, missing);
        }
        // A column that is removed takes its checks with it; one that is added is there before they are.
        for (kind, check) in (table.checks.iter().map(|check| (ConstraintKind::Check, check)))
            .chain(table.exclusions.iter().map(|check| (ConstraintKind::Exclusion, check)))
        {
            let mentioned =
                self.lost_or_new_columns(key, table).filter(|column| check.uses(column)).collect::<Vec<_>>();
            self.own_columns(key, table, &mentioned, (kind, &check.label()), missing);
        }
        let generated = table.columns.iter().filter(|column| column.generated.is_some() || column.default.is_some());
        for column in generated {
            let expressions = column.generated.iter().map(|generated| &generated.expression).chain(&column.default);
            let expressions: Vec<_> = expressions.collect();
            for absent in self.lost_or_new_columns(key, table) {
                if expressions.iter().any(|expression| expression.may_use_column(&absent)) {
                    self.column_or_dependent(key, &absent, ElementPart::Column(column.name.clone()), key, missing);
                }
            }
        }
    }

    /// The columns of a table that one side has and the result has not.
    fn lost_or_new_columns<'t>(&'t self, key: &ObjectKey, table: &'t Table) -> impl Iterator<Item = Name> + 't {
        let sides = [self.have.get(key), self.want.get(key)];
        let columns = sides.into_iter().flatten().filter_map(Object::as_table).flat_map(|table| table.columns.iter());
        let names: BTreeSet<Name> = columns.map(|column| column.name.clone()).collect();
        names.into_iter().filter(|name| table.column(name).is_none())
    }

    /// Columns that a constraint of their own table uses.
    fn own_columns(
        &self,
        key: &ObjectKey,
        table: &Table,
        columns: &[Name],
        (kind, label): (ConstraintKind, &str),
        missing: &mut Vec<Included>,
    ) {
        for column in columns.iter().filter(|column| table.column(column).is_none()) {
            self.column_or_dependent(key, column, ElementPart::Constraint(kind, label.into()), key, missing);
        }
    }

    /// Includes a column that want has; else the part that uses it, since the column is removed.
    fn column_or_dependent(
        &self,
        table: &ObjectKey,
        column: &Name,
        dependent: ElementPart,
        of: &ObjectKey,
        missing: &mut Vec<Included>,
    ) {
        let is_wanted =
            self.want.get(table).and_then(Object::as_table).is_some_and(|table| table.column(column).is_some());
        let element = Element::of(table, ElementPart::Column(column.clone()));
        if is_wanted && self.add(element, of, Reason::Needed, missing) {
            return;
        }
        if !self.add(Element::of(of, dependent), table, Reason::Dependent, missing) {
            self.add_all(of, table, Reason::Dependent, missing);
        }
    }

    /// The table of a foreign key, and the key that the columns need.
    fn parent(&self, key: &ObjectKey, foreign: &ForeignKey, missing: &mut Vec<Included>) {
        let dependent = Element::of(key, ElementPart::Constraint(ConstraintKind::ForeignKey, foreign.label()));
        let Some(parent) = self.result.relation(&foreign.parent) else {
            let wanted = self.want.relation(&foreign.parent).map(Object::key);
            if wanted.is_some_and(|wanted| self.add(Element::object(wanted), key, Reason::Needed, missing)) {
                return;
            }
            if let Some(removed) = self.have.relation(&foreign.parent).map(Object::key)
                && !self.add(dependent, &removed, Reason::Dependent, missing)
            {
                self.add_all(key, &removed, Reason::Dependent, missing);
            }
            return;
        };
        let parent_key = parent.key();
        let Some(table) = parent.as_table() else { return };
        let referenced = foreign.referenced_columns(table);
        for column in referenced.iter().filter(|column| table.column(column).is_none()) {
            self.column_or_dependent(&parent_key, column, dependent.part.clone(), key, missing);
        }
        if self.result.has_key_for(foreign) {
            return;
        }
        let keys = |table: &Table| -> Vec<ElementPart> {
            let unique =
                table.unique_keys.iter().map(|key| ElementPart::Constraint(ConstraintKind::UniqueKey, key.label()));
            unique.chain([ElementPart::Constraint(ConstraintKind::PrimaryKey, Default::default())]).collect()
        };
        let mut is_any_new = false;
        if self.want.has_key_for(foreign) {
            let wanted = self.want.get(&parent_key).and_then(Object::as_table).map(keys).unwrap_or_default();
            for part in wanted {
                is_any_new |= self.add(Element::of(&parent_key, part), key, Reason::Needed, missing);
            }
            let indexes = self.want.owned(&parent_key.name).iter();
            for index in indexes.filter(|object| object.as_index().is_some_and(|index| index.unique)) {
                is_any_new |= self.add(Element::object(index.key()), key, Reason::Needed, missing);
            }
        }
        if !is_any_new && self.have.has_key_for(foreign) {
            self.add(dependent, &parent_key, Reason::Dependent, missing);
        }
    }

    /// Columns of another table that an object names.
    fn columns<'n>(
        &self,
        key: &ObjectKey,
        of: &QualifiedName,
        columns: impl Iterator<Item = &'n Name>,
        missing: &mut Vec<Included>,
    ) {
        let Some((owner, table)) =
            self.result.find(Kind::Table, of).and_then(|owner| Some((owner.key(), owner.as_table()?)))
        else {
            return;
        };
        let has = |model: &Model, column: &Name| {
            model.get(&owner).and_then(Object::as_table).is_some_and(|table| table.column(column).is_some())
        };
        for column in columns.filter(|column| table.column(column).is_none()) {
            if has(self.want, column) || has(self.have, column) {
                self.column_or_dependent(&owner, column, ElementPart::Object, key, missing);
            }
        }
    }

    /// The columns that expressions and queries read; where the dialect does not record them, those whose names they mention.
    fn reads(&self, object: &Object, key: &ObjectKey, missing: &mut Vec<Included>) {
        if let Some(reads) = &object.reads {
            let mut by_table: BTreeMap<&QualifiedName, Vec<&Name>> = BTreeMap::new();
            for read in reads.iter().filter(|read| read.of != object.name) {
                by_table.entry(&read.of).or_default().extend(&read.column);
            }
            for (table, columns) in by_table {
                self.columns(key, table, columns.into_iter(), missing);
            }
            return;
        }
        let expressions = object.definition.expressions();
        for used in object.definition.owner().into_iter().chain(&object.uses) {
            let Some((owner, table)) =
                self.result.find(Kind::Table, used).and_then(|used| Some((used.key(), used.as_table()?)))
            else {
                continue;
            };
            if owner == *key || !self.all.contains_key(&owner) {
                continue;
            }
            for column in self.lost_or_new_columns(&owner, table) {
                if expressions.iter().any(|expression| expression.may_use_column(&column)) {
                    self.column_or_dependent(&owner, &column, ElementPart::Object, key, missing);
                }
            }
        }
    }
}

/// Whether objects of a kind are in no schema and are named by others.
/// Whether what an object gives to others can't be told from its definition, column by column.
fn is_opaque(kind: Kind) -> bool {
    matches!(kind, Kind::View | Kind::MaterializedView | Kind::VirtualTable | Kind::Type)
}
