//! Labels of enums that the rest of the script uses: they are added before it, in a transaction of their own.

use super::super::{enum_labels, write};
use wevrun_core::model::{Clauses, Expression, Name, Object, ObjectKey, QualifiedName, Reference, Usage};
use wevrun_core::plan::{Part, Planning, Step};

/// The statements that add labels to an enum: none if labels go or change places.
pub fn additions(name: &Name, before: &Clauses, after: &Clauses) -> Option<Vec<String>> {
    let (old, new) = (enum_labels(before), enum_labels(after));
    let kept: Vec<&String> = new.iter().filter(|label| old.contains(label)).collect();
    if kept.len() != old.len() || kept.into_iter().ne(old.iter()) {
        return None;
    }
    let added = new.iter().enumerate().filter(|(_, label)| !old.contains(label)).map(|(index, label)| {
        let place = match index.checked_sub(1).map(|before| &new[before]) {
            Some(neighbour) => format!(" AFTER {neighbour}"),
            None => new
                .iter()
                .find(|other| old.contains(other))
                .map_or_else(String::new, |first| format!(" BEFORE {first}")),
        };
        format!("ALTER TYPE {name} ADD VALUE IF NOT EXISTS {label}{place}")
    });
    Some(added.collect())
}

/// A type and what it is called in have.
fn in_have<'p>(planning: &'p Planning<'_>, key: &ObjectKey) -> Option<(&'p Object, &'p Object)> {
    let original = planning.comparison.renames.key_in_have(key);
    planning.have.get(&original).zip(planning.want.get(key))
}

/// Whether an object may use a label of a type that is new. The type of a column's default is known; anywhere else a literal can be a label
/// that is not known to be one.
pub fn may_be_used(object: &Object, data_type: &QualifiedName, old: &[String], new: &[String]) -> bool {
    // A label may be an element of an array.
    let values: Vec<&str> = new.iter().map(|label| label.trim_matches('\'')).collect();
    let is_in_text = |own: &Expression| values.iter().any(|value| own.written().contains(value));
    let columns = object.as_table().into_iter().flat_map(|table| table.columns.iter());
    let defaults: Vec<&Expression> = columns.filter_map(|column| column.default.as_ref()).collect();
    object.definition.expressions().into_iter().filter(|own| is_in_text(own)).any(|own| {
        let is_default = defaults.iter().any(|default| std::ptr::eq(*default, own));
        !is_default || may_use(own, data_type, old)
    })
}

/// Whether an expression has a literal that is a label of a type, except the old ones.
fn may_use(expression: &Expression, data_type: &QualifiedName, old: &[String]) -> bool {
    let Some(references) = expression.references.as_ref() else { return true };
    let is_new = |reference: &Reference| {
        let is_old = |column: &Name| old.iter().any(|label| label == column.canonical());
        reference.usage == Usage::Label
            && reference.object == *data_type
            && !reference.column.as_ref().is_some_and(is_old)
    };
    references.iter().any(is_new)
}

/// The part that adds labels: others may use them only when it is committed
/// (<https://www.postgresql.org/docs/current/sql-altertype.html>).
pub fn first(planning: &Planning<'_>, types: &[ObjectKey]) -> Option<Part> {
    let types = types.iter().filter_map(|key| in_have(planning, key));
    let steps: Vec<Step> = types
        .filter_map(|(have, want)| {
            let additions = additions(&have.name, write::clauses(have), write::clauses(want))?;
            Some(Step::new(format!("add labels to {}, which later steps use", have.key()), additions))
        })
        .collect();
    (!steps.is_empty()).then(|| Part { steps, ..Part::default() })
}
