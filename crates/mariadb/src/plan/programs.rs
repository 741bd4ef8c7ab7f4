//! Routines, triggers, events and packages: each is replaced in one statement.

use wevrun_core::compare::{Change, Difference};
use wevrun_core::model::{Expression, Kind, Object, ObjectKey, QualifiedName};
use wevrun_core::plan::Step;

use super::Planner;
use crate::{clause, names, parse, write};

/// Routines come early: views and defaults call them, and nothing looks into their bodies before they run.
pub fn routines(planner: &mut Planner<'_>) {
    for kind in [Kind::Package, Kind::Function, Kind::Aggregate, Kind::Procedure, Kind::PackageBody] {
        replace(planner, kind);
    }
}

/// Triggers and events are last, since they run by themselves.
pub fn triggers_and_events(planner: &mut Planner<'_>) {
    replace(planner, Kind::Trigger);
    replace(planner, Kind::Event);
}

fn replace(planner: &mut Planner<'_>, kind: Kind) {
    for difference in in_order(planner.of_kind(kind)) {
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
        let placed = have.filter(|_| kind == Kind::Trigger && !moves).and_then(|have| kept_place(planner, have, want));
        let placed = placed.as_ref().unwrap_or(want);
        statements.extend(with_mode(
            want,
            match have {
                Some(_) if !moves => write::create_or_replace(placed),
                _ => write::create_statement(placed),
            },
        ));
        let on = want.definition.owner().map(|owner| format!(" on {owner}")).unwrap_or_default();
        let title = format!("{} {key}{on}", if have.is_some() { "replace" } else { "create" });
        let step = Step::new(title, statements).of(key.clone());
        planner.step(step, vec![(key, Some(want.clone()))]);
    }
}

/// Triggers after those that they name.
fn in_order<'p>(mut rest: Vec<&'p Difference<'p>>) -> Vec<&'p Difference<'p>> {
    let mut sorted = Vec::with_capacity(rest.len());
    while !rest.is_empty() {
        let waits = |difference: &Difference<'_>| {
            let want = match &difference.change {
                Change::Create(want) | Change::Change { want, .. } => want,
                Change::Remove(_) => return false,
            };
            let named = named_trigger(want);
            named.is_some_and(|named| rest.iter().any(|other| other.key.name == named && other.key != difference.key))
        };
        // Those that wait for one another are left to the server.
        let at = rest.iter().position(|difference| !waits(difference)).unwrap_or(0);
        sorted.push(rest.remove(at));
    }
    sorted
}

/// The trigger that the place of another one names.
fn named_trigger(trigger: &Object) -> Option<QualifiedName> {
    let place = trigger.definition.clauses()?.written(clause::PLACE);
    let (_, name) = place.split_once(char::is_whitespace)?;
    Some(names::table(None, &parse::unquoted_name(name.trim())))
}

/// A trigger that is replaced, in the place that it has; the server would put it last. None if its place is written, or is the last one.
fn kept_place(planner: &Planner<'_>, have: &Object, want: &Object) -> Option<Object> {
    let fires = |object: &Object| {
        let clauses = object.definition.clauses();
        let value = |key| clauses.and_then(|clauses| clauses.get(key).cloned());
        (object.definition.owner().cloned(), value(clause::TIMING), value(clause::EVENT))
    };
    if named_trigger(want).is_some() || fires(have) != fires(want) {
        return None;
    }
    let stays = |name: &QualifiedName| {
        let key = ObjectKey::new(Kind::Trigger, name.clone());
        planner.planning.want.get(&key).is_some_and(|other| fires(other) == fires(want))
    };
    let before = named_trigger(have).filter(stays).map(|before| ("FOLLOWS", before));
    let after = || {
        let follows = |other: &&Object| named_trigger(other).is_some_and(|named| named == have.name);
        let next = planner.planning.renamed.of_kind(Kind::Trigger).find(follows)?.name.clone();
        Some(("PRECEDES", next)).filter(|(_, next)| stays(next))
    };
    let (word, other) = before.or_else(after)?;
    let mut placed = want.clone();
    let place = Expression::new(String::new(), &format!("{word} {}", names::in_sql(&other)));
    placed.definition.clauses_mut()?.set(clause::PLACE, place);
    Some(placed)
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
