//! What the server can't do in the same transaction as the rest: labels of enums that the rest uses, before it; indexes that
//! are built while others write, after it.

use std::collections::BTreeSet;

use super::super::names::{identifier, quoted, schema};
use super::super::{enum_labels, write};
use super::transaction;
use crate::compare::Change;
use crate::model::{Clauses, Definition, Fingerprint, Index, Model, Name, Object, ObjectKey};
use crate::plan::{Part, Planning};
use crate::script::Step;

/// The statements that add labels to an enum: none if labels go or change places.
pub fn label_additions(name: &Name, before: &Clauses, after: &Clauses) -> Option<Vec<String>> {
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

/// The part that adds labels: others may use them only when it is committed
/// (<https://www.postgresql.org/docs/current/sql-altertype.html>).
pub fn labels_first(planning: &Planning<'_>, types: &[ObjectKey]) -> Option<Part> {
    let types = types.iter().filter_map(|key| in_have(planning, key));
    let steps: Vec<Step> = types
        .filter_map(|(have, want)| {
            let additions = label_additions(&have.name, write::clauses(have), write::clauses(want))?;
            Some(Step::new(format!("add labels to {}, for what comes next", have.key()), additions))
        })
        .collect();
    (!steps.is_empty()).then(|| Part { steps, ..transaction() })
}

/// The state that the part before the main one leaves.
pub fn state_with_labels(planning: &Planning<'_>, types: &[ObjectKey]) -> Fingerprint {
    let mut model: Model = planning.have.without(&planning.unproven());
    for (have, want) in types.iter().filter_map(|key| in_have(planning, key)) {
        let mut object = have.clone();
        if let (Definition::Plain(plain), Some(labels)) = (&mut object.definition, write::clauses(want).get("enum")) {
            plain.clauses.set("enum", labels.clone());
        }
        if model.get(&object.key()).is_some() {
            model.insert(object);
        }
    }
    model.fingerprint()
}

/// New indexes of tables and materialized views that stay, as far as the server can build them while others write
/// (<https://www.postgresql.org/docs/current/sql-createindex.html#SQL-CREATEINDEX-CONCURRENTLY>).
pub fn late_indexes(planning: &Planning<'_>, have: &Model, again: &BTreeSet<ObjectKey>) -> BTreeSet<ObjectKey> {
    if !planning.wishes.concurrent_indexes || planning.way_back {
        return BTreeSet::new();
    }
    let stays = |owner: &Name| {
        have.named(owner).any(|object| object.definition.kind().is_relation())
            && !again.iter().any(|key| key.name == *owner && key.kind.is_relation())
    };
    let new = planning.comparison.differences.iter().filter_map(|difference| match &difference.change {
        Change::Create(object) => Some(*object),
        // The server left it behind when building it failed.
        Change::Change { have, want, .. } if write::clauses(have).has("invalid") => Some(*want),
        _ => None,
    });
    new.filter(|object| {
        let Definition::Index(index) = &object.definition else { return false };
        let whole = !index.clauses.has("only") && !index.clauses.has("attached to");
        whole && stays(&index.table) && !is_needed(planning.want, object, index)
    })
    .map(Object::key)
    .collect()
}

/// Whether the rest of the script needs the index: as a partitioned table's, as what tells rows apart, as a foreign key's target.
fn is_needed(want: &Model, object: &Object, index: &Index) -> bool {
    let own = identifier(&object.name);
    let Some(table) = want.table(&index.table) else {
        return want.relation(&index.table).is_some_and(|view| write::clauses(view).value("cluster on") == Some(&own));
    };
    let named = table.clauses.iter().any(|(clause, value)| {
        matches!(clause, "replica identity" | "cluster on") && value.canonical.contains(own.as_str())
    });
    let is_target =
        index.unique && want.tables().any(|(_, other)| other.foreign_keys.iter().any(|key| key.parent == index.table));
    named || is_target || table.clauses.has("partition by")
}

/// The part that builds indexes while others write.
pub fn indexes_at_last(planning: &Planning<'_>, late: &BTreeSet<ObjectKey>) -> Option<Part> {
    if late.is_empty() {
        return None;
    }
    let steps = late.iter().filter_map(|key| planning.want.get(key)).map(|object| {
        let Definition::Index(index) = &object.definition else { unreachable!("only indexes are late") };
        let key = object.key();
        let own = schema(&object.name).filter(|schema| schema != "public");
        let path = own.map(|schema| format!("SET search_path = {}, public", quoted(&schema)));
        let mut statements = vec![path.unwrap_or_else(|| "SET search_path = public".to_owned())];
        // What a build that failed has left behind.
        statements.push(format!("DROP INDEX CONCURRENTLY IF EXISTS {}", object.name));
        statements.push(write::create_index(&object.name, index, true));
        statements.extend(write::extras(object));
        let mut step = Step::new(format!("build {key} on {} while others write", index.table), statements);
        step.notes.push("the build waits for every transaction that runs when it begins".to_owned());
        if index.unique {
            step.risks.push(super::equal_rows(&key));
        }
        step.makes = Some((key.to_string(), Model::from_iter([object.clone()]).fingerprint()));
        step
    });
    let mut beside = planning.unproven();
    beside.extend(late.iter().map(ToString::to_string));
    Some(Part {
        from: Some(planning.want.without(&beside).fingerprint()),
        alone: true,
        opening: vec!["SET timezone = 'UTC'".to_owned(), "SET client_min_messages = warning".to_owned()],
        steps: steps.collect(),
        closing: ["search_path", "timezone", "client_min_messages"].map(|setting| format!("RESET {setting}")).to_vec(),
    })
}
