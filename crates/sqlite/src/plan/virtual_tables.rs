//! Virtual tables that change. No ALTER TABLE can change one, so a new one is made and filled from the old one.

use super::super::affinity::Affinity;
use super::super::names::{object_name, quoted};
use super::rebuild::row_id_column;
use super::{create_as, guards, temporary_name};
use wevrun_core::model::{Column, Definition, Kind, Model, Object, QualifiedName, Table, VirtualTable};
use wevrun_core::plan::{Planning, Probe, Risk, RiskKind, Step};

/// Where a virtual table's rows come from.
enum Content {
    /// It holds them itself, in these columns.
    Own(Vec<String>),
    /// It indexes another table, from which it can be filled again.
    Elsewhere(QualifiedName),
    /// They can't be read back, or this is a module that Wevrun does not know.
    Unreadable,
}

/// The step that replaces a virtual table.
pub fn step(
    planning: &Planning<'_>,
    original: &QualifiedName,
    have: &VirtualTable,
    object: &Object,
    want: &VirtualTable,
) -> Step {
    let table = &object.name;
    let mut step = Step::new(format!("replace virtual table {table}"), Vec::new());
    let probe = Probe::HasRows(original.clone());
    let empty = planning.evidence.answer(&probe) == Some(false);
    let drop = format!("DROP TABLE {}", quoted(table.written()));
    let old = content(have);
    if let (Content::Own(old), Content::Own(new)) = (&old, content(want))
        && have.module == want.module
    {
        let temporary_name = temporary_name(planning, table);
        // A column that was renamed is filled from the one that has its former name.
        let source = |column: &String| {
            let former = object.formerly.columns.iter().find(|(new, _)| new.canonical() == column);
            let former = former.map(|(_, old)| old.canonical().to_owned()).filter(|name| old.contains(name));
            if old.contains(column) { Some(column.clone()) } else { former }
        };
        let mut pairs: Vec<(String, String)> =
            new.iter().filter_map(|column| Some((quoted(column), quoted(&source(column)?)))).collect();
        if have.module.canonical().starts_with("fts") {
            pairs.insert(0, ("rowid".to_owned(), "rowid".to_owned()));
        }
        let (list, from): (Vec<String>, Vec<String>) = pairs.into_iter().unzip();
        let (list, from) = (list.join(", "), from.join(", "));
        let kept: Vec<String> = new.iter().filter_map(source).collect();
        for column in old.iter().filter(|column| !kept.contains(column)) {
            let explanation = "any values in it are destroyed";
            step.risks.push(Risk::new(RiskKind::LosesColumn, format!("column {original}.{column}"), explanation));
        }
        step.statements.push(create_as(object, &temporary_name));
        step.statements.push(format!(
            "INSERT INTO {} ({list})\n    SELECT {from} FROM {}",
            quoted(&temporary_name),
            quoted(table.written())
        ));
        step.statements.push(drop);
        step.statements.push(format!("ALTER TABLE {} RENAME TO {}", quoted(&temporary_name), quoted(table.written())));
        return step;
    }
    if matches!(old, Content::Elsewhere(_)) {
        step.notes.push(format!("virtual table {table} stores no rows"));
    } else if empty {
        step.statements.push(guards::must_not_hold(&Probe::HasRows(table.clone())));
        step.notes.push(format!(
            "virtual table {table} is empty, so nothing is lost; the script stops if it is not any more"
        ));
    } else {
        let explanation = "its rows can't be copied into the new one";
        step.risks.push(Risk::new(RiskKind::LosesTable, format!("virtual table {original}"), explanation));
    }
    step.statements.extend([drop, object.text.clone()]);
    step.statements.extend(fill(planning.want, table, want));
    step
}

/// The statement that fills a new virtual table that indexes another table, if that is there.
pub fn fill(want: &Model, table: &QualifiedName, definition: &VirtualTable) -> Option<String> {
    let Content::Elsewhere(content) = content(definition) else { return None };
    let table = quoted(table.written());
    want.relation(&content).map(|_| format!("INSERT INTO {table} ({table}) VALUES ('rebuild')"))
}

/// Whether a virtual table only indexes the rows of another table.
pub fn indexes_others(table: &VirtualTable) -> bool {
    matches!(content(table), Content::Elsewhere(_))
}

/// Whether the table or view that a virtual table indexes is created by the script, or created again.
pub fn content_is_created(planning: &Planning<'_>, table: &VirtualTable) -> bool {
    let Content::Elsewhere(content) = content(table) else { return false };
    let is_view = planning.want.find(Kind::View, &content).is_some();
    planning.renamed.relation(&content).is_none()
        || is_view && planning.comparison.differences.iter().any(|difference| difference.key.name == content)
}

/// The steps that fill the indexes of text over a table again whose rows have other numbers or other values by now
/// (<https://sqlite.org/fts5.html#external_content_table_pitfalls>).
pub fn stale_after(planning: &Planning<'_>, name: &QualifiedName, have: &Table, want: &Table) -> Vec<Step> {
    let mut steps = Vec::new();
    for object in planning.want.of_kind(Kind::VirtualTable) {
        let Definition::VirtualTable(definition) = &object.definition else { continue };
        let present = planning.renamed.get(&object.key()).is_some_and(|have| have.definition == object.definition);
        let is_over = matches!(content(definition), Content::Elsewhere(content) if content == *name);
        if !present || !is_over || !changes_rows(have, want, &columns(definition)) {
            continue;
        }
        let table = quoted(object.name.written());
        let statement = format!("INSERT INTO {table} ({table}) VALUES ('rebuild')");
        steps.push(Step::new(format!("refill virtual table {} from {name}", object.name), vec![statement]));
    }
    steps
}

/// Whether rows get other numbers, or columns other values, when a table becomes another one.
fn changes_rows(have: &Table, want: &Table, columns: &[String]) -> bool {
    let id = |table: &Table| row_id_column(table).map(|column| column.name.clone());
    let indexed = |column: &&Column| columns.iter().any(|indexed| indexed == column.name.canonical());
    let other = |column: &Column| {
        have.column(&column.name).is_none_or(|old| {
            Affinity::of(old, have.strict) != Affinity::of(column, want.strict) || old.generated != column.generated
        })
    };
    id(have) != id(want) || have.without_rowid != want.without_rowid || want.columns.iter().filter(indexed).any(other)
}

fn columns(table: &VirtualTable) -> Vec<String> {
    let columns = table.arguments.iter().filter(|argument| !argument.contains('='));
    columns.filter_map(|argument| Some(column_name(argument.split_whitespace().next()?))).collect()
}

fn content(table: &VirtualTable) -> Content {
    let options = || table.arguments.iter().filter_map(|argument| argument.split_once('='));
    match table.module.canonical() {
        "fts5" | "fts4" | "fts3" => match options().find(|(key, _)| key.trim() == "content") {
            None => Content::Own(columns(table)),
            Some((_, value)) => match value.trim().trim_matches(['\'', '"', '`', '[', ']']) {
                "" => Content::Unreadable,
                content => Content::Elsewhere(object_name(content)),
            },
        },
        "rtree" | "rtree_i32" => Content::Own(columns(table)),
        _ => Content::Unreadable,
    }
}

/// An argument's column without quotes and without the mark of an auxiliary column (<https://sqlite.org/rtree.html>).
fn column_name(argument: &str) -> String {
    let bare = argument.trim_start_matches('+').trim_matches(['"', '`', '[', ']', '\'']);
    super::super::names::name(bare).canonical().to_owned()
}
