//! Changes that ALTER TABLE can make without rewriting the table (<https://sqlite.org/lang_altertable.html>).

use super::super::names::quoted;
use super::super::write::added_column;
use super::{TableChange, guards};
use wevrun_core::engine::EngineVersion;
use wevrun_core::model::{Check, Column, Expression};
use wevrun_core::plan::{Risk, RiskKind, Step};

/// The steps, or none if the table must be rebuilt.
pub fn steps(change: &TableChange<'_>) -> Option<Vec<Step>> {
    let (have, want) = (change.have, change.want);
    if have.primary_key != want.primary_key
        || have.unique_keys != want.unique_keys
        || have.strict != want.strict
        || have.without_rowid != want.without_rowid
    {
        return None;
    }
    let dropped: Vec<&Column> = have.columns.iter().filter(|column| want.column(&column.name).is_none()).collect();
    let added: Vec<&Column> = want.columns.iter().filter(|column| have.column(&column.name).is_none()).collect();
    let kept_changed =
        have.columns.iter().any(|column| want.column(&column.name).is_some_and(|wanted| wanted != column));
    if kept_changed || have.columns.len() == dropped.len() {
        return None;
    }
    // Constraints may come with an added column; none may go.
    if have.checks.iter().any(|check| !want.checks.contains(check))
        || have.foreign_keys.iter().any(|key| !want.foreign_keys.contains(key))
    {
        return None;
    }
    let new_keys = want.foreign_keys.iter().filter(|key| !have.foreign_keys.contains(key));
    for key in new_keys {
        if !matches!(&key.columns[..], [only] if added.iter().any(|column| column.name == *only)) {
            return None;
        }
    }
    let new_checks: Vec<&Check> = want.checks.iter().filter(|check| !have.checks.contains(check)).collect();
    if !new_checks.is_empty() && change.planning.version < (EngineVersion { major: 3, minor: 37 }) {
        return None; // earlier versions do not check the rows that exist
    }
    // The same constraint may be there twice.
    if want.checks.len() != have.checks.len() + new_checks.len() || want.foreign_keys.len() < have.foreign_keys.len() {
        return None;
    }
    let mut steps = Vec::new();
    for column in dropped {
        if !can_drop(change, column) {
            return None;
        }
        steps.push(drop_step(change, column));
    }
    let mut checks_left = new_checks;
    for column in added {
        if !can_add(change, column) {
            return None;
        }
        let (with_column, left) =
            checks_left.into_iter().partition(|check| check.condition.may_use_column(&column.name));
        checks_left = left;
        steps.push(add_step(change, column, with_column));
    }
    checks_left.is_empty().then_some(steps)
}

/// "The PRIMARY KEY or UNIQUE constraint", "an index", "a CHECK", "a foreign key", "a generated column": none may use it.
fn can_drop(change: &TableChange<'_>, column: &Column) -> bool {
    let table = change.have;
    change.planning.version >= (EngineVersion { major: 3, minor: 35 })
        && !table.in_primary_key(&column.name)
        && !table.unique_keys.iter().any(|key| key.has_column(&column.name))
        && !table.foreign_keys.iter().any(|key| key.columns.contains(&column.name))
        && !table.checks.iter().any(|check| check.condition.may_use_column(&column.name))
        && !table
            .columns
            .iter()
            .any(|c| c.generated.as_ref().is_some_and(|g| g.expression.may_use_column(&column.name)))
}

fn can_add(change: &TableChange<'_>, column: &Column) -> bool {
    let not_null = column.not_null.is_some();
    let value_fits = match (&column.generated, &column.default) {
        (Some(generated), _) => !generated.stored && !not_null,
        (None, None) => !not_null,
        (None, Some(default)) => is_constant(default) && !(not_null && default.canonical == "null"),
    };
    // "If a column with a REFERENCES clause is added, the column must have a default value of NULL."
    let refers = change.want.foreign_keys.iter().any(|key| key.columns.contains(&column.name));
    value_fits && !(refers && column.default.is_some())
}

/// "The column may not have a default value of CURRENT_TIME, CURRENT_DATE, CURRENT_TIMESTAMP, or an expression in
/// parentheses."
fn is_constant(default: &Expression) -> bool {
    let text = default.canonical.trim_start_matches(['+', '-', ' ']);
    let is_text = text.starts_with('\'') || text.starts_with("x'");
    let simple = text.chars().all(|ch| ch.is_ascii_alphanumeric() || matches!(ch, '.' | '_'));
    (is_text && !text[1..].trim_start_matches('\'').contains("' ")) || (simple && !text.starts_with("current_"))
}

fn drop_step(change: &TableChange<'_>, column: &Column) -> Step {
    let (table, name) = (&change.object.name, &column.name);
    let statement = format!("ALTER TABLE {} DROP COLUMN {}", quoted(table.written()), quoted(name.written()));
    let mut step = Step::new(format!("drop column {table}.{name}"), Vec::new());
    losing_values(change, column, &mut step);
    step.statements.push(statement);
    step
}

/// Names the risk of losing a column's values, or why there is none.
pub fn losing_values(change: &TableChange<'_>, column: &Column, step: &mut Step) {
    let object = format!("column {}.{}", change.original, change.original_column(&column.name));
    if column.generated.is_some() {
        step.notes.push(format!("{object} is generated, so no value is lost"));
        return;
    }
    let probe = change.has_values(&column.name);
    let empty = change.answer(&change.has_rows()) == Some(false);
    if empty || change.answer(&probe) == Some(false) {
        // The step runs under want's names.
        let guard = wevrun_core::plan::Probe::HasValues(change.object.name.clone(), column.name.clone());
        step.statements.push(guards::must_not_hold(&guard));
        step.notes.push(format!("{object} holds no value but NULL, so nothing is lost; the script stops if it does"));
        return;
    }
    let explanation = if change.answer(&probe) == Some(true) {
        "it holds values, and they are destroyed"
    } else {
        "any values in it are destroyed"
    };
    step.risks.push(Risk::new(RiskKind::LosesColumn, object, explanation));
}

fn add_step(change: &TableChange<'_>, column: &Column, checks: Vec<&Check>) -> Step {
    let table = &change.object.name;
    let definition = added_column(change.want, column, &checks);
    let statement = format!("ALTER TABLE {} ADD COLUMN {definition}", quoted(table.written()));
    let mut step = Step::new(format!("add column {table}.{}", column.name), vec![statement]);
    if column.generated.is_none() {
        change.note_lost_values(&column.name, &mut step);
    }
    if !checks.is_empty() && change.answer(&change.has_rows()) != Some(false) {
        let explanation = "rows that do not fit its CHECK stop the script";
        step.risks.push(Risk::new(RiskKind::MayRefuseRows, format!("column {table}.{}", column.name), explanation));
    }
    step
}
