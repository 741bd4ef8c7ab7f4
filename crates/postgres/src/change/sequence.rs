//! Changes of sequences and identity columns (<https://www.postgresql.org/docs/current/sql-altersequence.html>).

use wevrun_core::change::ClauseChanges;
use wevrun_core::model::{Clauses, Column, Expression, Plain, QualifiedName};

use crate::clause;

/// A change of a sequence.
#[derive(Debug, Clone)]
pub struct SequenceChange {
    /// Its options.
    pub options: ClauseChanges,
    /// The table of OWNED BY; the column is among the options.
    pub owner: Option<Option<QualifiedName>>,
}

impl SequenceChange {
    pub(super) fn apply(&self, sequence: &mut Plain) {
        if let Some(data_type) = self.options.get(clause::AS) {
            change_type(&mut sequence.clauses, &data_type.canonical);
        }
        self.options.apply(&mut sequence.clauses);
        if let Some(owner) = &self.owner {
            sequence.owner.clone_from(owner);
        }
        let data_type = sequence.clauses.value(clause::AS).unwrap_or("bigint").to_owned();
        take_usual(&mut sequence.clauses, &data_type);
    }
}

/// Takes out what is the default.
pub fn take_usual(clauses: &mut Clauses, data_type: &str) {
    let (least, most) = limits(data_type);
    let down = clauses.value(clause::INCREMENT).is_some_and(|by| by.starts_with('-'));
    let (min, max) = if down { (least, "-1") } else { ("1", most) };
    let start = if down {
        clauses.value(clause::MAXVALUE).unwrap_or(max)
    } else {
        clauses.value(clause::MINVALUE).unwrap_or(min)
    }
    .to_owned();
    let defaults = [
        (clause::INCREMENT, "1"),
        (clause::MINVALUE, min),
        (clause::MAXVALUE, max),
        (clause::START, start.as_str()),
        (clause::CACHE, "1"),
        (clause::AS, "bigint"),
    ];
    for (key, value) in defaults {
        if clauses.value(key) == Some(value) {
            clauses.remove(key);
        }
    }
}

/// Gives a sequence another type: a limit that was the old type's own becomes the new one's, and it starts where it did.
fn change_type(clauses: &mut Clauses, to: &str) {
    let (old, new) = (limits(clauses.value(clause::AS).unwrap_or("bigint")), limits(to));
    for (key, old, new) in [(clause::MINVALUE, old.0, new.0), (clause::MAXVALUE, old.1, new.1)] {
        if clauses.value(key) == Some(old) {
            if !clauses.has(clause::START) {
                clauses.set_text(clause::START, old);
            }
            clauses.set_text(key, new);
        }
    }
    clauses.set_text(clause::AS, to);
}

/// The least and the greatest number of a type (<https://www.postgresql.org/docs/current/datatype-numeric.html>).
fn limits(data_type: &str) -> (&'static str, &'static str) {
    match data_type {
        "smallint" => ("-32768", "32767"),
        "integer" => ("-2147483648", "2147483647"),
        _ => ("-9223372036854775808", "9223372036854775807"),
    }
}

/// Sets the options of an identity column's sequence, each a clause of the column: `identity.start`.
pub fn set_identity_options(column: &mut Column, mut options: Clauses) {
    let bigint = Expression::plain("bigint");
    let data_type = column.data_type.as_ref().unwrap_or(&bigint).canonical.clone();
    take_usual(&mut options, &data_type);
    options.remove(clause::AS);
    for (name, value) in options.iter() {
        column.clauses.set_named(&clause::IDENTITY_OPTION.of(name).name(), value.clone());
    }
}

/// Takes out all that makes the column an identity column: how it is generated, and the options of its sequence.
pub fn take_identity(column: &mut Column) -> Clauses {
    let said = column.clauses.iter().map(|(name, _)| name.to_owned()).filter(|name| name.starts_with("identity"));
    let mut taken = Clauses::default();
    for name in said.collect::<Vec<_>>() {
        let option = clause::IDENTITY_OPTION.member(&name).unwrap_or("generated");
        if let Some(value) = column.clauses.remove_named(&name) {
            taken.set_named(option, value);
        }
    }
    taken
}

/// Changes how an identity column is generated, and the options of its sequence.
pub fn change_identity(column: &mut Column, options: &ClauseChanges) {
    let mut clauses = take_identity(column);
    options.apply(&mut clauses);
    if let Some(generated) = clauses.remove(clause::GENERATED) {
        column.clauses.set(clause::IDENTITY, generated);
    }
    set_identity_options(column, clauses);
}
