//! Which differences a person chooses.

use std::fmt;
use std::str::FromStr;

use super::element::{Element, ElementPart, all_parts};
use crate::compare::Change;
use crate::model::{Identifiers, Kind, Model, ObjectKey, Pattern, is_like};

/// A pattern for differences: one for objects, or `column:TABLE.NAME`, `constraint:TABLE.NAME`.
///
/// The table of a column is matched as `table:TABLE` is: with its schema if it has a dot itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DifferencePattern {
    /// Objects, with all that differs in them, and what is on them.
    Object(Pattern),
    /// Columns of tables that both sides have.
    Column(Pattern, String),
    /// Named constraints of tables that both sides have.
    Constraint(Pattern, String),
}

impl FromStr for DifferencePattern {
    type Err = String;

    fn from_str(text: &str) -> Result<DifferencePattern, String> {
        let part = |word: &str| text.strip_prefix(word)?.strip_prefix(':');
        let (name, make): (&str, fn(Pattern, String) -> DifferencePattern) = match (part("column"), part("constraint"))
        {
            (Some(name), _) => (name, DifferencePattern::Column),
            (_, Some(name)) => (name, DifferencePattern::Constraint),
            _ => return text.parse().map(DifferencePattern::Object),
        };
        let example = if text.starts_with("column") { "column:hives.weight" } else { "constraint:hives.hives_pkey" };
        let (table, name) = name
            .rsplit_once('.')
            .filter(|(table, name)| !table.is_empty() && !name.is_empty())
            .ok_or_else(|| format!("`{text}` names no table; write it like {example}"))?;
        Ok(make(format!("table:{table}").parse()?, name.to_owned()))
    }
}

impl fmt::Display for DifferencePattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let of_table = |table: &Pattern| table.to_string().trim_start_matches("table:").to_owned();
        match self {
            DifferencePattern::Object(pattern) => pattern.fmt(f),
            DifferencePattern::Column(table, name) => write!(f, "column:{}.{name}", of_table(table)),
            DifferencePattern::Constraint(table, name) => write!(f, "constraint:{}.{name}", of_table(table)),
        }
    }
}

/// In which way an object differs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ChangeKind {
    /// Only in want.
    Create,
    /// In both, and not the same.
    Change,
    /// Only in have.
    Remove,
}

impl From<&Change<'_>> for ChangeKind {
    fn from(change: &Change<'_>) -> ChangeKind {
        match change {
            Change::Create(_) => ChangeKind::Create,
            Change::Change { .. } => ChangeKind::Change,
            Change::Remove(_) => ChangeKind::Remove,
        }
    }
}

/// Which differences are chosen: those that a pattern of `only` matches (all, if there is none), none of `except` does, and
/// that are changes of the right kind.
///
/// An index, trigger or policy follows its table or view, unless a pattern names it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Selection {
    /// Patterns of what is chosen; empty: everything.
    pub only: Vec<DifferencePattern>,
    /// Patterns of what is not.
    pub except: Vec<DifferencePattern>,
    /// The kinds of change that are chosen; empty: all.
    pub changes: Vec<ChangeKind>,
}

/// An element with what patterns are matched with.
pub struct Candidate<'c> {
    /// The element.
    pub element: &'c Element,
    /// The same by want's names, where its rename is not chosen.
    pub in_want: Element,
    /// The object's key in have, if it is another one.
    pub formerly: Option<ObjectKey>,
    /// The table or view that the object is on.
    pub owner: Option<ObjectKey>,
    /// In which way the object differs.
    pub change: ChangeKind,
}

impl Selection {
    /// Whether everything is chosen.
    pub fn is_everything(&self) -> bool {
        self.only.is_empty() && self.except.is_empty() && self.changes.is_empty()
    }

    /// Whether an element is chosen.
    pub fn includes(&self, names: &dyn Identifiers, candidate: &Candidate<'_>) -> bool {
        let any = |patterns: &[DifferencePattern]| patterns.iter().any(|pattern| pattern.matches(names, candidate));
        (self.changes.is_empty() || self.changes.contains(&candidate.change))
            && (self.only.is_empty() || any(&self.only))
            && !any(&self.except)
    }
}

/// A choice of differences: those of any of the selections (all, if there is none), as far as they are also of `narrowed`.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Choice {
    /// Selections that have a name.
    pub selections: Vec<Selection>,
    /// Conditions.
    pub narrowed: Selection,
}

impl Choice {
    /// Whether everything is chosen.
    pub fn is_everything(&self) -> bool {
        self.narrowed.is_everything()
            && (self.selections.is_empty() || self.selections.iter().any(Selection::is_everything))
    }

    /// Whether an element is chosen.
    pub fn includes(&self, names: &dyn Identifiers, candidate: &Candidate<'_>) -> bool {
        let any =
            self.selections.is_empty() || self.selections.iter().any(|selection| selection.includes(names, candidate));
        any && self.narrowed.includes(names, candidate)
    }

    /// The patterns that match nothing in any of the models, whether it differs or not: perhaps misspelt.
    pub fn unmatched(&self, names: &dyn Identifiers, models: &[&Model]) -> Vec<&DifferencePattern> {
        let selections = self.selections.iter().chain([&self.narrowed]);
        let patterns = selections.flat_map(|selection| selection.only.iter().chain(&selection.except));
        let mut open: Vec<&DifferencePattern> = patterns.collect();
        for object in models.iter().flat_map(|model| model.objects()) {
            if open.is_empty() {
                break;
            }
            let mut elements = vec![Element::object(object.key())];
            if let Some(table) = object.as_table() {
                elements.extend(all_parts(table).into_iter().map(|part| Element::of(&object.key(), part)));
            }
            for element in &elements {
                let in_want = element.clone();
                let candidate = Candidate { element, in_want, formerly: None, owner: None, change: ChangeKind::Change };
                open.retain(|pattern| !pattern.matches(names, &candidate));
            }
        }
        open
    }
}

impl DifferencePattern {
    fn matches(&self, names: &dyn Identifiers, candidate: &Candidate<'_>) -> bool {
        let keys = || [&candidate.element.object, &candidate.in_want.object].into_iter().chain(&candidate.formerly);
        let like = |pattern: &str, text: &str| is_like(pattern, text, names.engine().capabilities.has_caseless_names);
        let is_of = |table: &Pattern| {
            let as_table = |key: &ObjectKey| ObjectKey::new(Kind::Table, key.name.clone());
            keys().any(|key| table.matches(names, &as_table(key)))
        };
        let parts = || [&candidate.element.part, &candidate.in_want.part].into_iter();
        match self {
            DifferencePattern::Object(pattern) => keys().chain(&candidate.owner).any(|key| pattern.matches(names, key)),
            DifferencePattern::Column(table, pattern) => {
                let is_it =
                    |part: &ElementPart| matches!(part, ElementPart::Column(name) if like(pattern, name.written()));
                parts().any(is_it) && is_of(table)
            }
            DifferencePattern::Constraint(table, pattern) => {
                let is_it =
                    |part: &ElementPart| matches!(part, ElementPart::Constraint(_, label) if like(pattern, label));
                parts().any(is_it) && is_of(table)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_are_printed_as_they_are_written() {
        for text in
            ["table:apiary_*", "schema:sales", "*:*_tmp", "column:hives.weight*", "constraint:s.hives.hives_pkey"]
        {
            let pattern: DifferencePattern = text.parse().unwrap_or_else(|problem| panic!("{problem}"));
            assert_eq!(pattern.to_string(), text);
        }
        for text in ["column:weight", "column:.weight", "constraint:hives.", "hives", "colum:hives.weight", "table:"] {
            assert!(text.parse::<DifferencePattern>().is_err(), "{text}");
        }
    }
}
