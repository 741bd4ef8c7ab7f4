//! What partitions, children and typed tables have from elsewhere.
//!
//! Every side shows all columns of such a table. Those that are just what the parent's are, are marked `inherited`; constraints
//! that come with the parent are the parent's alone.

use crate::clause;
use std::collections::HashMap;

use super::super::sameness::Constraint;
use super::super::{attributes, names, settle};
use super::{index_parts, not_null_names, part_names};
use wevrun_core::fold::Taken;
use wevrun_core::model::{
    Beside, Check, Clauses, Column, Definition, Expression, Flag, ForeignKey, Key, Kind, Model, Name, Object,
    ObjectKey, QualifiedName, Table,
};

/// Completes all tables that have a parent or a type.
pub fn expand(model: &mut Model) {
    let mut waiting: Vec<ObjectKey> = model
        .objects()
        .filter(|object| matches!(object.definition.kind(), Kind::Table | Kind::ForeignTable))
        .filter(|object| {
            object.as_table().is_some_and(|table| !parents(table).is_empty() || table.clauses.has(clause::OF))
        })
        .map(|object| object.key())
        .collect();
    let types: HashMap<String, Table> = model
        .of_kind(Kind::Type)
        .filter_map(|object| Some((object.name.canonical().to_owned(), as_table(object)?)))
        .collect();
    // Parents first; what is part of a circle stays as it is.
    while !waiting.is_empty() {
        let (ready, later): (Vec<_>, Vec<_>) = waiting.iter().cloned().partition(|key| {
            let table = model.get(key).and_then(|object| object.as_table());
            table.is_some_and(|table| {
                parents(table).iter().all(|parent| !waiting.iter().any(|other| other.name == *parent))
            })
        });
        if ready.is_empty() {
            break;
        }
        for key in ready {
            complete(model, &key, &types);
        }
        waiting = later;
    }
    index_parts::settle(model);
    part_names::settle(model);
    not_null_names::settle(model);
    for object in model.objects_mut() {
        if let Definition::Table(table) = &mut object.definition {
            table.columns.iter_mut().for_each(|column| drop(column.clauses.remove(clause::DEFAULT_OF_CHILDREN)));
        }
    }
}

/// The names of the tables that a table is a partition or a child of.
pub fn parents(table: &Table) -> Vec<QualifiedName> {
    match table.clauses.get(clause::PARTITION_OF) {
        Some(parent) => vec![parent.clone()],
        None => table.clauses.get(clause::INHERITS).cloned().unwrap_or_default(),
    }
}

/// A composite type as the table that its rows could be of.
pub fn as_table(object: &Object) -> Option<Table> {
    let Definition::Plain(plain) = &object.definition else { return None };
    plain.clauses.has(clause::ATTRIBUTES).then(|| {
        let mut table = Table::default();
        table.columns.0 = typed_columns(&plain.clauses);
        table
    })
}

fn typed_columns(clauses: &Clauses) -> Vec<Column> {
    attributes(clauses)
        .into_iter()
        .map(|(name, rest)| {
            let (data_type, collation) = rest.split_once(" COLLATE ").unwrap_or((&rest, ""));
            let mut column = Column::named(names::simple(&names::unquoted(&name)));
            column.data_type = Some(Expression::plain(data_type));
            column.collation = (!collation.is_empty()).then(|| names::read(collation));
            column
        })
        .collect()
}

fn complete(model: &mut Model, key: &ObjectKey, types: &HashMap<String, Table>) {
    let Some(table) = model.get(key).and_then(|object| object.as_table()) else { return };
    // A typed table has all its columns from its type, as a partition has them from its parent.
    let partition = table.clauses.has(clause::PARTITION_OF) || table.clauses.has(clause::OF);
    let mut from: Vec<Table> = parents(table)
        .iter()
        .filter_map(|parent| {
            model.table(parent).or(model.find(Kind::ForeignTable, parent).and_then(|o| o.as_table())).cloned()
        })
        .collect();
    from.extend(table.clauses.get(clause::OF).and_then(|of| types.get(of.canonical())).cloned());
    let around = ancestors(model, table);
    let of_parent = table.clauses.has(clause::PARTITION_OF).then(|| not_null_names::of_parent(model, table));
    let Some(mut object) = model.remove(key) else { return };
    if let Definition::Table(table) = &mut object.definition {
        let mut own = std::mem::take(&mut table.columns.0);
        for column in own.iter_mut().filter(|_| !partition) {
            not_null_names::forget_usual(&key.name, column);
        }
        let key_columns = table.key_columns();
        let mut columns: Vec<Column> = Vec::new();
        for parent in &from {
            for column in parent.columns.iter() {
                if columns.iter().any(|other| other.name == column.name) {
                    continue;
                }
                let in_key = key_columns.contains(&column.name);
                columns.push(completed(column, own.iter().find(|other| other.name == column.name), partition, in_key));
            }
        }
        own.retain(|column| !columns.iter().any(|other| other.name == column.name));
        for column in own.iter_mut() {
            column.clauses.remove(clause::NO_DEFAULT);
        }
        columns.extend(own);
        for column in columns.iter_mut().filter(|_| of_parent.is_some()) {
            let usual = of_parent.as_ref().and_then(|names| names.get(&column.name));
            column.not_null_name.0.take_if(|name| Some(&*name) == usual);
        }
        table.columns.0 = columns;
        column_comments(table);
        for parent in &around {
            without_constraints_of(table, parent, partition);
        }
        settle::table(&key.name, table, &Taken::default());
        settle::checks(&key.name, table, &Taken::default());
    }
    model.insert(object);
}

/// The tables of a partitioned table's tree, each with the one that it is part of, parents first.
pub fn partitions<'m>(model: &'m Model, root: &'m QualifiedName) -> Vec<(&'m Object, &'m QualifiedName)> {
    let mut found = vec![];
    let mut above = vec![root];
    while let Some(parent) = above.pop() {
        if !model.table(parent).is_some_and(|table| table.clauses.has(clause::PARTITION_BY)) {
            continue;
        }
        let tables = model.of_kind(Kind::Table).chain(model.of_kind(Kind::ForeignTable));
        let is_part = |object: &&Object| {
            object.as_table().and_then(|table| table.clauses.get(clause::PARTITION_OF)) == Some(parent)
        };
        for object in tables.filter(is_part) {
            found.push((object, parent));
            above.push(&object.name);
        }
    }
    found
}

/// The parents of a table, their parents, and so on.
pub fn ancestors(model: &Model, table: &Table) -> Vec<Table> {
    let mut seen: Vec<QualifiedName> = Vec::new();
    let mut waiting = parents(table);
    let mut found = Vec::new();
    while let Some(name) = waiting.pop() {
        if seen.contains(&name) {
            continue;
        }
        let parent = model.table(&name).or(model.find(Kind::ForeignTable, &name).and_then(|o| o.as_table()));
        if let Some(parent) = parent {
            waiting.extend(parents(parent));
            found.push(parent.clone());
        }
        seen.push(name);
    }
    found
}

/// A column of the parent as the child has it.
fn completed(parent: &Column, own: Option<&Column>, partition: bool, in_key: bool) -> Column {
    let mut inherited = parent.clone();
    let mut own = own.cloned();
    if let Some(own) = &mut own
        && own.clauses.remove(clause::NO_DEFAULT).is_some()
    {
        own.default = Some(Expression::plain("NULL"));
    }
    if let Some(kept) = inherited.clauses.remove(clause::DEFAULT_OF_CHILDREN)
        && !(partition && own.as_ref().is_some_and(|own| own.data_type.is_some()))
    {
        let own = own.get_or_insert_with(|| Column::named(parent.name.clone()));
        if own.default.is_none() && own.generated.is_none() {
            own.default = Some(kept);
        }
    }
    inherited.clauses.remove(clause::COMMENT);
    inherited.clauses.remove(clause::STATISTICS);
    inherited.clauses.remove(clause::NO_DEFAULT);
    if partition {
        inherited.not_null_name = Beside(None);
        // Nor is the sequence of an identity column a partition's own.
        inherited.clauses.retain(|name, _| !clause::WITH.has(name) && !name.starts_with("identity"));
    }
    // The child's is a constraint of its own: https://www.postgresql.org/docs/current/sql-createtable.html
    if inherited.clauses.remove(clause::NOT_NULL_NO_INHERIT).is_some() {
        inherited.not_null = None;
    }
    inherited.clauses.remove(clause::NOT_NULL_NOT_VALID);
    inherited.clauses.set_text(clause::INHERITED, "");
    let Some(own) = &own else { return inherited };
    let default = own.default.clone().filter(|default| !is_null(default));
    let mut result = if own.data_type.is_none() {
        // An override: what it does not say is the parent's.
        let mut result = inherited.clone();
        if own.default.is_some() {
            result.default = default;
        }
        result.not_null = own.not_null.or(result.not_null);
        result.not_null_name = own.not_null_name.clone();
        result.generated = own.generated.clone().or(result.generated);
        own.clauses.iter().for_each(|(name, value)| result.clauses.set_named(name, value.clone()));
        result
    } else if partition {
        let mut result = Column { default, ..own.clone() };
        // Of the parent's that is not valid a partition has one, valid or not.
        if parent.clauses.has(clause::NOT_NULL_NOT_VALID) {
            result.not_null = own.not_null.or(parent.not_null);
        }
        result.clauses.set_text(clause::INHERITED, "");
        result
    } else {
        // Both the child's own and the parent's: they are merged.
        let mut result = own.clone();
        if own.default.is_none() && own.generated.is_none() && !own.clauses.has(clause::IDENTITY) {
            result.default.clone_from(&parent.default);
            result.generated.clone_from(&parent.generated);
        }
        // A child can't say the expression again: https://www.postgresql.org/docs/current/ddl-generated-columns.html
        let expression = |column: &Column| column.generated.as_ref().map(|g| g.expression.written().to_owned());
        if parent.generated.is_some() && expression(&result) == expression(parent) {
            result.clauses.set(clause::GENERATED_BY_THE_PARENT, Flag);
        }
        result.default = result.default.filter(|default| !is_null(default));
        result.not_null = own.not_null.or(parent.not_null);
        result.not_null_inherited = Beside(own.not_null.is_none() && parent.not_null.is_some());
        for clause in [clause::STORAGE, clause::COMPRESSION] {
            if let Some(value) = parent.clauses.get(clause).filter(|_| !own.clauses.has(clause)) {
                result.clauses.set(clause, value.clone());
            }
        }
        if result.default.is_none() && parent.default.is_some() {
            result.clauses.set(clause::NO_DEFAULT, Flag);
        }
        return result;
    };
    let written = |column: &Column| column.default.as_ref().map(|default| default.written().to_owned());
    let method = |column: &Column| column.clauses.value(clause::COMPRESSION).map(str::to_owned);
    let mut differs = Vec::new();
    if result.default.is_none() && inherited.default.is_some() {
        result.clauses.set(clause::NO_DEFAULT, Flag);
        differs.push("without a default");
    } else if written(&result) != written(&inherited) || partition && !in_key && result.not_null != inherited.not_null {
        differs.push("with another default");
    }
    if !partition && (!in_key && result.not_null != inherited.not_null || result.not_null_name.is_some()) {
        differs.push("with a NOT NULL of its own");
    }
    if method(&result) != method(&inherited) {
        differs.push("with another compression");
    }
    result.clauses.set_text(clause::INHERITED, differs.join(", "));
    result
}

fn is_null(default: &Expression) -> bool {
    default.written().trim().eq_ignore_ascii_case("null")
}

/// Comments on columns that were not known yet when they were read.
fn column_comments(table: &mut Table) {
    let waiting: Vec<(String, Expression)> =
        table.clauses.members(clause::COMMENT_ON).map(|(column, value)| (column.to_owned(), value.clone())).collect();
    for (column, text) in waiting {
        let name = names::unquoted(&column);
        if let Some(found) = table.columns.iter_mut().find(|other| other.name.canonical() == name) {
            found.clauses.set(clause::COMMENT, text);
            table.clauses.remove(clause::COMMENT_ON.of(&column));
        }
    }
}

fn without_constraints_of(table: &mut Table, parent: &Table, partition: bool) {
    // A child of INHERITS that says a constraint again has it as its own as well; a partition's is merged.
    if partition {
        let of_parent = &mut table.of_parent.0;
        let is_parents = |check: &mut Check| {
            let same = |other: &Check| other.name == check.name && !other.clauses.has(clause::NO_INHERIT);
            parent.checks.iter().any(same)
        };
        of_parent.checks.extend(table.checks.0.extract_if(.., is_parents));
        let key = table
            .primary_key
            .take_if(|own| parent.primary_key.as_ref().is_some_and(|other| columns_of(own) == columns_of(other)));
        of_parent.primary_key = of_parent.primary_key.take().or(key);
        let is_parents = |key: &mut Key| parent.unique_keys.iter().any(|other| columns_of(key) == columns_of(other));
        of_parent.unique_keys.extend(table.unique_keys.0.extract_if(.., is_parents));
        let is_parents = |own: &mut Check| parent.exclusions.iter().any(|other| other.condition == own.condition);
        of_parent.exclusions.extend(table.exclusions.0.extract_if(.., is_parents));
        let is_parents = |key: &mut ForeignKey| parent.foreign_keys.iter().any(|other| key.is_same_as(other));
        of_parent.foreign_keys.extend(table.foreign_keys.0.extract_if(.., is_parents));
    }
}

/// The columns of a key.
pub fn columns_of(key: &Key) -> Vec<&Name> {
    key.parts.iter().map(|part| &part.column).collect()
}
