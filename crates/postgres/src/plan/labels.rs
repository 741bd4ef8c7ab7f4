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

/// Whether an expression may use a label of a type that is new. In a query a literal can be a label that is not known to be one.
pub fn may_use(expression: &Expression, data_type: &QualifiedName, old: &[String], new: &[String]) -> bool {
    let is_in_text = || new.iter().any(|label| expression.written().contains(label.as_str()));
    let Some(references) = expression.references.as_ref() else { return is_in_text() };
    let is_new = |reference: &Reference| {
        let is_old = |column: &Name| old.iter().any(|label| label == column.canonical());
        reference.usage == Usage::Label
            && reference.object == *data_type
            && !reference.column.as_ref().is_some_and(is_old)
    };
    let has_queries = references.iter().any(|reference| reference.column.is_none() && reference.usage == Usage::Reads);
    references.iter().any(is_new) || has_queries && is_in_text()
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
