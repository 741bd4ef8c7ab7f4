//! What CREATE OR REPLACE keeps of the object that there was.

use wevrun_core::model::{Kind, Object};

use crate::clause;

/// Keeps the owner, the privileges and labels, and what other statements than CREATE have said
/// (`CreateProceduralLanguage()`, `ProcedureCreate()`, `DefineView()`, `InsertRule()`).
pub fn keep_replaced(first: &Object, object: &mut Object) {
    object.access.clone_from(&first.access);
    let kind = first.definition.kind();
    let (Some(before), Some(clauses)) = (first.definition.clauses(), object.definition.clauses_mut()) else { return };
    for (name, value) in before.iter() {
        let is_kept = clause::COMMENT.is(name)
            || kind == Kind::View && (clause::COMMENT_ON.has(name) || clause::DEFAULT_OF.has(name))
            || kind == Kind::Rule && clause::ENABLED.is(name);
        if is_kept && !clauses.has_named(name) {
            clauses.set_named(name, value.clone());
        }
    }
}
