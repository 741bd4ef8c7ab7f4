//! Random changes to a schema: what a release does.

use rand::Rng;
use rand::rngs::SmallRng;

use crate::schema::{
    Column, Key, Schema, random_check, random_column, random_index, random_table, random_trigger, random_view,
};

/// A schema that came from another one by some changes. `renames` allows new names, with the comments for them.
pub fn mutated(rng: &mut SmallRng, schema: &Schema, renames: bool) -> Schema {
    let mut schema = schema.clone();
    for _ in 0..rng.random_range(1..6) {
        change(rng, &mut schema, renames);
    }
    repair(&mut schema);
    schema
}

fn change(rng: &mut SmallRng, schema: &mut Schema, renames: bool) {
    let fresh = rng.random_range(20..10_000);
    match rng.random_range(0..17) {
        0 => {
            let table = random_table(rng, schema, fresh);
            schema.tables.push(table);
        }
        1 if schema.tables.len() > 1 => {
            let at = rng.random_range(0..schema.tables.len());
            schema.tables.remove(at);
        }
        2 => schema.indexes.push(random_index(rng, schema, fresh)),
        3 if !schema.indexes.is_empty() => {
            let at = rng.random_range(0..schema.indexes.len());
            schema.indexes.remove(at);
        }
        4 => schema.views.push(random_view(rng, schema, fresh)),
        5 if !schema.views.is_empty() => {
            let at = rng.random_range(0..schema.views.len());
            schema.views.remove(at);
        }
        6 => schema.triggers.push(random_trigger(rng, schema, fresh)),
        7 if !schema.triggers.is_empty() => {
            let at = rng.random_range(0..schema.triggers.len());
            schema.triggers.remove(at);
        }
        8 if renames => rename_table(rng, schema, fresh),
        9 if renames => rename_column(rng, schema, fresh),
        11 => {
            // A view gives less. What reads it reads its first column.
            if let Some(view) = schema.views.iter_mut().find(|view| view.columns.len() > 1) {
                view.columns.pop();
            }
        }
        10 if rng.random_bool(0.3) => match schema.full_text.pop() {
            Some((name, mut columns)) => {
                columns.push(format!("extra{fresh}"));
                schema.full_text.push((name, columns));
            }
            None => schema.full_text.push(("notes_search".to_owned(), vec!["title".to_owned()])),
        },
        _ => change_table(rng, schema, fresh),
    }
}

fn change_table(rng: &mut SmallRng, schema: &mut Schema, fresh: usize) {
    let at = rng.random_range(0..schema.tables.len());
    let snapshot = schema.clone();
    let table = &mut schema.tables[at];
    let last = table.columns.len() - 1;
    let key_columns = match table.key {
        Key::None => 0,
        Key::RowId | Key::AutoIncrement => 1,
        Key::Columns(count) | Key::WithoutRowId(count) => count,
    };
    match rng.random_range(0..9) {
        0 | 1 => {
            let mut earlier = snapshot;
            earlier.tables.truncate(at); // so that no table refers to a later one
            let column = random_column(rng, table.strict, fresh, &table.columns, &earlier);
            let place =
                if rng.random_bool(0.7) { table.columns.len() } else { rng.random_range(2..=table.columns.len()) };
            table.columns.insert(place, column);
        }
        2 if last > 1 => {
            table.columns.remove(rng.random_range(2..=last));
        }
        3 => {
            let check = random_check(rng, &table.columns);
            table.checks.push(check);
        }
        4 => {
            table.checks.pop();
        }
        5 if last > 1 => {
            let strict = table.strict;
            let column: &mut Column = &mut table.columns[rng.random_range(2..=last)];
            if column.generated.is_none() && column.references.is_none() {
                column.data_type = if strict { "ANY".to_owned() } else { "TEXT".to_owned() };
                column.default = Some("'changed'".to_owned());
            }
        }
        6 => {
            table.key = match table.key {
                Key::RowId => Key::AutoIncrement,
                Key::AutoIncrement => Key::RowId,
                Key::Columns(count) => Key::WithoutRowId(count),
                Key::WithoutRowId(count) => Key::Columns(count),
                Key::None => Key::None,
            };
        }
        7 if last > 1 => {
            let column = &mut table.columns[rng.random_range(2..=last)];
            column.collation = Some("NOCASE".to_owned());
        }
        8 if last > key_columns.max(1) => {
            // Column order alone.
            table.columns.swap(last, last - 1);
            if table.columns[last - 1].generated.is_some() {
                table.columns.swap(last, last - 1);
            }
        }
        _ => {}
    }
}

fn rename_table(rng: &mut SmallRng, schema: &mut Schema, fresh: usize) {
    let at = rng.random_range(0..schema.tables.len());
    let old = schema.tables[at].name.clone();
    if schema.tables[at].formerly.is_some() {
        return;
    }
    let new = format!("renamed {fresh}");
    for table in &mut schema.tables {
        for column in &mut table.columns {
            if let Some((parent, _)) = &mut column.references
                && *parent == old
            {
                *parent = new.clone();
            }
        }
    }
    schema.tables[at].formerly = Some(old.clone());
    schema.tables[at].name = new.clone();
    let swap = |name: &mut String| {
        if *name == old {
            *name = new.clone();
        }
    };
    schema.indexes.iter_mut().for_each(|index| swap(&mut index.table));
    schema.views.iter_mut().for_each(|view| swap(&mut view.from));
    schema.triggers.iter_mut().for_each(|trigger| {
        swap(&mut trigger.table);
        swap(&mut trigger.reads);
    });
}

fn rename_column(rng: &mut SmallRng, schema: &mut Schema, fresh: usize) {
    let table = rng.random_range(0..schema.tables.len());
    let table = &mut schema.tables[table];
    let at = rng.random_range(0..table.columns.len());
    if table.columns[at].formerly.is_some() {
        return;
    }
    let old = table.columns[at].name.clone();
    let new = format!("Renamed{fresh}");
    table.columns[at].formerly = Some(old.clone());
    table.columns[at].name = new.clone();
    let swap = |name: &mut String| {
        if *name == old {
            *name = new.clone();
        }
    };
    for column in &mut table.columns {
        if let Some((from, _)) = &mut column.generated {
            swap(from);
        }
    }
    table.checks.iter_mut().for_each(|(_, _, column)| swap(column));
    table.uniques.iter_mut().flatten().for_each(swap);
    let name = table.name.clone();
    for index in schema.indexes.iter_mut().filter(|index| index.table == name) {
        index.columns.iter_mut().for_each(|(column, _)| swap(column));
        index.expression.iter_mut().chain(&mut index.predicate).for_each(swap);
    }
    // A view that gives the column gives it under its new name, and so do the views on it.
    let mut sources = vec![name];
    while let Some(source) = sources.pop() {
        for view in schema.views.iter_mut().filter(|view| view.from == source) {
            view.columns.iter_mut().for_each(swap);
            sources.push(view.name.clone());
        }
    }
}

/// Makes a schema valid again: removes references to what is not there any more.
pub fn repair(schema: &mut Schema) {
    let tables = schema.tables.clone();
    for table in &mut schema.tables {
        for column in &mut table.columns {
            if column.references.as_ref().is_some_and(|(parent, _)| !tables.iter().any(|other| other.name == *parent)) {
                column.references = None;
            }
        }
        let names: Vec<String> = table.columns.iter().map(|column| column.name.clone()).collect();
        table.columns.retain(|column| column.generated.as_ref().is_none_or(|(from, _)| names.contains(from)));
        let names: Vec<String> = table.columns.iter().map(|column| column.name.clone()).collect();
        table.checks.retain(|(_, _, column)| names.contains(column));
        table.checks.dedup_by(|a, b| a.0 == b.0);
    }
    let tables = schema.tables.clone();
    let has = |table: &str, column: &str| {
        tables.iter().any(|other| other.name == table && other.columns.iter().any(|c| c.name == column))
    };
    schema.indexes.retain(|index| {
        tables.iter().any(|table| table.name == index.table)
            && index.columns.iter().all(|(column, _)| has(&index.table, column))
            && index.expression.iter().chain(&index.predicate).all(|column| has(&index.table, column))
    });
    loop {
        let views = schema.views.clone();
        schema.views.retain(|view| {
            let on_view = views
                .iter()
                .any(|other| other.name == view.from && view.columns.iter().all(|c| other.columns.contains(c)));
            let on_table = tables
                .iter()
                .any(|t| t.name == view.from && view.columns.iter().all(|c| t.columns.iter().any(|x| x.name == *c)));
            on_view || on_table
        });
        if schema.views.len() == views.len() {
            break;
        }
    }
    let views = schema.views.clone();
    schema.triggers.retain(|trigger| {
        tables.iter().any(|table| table.name == trigger.reads)
            && if trigger.on_view {
                views.iter().any(|view| view.name == trigger.table)
            } else {
                tables.iter().any(|table| table.name == trigger.table)
            }
    });
}
