//! Renames of tables and columns, and what they would trip over.

use std::collections::BTreeSet;

use super::super::names::quoted;
use crate::model::{Kind, Name, ObjectKey};
use crate::plan::Planning;
use crate::script::Step;

/// Views and triggers that use, directly or through views, a table of which a name changes. The engine would rewrite them;
/// they are dropped and made again as want says instead.
pub fn dependents(planning: &Planning<'_>) -> BTreeSet<ObjectKey> {
    let renames = &planning.comparison.renames;
    let mut touched: BTreeSet<Name> = renames.tables.iter().map(|(_, from, _)| from.clone()).collect();
    for (table, _, _) in &renames.columns {
        let old = renames.table_in_have(&ObjectKey::new(Kind::Table, table.clone()));
        touched.insert(old.unwrap_or_else(|| table.clone()));
    }
    let mut found = BTreeSet::new();
    if touched.is_empty() {
        return found;
    }
    loop {
        let before = found.len();
        for view in planning.have.of_kind(Kind::View) {
            if view.uses.iter().any(|used| touched.contains(used)) {
                touched.insert(view.name.clone());
                found.insert(view.key());
            }
        }
        if found.len() == before {
            break;
        }
    }
    for trigger in planning.have.of_kind(Kind::Trigger) {
        let owner = trigger.definition.owner();
        if owner.is_some_and(|owner| touched.contains(owner)) || trigger.uses.iter().any(|used| touched.contains(used))
        {
            found.insert(trigger.key());
        }
    }
    found
}

/// The steps that rename..
pub fn steps(planning: &Planning<'_>) -> Vec<Step> {
    let renames = &planning.comparison.renames;
    let mut steps = Vec::new();
    for (kind, from, to) in &renames.tables {
        // Without the legacy behaviour the engine corrects the foreign keys that point here.
        let statements = vec![
            "PRAGMA legacy_alter_table = OFF".to_owned(),
            format!("ALTER TABLE {} RENAME TO {}", quoted(from.written()), quoted(to.written())),
            "PRAGMA legacy_alter_table = ON".to_owned(),
        ];
        steps.push(Step::new(format!("rename {} {from} to {to}", kind.title()), statements));
    }
    for (table, from, to) in &renames.columns {
        let statement = format!(
            "ALTER TABLE {} RENAME COLUMN {} TO {}",
            quoted(table.written()),
            quoted(from.written()),
            quoted(to.written())
        );
        steps.push(Step::new(format!("rename column {table}.{from} to {to}"), vec![statement]));
    }
    steps
}
