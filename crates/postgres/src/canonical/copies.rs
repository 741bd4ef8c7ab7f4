//! `LIKE other_table INCLUDING …`: the columns and what else is asked for are copied once, when the table is made
//! (<https://www.postgresql.org/docs/current/sql-createtable.html>).

use super::super::{names, split_list, write};
use super::{self as canonical, inheritance, not_null_names};
use crate::clause;
use wevrun_core::model::{
    Beside, Check, Clauses, Column, Definition, Expression, Key, Kind, Model, Name, Object, ObjectKey, QualifiedName,
    Table,
};

/// Whether a table says LIKE of something.
pub fn copies(object: &Object) -> bool {
    object.as_table().is_some_and(|table| table.clauses.iter().any(|(clause, _)| clause::LIKE.has(clause)))
}

/// One LIKE of a table.
struct Like {
    clause: String,
    /// The copied parts.
    from: QualifiedName,
    pattern: Pattern,
    /// The words of INCLUDING.
    included: Vec<String>,
    /// Before which of the columns that are written out.
    position: usize,
}

/// What LIKE can copy.
struct Pattern {
    table: Table,
    /// Its indexes and statistics, in the order in which they were made.
    beside: Vec<Object>,
}

/// Replaces the LIKEs of a table by what they copy, and gives the indexes and statistics that come with it, without names. As long
/// as one of the tables is not there, nothing is copied, or as long as it is of another source than this one.
pub fn take(model: &mut Model, key: &ObjectKey, within: Option<u32>) -> Vec<Object> {
    let Some(likes) = model.get(key).and_then(|object| likes(model, object, within)) else { return Vec::new() };
    let Some(mut object) = model.remove(key) else { return Vec::new() };
    let mut brought = Vec::new();
    let mut inserted = 0;
    for like in likes {
        let Definition::Table(table) = &mut object.definition else { break };
        copy(table, &like, like.position + inserted);
        inserted += like.pattern.table.columns.len();
        table.clauses.remove_named(&like.clause);
        let beside = like.pattern.beside.iter().filter_map(|other| beside(&like, other, &key.name));
        brought.extend(beside.map(|definition| Object {
            names_in: object.names_in.clone(),
            location: object.location,
            ..Object::new(QualifiedName::plain(Name::none()), definition)
        }));
    }
    object.text.clear();
    model.insert(object);
    brought
}

fn likes(model: &Model, object: &Object, within: Option<u32>) -> Option<Vec<Like>> {
    let said = object.as_table()?.clauses.expressions().filter(|(clause, _)| clause::LIKE.has(clause));
    said.map(|(clause, value)| {
        let parts: Vec<&str> = value.canonical.split('|').collect();
        let [from, included, position] = parts[..] else { return None };
        let (from, pattern) = pattern(model, &object.name, &names::read(from), within)?;
        let included = included.split(' ').map(str::to_owned).collect();
        Some(Like { clause: clause.to_owned(), from, pattern, included, position: position.parse().ok()? })
    })
    .collect()
}

fn pattern(
    model: &Model,
    copy: &QualifiedName,
    from: &QualifiedName,
    within: Option<u32>,
) -> Option<(QualifiedName, Pattern)> {
    let candidates = if names::is_unresolved(from) {
        let own = names::identifier(from);
        let schema = names::schema(copy).unwrap_or_else(|| "public".to_owned());
        vec![names::qualified(&schema, &own), names::qualified("public", &own)]
    } else {
        vec![from.clone()]
    };
    let kinds = [Kind::Table, Kind::ForeignTable, Kind::Type];
    let found = candidates
        .iter()
        .find_map(|name| kinds.iter().find_map(|kind| model.get(&ObjectKey::new(*kind, name.clone()))))?;
    let elsewhere = |source| found.location.is_none_or(|location| location.source != source);
    if copies(found) || within.is_some_and(elsewhere) {
        return None;
    }
    let Some(table) = found.as_table() else {
        let table = inheritance::as_table(found)?;
        return Some((found.name.clone(), Pattern { table, beside: Vec::new() }));
    };
    let has_more = crate::has_columns_from_elsewhere(table);
    let whole = has_more.then(|| canonical::finished(model));
    let model = whole.as_ref().unwrap_or(model);
    let detached = canonical::standalone(model, &found.key()).unwrap_or_default();
    let found = detached.first().or_else(|| model.get(&found.key()))?;
    let own = |other: &&Object| other.definition.owner().is_some_and(|owner| names::is_same(owner, &found.name));
    let own = model.of_kind(Kind::Index).chain(model.of_kind(Kind::Statistics)).filter(own);
    let mut beside: Vec<Object> = detached.iter().skip(1).chain(own).cloned().collect();
    beside.sort_by_key(|object| object.location);
    let mut table = found.as_table()?.clone();
    for column in table.columns.iter_mut().filter(|column| column.not_null_name.is_none()) {
        column.not_null_name = Beside(not_null_names::inherited(model, found.as_table()?, column));
    }
    for parent in inheritance::ancestors(model, &table) {
        table.checks.extend(parent.checks.iter().filter(|check| !check.clauses.has(clause::NO_INHERIT)).cloned());
    }
    Some((found.name.clone(), Pattern { table, beside }))
}

impl Like {
    fn has(&self, what: &str) -> bool {
        self.included.iter().any(|word| word == what)
    }

    /// The clauses of a constraint or index, its comments only if they are asked for.
    fn clauses(&self, of: &Clauses) -> Clauses {
        let mut clauses = of.clone();
        if !self.has("comments") {
            clauses.remove(clause::COMMENT);
            clauses.remove(clause::INDEX_COMMENT);
        }
        clauses
    }
}

/// What stands beside the pattern, as it stands beside the copy if it is copied.
fn beside(like: &Like, object: &Object, copy: &QualifiedName) -> Option<Definition> {
    let included = if object.as_index().is_some() { "indexes" } else { "statistics" };
    let mut definition = like.has(included).then(|| object.definition.clone())?;
    match &mut definition {
        Definition::Index(index) => {
            index.table = copy.clone();
            index.clauses = like.clauses(&index.clauses);
            index.clauses.retain(|clause, _| !is_its_own(clause));
        }
        Definition::Plain(plain) => {
            plain.owner = Some(copy.clone());
            plain.clauses = like.clauses(&plain.clauses);
            plain.clauses.remove(clause::STATISTICS);
            // In the order of the table's columns.
            let columns = &like.pattern.table.columns;
            let place =
                |item: &String| columns.iter().position(|column| names::quoted(column.name.canonical()) == *item);
            let mut items = split_list(plain.clauses.written(clause::ON));
            items.sort_by_key(|item| place(item).unwrap_or(usize::MAX));
            plain.clauses.set(clause::ON, Expression::plain(items.join(", ")));
        }
        _ => {}
    }
    Some(definition)
}

/// Clauses that ALTER INDEX sets are not copied.
fn is_its_own(clause: &str) -> bool {
    clause::ATTACHED_TO.is(clause) || clause::INVALID.is(clause) || clause::STATISTICS_OF.has(clause)
}

fn copy(table: &mut Table, like: &Like, position: usize) {
    let source = &like.pattern.table;
    for (offset, column) in source.columns.iter().enumerate() {
        let mut clauses = Clauses::default();
        for (name, value) in column.clauses.iter() {
            let wanted = match name {
                "comment" => like.has("comments"),
                "storage" => like.has("storage"),
                "compression" => like.has("compression"),
                name if clause::IDENTITY_NAME.is(name) => false,
                name if name.starts_with("identity") => like.has("identity"),
                _ => false,
            };
            if wanted {
                clauses.set_named(name, value.clone());
            }
        }
        // Constraints NOT NULL keep the name that they have there.
        let not_null_name = column.not_null.map(|_| write::not_null_name(&like.from, column));
        let copied = Column {
            default: column.default.clone().filter(|_| like.has("defaults")),
            generated: column.generated.clone().filter(|_| like.has("generated")),
            not_null_name: Beside(not_null_name),
            not_null_inherited: Beside(false),
            clauses,
            ..column.clone()
        };
        let at = (position + offset).min(table.columns.len());
        table.columns.insert(at, copied);
    }
    if like.has("constraints") {
        table.checks.extend(source.checks.iter().map(|check| {
            let mut clauses = like.clauses(&check.clauses);
            clauses.remove(clause::NOT_VALID); // There are no rows yet.
            Check { clauses, ..check.clone() }
        }));
    }
    if like.has("indexes") {
        // They get names of their own table; comments on the constraints stay behind, those on their indexes do not.
        let clauses = |of: &Clauses| {
            let mut clauses = like.clauses(of);
            clauses.remove(clause::COMMENT);
            clauses
        };
        let copied = |key: &Key| Key { name: Name::none(), clauses: clauses(&key.clauses), ..key.clone() };
        table.primary_key = table.primary_key.take().or(source.primary_key.as_ref().map(copied));
        table.unique_keys.extend(source.unique_keys.iter().map(copied));
        let copied = |check: &Check| Check { name: None, clauses: clauses(&check.clauses), ..check.clone() };
        table.exclusions.extend(source.exclusions.iter().map(copied));
    }
}
