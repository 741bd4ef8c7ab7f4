//! A function that is IMMUTABLE may get another body. Entries of indexes, CHECKs and generated columns that were computed with the old one
//! stay as they are unless they are computed again (<https://www.postgresql.org/docs/current/xfunc-volatility.html>).

use crate::clause;
use std::collections::BTreeSet;

use super::super::names::quoted;
use super::super::write;
use super::create::equal_rows;
use super::{is_partitioned, rewrites};
use wevrun_core::compare::Change;
use wevrun_core::model::{Definition, Index, Kind, Model, Object, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::{Planning, Risk, RiskKind, Step};

/// The steps that compute again what a changed function has computed. `again` is what is created again anyway.
pub fn steps(planning: &Planning<'_>, have: &Model, again: &BTreeSet<ObjectKey>) -> Vec<Step> {
    let mut steps = Vec::new();
    for difference in &planning.comparison.differences {
        let Change::Change { want, .. } = &difference.change else { continue };
        let before = have.get(&difference.key).filter(|before| changes_body(before, want));
        if before.is_none() || again.contains(&difference.key) {
            continue;
        }
        let stays = |object: &Object| have.get(&object.key()).is_some() && !again.contains(&object.key());
        for object in planning.want.objects().filter(|object| stays(object)) {
            match &object.definition {
                Definition::Index(index) => steps.extend(of_index(planning, want, object, index)),
                Definition::Table(table) => steps.extend(of_table(planning, want, &object.name, table)),
                _ => {}
            }
        }
    }
    steps
}

fn changes_body(before: &Object, after: &Object) -> bool {
    let (Definition::Plain(before), Definition::Plain(after)) = (&before.definition, &after.definition) else {
        return false;
    };
    let body = |clause: &str| before.clauses.expression_named(clause) != after.clauses.expression_named(clause);
    after.kind == Kind::Function
        && after.clauses.value(clause::VOLATILITY) == Some("immutable")
        && (body("as") || body("definition"))
}

fn of_index(planning: &Planning<'_>, function: &Object, object: &Object, index: &Index) -> Option<Step> {
    let expressions = index.parts.iter().map(|part| &part.expression).chain(&index.predicate);
    if !expressions.into_iter().any(|expression| expression.may_use_object(&function.name)) {
        return None;
    }
    let title = format!("rebuild {} for the new {}", object.key(), function.key());
    if is_partitioned(planning.want, &index.table) {
        let mut step = Step::new(title, Vec::new());
        let explanation = format!(
            "its entries were computed with the old {}, and the server can't rebuild it in a transaction",
            function.key()
        );
        let mut risk = Risk::new(RiskKind::ChangesValues, object.key().to_string(), explanation);
        risk.ways_out.push(format!("after the release: REINDEX INDEX CONCURRENTLY {}", object.name));
        step.risks.push(risk);
        return Some(step);
    }
    let mut step = Step::new(title, vec![format!("REINDEX INDEX {}", object.name)]);
    step.risks.extend(index.unique.then(|| equal_rows(&object.key())));
    step.notes.push(format!("no other session can write to {} while the index is built", index.table));
    Some(step)
}

fn of_table(planning: &Planning<'_>, function: &Object, name: &QualifiedName, table: &Table) -> Vec<Step> {
    let mut steps = Vec::new();
    for check in table.checks.iter().filter(|check| check.condition.may_use_object(&function.name)) {
        let Some(constraint) = check.name.as_ref().filter(|_| !check.clauses.has(clause::INHERITED)) else { continue };
        let own = quoted(constraint.canonical());
        let statement =
            format!("ALTER TABLE {name}\n    DROP CONSTRAINT {own},\n    ADD {}", write::check_constraint(check));
        let mut step =
            Step::new(format!("revalidate {own} of {name} with the new {}", function.key()), vec![statement]);
        let explanation = "rows that do not fit it any more stop the script";
        step.risks.push(Risk::new(RiskKind::MayRefuseRows, format!("table {name}"), explanation));
        if let Some(comment) = check.clauses.value(clause::COMMENT) {
            step.statements.push(write::constraint_comment(name, constraint, Some(comment)));
        }
        steps.push(step);
    }
    for column in table.columns.iter() {
        let Some(generated) = column
            .generated
            .as_ref()
            .filter(|generated| generated.stored && generated.expression.may_use_object(&function.name))
        else {
            continue;
        };
        let mut step =
            Step::new(format!("compute column {name}.{} with the new {}", column.name, function.key()), Vec::new());
        let in_place = planning.version.major >= 17;
        let explanation = if in_place {
            "its values are recomputed with the new function"
        } else {
            "its values were computed with the old function and stay, until each row is updated"
        };
        step.risks.push(Risk::new(RiskKind::ChangesValues, format!("column {name}.{}", column.name), explanation));
        if in_place {
            let own = quoted(column.name.canonical());
            let expression = generated.expression.written();
            step.statements.push(format!("ALTER TABLE {name} ALTER COLUMN {own} SET EXPRESSION AS ({expression})"));
            step.risks.push(rewrites(name));
        }
        steps.push(step);
    }
    steps
}
