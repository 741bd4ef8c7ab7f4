//! Choosing differences one by one: what is ticked, what is included with it, what the script does then.
//!
//! It is the state behind an interactive view, without one: rows, ticks, a filter, and what results.

mod patterns;
mod rows;

use std::collections::{BTreeMap, BTreeSet};

pub use rows::{Group, Grouping, Row};

use crate::compare::{Comparison, Difference, add_access, compare};
use crate::diagnostics::Diagnostic;
use crate::engine::EngineVersion;
use crate::model::{Model, ObjectKey};
use crate::plan::{Evidence, PlanOptions, Waiver};
use crate::script::{Client, Script, make_script};
use crate::select::{ChangeKind, Choice, Chooser, Element, Included, Selection, Unsatisfiable, select};

/// The sides of the differences, and how they are resolved.
#[derive(Clone, Copy)]
pub struct Sides<'s> {
    /// The engine.
    pub dialect: &'static dyn Client,
    /// The version that scripts are for.
    pub version: EngineVersion,
    /// The current schema.
    pub have: &'s Model,
    /// The desired schema.
    pub want: &'s Model,
    /// The options of the script, which also tell whether owners, privileges and labels are compared.
    pub plan_options: &'s PlanOptions,
    /// The facts about have's rows, and the origin of its objects.
    pub evidence: &'s Evidence,
    /// The waivers that hold on a day.
    pub waivers: (&'s [Waiver], &'s str),
}

/// Differences that can be ticked.
pub struct Picker<'s> {
    sides: Sides<'s>,
    /// Everything that differs, where all is resolved.
    comparison: Comparison<'s>,
    /// Elements that can be ticked, by their object.
    elements: BTreeMap<ObjectKey, BTreeSet<Element>>,
    changes: BTreeMap<ObjectKey, ChangeKind>,
    ticked: BTreeSet<Element>,
    /// Only rows with all these words, in lower case.
    filter: String,
    grouping: Grouping,
    rows: Vec<Row>,
    outcome: Outcome,
}

/// The result of the ticks.
#[derive(Debug)]
pub enum Outcome {
    /// Nothing is ticked.
    Nothing,
    /// A script.
    Done(Box<Resolved>),
    /// The ticked differences make no valid schema.
    Invalid(Vec<Diagnostic>),
}

/// The result of a valid choice.
#[derive(Debug)]
pub struct Resolved {
    /// Elements that the ticked differences need.
    pub included: Vec<Included>,
    /// The script, without waivers.
    pub script: Script,
}

impl<'s> Picker<'s> {
    /// Everything that differs between two sides; nothing is ticked.
    pub fn new(sides: Sides<'s>) -> Result<Picker<'s>, Box<Unsatisfiable>> {
        let everything = Choice::default();
        let models = (sides.have, sides.want);
        let chooser = Chooser::Patterns(&everything);
        let all = select(sides.dialect, sides.version, models, chooser, sides.plan_options.access)?.chosen;
        let mut comparison = compare(sides.dialect, sides.have, sides.want);
        if sides.plan_options.access {
            add_access(sides.dialect, &mut comparison, sides.have, sides.want);
        }
        let change = |difference: &Difference<'_>| {
            (comparison.renames.key_in_want(&difference.key), ChangeKind::from(&difference.change))
        };
        let changes: BTreeMap<ObjectKey, ChangeKind> = comparison.differences.iter().map(change).collect();
        let mut elements: BTreeMap<ObjectKey, BTreeSet<Element>> = BTreeMap::new();
        // What is unproven is no difference to be ticked.
        for element in all.into_iter().filter(|element| changes.contains_key(&element.object)) {
            elements.entry(element.object.clone()).or_default().insert(element);
        }
        let mut picker = Picker {
            sides,
            comparison,
            elements,
            changes,
            ticked: BTreeSet::new(),
            filter: String::new(),
            grouping: Grouping::Change,
            rows: Vec::new(),
            outcome: Outcome::Nothing,
        };
        picker.rebuild();
        Ok(picker)
    }

    /// The engine.
    pub fn dialect(&self) -> &'static dyn Client {
        self.sides.dialect
    }

    /// The rows that are shown, in order.
    pub fn rows(&self) -> &[Row] {
        &self.rows
    }

    /// The result of the ticks.
    pub fn outcome(&self) -> &Outcome {
        &self.outcome
    }

    /// The difference of a row's object; none of a heading.
    pub fn difference(&self, row: &Row) -> Option<&Difference<'s>> {
        let key = row.object()?;
        let is_it = |difference: &&Difference<'_>| self.comparison.renames.key_in_want(&difference.key) == *key;
        self.comparison.differences.iter().find(is_it)
    }

    /// In which way an object differs.
    pub fn change_of(&self, key: &ObjectKey) -> ChangeKind {
        self.changes.get(key).copied().unwrap_or(ChangeKind::Change)
    }

    /// How many elements are ticked, and how many there are.
    pub fn counts(&self) -> (usize, usize) {
        (self.ticked.len(), self.elements.values().map(BTreeSet::len).sum())
    }

    /// The elements of a row.
    fn elements_of(&self, row: &Row) -> BTreeSet<Element> {
        match row {
            Row::Heading { objects, .. } => {
                objects.iter().filter_map(|key| self.elements.get(key)).flatten().cloned().collect()
            }
            Row::Object(key) => self.elements.get(key).cloned().unwrap_or_default(),
            Row::Part(element) => BTreeSet::from([element.clone()]),
        }
    }

    /// Whether all of a row is ticked, some, or nothing.
    pub fn tick_of(&self, row: &Row) -> Tick {
        let elements = self.elements_of(row);
        let ticked = elements.iter().filter(|element| self.ticked.contains(element)).count();
        if ticked == 0 && elements.iter().any(|element| self.is_included(element)) {
            return Tick::Included;
        }
        match ticked {
            0 => Tick::None,
            _ if ticked == elements.len() => Tick::All,
            _ => Tick::Some,
        }
    }

    fn is_included(&self, element: &Element) -> bool {
        match &self.outcome {
            Outcome::Done(resolved) => resolved.included.iter().any(|included| included.element == *element),
            _ => false,
        }
    }

    /// Why a row's object is included without being ticked.
    pub fn reasons(&self, row: &Row) -> Vec<&Included> {
        let Outcome::Done(resolved) = &self.outcome else { return Vec::new() };
        let elements = self.elements_of(row);
        resolved.included.iter().filter(|included| elements.contains(&included.element)).collect()
    }

    /// Ticks all of a row, or unticks it if all of it is ticked.
    pub fn toggle(&mut self, row: usize) {
        let Some(row) = self.rows.get(row) else { return };
        let elements = self.elements_of(row);
        if elements.iter().all(|element| self.ticked.contains(element)) {
            self.ticked.retain(|element| !elements.contains(element));
        } else {
            self.ticked.extend(elements);
        }
        self.resolve();
    }

    /// Ticks all rows that are shown, or unticks them if all are ticked.
    pub fn toggle_shown(&mut self) {
        let shown: BTreeSet<Element> = self.rows.iter().flat_map(|row| self.elements_of(row)).collect();
        if shown.is_subset(&self.ticked) {
            self.ticked.retain(|element| !shown.contains(element));
        } else {
            self.ticked.extend(shown);
        }
        self.resolve();
    }

    /// The words that rows must have.
    pub fn filter(&self) -> &str {
        &self.filter
    }

    /// Shows only objects whose kind and name have all these words.
    pub fn set_filter(&mut self, words: &str) {
        self.filter = words.to_lowercase();
        self.rebuild();
    }

    /// How rows are grouped.
    pub fn grouping(&self) -> Grouping {
        self.grouping
    }

    /// Groups the rows in another way.
    pub fn set_grouping(&mut self, grouping: Grouping) {
        self.grouping = grouping;
        self.rebuild();
    }

    /// The ticks as patterns, so that they have a name and can be used again; none if no patterns choose exactly these.
    pub fn selection(&self) -> Option<Selection> {
        patterns::selection(&self.sides, &self.ticked)
    }

    /// The result if only this row is ticked.
    pub fn outcome_of(&self, row: &Row) -> Outcome {
        resolved(&self.sides, &self.elements_of(row))
    }

    fn resolve(&mut self) {
        self.outcome = resolved(&self.sides, &self.ticked);
    }

    fn rebuild(&mut self) {
        self.rows = rows::rows(&self.elements, &self.changes, self.grouping, &self.filter);
    }
}

fn resolved(sides: &Sides<'_>, ticked: &BTreeSet<Element>) -> Outcome {
    if ticked.is_empty() {
        return Outcome::Nothing;
    }
    let Sides { dialect, version, have, want, plan_options, evidence, waivers: (waivers, today) } = *sides;
    match select(dialect, version, (have, want), Chooser::Elements(ticked), plan_options.access) {
        Err(problem) => Outcome::Invalid(problem.diagnostics),
        Ok(selected) => {
            let comparison = compare(dialect, have, &selected.want);
            let sides = (have, &selected.want);
            let mut script = make_script(dialect, "", sides, &comparison, plan_options.clone(), version, evidence);
            script.clear(waivers, today);
            Outcome::Done(Box::new(Resolved { included: selected.included, script }))
        }
    }
}

/// How much of a row is ticked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tick {
    /// Nothing.
    None,
    /// Nothing, but something of it is included because ticked differences need it.
    Included,
    /// Some parts.
    Some,
    /// Everything.
    All,
}
