//! Routines, triggers, events and packages: each is replaced in one statement.

use wevrun_core::compare::Change;
use wevrun_core::model::{Kind, Object};
use wevrun_core::plan::Step;

use super::Planner;
use crate::{clause, write};

/// Routines come early: views and defaults call them, and nothing looks into their bodies before they run.
pub fn routines(planner: &mut Planner<'_>) {
    for kind in [Kind::Package, Kind::Function, Kind::Aggregate, Kind::Procedure, Kind::PackageBody] {
        replace(planner, kind);
    }
}

/// What runs by itself comes last.
pub fn triggers_and_events(planner: &mut Planner<'_>) {
    replace(planner, Kind::Trigger);
    replace(planner, Kind::Event);
}

fn replace(planner: &mut Planner<'_>, kind: Kind) {
    for difference in planner.of_kind(kind) {
        let (have, want): (Option<&Object>, &Object) = match &difference.change {
            Change::Create(object) => (None, object),
            Change::Change { have, want, .. } => (Some(have), want),
            Change::Remove(_) => continue,
        };
        let key = want.key();
        let moves = have.is_some_and(|have| have.definition.owner() != want.definition.owner());
        let mut statements = Vec::new();
        if moves {
            // The server does not replace a trigger of another table.
            statements.push(format!("DROP {} {}", kind.title().to_uppercase(), crate::names::in_sql(&want.name)));
        }
        statements.extend(with_mode(
            want,
            match have {
                Some(_) if !moves => write::create_or_replace(want),
                _ => write::create_statement(want),
            },
        ));
        let on = want.definition.owner().map(|owner| format!(" on {owner}")).unwrap_or_default();
        let title = format!("{} {key}{on}", if have.is_some() { "replace" } else { "create" });
        let mut step = Step::new(title, statements).of(key.clone());
        if kind == Kind::Trigger && have.is_some() {
            step.notes.push("it fires after the other triggers of its kind now, unless it says FOLLOWS".to_owned());
        }
        planner.step(step, vec![(key, Some(want.clone()))]);
    }
}

/// A program keeps the mode in which it is created.
fn with_mode(object: &Object, statement: String) -> Vec<String> {
    let mode = object.definition.clauses().and_then(|clauses| clauses.get(clause::SQL_MODE));
    match mode {
        Some(mode) => vec![
            "SET @wevrun_mode = @@sql_mode".to_owned(),
            format!("SET SESSION sql_mode = CONCAT(@@sql_mode, ',{mode}')"),
            statement,
            "SET SESSION sql_mode = @wevrun_mode".to_owned(),
        ],
        None => vec![statement],
    }
}
