//! Partitions that become tables of their own. They are detached before all else: what follows finds them as the server leaves
//! them, with the columns, keys, checks and indexes that they had with their parent.

use super::super::canonical::standalone;
use super::super::names::quoted;
use super::super::tokens::literal;
use super::{Part, Planning};
use crate::clause;
use wevrun_core::model::{Kind, Model, Object};
use wevrun_core::plan::{Mode, Probe, Step};

/// The default partition, under want's name, beside which a new partition comes, if both sides have it.
pub fn default_beside<'p>(planning: &'p Planning<'_>, new: &Object) -> Option<&'p Object> {
    let parent = new.as_table()?.clauses.get(clause::PARTITION_OF)?;
    if planning.renamed.table(parent).is_none() || planning.renamed.table(&new.name).is_some() {
        return None;
    }
    let is_default = |other: &&Object| {
        other.as_table().is_some_and(|other| {
            other.clauses.get(clause::PARTITION_OF) == Some(parent)
                && other.clauses.value(clause::BOUND).is_some_and(|bound| bound.eq_ignore_ascii_case("default"))
        })
    };
    let default = planning.renamed.of_kind(Kind::Table).find(is_default)?;
    planning.want.get(&default.key()).as_ref().is_some_and(is_default).then_some(default)
}

/// Whether the default partition holds rows.
pub fn has_rows(planning: &Planning<'_>, default: &Object) -> Probe {
    Probe::HasRows(planning.comparison.renames.key_in_have(&default.key()).name)
}

/// Lets a new partition take the rows that are its own by now from the default partition: the server would not make it as long as they
/// are there. `step` creates it.
pub fn take_from_default(planning: &Planning<'_>, object: &Object, step: &mut Step) {
    let Some(table) = object.as_table() else { return };
    let Some(default) = default_beside(planning, object) else { return };
    if planning.evidence.answer(&has_rows(planning, default)) == Some(false) {
        return;
    }
    let Some(parent) = table.clauses.get(clause::PARTITION_OF) else { return };
    let columns = table.columns.iter().filter(|column| column.generated.is_none());
    let columns: Vec<String> = columns.map(|column| quoted(column.name.canonical())).collect();
    let columns = columns.join(", ");
    let (name, from) = (&object.name, &default.name);
    let moved = format!(
        "WITH moved AS (DELETE FROM {from} WHERE %s RETURNING {columns})
        INSERT INTO {name} ({columns}) OVERRIDING SYSTEM VALUE SELECT {columns} FROM moved"
    );
    let condition = format!("pg_get_partition_constraintdef({}::regclass)", literal(name.canonical()));
    step.statements.insert(0, format!("ALTER TABLE {parent} DETACH PARTITION {from}"));
    step.statements.extend([
        format!("DO $wevrun$ BEGIN\n    EXECUTE format({}, {condition});\nEND $wevrun$", literal(&moved)),
        format!("ALTER TABLE {parent} ATTACH PARTITION {from} DEFAULT"),
    ]);
    step.notes.push(format!("rows of {from} that belong to {name} are moved to it"));
    step.risks.push(super::rewrites(from));
}

/// What there is once they are detached, and the steps that do it; none if there are none.
pub fn detached_first(planning: &Planning<'_>) -> Option<(Model, Vec<Step>)> {
    let mut model: Option<Model> = None;
    let mut steps = Vec::new();
    for object in planning.have.of_kind(Kind::Table) {
        let Some(parent) = object.as_table().and_then(|table| table.clauses.get(clause::PARTITION_OF)) else {
            continue;
        };
        let key = object.key();
        let wanted = planning.want.get(&planning.comparison.renames.key_in_want(&key));
        let stays_alone =
            wanted.and_then(|wanted| wanted.as_table()).is_some_and(|table| !table.clauses.has(clause::PARTITION_OF));
        if !stays_alone {
            continue;
        }
        let Some(detached) = standalone(model.as_ref().unwrap_or(planning.have), &key) else { continue };
        model.get_or_insert_with(|| planning.have.clone()).extend(detached);
        let statement = format!("ALTER TABLE {parent} DETACH PARTITION {}", key.name);
        steps.push(Step::new(format!("detach partition {} from {parent}", key.name), vec![statement]));
    }
    Some((model?, steps))
}

/// Puts steps before all others of a plan.
pub fn put_first(parts: &mut Vec<Part>, steps: Vec<Step>) {
    if parts.first().is_none_or(|part| part.mode == Mode::EachStatement) {
        parts.insert(0, Part::default());
    }
    parts[0].steps.splice(0..0, steps);
}
