//! One property that differs, and where it belongs.

use std::fmt;

use smol_str::SmolStr;

use super::Aspect;
use crate::model::Name;

/// One property that differs. Where a side is none, it has no such property.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Property {
    /// The part of the object.
    pub part: Part,
    /// In which way the part differs.
    pub aspect: Aspect,
    /// Which property, where the aspect has more than one: a clause, a role. Else it is empty.
    pub detail: SmolStr,
    /// The current value.
    pub have: Option<String>,
    /// The desired value.
    pub want: Option<String>,
}

/// A part of an object.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Part {
    /// The object itself.
    Object,
    /// A column, by the name that it has in want, or in have where it is only there.
    Column(Name),
    /// A constraint of this kind.
    Constraint(ConstraintKind),
}

/// The kinds of constraint.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ConstraintKind {
    /// PRIMARY KEY.
    PrimaryKey,
    /// UNIQUE.
    UniqueKey,
    /// FOREIGN KEY.
    ForeignKey,
    /// CHECK.
    Check,
    /// EXCLUDE.
    Exclusion,
}

impl ConstraintKind {
    /// The words for people.
    pub fn title(self) -> &'static str {
        match self {
            ConstraintKind::PrimaryKey => "primary key",
            ConstraintKind::UniqueKey => "unique key",
            ConstraintKind::ForeignKey => "foreign key",
            ConstraintKind::Check => "check",
            ConstraintKind::Exclusion => "exclusion",
        }
    }
}

impl fmt::Display for Part {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Part::Object => "",
            Part::Column(name) => return write!(f, "column {name}"),
            Part::Constraint(kind) => kind.title(),
        })
    }
}

impl Property {
    /// A property of the object itself.
    pub fn of_object(
        aspect: Aspect,
        detail: impl Into<SmolStr>,
        have: Option<String>,
        want: Option<String>,
    ) -> Property {
        Property { part: Part::Object, aspect, detail: detail.into(), have, want }
    }

    /// Whether it is the same property, whatever its values.
    pub fn is_same_property(&self, other: &Property) -> bool {
        (&self.part, self.aspect, &self.detail) == (&other.part, other.aspect, &other.detail)
    }

    /// The differing property, in words: `column weight type`, `privileges of ida`, `tablespace`.
    pub fn name(&self) -> String {
        let mut words = self.part.to_string();
        let mut add = |word: &str| {
            if !words.is_empty() && !word.is_empty() {
                words.push(' ');
            }
            words.push_str(word);
        };
        match (self.aspect, &*self.detail) {
            (Aspect::Existence | Aspect::Definition, detail) => add(detail),
            (Aspect::Privileges, "") => add("privileges of public"),
            (Aspect::Privileges, role) => add(&format!("privileges of {role}")),
            (Aspect::SecurityLabel, label) => add(&format!("security label {label}")),
            (aspect, "") => add(&aspect.name().replace('-', " ")),
            (_, detail) => add(detail),
        }
        words
    }
}
