//! From statements to one model: source is a folder, not a sequence.
//!
//! Creates from all files come first, the rest folds in, file by file. Within one file the order counts, so a script that
//! drops a table and creates it again, or creates it and alters it, is followed. What an earlier file has created makes room for
//! a file that drops it before it creates it itself.

mod alter;
mod completion;
mod run;
mod taken;

use std::collections::{BTreeSet, HashMap, HashSet};

use crate::change::{EngineChange, Scope};
use crate::diagnostics::{Code, Diagnostic, Severity};
use crate::model::{Kind, Model, Object, ObjectKey, QualifiedName};
use crate::parse::{Alter, ParsedSource, Statement, StatementKind};
use crate::source::Location;
pub use completion::Completion;
pub use run::Run;
pub use taken::{Held, Taken};

/// The model that the sources describe.
#[derive(Debug, Default)]
pub struct Folded {
    /// Everything that could be placed.
    pub model: Model,
    /// The findings.
    pub diagnostics: Vec<Diagnostic>,
    /// Names that exist, but could not be read.
    pub unreadable: BTreeSet<QualifiedName>,
    /// Where statements are that run code, which may make objects.
    pub unread: Vec<Location>,
    /// The words of these statements, in lower case.
    pub named_by_code: BTreeSet<String>,
}

/// Folds all sources, in order, into one model.
pub fn fold(dialect: &dyn Completion, sources: Vec<ParsedSource>) -> Folded {
    let mut folder = Folder::new(dialect, Folded::default());
    let mut deferred: Vec<Statement> = Vec::new();
    for source in sources {
        folder.folded.diagnostics.extend(source.diagnostics);
        folder.folded.unreadable.extend(source.unreadable);
        // Where each name is created last, to know the DROPs that only make room for a CREATE after them.
        let mut last_create: HashMap<QualifiedName, usize> = HashMap::new();
        let drops = source.statements.iter().any(|statement| matches!(statement.kind, StatementKind::Drop { .. }));
        for (index, statement) in source.statements.iter().enumerate().filter(|_| drops) {
            if let StatementKind::Create { object, .. } = &statement.kind {
                last_create.extend(dialect.short_name(&object.name).map(|short| (short, index)));
                last_create.insert(object.name.clone(), index);
            }
        }
        let mut created = HashSet::new();
        let mut about_rows = Vec::new();
        for (index, Statement { location, kind }) in source.statements.into_iter().enumerate() {
            let (kind, if_missing) = match kind {
                StatementKind::IfMissing(kind) => (*kind, true),
                kind => (kind, false),
            };
            match kind {
                StatementKind::Create { object, if_not_exists, or_replace } => {
                    let if_not_exists = if_not_exists || if_missing;
                    created.extend(folder.create(*object, if_not_exists, or_replace));
                }
                kind @ StatementKind::Alter(_) if if_missing => {
                    deferred.push(Statement { location, kind: StatementKind::IfMissing(Box::new(kind)) });
                }
                StatementKind::Drop { kind, name, if_exists, cascade }
                    if folder.is_of(location.source, &created, dropped(kind), &name) =>
                {
                    folder.drop(kind, &name, (if_exists, cascade), location);
                }
                StatementKind::Alter(alter)
                    if folder.is_of(location.source, &created, &alter.kinds, &alter.name)
                        && !folder.is_waiting(&alter) =>
                {
                    folder.alter(&alter, location);
                    created.extend(alter.new_name);
                }
                StatementKind::Drop { kind, name, cascade, .. }
                    if last_create.get(&name).is_some_and(|last| *last > index) =>
                {
                    if folder.drop(kind, &name, (true, cascade), location) {
                        deferred.retain(|statement| !statement.is_about(&name));
                    }
                }
                // The file that creates it is a later one.
                StatementKind::Drop { kind, name, if_exists: true, .. } if !folder.has(dropped(kind), &name) => {}
                StatementKind::Grant(grant) => {
                    grant.change.apply(&mut folder.folded.model, Scope::Source(location.source));
                    if grant.of_many {
                        deferred.push(Statement { location, kind: StatementKind::Grant(grant) });
                    }
                }
                kind @ (StatementKind::Alter(_) | StatementKind::Drop { .. }) => {
                    deferred.push(Statement { location, kind });
                }
                StatementKind::Aside { note, runs_code, .. } => {
                    folder.folded.unread.extend(runs_code.then_some(location));
                    if note.code == Code::WV007 {
                        about_rows.push(*note);
                    } else {
                        folder.folded.diagnostics.push(*note);
                    }
                }
                StatementKind::Session | StatementKind::IfMissing(_) => {}
            }
        }
        // A dump may hold thousands of them: one note a file.
        let more = about_rows.len().saturating_sub(1);
        let first = about_rows.into_iter().next();
        folder.folded.diagnostics.extend(first.map(|note| match more {
            0 => note,
            more => note.help(format!("so are {more} more statements in this file")),
        }));
    }
    for Statement { location, kind } in deferred {
        match kind {
            StatementKind::Alter(alter) => folder.alter(&alter, location),
            StatementKind::Drop { kind, name, if_exists, cascade } => {
                folder.drop(kind, &name, (if_exists, cascade), location);
            }
            StatementKind::IfMissing(kind) => folder.if_missing(*kind, location),
            StatementKind::Grant(grant) => {
                grant.change.apply(&mut folder.folded.model, Scope::OtherSources(location.source));
            }
            _ => {}
        }
    }
    folder.copy_all();
    folder.folded
}

struct Folder<'d> {
    dialect: &'d dyn Completion,
    folded: Folded,
    /// Which kinds of object have a name.
    names: HashMap<QualifiedName, Vec<Kind>>,
    /// Names that a rename has made free.
    vacated: HashSet<QualifiedName>,
    /// The names in use, collected when the first name must be made up.
    taken: Option<Taken>,
    /// The objects of a DROP and those that were dropped with them, and its place: the same DROP may name them again.
    along: (Option<Location>, HashSet<QualifiedName>),
}

impl<'d> Folder<'d> {
    fn new(dialect: &'d dyn Completion, folded: Folded) -> Folder<'d> {
        let (names, vacated, along) = Default::default();
        Folder { dialect, folded, names, vacated, taken: None, along }
    }
}

impl Folder<'_> {
    /// Adds an object, and gives its name; none if that was taken.
    fn create(&mut self, mut object: Object, if_not_exists: bool, or_replace: bool) -> Option<QualifiedName> {
        if self.dialect.is_internal(&object.name) {
            return Some(object.name);
        }
        self.dialect.inherit_present(&self.folded.model, &mut object);
        let kind = object.definition.kind();
        let taken = self
            .names
            .get(&object.name)
            .and_then(|kinds| kinds.iter().copied().find(|other| self.dialect.share_names(*other, kind)));
        let Some(other) = taken else {
            let brought = self.settle(&mut object);
            let name = object.name.clone();
            if self.vacated.remove(&name) {
                self.forget_former(&name);
            }
            let (copies, source) = (self.dialect.copies(&object), object.location.map(|location| location.source));
            self.put(object);
            for object in brought {
                self.create(object, false, false);
            }
            if copies {
                self.copy(&ObjectKey::new(kind, name.clone()), source);
            }
            return Some(name);
        };
        let first = self.take_out(&ObjectKey::new(other, object.name.clone()))?;
        let announced = self.dialect.completes(&first, &object);
        if (or_replace || announced) && other == kind {
            let name = object.name.clone();
            self.dialect.keep_replaced(&first, &mut object);
            self.settle(&mut object);
            self.put(object);
            return Some(name);
        }
        self.settle(&mut object);
        let skipped = if_not_exists && other == kind;
        // An object without a text has no other definition.
        let same = skipped && (first.definition == object.definition || object.text.is_empty());
        let name = object.name.clone();
        if !same {
            let (message, help) = if skipped {
                (
                    "is defined twice, and not in the same way",
                    "IF NOT EXISTS keeps the first: make them the same, or delete one",
                )
            } else {
                ("is defined twice", "rename one of them, or delete the one that is no longer needed")
            };
            let found = Diagnostic::new(Code::WV101, format!("`{name}` {message}"))
                .at(object.location.map(head), "defined again here")
                .and_at(first.location.map(head), format!("first defined here, as {}", Articled(other)))
                .help(help);
            let severity = if skipped { Severity::Warning } else { found.severity };
            self.folded.diagnostics.push(Diagnostic { severity, ..found });
        }
        self.put(first);
        skipped.then_some(name)
    }

    /// Completes an object that is not in the model, and returns the objects that are created with it.
    fn settle(&mut self, object: &mut Object) -> Vec<Object> {
        if self.taken.is_none() && self.dialect.is_incomplete(object) {
            let mut taken = Taken::default();
            self.folded.model.objects().for_each(|object| taken.add(self.dialect.held_names(object)));
            self.taken = Some(taken);
        }
        self.dialect.settle(object, self.taken.as_ref().unwrap_or(&Taken::default()))
    }

    /// Applies CREATE TABLE … LIKE: when the object is made, as far as its own source has it, as others may yet change
    /// it; else when it changes itself, or in the end.
    fn copy(&mut self, key: &ObjectKey, within: Option<u32>) {
        if let (Some(taken), Some(object)) = (&mut self.taken, self.folded.model.get(key)) {
            taken.remove(self.dialect.held_names(object));
        }
        let brought = self.dialect.take_copies(&mut self.folded.model, key, within);
        if let Some(mut object) = self.folded.model.remove(key) {
            self.settle(&mut object);
            self.put(object);
        }
        for object in brought {
            self.create(object, false, false);
        }
    }

    /// A copy of a copy: as many rounds as there are copies at most.
    fn copy_all(&mut self) {
        loop {
            let waiting = self.folded.model.objects().filter(|object| self.dialect.copies(object));
            let waiting: Vec<ObjectKey> = waiting.map(Object::key).collect();
            waiting.iter().for_each(|key| self.copy(key, None));
            let left = self.folded.model.objects().filter(|object| self.dialect.copies(object)).count();
            if left == 0 || left == waiting.len() {
                return;
            }
        }
    }

    fn put(&mut self, object: Object) {
        let kinds = self.names.entry(object.name.clone()).or_default();
        if !kinds.contains(&object.definition.kind()) {
            kinds.push(object.definition.kind());
        }
        if let Some(taken) = &mut self.taken {
            taken.add(self.dialect.held_names(&object));
        }
        self.folded.model.insert(object);
    }

    fn take_out(&mut self, key: &ObjectKey) -> Option<Object> {
        let object = self.folded.model.remove(key)?;
        if let Some(kinds) = self.names.get_mut(&key.name) {
            kinds.retain(|kind| *kind != key.kind);
        }
        if let Some(taken) = &mut self.taken {
            taken.remove(self.dialect.held_names(&object));
        }
        Some(object)
    }

    /// Takes an object out with its partitions and what they own; gives the partitions.
    fn take_out_with_all(&mut self, key: &ObjectKey) -> Vec<ObjectKey> {
        let alone = matches!(key.kind, Kind::Index | Kind::Trigger);
        let partitions = if alone { Vec::new() } else { self.dialect.partitions(&self.folded.model, &key.name) };
        self.take_out(key);
        if alone {
            return partitions;
        }
        for name in partitions.iter().map(|key| &key.name).chain([&key.name]) {
            let owned = |object: &&Object| object.definition.owner() == Some(name);
            let owned: Vec<_> = self.folded.model.objects().filter(owned).map(Object::key).collect();
            owned.iter().for_each(|key| drop(self.take_out(key)));
        }
        partitions.iter().for_each(|key| drop(self.take_out(key)));
        partitions
    }

    /// A rename in this source was of another object than the one that has the name now.
    fn forget_former(&mut self, name: &QualifiedName) {
        for object in self.folded.model.objects_mut() {
            object.formerly.table.take_if(|former| former == name);
        }
    }

    /// Makes a change that only the engine knows: it may be one of more than this object.
    fn change(&mut self, key: ObjectKey, change: &dyn EngineChange, location: Location) {
        if self.folded.model.get(&key).is_some_and(|object| self.dialect.copies(object)) {
            self.copy(&key, None);
        }
        let before = self.folded.model.len();
        // What a partition shares with its parent can change with it.
        let partitions = self.dialect.partitions(&self.folded.model, &key.name);
        let held = |key: &ObjectKey, model: &Model| model.get(key).map(|object| self.dialect.held_names(object));
        if let Some(taken) = &mut self.taken {
            let keys = partitions.iter().chain([&key]);
            keys.filter_map(|key| held(key, &self.folded.model)).for_each(|held| taken.remove(held));
        }
        if let Err(diagnostic) = change.apply(&mut self.folded.model, &key) {
            let placed = diagnostic.primary.is_some();
            self.folded.diagnostics.push(if placed {
                *diagnostic
            } else {
                diagnostic.at(head(location), "this change")
            });
        }
        if let Some(taken) = &mut self.taken {
            partitions.iter().filter_map(|key| held(key, &self.folded.model)).for_each(|held| taken.add(held));
        }
        let same_objects = self.folded.model.len() == before;
        if let Some(object) = self.folded.model.get_mut(&key)
            && same_objects
            && !self.dialect.is_incomplete(object)
        {
            let nothing = Taken::default();
            self.dialect.settle(object, self.taken.as_ref().unwrap_or(&nothing));
            if let Some(taken) = &mut self.taken {
                taken.add(self.dialect.held_names(object));
            }
            return;
        }
        match self.folded.model.remove(&key) {
            Some(mut object) if same_objects => {
                let brought = self.settle(&mut object);
                self.put(object);
                for object in brought {
                    self.create(object, false, false);
                }
            }
            // A rename or a move: the names are not what they were.
            other => {
                if other.is_none() {
                    self.vacated.insert(key.name);
                }
                if let Some(object) = other {
                    self.folded.model.insert(object);
                }
                self.count_names();
            }
        }
    }

    /// Makes a change without effect or error if its result is there already.
    fn if_missing(&mut self, kind: StatementKind, location: Location) {
        let found = match &kind {
            StatementKind::Alter(alter) => self.find(&alter.kinds, &alter.name),
            _ => None,
        };
        let before = found.and_then(|key| self.folded.model.get(&key).cloned());
        let said = self.folded.diagnostics.len();
        if let StatementKind::Alter(alter) = &kind {
            self.alter(alter, location);
        }
        let Some(before) = before else { return };
        let after = self.folded.model.get(&before.key());
        let is_there = after.is_some_and(has_a_name_twice)
            || self.folded.diagnostics[said..].iter().any(|found| matches!(found.code, Code::WV101 | Code::WV102));
        if is_there {
            self.folded.diagnostics.truncate(said);
            self.folded.model.insert(before);
            self.count_names();
        }
    }

    fn count_names(&mut self) {
        self.taken = None;
        self.names.clear();
        for object in self.folded.model.objects() {
            self.names.entry(object.name.clone()).or_default().push(object.definition.kind());
        }
    }

    /// The object that a name means, of the first kind that has one.
    fn find(&self, kinds: &[Kind], name: &QualifiedName) -> Option<ObjectKey> {
        kinds.iter().find_map(|kind| self.dialect.resolve(&self.folded.model, *kind, name))
    }

    /// Whether the name is, or means, something that this source creates: a routine without its arguments, what was renamed.
    fn is_of(&self, source: u32, created: &HashSet<QualifiedName>, kinds: &[Kind], name: &QualifiedName) -> bool {
        let is_here = |key: ObjectKey| {
            let object = self.folded.model.get(&key);
            object.and_then(|object| object.location).is_some_and(|location| location.source == source)
        };
        let meant = |kind: &Kind| self.dialect.resolve(&self.folded.model, *kind, name);
        created.contains(name) || kinds.iter().filter_map(meant).any(is_here)
    }

    /// Whether what changes has yet to copy something from a source that is read later.
    fn is_waiting(&self, alter: &Alter) -> bool {
        let object = self.find(&alter.kinds, &alter.name).and_then(|key| self.folded.model.get(&key));
        object.is_some_and(|object| self.dialect.copies(object))
    }

    /// Whether there is anything that the name can mean.
    fn has(&self, kinds: &[Kind], name: &QualifiedName) -> bool {
        kinds.iter().any(|kind| {
            self.dialect.resolve(&self.folded.model, *kind, name).is_some()
                || self.folded.model.of_kind(*kind).any(|o| self.dialect.short_name(&o.name).as_ref() == Some(name))
        })
    }

    /// Takes an object out with what it owns; whether it was there.
    fn drop(
        &mut self,
        kind: Kind,
        name: &QualifiedName,
        (if_exists, cascade): (bool, bool),
        location: Location,
    ) -> bool {
        let kinds = dropped(kind);
        match self.find(kinds, name) {
            Some(found) if kinds.contains(&found.kind) => {
                let mut along = Vec::new();
                if cascade {
                    along = self.dialect.drop_with_dependents(&mut self.folded.model, &found);
                    self.count_names();
                }
                if let Some(object) = self.folded.model.get(&found).cloned() {
                    self.dialect.forget(&mut self.folded.model, &object);
                }
                along.extend(self.take_out_with_all(&found));
                if self.along.0 != Some(location) {
                    self.along = (Some(location), HashSet::new());
                }
                self.along.1.extend(along.into_iter().map(|key| key.name).chain([found.name]));
                return true;
            }
            // The name means something inside another object.
            Some(found) if kind == Kind::Index => self.folded.diagnostics.push(
                Diagnostic::new(Code::WV110, format!("index `{name}` belongs to {found} and does not go alone"))
                    .at(head(location), "can't drop it")
                    .help("drop the constraint that it belongs to, or the index of the partitioned table"),
            ),
            _ if if_exists || self.folded.unreadable.contains(name) => {}
            _ if self.along.0 == Some(location) && self.along.1.contains(name) => {}
            _ => self.unknown(kind, name, location),
        }
        false
    }

    fn unknown(&mut self, kind: Kind, name: &QualifiedName, location: Location) {
        let known: Vec<&str> = self.folded.model.of_kind(kind).map(|object| object.name.written()).collect();
        let diagnostic = Diagnostic::new(Code::WV110, format!("there is no {} `{name}`", kind.title()))
            .at(head(location), "needs it")
            .suggest(name.written(), known);
        self.folded.diagnostics.push(diagnostic);
    }
}

/// Whether two columns or two constraints of a table have one name.
fn has_a_name_twice(object: &Object) -> bool {
    let Some(table) = object.as_table() else { return false };
    let mut columns = HashSet::new();
    let mut constraints = HashSet::new();
    let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| &key.name);
    let checks = table.checks.iter().chain(table.exclusions.iter()).filter_map(|check| check.name.as_ref());
    let mut named = keys.chain(table.foreign_keys.iter().map(|key| &key.name)).chain(checks);
    table.columns.iter().any(|column| !columns.insert(&column.name))
        || named.any(|name| !name.canonical().is_empty() && !constraints.insert(name))
}

/// The kinds that a DROP of a kind may mean.
fn dropped(kind: Kind) -> &'static [Kind] {
    match kind {
        Kind::Table => &[Kind::Table, Kind::VirtualTable],
        Kind::Type => &[Kind::Type, Kind::Domain],
        Kind::Function => &[Kind::Function, Kind::Procedure, Kind::Aggregate],
        kind => Kind::ALL.iter().find(|other| **other == kind).map_or(&[], std::slice::from_ref),
    }
}

/// The first word of a statement, to point at: the whole of it would fill the screen.
pub fn head(location: Location) -> Location {
    Location { end: location.end.min(location.start + 6), ..location }
}

struct Articled(Kind);

impl std::fmt::Display for Articled {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{} {}", if self.0 == Kind::Index { "an" } else { "a" }, self.0.title())
    }
}
