//! From statements to one model: source is a folder, not a sequence.
//!
//! Creates from all files come first, the rest folds in, file by file. Within one file the order counts, so a script that
//! drops a table and creates it again, or creates it and alters it, means what it says.

mod alter;

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use crate::diagnostics::{Code, Diagnostic};
use crate::dialects::Dialect;
use crate::model::{Kind, Model, Name, Object, ObjectKey};
use crate::parse::{AlterTable, Amendment, ParsedSource, Statement, StatementKind};
use crate::source::Location;

/// The model that the sources describe.
#[derive(Debug, Default)]
pub struct Folded {
    /// Everything that could be placed.
    pub model: Model,
    /// What could not.
    pub diagnostics: Vec<Diagnostic>,
    /// Names that exist, but could not be read.
    pub unreadable: BTreeSet<Name>,
}

/// Folds all sources, in order, into one model.
pub fn fold(dialect: &dyn Dialect, sources: Vec<ParsedSource>) -> Folded {
    let mut folder = Folder { dialect, folded: Folded::default(), names: BTreeMap::new() };
    let mut deferred = Vec::new();
    for source in sources {
        folder.folded.diagnostics.extend(source.diagnostics);
        folder.folded.unreadable.extend(source.unreadable);
        // Where each name is created last, to know the DROPs that only make room for a CREATE after them.
        let creates = source.statements.iter().enumerate().filter_map(|(index, statement)| match &statement.kind {
            StatementKind::Create { object, .. } => Some((object.name.clone(), index)),
            _ => None,
        });
        let last_create: HashMap<Name, usize> = creates.collect();
        let mut created = HashSet::new();
        let mut about_rows = Vec::new();
        for (index, Statement { location, kind }) in source.statements.into_iter().enumerate() {
            match kind {
                StatementKind::Create { object, if_not_exists, or_replace } => {
                    let name = object.name.clone();
                    if folder.create(*object, if_not_exists, or_replace) {
                        created.insert(name);
                    }
                }
                StatementKind::Alter { table, action } if created.contains(&table) => {
                    if let AlterTable::Rename(to) = &*action {
                        created.insert(to.clone());
                    }
                    folder.alter(&table, &action, location);
                }
                StatementKind::Drop { kind, name, if_exists } if folder.is_one_of(&created, dropped(kind), &name) => {
                    folder.drop(kind, &name, if_exists, location);
                }
                StatementKind::Amend(amendment) if folder.is_one_of(&created, &amendment.kinds, &amendment.name) => {
                    folder.amend(&amendment, location);
                }
                StatementKind::Drop { name, .. } if last_create.get(&name).is_some_and(|create| *create > index) => {}
                kind @ (StatementKind::Alter { .. } | StatementKind::Drop { .. } | StatementKind::Amend(_)) => {
                    deferred.push(Statement { location, kind });
                }
                StatementKind::Aside(note) if note.code == Code::WV007 => about_rows.push(*note),
                StatementKind::Aside(note) => folder.folded.diagnostics.push(*note),
                StatementKind::Session => {}
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
            StatementKind::Alter { table, action } => folder.alter(&table, &action, location),
            StatementKind::Drop { kind, name, if_exists } => folder.drop(kind, &name, if_exists, location),
            StatementKind::Amend(amendment) => folder.amend(&amendment, location),
            _ => {}
        }
    }
    folder.folded
}

struct Folder<'d> {
    dialect: &'d dyn Dialect,
    folded: Folded,
    /// Which kinds of object have a name.
    names: BTreeMap<Name, Vec<Kind>>,
}

impl Folder<'_> {
    /// Adds an object; false if its name was taken.
    fn create(&mut self, object: Object, if_not_exists: bool, or_replace: bool) -> bool {
        if self.dialect.is_internal(&object.name) {
            return true;
        }
        let kind = object.definition.kind();
        let taken = self
            .names
            .get(&object.name)
            .and_then(|kinds| kinds.iter().copied().find(|other| self.dialect.share_names(*other, kind)));
        if let Some(other) = taken {
            let first = self.folded.model.find(other, &object.name);
            let same = first.is_some_and(|first| first.definition == object.definition);
            let announced = first.is_some_and(|first| self.dialect.completes(first, &object));
            if (or_replace || announced) && other == kind {
                self.folded.model.insert(object);
                return true;
            }
            if if_not_exists && same {
                return true;
            }
            let first = first.and_then(|first| first.location);
            self.folded.diagnostics.push(
                Diagnostic::new(Code::WV101, format!("`{}` is defined twice", object.name))
                    .at(object.location.map(head), "defined again here")
                    .and_at(first.map(head), format!("first defined here, as {}", Articled(other)))
                    .help("rename one of them, or delete the one that is no longer meant"),
            );
            return false;
        }
        self.names.entry(object.name.clone()).or_default().push(kind);
        self.folded.model.insert(object);
        true
    }

    fn amend(&mut self, amendment: &Amendment, location: Location) {
        let Amendment { kinds, name, if_exists, apply } = amendment;
        let found = kinds.iter().find_map(|kind| self.dialect.resolve(&self.folded.model, *kind, name));
        let Some(key) = found else {
            if !if_exists && !self.folded.unreadable.contains(name) && !self.dialect.is_built_in(name) {
                self.unknown(kinds[0], name, location);
            }
            return;
        };
        let before = self.folded.model.len();
        if let Err(diagnostic) = apply(&mut self.folded.model, &key) {
            let placed = diagnostic.primary.is_some();
            self.folded.diagnostics.push(if placed {
                *diagnostic
            } else {
                diagnostic.at(head(location), "this change")
            });
        }
        // A rename or a move: the names are not what they were.
        if self.folded.model.len() != before || self.folded.model.get(&key).is_none() {
            self.names.clear();
            for object in self.folded.model.objects() {
                self.names.entry(object.name.clone()).or_default().push(object.definition.kind());
            }
        }
    }

    /// Whether the name is one of these, or means one of these routines without its arguments.
    fn is_one_of(&self, created: &HashSet<Name>, kinds: &[Kind], name: &Name) -> bool {
        let routines = kinds.iter().filter(|kind| matches!(kind, Kind::Function | Kind::Procedure | Kind::Aggregate));
        created.contains(name)
            || routines
                .filter_map(|kind| self.dialect.resolve(&self.folded.model, *kind, name))
                .any(|key| created.contains(&key.name))
    }

    fn drop(&mut self, kind: Kind, name: &Name, if_exists: bool, location: Location) {
        match dropped(kind).iter().find_map(|kind| self.dialect.resolve(&self.folded.model, *kind, name)) {
            Some(found) => {
                self.remove(&found);
                let owned = |object: &&Object| object.definition.owner() == Some(name);
                let owned: Vec<_> = self.folded.model.objects().filter(owned).map(Object::key).collect();
                if !matches!(found.kind, Kind::Index | Kind::Trigger) {
                    owned.iter().for_each(|key| self.remove(key));
                }
            }
            None if if_exists || self.folded.unreadable.contains(name) => {}
            None => self.unknown(kind, name, location),
        }
    }

    fn remove(&mut self, key: &ObjectKey) {
        self.folded.model.remove(key);
        if let Some(kinds) = self.names.get_mut(&key.name) {
            kinds.retain(|kind| *kind != key.kind);
        }
    }

    fn unknown(&mut self, kind: Kind, name: &Name, location: Location) {
        let known: Vec<&str> = self.folded.model.of_kind(kind).map(|object| object.name.written()).collect();
        let diagnostic = Diagnostic::new(Code::WV110, format!("there is no {} `{name}`", kind.title()))
            .at(head(location), "needs it")
            .suggest(name.written(), known);
        self.folded.diagnostics.push(diagnostic);
    }
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
