//! The differences within an object, property by property.

use std::fmt::Display;

use super::{Aspect, ConstraintKind, Part, Privileges, Property};
use crate::model::{
    Check, Clauses, Column, Definition, Expression, ForeignKey, Index, Key, Kind, Name, Object, OnConflict, Plain,
    QualifiedName, Table, Trigger, Unordered, Value, View, VirtualTable,
};

/// Everything that differs between two objects of one kind. `columns` are those that are renamed: the name in have, and in want.
pub fn properties(
    dialect: &dyn Privileges,
    (have, want): (&Object, &Object),
    formerly: Option<&QualifiedName>,
    columns: &[(Name, Name)],
) -> Vec<Property> {
    let mut found = Found { dialect, kind: want.definition.kind(), properties: Vec::new() };
    if let Some(formerly) = formerly {
        found.add(Part::Object, Aspect::Name, "", Some(formerly.to_string()), Some(want.name.to_string()));
    }
    for (old, new) in columns {
        found.add(Part::Column(new.clone()), Aspect::Name, "", Some(old.to_string()), Some(new.to_string()));
    }
    match (&have.definition, &want.definition) {
        (Definition::Table(have), Definition::Table(want)) => found.tables(have, want),
        (Definition::Index(have), Definition::Index(want)) => found.indexes(have, want),
        (Definition::View(have), Definition::View(want)) => found.views(have, want),
        (Definition::Trigger(have), Definition::Trigger(want)) => found.triggers(have, want),
        (Definition::VirtualTable(have), Definition::VirtualTable(want)) => found.virtual_tables(have, want),
        (Definition::Plain(have), Definition::Plain(want)) => found.plain(have, want),
        _ => unreachable!("a key holds the kind"),
    }
    found.properties
}

struct Found<'d> {
    dialect: &'d dyn Privileges,
    kind: Kind,
    properties: Vec<Property>,
}

impl Found<'_> {
    fn add(&mut self, part: Part, aspect: Aspect, detail: &str, have: Option<String>, want: Option<String>) {
        self.properties.push(Property { part, aspect, detail: detail.into(), have, want });
    }

    /// Something else of the object's definition, where it differs.
    fn differ(&mut self, detail: &str, have: &impl Display, want: &impl Display) {
        let (have, want) = (have.to_string(), want.to_string());
        if have != want {
            self.add(Part::Object, Aspect::Definition, detail, Some(have), Some(want));
        }
    }

    /// The clauses of a part that differ. One that is only set shows as its name.
    fn clauses(&mut self, part: &Part, have: &Clauses, want: &Clauses) {
        for name in have.differing(want) {
            let aspect = self.dialect.aspect_of(self.kind, name);
            let is_text = matches!(aspect, Aspect::Body | Aspect::Query);
            let words = |clauses: &Clauses| match clauses.get_named(name) {
                Some(Value::Expression(text)) if is_text => Some(text.written().to_owned()),
                value => value.map(|value| value_words(name, value)),
            };
            self.add(part.clone(), aspect, name, words(have), words(want));
        }
    }

    fn plain(&mut self, have: &Plain, want: &Plain) {
        if have.owner != want.owner {
            let words = |plain: &Plain| plain.owner.as_ref().map(QualifiedName::to_string);
            self.add(Part::Object, Aspect::Definition, "owned by", words(have), words(want));
        }
        self.clauses(&Part::Object, &have.clauses, &want.clauses);
    }

    fn tables(&mut self, have: &Table, want: &Table) {
        for column in have.columns.iter() {
            match want.column(&column.name) {
                None => {
                    self.add(
                        Part::Column(column.name.clone()),
                        Aspect::Existence,
                        "",
                        Some(column_words(column)),
                        None,
                    );
                }
                Some(wanted) => self.columns(column, wanted),
            }
        }
        for column in want.columns.iter().filter(|column| have.column(&column.name).is_none()) {
            self.add(Part::Column(column.name.clone()), Aspect::Existence, "", None, Some(column_words(column)));
        }
        if have.primary_key != want.primary_key {
            let words = |key: &Option<Key>| key.as_ref().map(key_words);
            let (have, want) = (words(&have.primary_key), words(&want.primary_key));
            self.add(Part::Constraint(ConstraintKind::PrimaryKey), Aspect::Definition, "", have, want);
        }
        self.sets(&Part::Constraint(ConstraintKind::UniqueKey), &have.unique_keys, &want.unique_keys, key_words);
        self.sets(
            &Part::Constraint(ConstraintKind::ForeignKey),
            &have.foreign_keys,
            &want.foreign_keys,
            foreign_key_words,
        );
        self.sets(&Part::Constraint(ConstraintKind::Check), &have.checks, &want.checks, check_words);
        let yes = |set: bool| if set { "yes" } else { "no" };
        self.differ("STRICT", &yes(have.strict), &yes(want.strict));
        self.differ("WITHOUT ROWID", &yes(have.without_rowid), &yes(want.without_rowid));
        self.sets(&Part::Constraint(ConstraintKind::Exclusion), &have.exclusions, &want.exclusions, check_words);
        self.clauses(&Part::Object, &have.clauses, &want.clauses);
    }

    /// The items of an unordered list that only one side has. A removed and an added one are shown as a change.
    fn sets<T: Ord>(&mut self, part: &Part, have: &Unordered<T>, want: &Unordered<T>, words: fn(&T) -> String) {
        let mut removed: Vec<String> =
            have.sorted().into_iter().filter(|item| !want.contains(item)).map(words).collect();
        let mut added: Vec<String> = want.sorted().into_iter().filter(|item| !have.contains(item)).map(words).collect();
        let pairs = removed.len().max(added.len());
        removed.reverse();
        added.reverse();
        for _ in 0..pairs {
            self.add(part.clone(), Aspect::Definition, "", removed.pop(), added.pop());
        }
    }

    fn indexes(&mut self, have: &Index, want: &Index) {
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
            self.differ("table", &have.table, &want.table);
        }
        self.differ("unique", &unique(have), &unique(want));
        if have.parts != want.parts {
            self.add(Part::Object, Aspect::Definition, "columns", Some(parts(have)), Some(parts(want)));
        }
        if have.predicate != want.predicate {
            let words = |index: &Index| index.predicate.as_ref().map(|predicate| predicate.on_one_line());
            self.add(Part::Object, Aspect::Definition, "WHERE", words(have), words(want));
        }
        self.clauses(&Part::Object, &have.clauses, &want.clauses);
    }

    fn views(&mut self, have: &View, want: &View) {
        if have.columns != want.columns {
            let words = |view: &View| {
                (!view.columns.is_empty())
                    .then(|| view.columns.iter().map(Name::written).collect::<Vec<_>>().join(", "))
            };
            self.add(Part::Object, Aspect::Definition, "column names", words(have), words(want));
        }
        if have.query != want.query {
            self.add(Part::Object, Aspect::Query, "", text(&have.query), text(&want.query));
        }
        self.clauses(&Part::Object, &have.clauses, &want.clauses);
    }

    fn triggers(&mut self, have: &Trigger, want: &Trigger) {
        if have.table != want.table {
            self.differ("table", &have.table, &want.table);
        }
        self.differ("fires", &have.timing.keywords(), &want.timing.keywords());
        let event = |trigger: &Trigger| {
            let columns = trigger.columns.iter().map(Name::written).collect::<Vec<_>>().join(", ");
            format!(
                "{}{}",
                trigger.event.keyword(),
                if columns.is_empty() { columns } else { format!(" OF {columns}") }
            )
        };
        if (have.event, &have.columns) != (want.event, &want.columns) {
            self.add(Part::Object, Aspect::Definition, "event", Some(event(have)), Some(event(want)));
        }
        if have.condition != want.condition {
            let words = |trigger: &Trigger| trigger.condition.as_ref().map(|condition| condition.on_one_line());
            self.add(Part::Object, Aspect::Definition, "WHEN", words(have), words(want));
        }
        if have.body != want.body {
            self.add(Part::Object, Aspect::Body, "", text(&have.body), text(&want.body));
        }
    }

    fn virtual_tables(&mut self, have: &VirtualTable, want: &VirtualTable) {
        if have.module != want.module {
            self.differ("module", &have.module, &want.module);
        }
        if have.arguments != want.arguments {
            self.add(
                Part::Object,
                Aspect::Definition,
                "arguments",
                Some(have.arguments.join(", ")),
                Some(want.arguments.join(", ")),
            );
        }
    }

    fn columns(&mut self, have: &Column, want: &Column) {
        let part = Part::Column(want.name.clone());
        let words = |expression: &Option<Expression>| expression.as_ref().map(|expression| expression.on_one_line());
        let mut facts = vec![
            (Aspect::DataType, words(&have.data_type), words(&want.data_type), have.data_type != want.data_type),
            (Aspect::Generated, generated_words(have), generated_words(want), have.generated != want.generated),
            (Aspect::NotNull, not_null_words(have), not_null_words(want), have.not_null != want.not_null),
            (Aspect::Default, words(&have.default), words(&want.default), have.default != want.default),
        ];
        let collation = |column: &Column| column.collation.as_ref().map(ToString::to_string);
        facts.push((Aspect::Collation, collation(have), collation(want), have.collation != want.collation));
        for (aspect, have, want, _) in facts.into_iter().filter(|(.., differs)| *differs) {
            self.add(part.clone(), aspect, "", have, want);
        }
        self.clauses(&part, &have.clauses, &want.clauses);
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

/// A column without its name: `INTEGER NOT NULL DEFAULT 0`.
pub fn column_words(column: &Column) -> String {
    let mut words = Vec::new();
    words.extend(column.data_type.as_ref().map(|data_type| data_type.on_one_line()));
    words.extend(generated_words(column).map(|generated| format!("GENERATED ALWAYS AS {generated}")));
    words.extend(not_null_words(column));
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

/// A text with its lines.
fn text(expression: &Expression) -> Option<String> {
    Some(expression.written().to_owned())
}

fn generated_words(column: &Column) -> Option<String> {
    let generated = column.generated.as_ref()?;
    let kept = if generated.stored { "STORED" } else { "VIRTUAL" };
    Some(format!("({}) {kept}", generated.expression.on_one_line()))
}

/// `NOT NULL`, with what happens to rows that break it.
fn not_null_words(column: &Column) -> Option<String> {
    let on_conflict: OnConflict = column.not_null?;
    Some(match on_conflict.is_default() {
        true => "NOT NULL".to_owned(),
        false => format!("NOT NULL ON CONFLICT {}", on_conflict.keyword()),
    })
}
