//! Owners, grants and labels: last, when all objects are there.

use super::super::{Postgres, access, write};
use crate::clause;
use wevrun_core::compare::{access_properties, granted_only};
use wevrun_core::model::{Clauses, Object, ObjectKey};
use wevrun_core::plan::{Planning, Step};

/// Owners, grants and labels as want has them, where that is asked for. On the way back what had been removed gets its own again,
/// asked or not.
pub fn steps(planning: &Planning<'_>) -> Vec<Step> {
    let asked = planning.plan_options.access;
    if !asked && !planning.is_undo {
        return Vec::new();
    }
    let differing = |have: &Object, want: &Object| access::changes(want, &access_properties(&Postgres, have, want));
    let mut steps: Vec<(ObjectKey, Vec<String>)> = Vec::new();
    for want in planning.want.objects() {
        let key = want.key();
        let statements = match planning.have.get(&planning.comparison.renames.key_in_have(&key)) {
            Some(have) if asked => differing(have, want),
            Some(_) => continue,
            None => {
                let access = access::at_birth(planning.have.granted_only(), want);
                let unlike_birth = differing(&Object { access, ..want.clone() }, want);
                let mut statements = access::statements(want);
                statements.retain(|statement| !unlike_birth.contains(statement));
                statements.extend(unlike_birth);
                statements
            }
        };
        steps.push((key, statements));
    }
    for sides in granted_only(&Postgres, planning.have, planning.want).into_iter().filter(|_| asked) {
        let (have, want) = sides;
        // The one that knows the role, if they are default privileges.
        let named = [have, want].into_iter().flatten().max_by_key(|object| write::clauses(object).has(clause::ROLE));
        let Some(named) = named else { continue };
        let with = |access: Option<Clauses>| Object { access: access.unwrap_or_default(), ..named.clone() };
        let [have, want] = [have, want].map(|side| with(side.map(|object| object.access.clone())));
        steps.push((named.key(), differing(&have, &want)));
    }
    let steps = steps.into_iter().filter(|(_, statements)| !statements.is_empty());
    steps
        .map(|(key, statements)| {
            let mut step = Step::new(format!("set privileges on {key}"), statements);
            step.notes.push("owners, grants and labels are no part of the proof".to_owned());
            step
        })
        .collect()
}
