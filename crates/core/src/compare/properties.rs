//! What differs within an object, property by property, in words.

use std::fmt::Display;

use crate::model::{
    Check, Clauses, Column, Definition, ForeignKey, Index, Key, Name, Object, Plain, QualifiedName, Table, Trigger,
    Unordered, Value, View, VirtualTable,
};

/// One property that differs. Where a side is none, the property is not there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Property {
    /// What it is: `column weight_g`.
    pub name: String,
    /// As it is.
    pub have: Option<String>,
    /// As it shall be.
    pub want: Option<String>,
}

impl Property {
    fn new(name: impl Into<String>, have: Option<String>, want: Option<String>) -> Property {
        Property { name: name.into(), have, want }
    }
}

/// Everything that differs between two objects of one kind.
pub fn properties(
    have: &Object,
    want: &Object,
    formerly: Option<&QualifiedName>,
    columns: &[(Name, Name)],
) -> Vec<Property> {
    let mut found = Vec::new();
    if let Some(formerly) = formerly {
        found.push(Property::new("name", Some(formerly.to_string()), Some(want.name.to_string())));
    }
    for (old, new) in columns {
        found.push(Property::new("column name", Some(old.to_string()), Some(new.to_string())));
    }
    match (&have.definition, &want.definition) {
        (Definition::Table(have), Definition::Table(want)) => tables(&mut found, have, want),
        (Definition::Index(have), Definition::Index(want)) => indexes(&mut found, have, want),
        (Definition::View(have), Definition::View(want)) => views(&mut found, have, want),
        (Definition::Trigger(have), Definition::Trigger(want)) => triggers(&mut found, have, want),
        (Definition::VirtualTable(have), Definition::VirtualTable(want)) => virtual_tables(&mut found, have, want),
        (Definition::Plain(have), Definition::Plain(want)) => plain(&mut found, have, want),
        _ => unreachable!("a key holds the kind"),
    }
    found
}

fn differ(found: &mut Vec<Property>, name: &str, have: &impl Display, want: &impl Display) {
    let (have, want) = (have.to_string(), want.to_string());
    if have != want {
        found.push(Property::new(name, Some(have), Some(want)));
    }
}

/// The clauses that differ. One that just stands there shows as its name.
fn clauses(found: &mut Vec<Property>, have: &Clauses, want: &Clauses) {
    for name in have.differing(want) {
        let words = |clauses: &Clauses| clauses.get_named(name).map(|value| value_words(name, value));
        found.push(Property::new(name, words(have), words(want)));
    }
}

fn value_words(name: &str, value: &Value) -> String {
    let words = value.on_one_line();
    if words.is_empty() { name.to_owned() } else { words }
}

/// All clauses in words, with a space before each: for what is shown on one line.
fn clause_words(clauses: &Clauses) -> String {
    clauses
        .iter()
        .map(|(name, value)| {
            let name = name.to_uppercase();
            let words = value.on_one_line();
            if words.is_empty() { format!(" {name}") } else { format!(" {name} {words}") }
        })
        .collect()
}

fn plain(found: &mut Vec<Property>, have: &Plain, want: &Plain) {
    if have.owner != want.owner {
        let words = |plain: &Plain| plain.owner.as_ref().map(QualifiedName::to_string);
        found.push(Property::new("owned by", words(have), words(want)));
    }
    clauses(found, &have.clauses, &want.clauses);
}

fn tables(found: &mut Vec<Property>, have: &Table, want: &Table) {
    for column in have.columns.iter() {
        match want.column(&column.name) {
            None => found.push(Property::new(format!("column {}", column.name), Some(column_words(column)), None)),
            Some(wanted) if wanted != column => {
                let (was, will) = (column_words(column), column_words(wanted));
                found.push(Property::new(format!("column {}", column.name), Some(was), Some(will)));
            }
            Some(_) => {}
        }
    }
    for column in want.columns.iter().filter(|column| have.column(&column.name).is_none()) {
        found.push(Property::new(format!("column {}", column.name), None, Some(column_words(column))));
    }
    if have.primary_key != want.primary_key {
        let words = |key: &Option<Key>| key.as_ref().map(key_words);
        found.push(Property::new("primary key", words(&have.primary_key), words(&want.primary_key)));
    }
    sets(found, "unique key", &have.unique_keys, &want.unique_keys, key_words);
    sets(found, "foreign key", &have.foreign_keys, &want.foreign_keys, foreign_key_words);
    sets(found, "check", &have.checks, &want.checks, check_words);
    let yes = |set: bool| if set { "yes" } else { "no" };
    differ(found, "STRICT", &yes(have.strict), &yes(want.strict));
    differ(found, "WITHOUT ROWID", &yes(have.without_rowid), &yes(want.without_rowid));
    sets(found, "exclusion", &have.exclusions, &want.exclusions, check_words);
    clauses(found, &have.clauses, &want.clauses);
}

/// What only one side has of a set. One that goes and one that comes are shown as a change.
fn sets<T: Ord>(
    found: &mut Vec<Property>,
    name: &str,
    have: &Unordered<T>,
    want: &Unordered<T>,
    words: fn(&T) -> String,
) {
    let mut gone: Vec<String> = have.sorted().into_iter().filter(|item| !want.contains(item)).map(words).collect();
    let mut come: Vec<String> = want.sorted().into_iter().filter(|item| !have.contains(item)).map(words).collect();
    let pairs = gone.len().max(come.len());
    gone.reverse();
    come.reverse();
    for _ in 0..pairs {
        found.push(Property::new(name, gone.pop(), come.pop()));
    }
}

/// A column without its name: `INTEGER NOT NULL DEFAULT 0`.
pub fn column_words(column: &Column) -> String {
    let mut words = Vec::new();
    words.extend(column.data_type.as_ref().map(|data_type| data_type.on_one_line()));
    if let Some(generated) = &column.generated {
        let kept = if generated.stored { "STORED" } else { "VIRTUAL" };
        words.push(format!("GENERATED ALWAYS AS ({}) {kept}", generated.expression.on_one_line()));
    }
    if let Some(conflict) = column.not_null {
        words.push("NOT NULL".to_owned());
        if !conflict.is_default() {
            words.push(format!("ON CONFLICT {}", conflict.keyword()));
        }
    }
    words.extend(column.default.as_ref().map(|default| format!("DEFAULT {}", default.on_one_line())));
    words.extend(column.collation.as_ref().map(|collation| format!("COLLATE {collation}")));
    let clauses = clause_words(&column.clauses);
    words.extend((!clauses.is_empty()).then(|| clauses.trim_start().to_owned()));
    if words.is_empty() { "no type".to_owned() } else { words.join(" ") }
}

fn key_words(key: &Key) -> String {
    let parts: Vec<String> = key
        .parts
        .iter()
        .map(|part| {
            let collation = part.collation.as_ref().map_or_else(String::new, |name| format!(" COLLATE {name}"));
            format!("{}{collation}{}", part.column, if part.descending { " DESC" } else { "" })
        })
        .collect();
    let autoincrement = if key.autoincrement { " AUTOINCREMENT" } else { "" };
    let conflict = key.on_conflict;
    let conflict = if conflict.is_default() { String::new() } else { format!(" ON CONFLICT {}", conflict.keyword()) };
    format!("{}({}){autoincrement}{conflict}{}", seen(&key.name), parts.join(", "), clause_words(&key.clauses))
}

fn foreign_key_words(key: &ForeignKey) -> String {
    let list = |names: &[Name]| names.iter().map(Name::written).collect::<Vec<_>>().join(", ");
    let mut words = format!("({}) references {}", list(&key.columns), key.parent);
    if !key.parent_columns.is_empty() {
        words += &format!(" ({})", list(&key.parent_columns));
    }
    for (event, action) in [("DELETE", key.on_delete), ("UPDATE", key.on_update)] {
        if !action.is_default() {
            words += &format!(" ON {event} {}", action.keywords());
        }
    }
    words += if key.deferred { " DEFERRABLE INITIALLY DEFERRED" } else { "" };
    format!("{}{words}{}", seen(&key.name), clause_words(&key.clauses))
}

fn check_words(check: &Check) -> String {
    let name = check.name.as_ref().map_or_else(String::new, |name| format!("{name}: "));
    format!("{name}{}{}", check.condition.on_one_line(), clause_words(&check.clauses))
}

/// A name that comparison sees, and a colon.
fn seen(name: &Name) -> String {
    if name.canonical().is_empty() { String::new() } else { format!("{name}: ") }
}

fn indexes(found: &mut Vec<Property>, have: &Index, want: &Index) {
    let unique = |index: &Index| if index.unique { "yes" } else { "no" };
    let parts = |index: &Index| {
        let parts = index.parts.iter().map(|part| {
            let collation = part.collation.as_ref().map_or_else(String::new, |name| format!(" COLLATE {name}"));
            let order = if part.descending { " DESC" } else { "" };
            format!("{}{collation}{order}{}", part.expression.on_one_line(), clause_words(&part.clauses))
        });
        parts.collect::<Vec<_>>().join(", ")
    };
    if have.table != want.table {
        differ(found, "table", &have.table, &want.table);
    }
    differ(found, "unique", &unique(have), &unique(want));
    if have.parts != want.parts {
        found.push(Property::new("columns", Some(parts(have)), Some(parts(want))));
    }
    if have.predicate != want.predicate {
        let words = |index: &Index| index.predicate.as_ref().map(|predicate| predicate.on_one_line());
        found.push(Property::new("WHERE", words(have), words(want)));
    }
    clauses(found, &have.clauses, &want.clauses);
}

fn views(found: &mut Vec<Property>, have: &View, want: &View) {
    if have.columns != want.columns {
        let words = |view: &View| {
            (!view.columns.is_empty()).then(|| view.columns.iter().map(Name::written).collect::<Vec<_>>().join(", "))
        };
        found.push(Property::new("column names", words(have), words(want)));
    }
    if have.query != want.query {
        found.push(Property::new("query", Some(have.query.on_one_line()), Some(want.query.on_one_line())));
    }
    clauses(found, &have.clauses, &want.clauses);
}

fn triggers(found: &mut Vec<Property>, have: &Trigger, want: &Trigger) {
    if have.table != want.table {
        differ(found, "table", &have.table, &want.table);
    }
    differ(found, "fires", &have.timing.keywords(), &want.timing.keywords());
    let event = |trigger: &Trigger| {
        let columns = trigger.columns.iter().map(Name::written).collect::<Vec<_>>().join(", ");
        format!("{}{}", trigger.event.keyword(), if columns.is_empty() { columns } else { format!(" OF {columns}") })
    };
    if (have.event, &have.columns) != (want.event, &want.columns) {
        found.push(Property::new("event", Some(event(have)), Some(event(want))));
    }
    if have.condition != want.condition {
        let words = |trigger: &Trigger| trigger.condition.as_ref().map(|condition| condition.on_one_line());
        found.push(Property::new("WHEN", words(have), words(want)));
    }
    if have.body != want.body {
        found.push(Property::new("body", Some(have.body.on_one_line()), Some(want.body.on_one_line())));
    }
}

fn virtual_tables(found: &mut Vec<Property>, have: &VirtualTable, want: &VirtualTable) {
    if have.module != want.module {
        differ(found, "module", &have.module, &want.module);
    }
    if have.arguments != want.arguments {
        found.push(Property::new("arguments", Some(have.arguments.join(", ")), Some(want.arguments.join(", "))));
    }
}
