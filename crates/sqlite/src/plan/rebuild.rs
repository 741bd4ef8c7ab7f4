//! The rebuild of a table, for what ALTER TABLE can't do: the procedure of
//! <https://sqlite.org/lang_altertable.html#otheralter>.
//!
//! A temporary table with the wanted structure is made, the rows are copied, the old table is dropped, and the new one gets its
//! name. With `legacy_alter_table` on, that last rename leaves every reference from elsewhere as it is.

use super::super::affinity::Affinity;
use super::super::names::{literal, name, quoted};
use super::{TableChange, create_as, guards, in_place, temporary_name};
use wevrun_core::compare::column_words;
use wevrun_core::model::{Column, Kind, Name, Object, Table};
use wevrun_core::plan::{Clearance, Probe, Risk, RiskKind, Step};

/// The one step that makes all changes to a table. `keep` are the indexes and triggers that must be made again.
pub fn step(change: &TableChange<'_>, keep: &[&Object]) -> Step {
    let (have, want, table) = (change.have, change.want, &change.object.name);
    let new = temporary_name(change.planning, table);
    let mut step = Step::new(format!("rebuild table {table}: {}", reasons(have, want)), Vec::new());
    risks(change, &mut step);
    step.statements.push(create_as(change.object, &new));
    step.statements.extend(copy(change, &new, &mut step.risks));
    if want.primary_key.as_ref().is_some_and(|key| key.autoincrement)
        && have.primary_key.as_ref().is_some_and(|key| key.autoincrement)
    {
        // The counter may be beyond the largest rowid; it must never go back.
        let (old_row, new_row) = (literal(table.written()), literal(&new));
        step.statements.push(format!("DELETE FROM sqlite_sequence WHERE name = {new_row}"));
        step.statements.push(format!(
            "INSERT INTO sqlite_sequence (name, seq) SELECT {new_row}, seq FROM sqlite_sequence \
             WHERE name = {old_row} COLLATE NOCASE"
        ));
    }
    step.statements.push(format!("DROP TABLE {}", quoted(table.written())));
    step.statements.push(format!("ALTER TABLE {} RENAME TO {}", quoted(&new), quoted(table.written())));
    step.statements.extend(keep.iter().map(|object| object.text.clone()));
    step
}

/// The differences, in a few words.
fn reasons(have: &Table, want: &Table) -> String {
    let mut reasons = Vec::new();
    for column in have.columns.iter().filter(|column| want.column(&column.name).is_none()) {
        reasons.push(format!("drop column {}", column.name));
    }
    for column in want.columns.iter() {
        match have.column(&column.name) {
            None => reasons.push(format!("add column {}", column.name)),
            Some(present) if present != column => {
                reasons.push(format!("column {} becomes {}", column.name, column_words(column)))
            }
            Some(_) => {}
        }
    }
    for (differs, what) in [
        (have.primary_key != want.primary_key, "the primary key changes"),
        (have.unique_keys != want.unique_keys, "unique keys change"),
        (have.foreign_keys != want.foreign_keys, "foreign keys change"),
        (have.checks != want.checks, "checks change"),
        (!have.strict && want.strict, "becomes STRICT"),
        (have.strict && !want.strict, "is STRICT no longer"),
        (!have.without_rowid && want.without_rowid, "becomes WITHOUT ROWID"),
        (have.without_rowid && !want.without_rowid, "gets rowids"),
    ] {
        if differs {
            reasons.push(what.to_owned());
        }
    }
    reasons.join(", ")
}

/// Everything that the rebuild may do to values.
fn risks(change: &TableChange<'_>, step: &mut Step) {
    let (have, want, table) = (change.have, change.want, &change.object.name);
    let empty = change.answer(&change.has_rows()) == Some(false);
    let mut guarded_empty = false;
    for column in have.columns.iter() {
        match want.column(&column.name) {
            None => in_place::losing_values(change, column, step),
            Some(wanted) => changed_column(change, column, wanted, step),
        }
    }
    for column in want.columns.iter().filter(|column| have.column(&column.name).is_none()) {
        if column.generated.is_none() {
            change.note_lost_values(&column.name, step);
        }
        let null_default = column.default.as_ref().is_none_or(|default| default.canonical == "null");
        let filled_by_rowid = row_id_column(want).is_some_and(|id| id.name == column.name) && !have.without_rowid;
        if column.not_null.is_none() || !null_default || column.generated.is_some() || filled_by_rowid {
            continue;
        }
        if empty {
            guarded_empty = true;
            continue;
        }
        let object = format!("column {table}.{}", column.name);
        let known = change.answer(&change.has_rows()) == Some(true);
        let explanation = if known {
            "it is NOT NULL without a default, and the table holds rows that have no value for it"
        } else {
            "it is NOT NULL without a default; if the table holds any row, the script fails"
        };
        let mut risk = Risk::new(RiskKind::NeedsValues, object, explanation);
        risk.ways_out = vec![
            format!("give it a DEFAULT, which all rows then get: {} NOT NULL DEFAULT …", column.name),
            "release it without NOT NULL, fill it, and add NOT NULL in the next release".to_owned(),
            "make it nullable, if a row may be without it".to_owned(),
        ];
        if known {
            risk.clearance = Clearance::Impossible;
        }
        step.risks.push(risk);
    }
    if guarded_empty {
        step.statements.push(guards::must_not_hold(&Probe::HasRows(table.clone())));
        step.notes
            .push(format!("table {table} is empty, so no row lacks a value; the script stops if it is not any more"));
    }
    if empty {
        return;
    }
    becomes_row_id(change, step);
    let new_rules = want.unique_keys.iter().any(|key| !have.unique_keys.contains(key))
        || want.checks.iter().any(|check| !have.checks.contains(check))
        || want.foreign_keys.iter().any(|key| !have.foreign_keys.contains(key))
        || have.primary_key != want.primary_key
        || (want.strict && !have.strict)
        || want
            .columns
            .iter()
            .any(|column| have.column(&column.name).is_some_and(|old| meets_rules(change, old, column)));
    if new_rules {
        let explanation = "rows that do not fit a key, CHECK, foreign key, NOT NULL or type stop the script";
        step.risks.push(Risk::new(RiskKind::MayRefuseRows, format!("table {table}"), explanation));
    }
    let explanation = "every row is copied; no other session can write to the database meanwhile";
    step.risks.push(Risk::new(RiskKind::RewritesTable, format!("table {table}"), explanation));
}

/// Whether a column that both have gets other values, or compares them in another way, where a rule reads it.
fn meets_rules(change: &TableChange<'_>, have: &Column, want: &Column) -> bool {
    let values = have.data_type != want.data_type || have.generated != want.generated;
    let order = have.collation != want.collation;
    if !values && !order {
        return false;
    }
    let (table, name) = (change.want, &want.name);
    let planning = change.planning;
    let indexes = planning
        .want
        .of_kind(Kind::Index)
        .filter_map(Object::as_index)
        .filter(|index| index.table == change.object.name);
    let in_key = table.in_primary_key(name)
        || table.unique_keys.iter().any(|key| key.has_column(name))
        || indexes
            .filter(|index| index.unique)
            .any(|index| index.parts.iter().any(|part| part.expression.may_use_column(name)));
    let in_check = table.checks.iter().any(|check| check.condition.may_use_column(name));
    in_key || values && (table.strict || in_check || want.generated.is_some() && want.not_null.is_some())
}

/// NULLs in a column that becomes the rowid silently become numbers
/// (<https://sqlite.org/lang_createtable.html#rowid>).
fn becomes_row_id(change: &TableChange<'_>, step: &mut Step) {
    let Some(id) = row_id_column(change.want) else { return };
    let was = change.have.column(&id.name).filter(|_| row_id_column(change.have).is_none_or(|old| old.name != id.name));
    let Some(was) = was.filter(|was| was.not_null.is_none() && !change.have.without_rowid) else { return };
    let object = format!("column {}.{}", change.original, change.original_column(&id.name));
    let probe = change.has_nulls(&id.name);
    if change.answer(&probe) == Some(false) {
        step.statements.push(guards::must_not_hold(&Probe::HasNulls(change.object.name.clone(), was.name.clone())));
        step.notes.push(format!("{object} holds no NULL; the script stops if it does"));
        return;
    }
    let rows = match change.planning.evidence.count(&probe) {
        Some(1) => "1 row holds NULL there, and gets a number".to_owned(),
        Some(count) => format!("{count} rows hold NULL there, and get numbers"),
        None => "rows that hold NULL there get numbers".to_owned(),
    };
    let explanation = format!("it becomes the row's own number: {rows}");
    step.risks.push(Risk::new(RiskKind::ChangesValues, object, explanation));
}

/// A column that both have.
fn changed_column(change: &TableChange<'_>, have: &Column, want: &Column, step: &mut Step) {
    if have == want && change.have.strict == change.want.strict {
        return;
    }
    let object = format!("column {}.{}", change.original, change.original_column(&have.name));
    let empty = change.answer(&change.has_rows()) == Some(false);
    let has_values = if empty { Some(false) } else { change.answer(&change.has_values(&have.name)) };
    let has_nulls = if empty { Some(false) } else { change.answer(&change.has_nulls(&have.name)) };
    let new_name = &change.object.name;
    if want.not_null.is_some() && have.not_null.is_none() && have.generated.is_none() && want.generated.is_none() {
        match has_nulls {
            Some(false) => {
                let guard = Probe::HasNulls(new_name.clone(), have.name.clone());
                step.statements.push(guards::must_not_hold(&guard));
                step.notes.push(format!("{object} holds no NULL; the script stops if it does"));
            }
            known => {
                let explanation = match change.planning.evidence.count(&change.has_nulls(&have.name)) {
                    Some(1) => "it becomes NOT NULL, and 1 row is NULL there".to_owned(),
                    Some(count) if count > 0 => format!("it becomes NOT NULL, and {count} rows are NULL there"),
                    _ => "it becomes NOT NULL; if any row is NULL there, the script fails".to_owned(),
                };
                let mut risk = Risk::new(RiskKind::NeedsValues, object.clone(), explanation);
                let value = want.default.as_ref().map_or("…".to_owned(), |default| format!("({default})"));
                let (table, column) = (quoted(change.original.written()), change.original_column(&have.name));
                let column = quoted(column.written());
                risk.ways_out = vec![
                    format!(
                        "fill it first, on the target: UPDATE {table} SET {column} = {value} WHERE {column} IS NULL;"
                    ),
                    "leave it nullable".to_owned(),
                ];
                if known == Some(true) {
                    risk.clearance = Clearance::Impossible;
                }
                step.risks.push(risk);
            }
        }
    }
    let becomes_generated = want.generated.is_some() && have.generated.is_none();
    let (was, will) = (Affinity::of(have, change.have.strict), Affinity::of(want, change.want.strict));
    if have.generated.is_some() || (!becomes_generated && will.keeps_values_of(was)) {
        return;
    }
    if has_values == Some(false) {
        let guard = Probe::HasValues(new_name.clone(), have.name.clone());
        step.statements.push(guards::must_not_hold(&guard));
        step.notes.push(format!("{object} holds no value but NULL, so none changes; the script stops if it does"));
        return;
    }
    let explanation = if becomes_generated {
        "it becomes generated, so the values that it holds are replaced".to_owned()
    } else {
        format!("values are stored as {will} instead of {was}: '007' becomes 7, 1.10 becomes 1.1 or '1.1'")
    };
    if change.planning.is_undo {
        step.notes.push(format!("can't bring back: what the release changed in the values of {object}"));
    }
    step.risks.push(Risk::new(RiskKind::ChangesValues, object, explanation));
}

/// The statement that copies the rows.
fn copy(change: &TableChange<'_>, new: &str, risks: &mut Vec<Risk>) -> Option<String> {
    let (have, want, table) = (change.have, change.want, &change.object.name);
    let common = want.columns.iter().filter(|c| c.generated.is_none() && have.column(&c.name).is_some());
    let mut into: Vec<String> = common.map(|column| quoted(column.name.written())).collect();
    let mut from = into.clone();
    // Rowids are kept: rows elsewhere may refer to them.
    if !have.without_rowid && !want.without_rowid {
        let alias = row_id_column(want);
        let copied = alias.is_some_and(|column| have.column(&column.name).is_some());
        let target = match alias {
            Some(column) => Some(quoted(column.name.written())),
            None => row_id_name(want),
        };
        if let (false, Some(target), Some(source)) = (copied, target, row_id_name(have)) {
            into.insert(0, target);
            from.insert(0, source);
        }
    }
    if into.is_empty() {
        if change.answer(&change.has_rows()) != Some(false) {
            let explanation = "no column stays, so no row can be copied";
            risks.push(Risk::new(RiskKind::LosesTable, format!("table {}", change.original), explanation));
        }
        return None;
    }
    // OR ABORT: no conflict clause of the new table may leave a row out or remove another.
    Some(format!(
        "INSERT OR ABORT INTO {} ({})\n    SELECT {} FROM {}",
        quoted(new),
        into.join(", "),
        from.join(", "),
        quoted(table.written())
    ))
}

/// The column that is the rowid (<https://sqlite.org/lang_createtable.html#rowid>).
pub fn row_id_column(table: &Table) -> Option<&Column> {
    let key = table.primary_key.as_ref().filter(|key| key.parts.len() == 1 && !key.parts[0].descending)?;
    let column = table.column(&key.parts[0].column)?;
    let integer = column.data_type.as_ref().is_some_and(|data_type| data_type.canonical == "integer");
    (integer && !table.without_rowid).then_some(column)
}

/// A name for the rowid that no column has taken.
fn row_id_name(table: &Table) -> Option<String> {
    let free = |candidate: &&str| table.column(&name(candidate) as &Name).is_none();
    ["rowid", "_rowid_", "oid"].into_iter().find(free).map(str::to_owned)
}
