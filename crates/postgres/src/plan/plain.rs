//! Changes of everything but tables: in place where the server can, else recreated.

use super::Method;
use super::index_settings;
use super::labels;
use super::operators;
use super::parameters;
use super::sequences;
use crate::canonical::Outputs;
use crate::clause;
use crate::names::{self, quoted};
use crate::{attributes, split_list, write};
use wevrun_core::model::{Clauses, Index, Kind, Object, Plain, View, is};
use wevrun_core::plan::{Risk, RiskKind, Step};

/// Takes the comment out of what differs, and gives the statement that changes it.
fn comment(want: &Object, differing: &mut Vec<&str>) -> Vec<String> {
    let kind = want.definition.kind();
    let name = &want.name;
    let clauses = write::clauses(want);
    let mut statements = Vec::new();
    differing.retain(|clause| {
        let what = if *clause == "comment" {
            write::subject(kind, name)
        } else if let Some(on) = clause::COMMENT_ON.member(clause) {
            match (kind, on.strip_prefix("constraint ")) {
                (Kind::Domain, _) => format!("CONSTRAINT {on} ON DOMAIN {name}"),
                (_, Some(constraint)) => format!("CONSTRAINT {constraint} ON {name}"),
                _ => format!("COLUMN {name}.{on}"),
            }
        } else {
            return true;
        };
        statements.push(write::comment_on(&what, clauses.value_named(clause)));
        false
    });
    statements
}

/// Takes the storage parameters out of what differs, and gives the statements that change them.
pub fn parameters(what: &str, have: &Clauses, want: &Clauses, differing: &mut Vec<&str>) -> Vec<String> {
    differing.retain(|clause| !clause::WITH.has(clause));
    parameters::change(have, want).into_iter().map(|action| format!("ALTER {what} {action}")).collect()
}

fn alter(want: &Object, statements: Vec<String>) -> Method {
    if statements.is_empty() {
        return Method::Nothing;
    }
    Method::Alter(vec![Step::new(format!("change {}", want.key()), statements)])
}

/// A view: replaced where its columns stay the first ones, with their types.
pub fn view(have: &Object, want: &Object, before: &View, after: &View, outputs: &(Outputs, Outputs)) -> Method {
    let materialized = after.clauses.has(is::MATERIALIZED);
    let mut differing = before.clauses.differing(&after.clauses);
    let mut statements = Vec::new();
    if before.query != after.query {
        if materialized || !is_replaceable(have, want, outputs) {
            return Method::Rebuild;
        }
        statements.push(write::create_view(&want.name, after, true));
        // The options come with it.
        differing.retain(|clause| !clause::WITH.has(clause));
    }
    let what = write::subject(want.definition.kind(), &want.name);
    statements.extend(parameters(&what, &before.clauses, &after.clauses, &mut differing));
    statements.extend(comment(want, &mut differing));
    differing.retain(|clause| {
        let Some(column) = clause::DEFAULT_OF.member(clause) else { return true };
        statements.push(match after.clauses.expression_named(clause) {
            Some(default) => format!("ALTER {what} ALTER COLUMN {column} SET DEFAULT {}", default.written()),
            None => format!("ALTER {what} ALTER COLUMN {column} DROP DEFAULT"),
        });
        false
    });
    if differing.contains(&"cluster on") {
        // Which index orders the rows is said when all indexes are there.
        differing.retain(|clause| *clause != "cluster on");
        if !after.clauses.has(clause::CLUSTER_ON) {
            statements.push(format!("ALTER {what} SET WITHOUT CLUSTER"));
        }
    }
    if differing.is_empty() { alter(want, statements) } else { Method::Rebuild }
}

/// Whether CREATE OR REPLACE VIEW will do: columns may only be added at the end
/// (<https://www.postgresql.org/docs/current/sql-createview.html>).
fn is_replaceable(have: &Object, want: &Object, (before, after): &(Outputs, Outputs)) -> bool {
    let (Some(before), Some(after)) = (before.get(&have.name), after.get(&want.name)) else { return false };
    before.len() <= after.len()
        && before.iter().zip(after).all(|(old, new)| old.0 == new.0 && old.1.is_some() && old.1 == new.1)
}

/// An index: only its settings can be changed, those of a partitioned one not.
pub fn index(want: &Object, before: &Index, after: &Index, partitioned: bool) -> Method {
    let mut differing = before.clauses.differing(&after.clauses);
    if before.table != after.table
        || before.unique != after.unique
        || before.parts != after.parts
        || before.predicate != after.predicate
    {
        return Method::Rebuild;
    }
    let Some(mut statements) =
        index_settings::change(&want.name, partitioned, (&before.clauses, &after.clauses), &mut differing)
    else {
        return Method::Rebuild;
    };
    statements.extend(comment(want, &mut differing));
    differing.retain(|clause| match clause::STATISTICS_OF.member(clause) {
        Some(number) => {
            let target = after.clauses.value_named(clause).unwrap_or("-1");
            statements.push(format!("ALTER INDEX {} ALTER COLUMN {number} SET STATISTICS {target}", want.name));
            false
        }
        None => true,
    });
    if differing.is_empty() { alter(want, statements) } else { Method::Rebuild }
}

/// Everything that is nothing but clauses.
///
/// `in_use` is whether columns of tables are of the type that it is.
pub fn plain(want: &Object, before: &Plain, after: &Plain, in_use: bool) -> Method {
    let mut differing = before.clauses.differing(&after.clauses);
    let mut statements = comment(want, &mut differing);
    let name = &want.name;
    match after.kind {
        Kind::Sequence => {
            differing.retain(|clause| *clause != "owned by"); // said when all is there
            if let Some(at) = differing.iter().position(|clause| *clause == "unlogged") {
                differing.remove(at);
                let logged = if after.clauses.has(clause::UNLOGGED) { "UNLOGGED" } else { "LOGGED" };
                statements.push(format!("ALTER SEQUENCE {name} SET {logged}"));
            }
            if !differing.is_empty() {
                let down = |plain: &Plain| sequences::counts_down(plain.clauses.value(clause::INCREMENT));
                let turns = down(before) != down(after);
                if !turns {
                    statements.extend(sequences::into_limits(name, before, after));
                }
                // In one statement with another direction, the server takes the limits of the other one for the new type.
                if turns && let Some(at) = differing.iter().position(|clause| *clause == "as") {
                    differing.remove(at);
                    let data_type = after.clauses.value(clause::AS).unwrap_or("bigint");
                    statements.push(format!("ALTER SEQUENCE {name} AS {data_type}"));
                }
                let changes = sequences::changes(&differing, turns, &after.clauses);
                statements.push(format!("ALTER SEQUENCE {name}{changes}"));
                if turns {
                    let mut step = Step::new(format!("change {}", want.key()), statements);
                    step.risks.push(sequences::repeats(&want.key().to_string()));
                    return Method::Alter(vec![step]);
                }
            }
            return alter(want, statements);
        }
        Kind::Function | Kind::Procedure => {
            if differing.is_empty() {
                return alter(want, statements);
            }
            if !routine_is_replaceable(before, after) {
                return Method::Rebuild;
            }
            statements.insert(0, write::create_plain(name, after, true));
            return alter(want, statements);
        }
        Kind::Domain => {
            differing.retain(|clause| match domain_change(name.canonical(), clause, before, after) {
                Some(changes) => {
                    statements.extend(changes);
                    false
                }
                None => true,
            });
        }
        Kind::Type if after.clauses.has(clause::ENUM) && before.clauses.has(clause::ENUM) => {
            return enumeration(want, before, after, statements);
        }
        Kind::Type if after.clauses.has(clause::ATTRIBUTES) && before.clauses.has(clause::ATTRIBUTES) => {
            return composite(want, before, after, statements, in_use);
        }
        Kind::Trigger | Kind::Rule if differing == ["enabled"] => {
            let owner = after.owner.as_ref().map_or("", |owner| owner.canonical());
            let own = quoted(name.identifier());
            statements.push(format!(
                "ALTER TABLE {owner} {} {} {own}",
                write::enabled(after.clauses.value(clause::ENABLED)),
                write::keywords(after.kind)
            ));
            differing.clear();
        }
        Kind::EventTrigger if differing == ["enabled"] => {
            statements
                .push(format!("ALTER EVENT TRIGGER {name} {}", write::enabled(after.clauses.value(clause::ENABLED))));
            differing.clear();
        }
        Kind::Extension if differing == ["schema"] => {
            statements.push(format!(
                "ALTER EXTENSION {name} SET SCHEMA {}",
                after.clauses.value(clause::SCHEMA).unwrap_or("public")
            ));
            differing.clear();
        }
        Kind::Policy
            if differing.iter().all(|clause| matches!(*clause, "to" | "using" | "with check"))
                && differing.iter().all(|clause| *clause == "to" || after.clauses.has_named(clause))
                && !differing.is_empty() =>
        {
            let mut out = format!("ALTER POLICY {name}");
            if differing.contains(&"to") {
                out += &format!(" TO {}", after.clauses.value(clause::TO).unwrap_or("public"));
            }
            for (clause, words) in [(clause::USING, "USING"), (clause::WITH_CHECK, "WITH CHECK")] {
                if differing.iter().any(|differing| clause.is(differing)) {
                    out += &format!(" {words} ({})", after.clauses.written(clause));
                }
            }
            statements.push(out);
            differing.clear();
        }
        Kind::ForeignDataWrapper | Kind::Server | Kind::UserMapping
            if differing.iter().all(|clause| clause::OPTIONS.has(clause) || takes_away(clause).is_some()) =>
        {
            let what = match after.kind {
                Kind::UserMapping => format!("USER MAPPING FOR {name}"),
                kind => format!("{} {name}", write::keywords(kind)),
            };
            let changes = differing.iter().filter_map(|clause| {
                let gone = takes_away(clause)?.to_owned();
                Some(after.clauses.value_named(clause).map_or(gone, |value| write::foreign::clause(clause, value)))
            });
            let changes: Vec<String> = changes.collect();
            if !changes.is_empty() {
                statements.push(format!("ALTER {what} {}", changes.join(" ")));
            }
            differing.retain(|clause| takes_away(clause).is_none());
            statements.extend(write::foreign::option_changes(&what, &before.clauses, &after.clauses, &mut differing));
        }
        Kind::Subscription => {
            if differing.contains(&"publications") {
                let publications = after.clauses.value(clause::PUBLICATIONS).unwrap_or_default();
                let set = format!("ALTER SUBSCRIPTION {name} SET PUBLICATION {publications} WITH (refresh = false)");
                statements.push(set);
                differing.retain(|clause| *clause != "publications");
            }
            // An option that is not said any more has its usual value only in a new one.
            if differing.iter().all(|clause| after.clauses.has_named(clause) && *clause != "with.two_phase") {
                statements.extend(parameters(
                    &format!("SUBSCRIPTION {name}"),
                    &before.clauses,
                    &after.clauses,
                    &mut differing,
                ));
            }
        }
        _ if !differing.is_empty() => {
            if let Some(changes) = operators::changes(name, &differing, before, after) {
                statements.extend(changes);
                differing.clear();
            }
        }
        _ => {}
    }
    if differing.is_empty() { alter(want, statements) } else { Method::Rebuild }
}

/// What takes a clause of a foreign-data wrapper or server away; none if ALTER can't change it.
fn takes_away(clause: &str) -> Option<&'static str> {
    write::foreign::CLAUSES.iter().find(|(known, _)| *known == clause).and_then(|(_, gone)| *gone)
}

/// Names of arguments, what is returned and defaults that are there can't be taken away by OR REPLACE
/// (<https://www.postgresql.org/docs/current/sql-createfunction.html>).
fn routine_is_replaceable(before: &Plain, after: &Plain) -> bool {
    let old = split_list(before.clauses.value(clause::ARGUMENTS).unwrap_or_default());
    let new = split_list(after.clauses.value(clause::ARGUMENTS).unwrap_or_default());
    let same_names = old.len() == new.len() && old.iter().zip(&new).all(|(old, new)| old == new || !old.contains(' '));
    let returns = before.clauses.value(clause::RETURNS) == after.clauses.value(clause::RETURNS);
    let window = before.clauses.has(clause::WINDOW) == after.clauses.has(clause::WINDOW);
    let defaults = before
        .clauses
        .iter()
        .filter(|(clause, _)| clause::DEFAULT_OF.has(clause))
        .all(|(clause, _)| after.clauses.has_named(clause));
    same_names && returns && window && defaults
}

fn domain_change(name: &str, clause: &str, before: &Plain, after: &Plain) -> Option<Vec<String>> {
    let value = after.clauses.expression_named(clause);
    Some(match clause {
        "default" => vec![match value {
            Some(default) => format!("ALTER DOMAIN {name} SET DEFAULT {}", default.written()),
            None => format!("ALTER DOMAIN {name} DROP DEFAULT"),
        }],
        "not null" => vec![format!(
            "ALTER DOMAIN {name} {} NOT NULL",
            if after.clauses.has_named(clause) { "SET" } else { "DROP" }
        )],
        _ => {
            if let Some(check) = clause::NOT_VALID_CHECK.member(clause) {
                return match value {
                    None if after.clauses.has(clause::CHECK.of(check)) => {
                        Some(vec![format!("ALTER DOMAIN {name} VALIDATE CONSTRAINT {}", quoted(check))])
                    }
                    _ => Some(Vec::new()),
                };
            }
            let check = clause::CHECK.member(clause)?;
            let mut statements = Vec::new();
            if before.clauses.has_named(clause) {
                statements.push(format!("ALTER DOMAIN {name} DROP CONSTRAINT {}", quoted(check)));
            }
            if let Some(condition) = value {
                let late = if after.clauses.has(clause::NOT_VALID_CHECK.of(check)) { " NOT VALID" } else { "" };
                statements.push(format!(
                    "ALTER DOMAIN {name} ADD CONSTRAINT {} CHECK ({}){late}",
                    quoted(check),
                    condition.written()
                ));
            }
            statements
        }
    })
}

/// New labels are added in place; where labels go or change places, the type is swapped.
fn enumeration(want: &Object, before: &Plain, after: &Plain, mut statements: Vec<String>) -> Method {
    match labels::additions(&want.name, &before.clauses, &after.clauses) {
        Some(additions) => {
            statements.extend(additions);
            alter(want, statements)
        }
        None => Method::Rebuild,
    }
}

fn composite(want: &Object, before: &Plain, after: &Plain, mut statements: Vec<String>, in_use: bool) -> Method {
    let (old, new) = (attributes(&before.clauses), attributes(&after.clauses));
    let mut actions = Vec::new();
    let mut step = Step::new(format!("change {}", want.key()), Vec::new());
    for (name, data_type) in &old {
        match new.iter().find(|(other, _)| other == name) {
            None => {
                actions.push(format!("DROP ATTRIBUTE {name} CASCADE"));
                let what = format!("attribute {}.{}", want.name, names::unquoted(name));
                step.risks.push(Risk::new(
                    RiskKind::LosesColumn,
                    what,
                    "its values in all rows of this type are destroyed",
                ));
            }
            // The server can't rewrite the values of columns for that.
            Some((_, wanted)) if wanted != data_type && in_use => return Method::Rebuild,
            Some((_, wanted)) if wanted != data_type => {
                actions.push(format!("ALTER ATTRIBUTE {name} SET DATA TYPE {wanted} CASCADE"))
            }
            Some(_) => {}
        }
    }
    for (name, data_type) in new.iter().filter(|(name, _)| !old.iter().any(|(other, _)| other == name)) {
        // CASCADE is for the tables of this type.
        actions.push(format!("ADD ATTRIBUTE {name} {data_type} CASCADE"));
    }
    let kept: Vec<&String> =
        old.iter().map(|(name, _)| name).filter(|name| new.iter().any(|(n, _)| n == *name)).collect();
    let expected: Vec<&String> = new.iter().map(|(name, _)| name).take(kept.len()).collect();
    // The order of attributes is part of the type, and new ones come last.
    if kept != expected {
        return Method::Rebuild;
    }
    if !actions.is_empty() {
        statements.insert(0, format!("ALTER TYPE {} {}", want.name, actions.join(", ")));
    }
    step.statements = statements;
    Method::Alter(vec![step])
}
