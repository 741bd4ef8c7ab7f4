//! CREATE statements from the model, in one stable layout.

use std::fmt::Write;

use super::names::quoted;
use wevrun_core::model::{
    Action, Check, Column, Definition, Expression, ForeignKey, Index, Key, Name, Object, OnConflict, Table, Trigger,
    View,
};

/// The CREATE statement of an object, without a semicolon.
pub fn create_statement(object: &Object) -> String {
    let name = name(&object.name);
    match &object.definition {
        Definition::Table(table) => format!("CREATE TABLE {name} (\n{}\n){}", table_body(table), table_options(table)),
        Definition::VirtualTable(table) => {
            let arguments =
                if table.arguments.is_empty() { String::new() } else { format!("({})", table.arguments.join(", ")) };
            format!("CREATE VIRTUAL TABLE {name} USING {}{arguments}", quoted(table.module.written()))
        }
        Definition::Index(index) => index_statement(&name, index),
        Definition::View(view) => view_statement(&name, view),
        Definition::Trigger(trigger) => trigger_statement(&name, trigger),
        Definition::Plain(_) => unreachable!("SQLite has no other kinds"),
    }
}

fn name(name: &Name) -> String {
    quoted(name.written())
}

fn names<'n>(names: impl IntoIterator<Item = &'n Name>) -> String {
    names.into_iter().map(name).collect::<Vec<_>>().join(", ")
}

fn table_body(table: &Table) -> String {
    let mut lines: Vec<String> =
        table.columns.iter().map(|column| column_definition(table, column, Constraints::Inline)).collect();
    if let Some(key) = table.primary_key.as_ref().filter(|key| !is_inline(key)) {
        lines.push(table_key("PRIMARY KEY", key));
    }
    lines.extend(table.unique_keys.iter().filter(|key| !is_inline(key)).map(|key| table_key("UNIQUE", key)));
    lines.extend(
        table
            .foreign_keys
            .iter()
            .filter(|key| key.columns.len() != 1)
            .map(|key| format!("{}FOREIGN KEY ({}) {}", given_name(&key.name), names(&key.columns), references(key))),
    );
    lines.extend(table.checks.iter().map(check));
    lines.iter().map(|line| format!("    {line}")).collect::<Vec<_>>().join(",\n")
}

/// Which constraints a column definition is written with.
#[derive(Clone, Copy, PartialEq)]
enum Constraints {
    /// The keys and foreign keys that are the column's alone.
    Inline,
    /// The foreign keys and checks that come with the column in ADD COLUMN.
    Added,
}

/// The definition of a column for ALTER TABLE … ADD COLUMN, with its foreign keys and with these checks.
pub fn added_column(table: &Table, column: &Column, checks: &[&Check]) -> String {
    let mut text = column_definition(table, column, Constraints::Added);
    for check in checks {
        write!(text, " {}", self::check(check)).expect("a String takes every byte");
    }
    text
}

fn column_definition(table: &Table, column: &Column, constraints: Constraints) -> String {
    let mut text = name(&column.name);
    let mut push = |part: String| {
        text.push(' ');
        text.push_str(&part);
    };
    if let Some(data_type) = &column.data_type {
        push(data_type.on_one_line());
    }
    if let Some(generated) = &column.generated {
        let kept = if generated.stored { "STORED" } else { "VIRTUAL" };
        push(format!("GENERATED ALWAYS AS ({}) {kept}", generated.expression));
    }
    let is_alone =
        |key: &&Key| constraints == Constraints::Inline && is_inline(key) && key.parts[0].column == column.name;
    if let Some(key) = table.primary_key.as_ref().filter(is_alone) {
        let descending = if key.parts[0].descending { " DESC" } else { "" };
        let autoincrement = if key.autoincrement { " AUTOINCREMENT" } else { "" };
        push(format!(
            "{}PRIMARY KEY{descending}{}{autoincrement}",
            given_name(&key.name),
            on_conflict(key.on_conflict)
        ));
    }
    if let Some(conflict) = column.not_null {
        push(format!("NOT NULL{}", on_conflict(conflict)));
    }
    if let Some(default) = &column.default {
        push(format!("DEFAULT {}", default_value(default)));
    }
    if let Some(collation) = &column.collation {
        push(format!("COLLATE {}", name(collation)));
    }
    for key in table.unique_keys.iter().filter(|key| is_alone(key)) {
        push(format!("{}UNIQUE{}", given_name(&key.name), on_conflict(key.on_conflict)));
    }
    for key in table.foreign_keys.iter().filter(|key| key.columns[..] == [column.name.clone()]) {
        push(format!("{}{}", given_name(&key.name), references(key)));
    }
    text
}

/// A key that can be written with its column.
fn is_inline(key: &Key) -> bool {
    matches!(&key.parts[..], [part] if part.collation.is_none())
}

fn constraint_name(written: &Option<Name>) -> String {
    written.as_ref().map_or_else(String::new, |written| format!("CONSTRAINT {} ", name(written)))
}

fn on_conflict(conflict: OnConflict) -> String {
    if conflict.is_default() { String::new() } else { format!(" ON CONFLICT {}", conflict.keyword()) }
}

fn table_key(what: &str, key: &Key) -> String {
    let parts: Vec<String> = key
        .parts
        .iter()
        .map(|part| {
            let collation = part.collation.as_ref().map_or_else(String::new, |c| format!(" COLLATE {}", name(c)));
            format!("{}{collation}{}", name(&part.column), if part.descending { " DESC" } else { "" })
        })
        .collect();
    format!("{}{what} ({}){}", given_name(&key.name), parts.join(", "), on_conflict(key.on_conflict))
}

fn check(check: &Check) -> String {
    format!("{}CHECK ({})", constraint_name(&check.name), check.condition)
}

fn references(key: &ForeignKey) -> String {
    let mut text = format!("REFERENCES {}", name(&key.parent));
    if !key.parent_columns.is_empty() {
        write!(text, " ({})", names(&key.parent_columns)).expect("a String takes every byte");
    }
    for (event, action) in [("DELETE", key.on_delete), ("UPDATE", key.on_update)] {
        if action != Action::NoAction {
            write!(text, " ON {event} {}", action.keywords()).expect("a String takes every byte");
        }
    }
    if key.deferred {
        text.push_str(" DEFERRABLE INITIALLY DEFERRED");
    }
    text
}

/// A literal is written as it is; everything else needs parentheses.
fn default_value(default: &Expression) -> String {
    let canonical = default.canonical.trim_start_matches(['+', '-', ' ']);
    let quoted_once = |mark: char| {
        canonical.starts_with(mark)
            && canonical.ends_with(mark)
            && canonical.len() > 1
            && !canonical[1..canonical.len() - 1].replace(&format!("{mark}{mark}"), "").contains(mark)
    };
    let literal = quoted_once('\'')
        || canonical.strip_prefix('x').is_some_and(|blob| blob.starts_with('\'') && !blob.contains(' '))
        || canonical.chars().all(|ch| ch.is_ascii_alphanumeric() || matches!(ch, '.' | '_'));
    if literal { default.written().to_owned() } else { format!("({default})") }
}

fn table_options(table: &Table) -> String {
    let options: Vec<&str> = [(table.strict, "STRICT"), (table.without_rowid, "WITHOUT ROWID")]
        .into_iter()
        .filter_map(|(set, option)| set.then_some(option))
        .collect();
    if options.is_empty() { String::new() } else { format!(" {}", options.join(", ")) }
}

fn index_statement(index_name: &str, index: &Index) -> String {
    let parts: Vec<String> = index
        .parts
        .iter()
        .map(|part| {
            let collation = part.collation.as_ref().map_or_else(String::new, |c| format!(" COLLATE {}", name(c)));
            format!("{}{collation}{}", part.expression, if part.descending { " DESC" } else { "" })
        })
        .collect();
    let unique = if index.unique { "UNIQUE " } else { "" };
    let predicate = index.predicate.as_ref().map_or_else(String::new, |predicate| format!(" WHERE {predicate}"));
    format!("CREATE {unique}INDEX {index_name} ON {} ({}){predicate}", name(&index.table), parts.join(", "))
}

fn view_statement(view_name: &str, view: &View) -> String {
    let columns = if view.columns.is_empty() { String::new() } else { format!(" ({})", names(&view.columns)) };
    format!("CREATE VIEW {view_name}{columns} AS\n{}", view.query)
}

fn trigger_statement(trigger_name: &str, trigger: &Trigger) -> String {
    let columns = if trigger.columns.is_empty() { String::new() } else { format!(" OF {}", names(&trigger.columns)) };
    let condition = trigger.condition.as_ref().map_or_else(String::new, |condition| format!("\nWHEN {condition}"));
    format!(
        "CREATE TRIGGER {trigger_name} {} {}{columns} ON {}{condition}\nBEGIN\n    {}\nEND",
        trigger.timing.keywords(),
        trigger.event.keyword(),
        name(&trigger.table),
        trigger.body,
    )
}

fn given_name(name: &Name) -> String {
    if name.is_given() { format!("CONSTRAINT {} ", quoted(name.written())) } else { String::new() }
}
