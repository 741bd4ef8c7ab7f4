//! Privileges of users on objects: last, when all objects are there.

use wevrun_core::compare::access_properties;
use wevrun_core::model::{Clauses, Object};
use wevrun_core::plan::Step;

use super::Planner;
use crate::{MariaDb, clause, grants};

/// Grants as want has them, where that is asked for. The server keeps what was granted on a table that is dropped or renamed under
/// its old name, so have's privileges on the object with want's name count.
pub fn plan(planner: &mut Planner<'_>) {
    let planning = planner.planning;
    if !planning.plan_options.access {
        return;
    }
    for want in planning.want.objects() {
        let have = planning.have.get(&want.key());
        let access = have.map(|have| have.access.clone()).unwrap_or_default();
        let differing = access_properties(&MariaDb, &Object { access, ..want.clone() }, want);
        let statements = grants::changes(want, &differing);
        if !statements.is_empty() {
            planner.steps.push(Step::new(format!("set privileges on {}", want.key()), statements).of(want.key()));
        }
    }
}

/// The first step of a script that is to change privileges which could not be read: nothing may be changed then.
pub fn refuse_unknown(planner: &mut Planner<'_>) {
    let is_unread = |object: &Object| object.access.has(clause::GRANTS_UNREAD);
    if planner.planning.plan_options.access && planner.planning.have.objects().any(is_unread) {
        let stop = vec![grants::STOP.to_owned()];
        planner.steps.push(Step::new("stop: the privileges are not known", stop));
    }
}

/// Whether somebody was granted something on an object.
pub fn is_granted(access: &Clauses) -> bool {
    access.iter().any(|(name, _)| clause::GRANT.has(name))
}
