//! Renames come first: everything after them uses want's names.

use wevrun_core::model::{Kind, Model, Object, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::Step;

use super::{Planner, access};
use crate::names::{in_sql, literal, quoted};
use crate::{clause, rename};

pub fn plan(planner: &mut Planner<'_>) {
    tables(planner);
    columns(planner);
    keys(planner);
}

/// All tables and views in one statement, which succeeds or fails as a whole.
fn tables(planner: &mut Planner<'_>) {
    let renames = &planner.planning.comparison.renames;
    let all: Vec<&(Kind, QualifiedName, QualifiedName)> =
        renames.tables.iter().filter(|(kind, ..)| matches!(kind, Kind::Table | Kind::View | Kind::Sequence)).collect();
    if all.is_empty() {
        return;
    }
    // Swaps and chains go through names that nothing has.
    let taken = |name: &QualifiedName| all.iter().any(|(_, from, _)| from == name);
    let temporary_name = |number: usize| format!("wevrun_renamed_{number}");
    let (mut first, mut second) = (Vec::new(), Vec::new());
    for (number, (_, from, to)) in all.iter().enumerate() {
        if taken(to) {
            first.push(format!("{} TO {}", in_sql(from), temporary_name(number)));
            second.push(format!("{} TO {}", temporary_name(number), in_sql(to)));
        } else {
            first.push(format!("{} TO {}", in_sql(from), in_sql(to)));
        }
    }
    let statement = format!("RENAME TABLE {}", [first, second].concat().join(", "));
    let titles: Vec<String> = all.iter().map(|(kind, from, to)| format!("{} {from} to {to}", kind.title())).collect();
    let before = planner.state.clone();
    let mut after = planner.state.clone();
    let temporary = |number: usize| crate::names::table(None, &temporary_name(number));
    for (number, (kind, from, _)) in all.iter().enumerate() {
        rename::object(&mut after, &ObjectKey::new(*kind, from.clone()), &temporary(number));
    }
    for (number, (kind, _, to)) in all.iter().enumerate() {
        rename::object(&mut after, &ObjectKey::new(*kind, temporary(number)), to);
    }
    let mut step = Step::new(format!("rename {}", titles.join(", ")), vec![statement]);
    let renamed = all.iter().filter_map(|(kind, from, _)| before.get(&ObjectKey::new(*kind, from.clone())));
    if renamed.filter(|object| access::is_granted(&object.access)).count() > 0 {
        step.notes.push("the server leaves privileges with the old names: grant them again".to_owned());
    }
    let after = difference(&before, &after);
    planner.step(step, after);
}

/// The columns of each table in one statement, which sees the names before it.
fn columns(planner: &mut Planner<'_>) {
    let renames = &planner.planning.comparison.renames;
    let mut tables: Vec<&QualifiedName> = renames.columns.iter().map(|(table, ..)| table).collect();
    tables.dedup();
    for table in tables {
        let own: Vec<_> = renames.columns.iter().filter(|(name, ..)| name == table).collect();
        let clauses: Vec<String> = own
            .iter()
            .map(|(_, from, to)| format!("RENAME COLUMN {} TO {}", quoted(from.written()), quoted(to.written())))
            .collect();
        let statement = format!("ALTER TABLE {} {}, ALGORITHM=INSTANT, LOCK=NONE", in_sql(table), clauses.join(", "));
        let statements = match planner.planning.renamed.table(table) {
            Some(definition) if has_checks(definition) => reopened(table, definition, statement),
            _ => vec![statement],
        };
        let titles: Vec<String> = own.iter().map(|(_, from, to)| format!("{from} to {to}")).collect();
        let mut after = planner.state.clone();
        for (number, (_, from, _)) in own.iter().enumerate() {
            rename::column(&mut after, table, from, &crate::names::simple(&format!("wevrun renamed {number}")));
        }
        for (number, (_, _, to)) in own.iter().enumerate() {
            rename::column(&mut after, table, &crate::names::simple(&format!("wevrun renamed {number}")), to);
        }
        let key = ObjectKey::new(Kind::Table, table.clone());
        let step = Step::new(format!("rename column of {table}: {}", titles.join(", ")), statements).of(key);
        let after = difference(&planner.state, &after);
        planner.step(step, after);
    }
}

fn has_checks(table: &Table) -> bool {
    !table.checks.is_empty() || table.columns.iter().any(|column| column.clauses.has(clause::CHECK))
}

/// The server keeps tables open that a query has used under another name, and then takes a CHECK for one of columns under that name
/// (error 1054 on 10.11). After a change of nothing it opens the table again, and no other session can use it in between.
fn reopened(name: &QualifiedName, table: &Table, statement: String) -> Vec<String> {
    let name = in_sql(name);
    let comment = literal(table.clauses.get(clause::COMMENT).map_or("", String::as_str));
    vec![
        format!("LOCK TABLES {name} WRITE"),
        format!("ALTER TABLE {name} COMMENT={comment}, ALGORITHM=INSTANT"),
        statement,
        "UNLOCK TABLES".to_owned(),
    ]
}

/// Keys by themselves.
fn keys(planner: &mut Planner<'_>) {
    let renames = &planner.planning.comparison.renames;
    for (_, from, to) in renames.tables.iter().filter(|(kind, ..)| *kind == Kind::Index) {
        let Some(table) = to.owner() else { continue };
        let statement = format!(
            "ALTER TABLE {} RENAME INDEX {} TO {}, ALGORITHM=INSTANT, LOCK=NONE",
            in_sql(table),
            quoted(from.identifier()),
            quoted(to.identifier())
        );
        let old = ObjectKey::new(Kind::Index, crate::names::key(table, from.identifier()));
        let mut after = planner.state.clone();
        rename::object(&mut after, &old, to);
        let step = Step::new(format!("rename index {from} to {}", to.identifier()), vec![statement]);
        let after = difference(&planner.state, &after);
        planner.step(step, after);
    }
}

/// The differences between two states.
fn difference(before: &Model, after: &Model) -> Vec<(ObjectKey, Option<Object>)> {
    let gone = before.objects().map(Object::key).filter(|key| after.get(key).is_none()).map(|key| (key, None));
    let changed = after
        .objects()
        .filter(|object| before.get(&object.key()).is_none_or(|before| before.definition != object.definition));
    gone.chain(changed.map(|object| (object.key(), Some(object.clone())))).collect()
}
