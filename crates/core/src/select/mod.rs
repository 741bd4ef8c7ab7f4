//! Which differences are to be resolved, and the schema that results: have, with the chosen differences resolved.
//!
//! The result takes the place of want in everything that follows: comparison, plan, fingerprint and proof need no special case.

mod aspects;
mod element;
mod ignore;
mod mixed;
mod needs;
mod pattern;
mod released;
mod reverted;

use std::collections::{BTreeMap, BTreeSet};

pub use aspects::{Aspects, aspects_of};
pub use element::{Element, ElementPart};
pub use ignore::{IgnoredCounts, ignore};
pub use needs::{Included, Reason};
pub use pattern::{ChangeKind, Choice, DifferencePattern, Selection};
pub use released::released;

use crate::compare::{Change, Comparison, Difference, Privileges, Renames, add_access, compare_with};
use crate::diagnostics::Diagnostic;
use crate::engine::EngineVersion;
use crate::model::{Identifiers, Model, Name, Object, ObjectKey};
use crate::reread::{Rereading, take_over};
use crate::source::Source;
use element::all_elements;
use mixed::mixed;
use needs::{Indexed, Needs};
use pattern::Candidate;
use reverted::Reverted;

/// The result of a choice.
#[derive(Debug)]
pub struct Selected {
    /// Have, with the chosen differences resolved.
    pub want: Model,
    /// Elements that were included because the choice needs them.
    pub included: Vec<Included>,
    /// The chosen and included elements.
    pub chosen: BTreeSet<Element>,
    /// The differences that are not chosen.
    pub left: BTreeSet<Element>,
    /// The same as the result calls it: what is renamed only in want has its name in have.
    pub kept: Vec<Element>,
    /// Patterns that match no difference.
    pub unmatched: Vec<DifferencePattern>,
}

/// Why a choice has no result: the errors that the schema would have. The texts are those that the places refer to.
#[derive(Debug)]
pub struct Unsatisfiable {
    /// The errors.
    pub diagnostics: Vec<Diagnostic>,
    /// The texts.
    pub sources: Vec<Source>,
}

/// How the differences are chosen.
#[derive(Debug, Clone, Copy)]
pub enum Chooser<'c> {
    /// By patterns.
    Patterns(&'c Choice),
    /// One by one.
    Elements(&'c BTreeSet<Element>),
}

impl Chooser<'_> {
    fn includes(self, names: &dyn Identifiers, candidate: &Candidate<'_>) -> bool {
        match self {
            Chooser::Patterns(choice) => choice.includes(names, candidate),
            Chooser::Elements(elements) => elements.contains(&candidate.in_want),
        }
    }

    fn unmatched(self, names: &dyn Identifiers, models: &[&Model]) -> Vec<DifferencePattern> {
        match self {
            Chooser::Patterns(choice) => choice.unmatched(names, models).into_iter().cloned().collect(),
            Chooser::Elements(_) => Vec::new(),
        }
    }
}

/// Resolves the chosen differences between two models, with what they need. `access`: whether owners, privileges and labels are
/// compared.
pub fn select(
    dialect: &'static dyn Privileges,
    version: EngineVersion,
    (have, want): (&Model, &Model),
    chooser: Chooser<'_>,
    access: bool,
) -> Result<Selected, Box<Unsatisfiable>> {
    let reading = Rereading { dialect, version, access };
    let mut needed = BTreeMap::new();
    loop {
        match attempt(&reading, (have, want), chooser, &needed)? {
            Attempt::Done(selected) => return Ok(*selected),
            Attempt::NeedsRenames(renames) => needed.extend(renames),
        }
    }
}

/// A try to resolve a choice.
enum Attempt {
    /// It is resolved.
    Done(Box<Selected>),
    /// Renames that must be made as well, and the object because of which.
    NeedsRenames(BTreeMap<Element, ObjectKey>),
}

fn attempt(
    reading: &Rereading,
    (have, want): (&Model, &Model),
    chooser: Chooser<'_>,
    needed: &BTreeMap<Element, ObjectKey>,
) -> Result<Attempt, Box<Unsatisfiable>> {
    let (dialect, access) = (reading.dialect, reading.access);
    let in_full = want;
    let renames = Renames::find(dialect, have, want);
    let reachable = reachable(reading, (have, want), &renames, chooser);
    let (reverted, mut want) = Reverted::revert(dialect, (have, want), &renames, (chooser, needed), &reachable);
    let other = |object: &&Object| in_full.get(&object.key()).map(|full| &full.definition) != Some(&object.definition);
    let renamed: BTreeSet<ObjectKey> = want.objects().filter(other).map(Object::key).collect();
    if !renamed.is_empty() {
        let read = reading.read(&want).0.model;
        take_over(&mut want, &renamed, &read);
    }
    let (reverted, want) = (&reverted, &want);
    let renames = Renames::find(dialect, have, want);
    let renamed = renames.apply(dialect, have);
    let mut comparison = compare_with(dialect, have, want, renames);
    if access {
        add_access(dialect, &mut comparison, have, want);
    }
    let all = all_elements(&comparison, &renamed);
    let candidates = candidates(&comparison, (&renamed, want), &all, reverted);
    let unmatched = chooser.unmatched(dialect, &[have, in_full]);
    let chosen = candidates.iter().filter(|candidate| chooser.includes(dialect, candidate));
    let mut chosen: BTreeSet<Element> = chosen.map(|candidate| candidate.element.clone()).collect();
    let mut by_object: BTreeMap<ObjectKey, BTreeSet<ElementPart>> = BTreeMap::new();
    for element in &all {
        by_object.entry(element.object.clone()).or_default().insert(element.part.clone());
    }
    let (have_indexed, want_indexed) = (Indexed::new(&renamed), Indexed::new(want));
    let mut included = Vec::new();
    for element in reverted.forced.iter().filter(|element| all.contains(element) && !chosen.contains(element)) {
        let because = element.object.clone();
        included.push(Included { element: element.clone(), because, reason: Reason::NameTaken });
    }
    for (element, because) in needed.iter().filter(|(element, _)| !chosen.contains(element)) {
        included.push(Included { element: element.clone(), because: because.clone(), reason: Reason::Needed });
    }
    chosen.extend(included.iter().map(|included| included.element.clone()));
    follow_columns(&by_object, (&renamed, want), &mut chosen);
    let mut result = resolved((&renamed, want), &by_object, &chosen);
    loop {
        let indexed = Indexed::new(&result);
        let needs = Needs {
            dialect,
            before: have,
            have: &have_indexed,
            want: &want_indexed,
            result: &indexed,
            all: &by_object,
            chosen: &chosen,
        };
        let missing = needs.missing();
        if missing.is_empty() {
            let renames = needs.renames(in_full, reverted);
            if !renames.is_empty() {
                return Ok(Attempt::NeedsRenames(renames));
            }
            break;
        }
        chosen.extend(missing.iter().map(|included| included.element.clone()));
        included.extend(missing);
        follow_columns(&by_object, (&renamed, want), &mut chosen);
        result = resolved((&renamed, want), &by_object, &chosen);
    }
    let kept: Vec<Element> = all.difference(&chosen).cloned().collect();
    if !kept.is_empty() && !chosen.is_empty() {
        result = settled(reading, result, (&renamed, want), &chosen)?;
    }
    let in_want = |element: &Element| reverted.in_want(element);
    included.iter_mut().for_each(|included| included.element = in_want(&included.element));
    let left = kept.iter().map(in_want).chain(reverted.elements()).collect();
    let chosen = chosen.iter().map(in_want).collect();
    Ok(Attempt::Done(Box::new(Selected { want: result, included, chosen, left, kept, unmatched })))
}

/// The objects that are chosen, where all renames are made, and those that they use, directly or not.
fn reachable(
    reading: &Rereading,
    (have, want): (&Model, &Model),
    renames: &Renames,
    chooser: Chooser<'_>,
) -> BTreeSet<ObjectKey> {
    if renames.is_empty() {
        return BTreeSet::new();
    }
    let renamed = renames.apply(reading.dialect, have);
    let comparison = compare_with(reading.dialect, have, want, renames.clone());
    let all = all_elements(&comparison, &renamed);
    let candidates = candidates(&comparison, (&renamed, want), &all, &Reverted::default());
    let chosen = candidates.iter().filter(|candidate| chooser.includes(reading.dialect, candidate));
    let mut open: Vec<ObjectKey> = chosen.map(|candidate| candidate.element.object.clone()).collect();
    let mut reachable = BTreeSet::new();
    while let Some(key) = open.pop() {
        if let Some(object) = want.get(&key).filter(|_| reachable.insert(key.clone())) {
            let parents =
                object.as_table().into_iter().flat_map(|table| table.foreign_keys.iter()).map(|key| &key.parent);
            let used = object.definition.owner().into_iter().chain(&object.uses).chain(parents);
            open.extend(used.flat_map(|name| want.named(name)).map(Object::key));
        }
    }
    reachable
}

/// Every element that differs, with what patterns are matched with.
fn candidates<'c>(
    comparison: &Comparison<'_>,
    (have, want): (&Model, &Model),
    all: &'c BTreeSet<Element>,
    reverted: &Reverted,
) -> Vec<Candidate<'c>> {
    let by_key: BTreeMap<ObjectKey, &Difference<'_>> =
        comparison.differences.iter().map(|difference| (element::key_of(comparison, difference), difference)).collect();
    let candidate = |element: &'c Element| {
        let object = want.get(&element.object).or_else(|| have.get(&element.object));
        let owner = object.and_then(|object| object.definition.owner());
        let owner = owner.and_then(|owner| want.relation(owner).or_else(|| have.relation(owner))).map(Object::key);
        let found = by_key.get(&element.object).map(|difference| &difference.change);
        let change = found.map_or(ChangeKind::Change, ChangeKind::from);
        let formerly = match found {
            Some(Change::Change { formerly, .. }) => formerly.clone(),
            _ => None,
        };
        let formerly = formerly.map(|name| ObjectKey::new(element.object.kind, name));
        Candidate { element, in_want: reverted.in_want(element), formerly, owner, change }
    };
    all.iter().map(candidate).collect()
}

/// Adds the constraints that are on nothing but chosen new columns: written with the column, they are a part of it.
fn follow_columns(
    all: &BTreeMap<ObjectKey, BTreeSet<ElementPart>>,
    (have, want): (&Model, &Model),
    chosen: &mut BTreeSet<Element>,
) {
    for (key, parts) in all {
        let (Some(old), Some(new)) =
            (have.get(key).and_then(Object::as_table), want.get(key).and_then(Object::as_table))
        else {
            continue;
        };
        let added = |name: &Name| old.column(name).is_none();
        let is_chosen =
            |name: &Name| added(name) && chosen.contains(&Element::of(key, ElementPart::Column(name.clone())));
        let follows: Vec<&ElementPart> = parts
            .iter()
            .filter(|part| match part {
                ElementPart::Constraint(kind, label) => {
                    let columns = element::columns_of(new, *kind, label);
                    !columns.is_empty() && columns.iter().all(is_chosen)
                }
                _ => false,
            })
            .collect();
        chosen.extend(follows.into_iter().map(|part| Element::of(key, part.clone())));
    }
}

/// Want, with everything that is not chosen as have has it.
fn resolved(
    (have, want): (&Model, &Model),
    all: &BTreeMap<ObjectKey, BTreeSet<ElementPart>>,
    chosen: &BTreeSet<Element>,
) -> Model {
    let mut model = want.clone();
    for (key, parts) in all {
        let of_object = |part: &&ElementPart| chosen.contains(&Element::of(key, (*part).clone()));
        let taken: BTreeSet<&ElementPart> = parts.iter().filter(of_object).collect();
        if taken.len() == parts.len() {
            continue;
        }
        match (have.get(key), want.get(key)) {
            (Some(old), Some(new)) if !taken.is_empty() => drop(model.insert(mixed(old, new, &taken))),
            (Some(old), _) => drop(model.insert(old.clone())),
            (None, Some(_)) => drop(model.remove(key)),
            (None, None) => match have.find_granted_only(key) {
                Some(old) => drop(model.insert_granted_only(old.clone())),
                None => drop(model.remove_granted_only(key)),
            },
        }
    }
    model
}

/// The result as the engine would read it: what is a mixture of both sides, and what uses that, gets its canonical form again.
/// Fails if the schema has errors that neither side has.
fn settled(
    reading: &Rereading,
    mut result: Model,
    (have, want): (&Model, &Model),
    chosen: &BTreeSet<Element>,
) -> Result<Model, Box<Unsatisfiable>> {
    let (built, sources) = reading.read(&result);
    if built.has_errors() {
        let messages = |side: &Model| reading.read(side).0.diagnostics.into_iter().map(|found| found.message);
        let known: BTreeSet<String> = messages(have).chain(messages(want)).collect();
        let is_new = |found: &Diagnostic| found.is_error() && !known.contains(&found.message);
        let diagnostics: Vec<Diagnostic> = built.diagnostics.into_iter().filter(is_new).collect();
        if !diagnostics.is_empty() {
            return Err(Box::new(Unsatisfiable { diagnostics, sources }));
        }
    }
    let mut affected = affected(&result, (have, want));
    // The name that an engine makes up for a sequence or constraint depends on what else there is.
    let is_renamed = |key: &&ObjectKey| {
        let (own, read) = (result.get(key), built.model.get(key));
        own.zip(read).is_some_and(|(own, read)| read.definition.is_sure() && own.definition != read.definition)
    };
    affected.extend(chosen.iter().map(|element| &element.object).filter(is_renamed).cloned());
    take_over(&mut result, &affected, &built.model);
    Ok(result)
}

/// The objects that are as neither side has them, and those that use, directly or not, something that is not as it is on the side that
/// they are from.
fn affected(result: &Model, (have, want): (&Model, &Model)) -> BTreeSet<ObjectKey> {
    let mut affected = BTreeSet::new();
    loop {
        let before = affected.len();
        for object in result.objects() {
            let key = object.key();
            let same = |side: &Model, key: &ObjectKey| {
                side.get(key).map(|object| &object.definition) == result.get(key).map(|object| &object.definition)
            };
            let used = object.definition.owner().into_iter().chain(&object.uses);
            let used: Vec<ObjectKey> = used.flat_map(|name| result.named(name)).map(Object::key).collect();
            let fits = |side: &Model| same(side, &key) && used.iter().all(|used| *used == key || same(side, used));
            if !(fits(have) || fits(want)) || used.iter().any(|used| *used != key && affected.contains(used)) {
                affected.insert(key);
            }
        }
        if affected.len() == before {
            return affected;
        }
    }
}
