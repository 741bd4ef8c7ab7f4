//! What NOT NULLs are called (18). Where nothing is said, a table's have the name that the server makes up, a partition's that of its
//! parent's.

use crate::clause;
use std::collections::{HashMap, HashSet};
use std::hash::{DefaultHasher, Hasher};

use super::super::{names, write};
use super::inheritance::parents;
use wevrun_core::model::{Beside, Column, Definition, Kind, Model, Name, Object, ObjectKey, QualifiedName, Table};

type Qualified = (Option<String>, Name);

/// Says nothing where a name is the usual one, and says the usual one where another table's NOT NULL has it. Of two that would
/// get the same, `a.b_c` and `a_b.c`, the first has it, and the other the next one that is free (`ChooseConstraintName()` of pg_constraint.c).
pub fn settle(model: &mut Model) {
    for object in model.objects_mut().filter(|object| has_own(object)) {
        let Definition::Table(table) = &mut object.definition else { continue };
        table.columns.iter_mut().for_each(|column| forget_usual(&object.name, column));
    }
    let said = model.tables().flat_map(|(name, table)| {
        let given = table.columns.iter().filter_map(|column| column.not_null_name.as_ref());
        given.map(|given| (names::schema(name), given.clone()))
    });
    let mut taken: HashSet<Qualified> = said.collect();
    if taken.is_empty() && !some_meet(model) {
        return;
    }
    let mut nameless: HashMap<Qualified, usize> = HashMap::new();
    for (name, column) in of_all(model) {
        *nameless.entry(usual(name, column)).or_default() += 1;
    }
    let mut objects: Vec<&mut Object> = model.objects_mut().filter(|object| has_own(object)).collect();
    objects.sort_by_key(|object| object.location);
    for object in objects {
        let Definition::Table(table) = &mut object.definition else { continue };
        for column in table.columns.iter_mut().filter(|column| is_nameless(column)) {
            let usual = usual(&object.name, column);
            let others = nameless.get(&usual).is_some_and(|count| *count > 1);
            if !others && !taken.contains(&usual) {
                continue;
            }
            let own = names::identifier(&object.name);
            let is_taken = |name: &str| others && taken.contains(&(usual.0.clone(), names::simple(name)));
            let name = names::simple(&names::first_free(&own, column.name.canonical(), "not_null", is_taken));
            taken.insert((usual.0, name.clone()));
            column.not_null_name = Beside(Some(name));
        }
    }
}

/// The name that the server makes up for a NOT NULL is not kept.
pub fn forget_usual(table: &QualifiedName, column: &mut Column) {
    if column.not_null_name.is_some() {
        let usual = names::made_up(&names::identifier(table), column.name.canonical(), "not_null");
        column.not_null_name.0.take_if(|name| name.canonical() == usual);
    }
}

/// What a table's are called is theirs also when the table becomes a partition.
pub fn store_all(name: &QualifiedName, table: &mut Table) {
    store(name, table, |_| true);
}

/// They keep their names when the table or the column gets another. A partition's are its parent's.
pub fn keep_at_rename(model: &mut Model, name: &QualifiedName, which: impl Fn(&Column) -> bool) {
    for kind in [Kind::Table, Kind::ForeignTable] {
        let object = model.get_mut(&ObjectKey::new(kind, name.clone())).filter(|object| has_own(object));
        if let Some(Definition::Table(table)) = object.map(|object| &mut object.definition) {
            store(name, table, &which);
        }
    }
}

fn store(name: &QualifiedName, table: &mut Table, which: impl Fn(&Column) -> bool) {
    let key = table.key_columns();
    let has_one = |own: &&mut Column| own.not_null.is_some() || key.contains(&own.name);
    for column in table.columns.iter_mut().filter(has_one).filter(|own| which(own)) {
        column.not_null_name = Beside(Some(write::not_null_name(name, column)));
    }
}

/// The columns whose NOT NULL is called so, by the name that it was given or that the server makes up.
pub fn called<'t>(
    table: &QualifiedName,
    within: &'t mut Table,
    constraint: &Name,
) -> impl Iterator<Item = &'t mut Column> {
    let is_called = |own: &&mut Column| own.not_null.is_some() && write::not_null_name(table, own) == *constraint;
    within.columns.iter_mut().filter(is_called)
}

/// Takes a column's NOT NULL away.
pub fn take_from(column: &mut Column) {
    column.not_null = None;
    column.not_null_name = Beside(None);
    column.clauses.remove(clause::NOT_NULL_NOT_VALID);
    column.clauses.remove(clause::NOT_NULL_NO_INHERIT);
}

/// What the NOT NULL constraints of a partition's parent are called.
pub fn of_parent(model: &Model, partition: &Table) -> HashMap<Name, Name> {
    let Some((name, parent)) = parents(partition).pop().and_then(|name| Some((name.clone(), model.table(&name)?)))
    else {
        return HashMap::new();
    };
    let mut found = if parent.clauses.has(clause::PARTITION_OF) { of_parent(model, parent) } else { HashMap::new() };
    for column in parent.columns.iter().filter(|column| column.not_null.is_some()) {
        if column.not_null_name.is_some() || !found.contains_key(&column.name) {
            found.insert(column.name.clone(), write::not_null_name(&name, column));
        }
    }
    found
}

/// What the NOT NULL of a child's column is called that only its parents list: as theirs.
pub fn inherited(model: &Model, child: &Table, column: &Column) -> Option<Name> {
    column.clauses.value(clause::INHERITED).filter(|_| column.not_null.is_some())?;
    parents(child).iter().find_map(|name| {
        let parent = model.table(name)?;
        let own = parent.column(&column.name).filter(|own| own.not_null.is_some())?;
        inherited(model, parent, own).or_else(|| Some(write::not_null_name(name, own)))
    })
}

/// Whether it is a table that has names of its own: a partition's are its parent's.
fn has_own(object: &Object) -> bool {
    object.as_table().is_some_and(|table| !table.clauses.has(clause::PARTITION_OF))
}

fn is_nameless(column: &Column) -> bool {
    column.not_null.is_some() && column.not_null_name.is_none() && !column.clauses.has(clause::INHERITED)
}

/// The columns whose NOT NULL the server names, with their tables' names.
fn of_all(model: &Model) -> impl Iterator<Item = (&QualifiedName, &Column)> {
    let tables = model.of_kind(Kind::Table).filter(|object| has_own(object));
    tables.filter_map(|object| Some((&object.name, object.as_table()?))).flat_map(|(name, table)| {
        table.columns.iter().filter(|column| is_nameless(column)).map(move |column| (name, column))
    })
}

fn usual(table: &QualifiedName, column: &Column) -> Qualified {
    (names::schema(table), names::simple(write::not_null_name(table, column).canonical()))
}

/// Whether two names made of a table's and a column's are the same: cheaply, as this is asked of every schema.
fn some_meet(model: &Model) -> bool {
    let mut seen: HashSet<u64> = HashSet::new();
    of_all(model).any(|(name, column)| {
        let mut hasher = DefaultHasher::new();
        for part in [name.canonical(), "_", column.name.canonical()] {
            hasher.write(part.as_bytes());
        }
        !seen.insert(hasher.finish())
    })
}
