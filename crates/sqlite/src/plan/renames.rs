//! Renames of tables and columns, and what they would trip over.

use std::collections::BTreeSet;

use super::super::Sqlite;
use super::super::names::quoted;
use wevrun_core::compare::Change;
use wevrun_core::model::{Identifiers, Kind, ObjectKey, QualifiedName};
use wevrun_core::plan::{Clearance, Planning, Risk, RiskKind, Step};

/// Views and triggers that must be dropped before names change, and made again after.
///
/// They use, directly or through views, a table of which a name changes: the engine would rewrite them; they are made again as
/// want's instead. Besides, the engine looks through all views and triggers when it renames or drops a column
/// (`looks_through`), and stops at one that uses what is not there: so the users of a dropped view must be dropped temporarily, and
/// so has what was broken before.
pub fn dependents(planning: &Planning<'_>, looks_through: bool) -> BTreeSet<ObjectKey> {
    let renames = &planning.comparison.renames;
    let have = planning.have;
    let mut touched: BTreeSet<QualifiedName> = renames.tables.iter().map(|(_, from, _)| from.clone()).collect();
    for (table, _, _) in &renames.columns {
        let old = renames.table_in_have(&ObjectKey::new(Kind::Table, table.clone()));
        touched.insert(old.unwrap_or_else(|| table.clone()));
    }
    if looks_through {
        let going = planning.comparison.differences.iter().filter(|d| !matches!(d.change, Change::Create(_)));
        touched.extend(going.filter(|d| d.key.kind == Kind::View).map(|d| d.key.name.clone()));
        let used = have.of_kind(Kind::View).chain(have.of_kind(Kind::Trigger)).flat_map(|object| &object.uses);
        touched.extend(used.filter(|name| have.relation(name).is_none() && !Sqlite.is_built_in(name)).cloned());
    }
    let mut found = BTreeSet::new();
    if touched.is_empty() {
        return found;
    }
    loop {
        let before = found.len();
        for view in have.of_kind(Kind::View) {
            if view.uses.iter().any(|used| touched.contains(used)) {
                touched.insert(view.name.clone());
                found.insert(view.key());
            }
        }
        if found.len() == before {
            break;
        }
    }
    for trigger in have.of_kind(Kind::Trigger) {
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
        let mut step = Step::new(format!("rename column {table}.{from} to {to}"), vec![statement]);
        if Sqlite.is_row_id(to) {
            let explanation = "SQLite can't rename a column to a name of the row number (rowid)";
            let mut risk = Risk::new(RiskKind::ChangesValues, format!("column {table}.{to}"), explanation);
            risk.clearance = Clearance::Impossible;
            risk.ways_out.push("choose another name; rowid, _rowid_ and oid are taken".to_owned());
            risk.ways_out.push("add the column in this release, fill it, and drop the old one in the next".to_owned());
            step.risks.push(risk);
        }
        steps.push(step);
    }
    steps
}
