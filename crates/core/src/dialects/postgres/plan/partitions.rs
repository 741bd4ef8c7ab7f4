//! Partitions that become tables of their own. They are detached before all else: what follows finds them as the server leaves
//! them, with the columns, keys, checks and indexes that they had with their parent.

use super::super::canonical::standalone;
use super::{Part, Planning};
use crate::model::{Kind, Model};
use crate::script::Mode;
use crate::script::Step;

/// What there is once they are detached, and the steps that do it; none if there are none.
pub fn detached_first(planning: &Planning<'_>) -> Option<(Model, Vec<Step>)> {
    let mut model: Option<Model> = None;
    let mut steps = Vec::new();
    for object in planning.have.of_kind(Kind::Table) {
        let Some(parent) = object.as_table().and_then(|table| table.clauses.value("partition of")) else { continue };
        let key = object.key();
        let wanted = planning.want.get(&planning.comparison.renames.key_in_want(&key));
        let stays_alone =
            wanted.and_then(|wanted| wanted.as_table()).is_some_and(|table| !table.clauses.has("partition of"));
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
