//! What the server would not let be changed underneath: views on a column whose type changes, rules on a view that goes.

use crate::clause;
use std::collections::{BTreeMap, BTreeSet};

use super::super::names;
use super::super::rename::expressions_mut;
use super::super::types::is_of;
use wevrun_core::model::{
    Column, Definition, Expression, Kind, Model, Name, Object, ObjectKey, Plain, QualifiedName, Table,
};

/// What is not there for a while, or for good.
pub struct Going<'g> {
    /// The objects that go.
    pub removed: &'g BTreeSet<ObjectKey>,
    /// The objects that are dropped and made again.
    pub again: &'g BTreeSet<ObjectKey>,
    /// The types that are recreated under their columns.
    pub swapped: &'g BTreeSet<QualifiedName>,
    /// The computed columns, by table, that are dropped and added again because of what they call.
    pub columns: &'g BTreeMap<QualifiedName, Vec<Name>>,
}

/// The objects of have that must go for the moment, without those that are gone or recreated already.
pub fn in_the_way(have: &Model, want: &Model, going: &Going<'_>, major: u32) -> BTreeSet<ObjectKey> {
    let Going { removed, again, swapped, columns } = *going;
    let mut found: BTreeSet<ObjectKey> = BTreeSet::new();
    // On columns that go, change their type, or are computed from such.
    for (name, table) in have.tables() {
        let Some(wanted) = want.table(name).filter(|_| !removed.contains(&ObjectKey::new(Kind::Table, name.clone())))
        else {
            continue;
        };
        let mut touched = touched_columns(table, wanted);
        touched.extend(table.columns.iter().filter(|column| is_of(column, swapped)).map(|column| column.name.clone()));
        let detached = columns.get(name).map_or(&[][..], Vec::as_slice);
        touched.extend_from_slice(detached);
        if touched.is_empty() {
            continue;
        }
        let mut replaced = replaced_columns(table, wanted, major);
        replaced.extend_from_slice(detached);
        for object in
            have.objects().filter(|object| object.uses.contains(name) || object.definition.owner() == Some(name))
        {
            // The server would spell the expressions of an index with the casts of the old type.
            let in_the_way = match &object.definition {
                Definition::Index(index) => {
                    let plain = index.parts.iter().map(|part| names::unquoted(&part.expression.canonical));
                    let included = super::super::split_list(index.clauses.value(clause::INCLUDE).unwrap_or_default());
                    let mut listed = plain.chain(included.iter().map(|name| names::unquoted(name)));
                    // An index goes with a column that it is on; of one that lacks parts the server makes a whole one.
                    let lacks_parts = index.clauses.has(clause::ONLY) || index.clauses.has(clause::ATTACHED_TO);
                    let goes = if lacks_parts { &touched } else { &replaced };
                    listed.any(|listed| goes.iter().any(|column| listed == column.canonical()))
                        || touched.iter().any(|column| reads(object, name, column))
                }
                // Statistics go with a column that they are about.
                Definition::Plain(plain) if plain.kind == Kind::Statistics => {
                    replaced.iter().any(|column| lists(plain, "on", column))
                }
                Definition::Plain(plain) if plain.kind == Kind::Publication => {
                    touched.iter().any(|column| lists(plain, &format!("table {name}"), column))
                }
                _ => can_block_changes(object) && touched.iter().any(|column| reads(object, name, column)),
            };
            if in_the_way {
                found.insert(object.key());
            }
        }
    }
    // On objects that go or are recreated, directly or through others.
    loop {
        let gone: BTreeSet<&QualifiedName> =
            removed.iter().chain(again).chain(&found).filter(|key| carries(key.kind)).map(|key| &key.name).collect();
        let gone: BTreeSet<&QualifiedName> = gone.into_iter().chain(swapped).collect();
        let more: Vec<ObjectKey> = have
            .objects()
            .filter(|object| {
                can_block_changes(object) || matches!(object.definition.kind(), Kind::Index | Kind::Statistics)
            })
            .filter(|object| object.uses.iter().chain(object.definition.owner()).any(|name| gone.contains(name)))
            .map(Object::key)
            .filter(|key| !found.contains(key) && !removed.contains(key) && !again.contains(key))
            .collect();
        if more.is_empty() {
            break;
        }
        found.extend(more);
    }
    found.retain(|key| !removed.contains(key) && !again.contains(key) && want.get(key).is_some());
    found
}

/// Whether objects of the kind have others that the server ties to them.
fn carries(kind: Kind) -> bool {
    !matches!(
        kind,
        Kind::Index | Kind::Trigger | Kind::Policy | Kind::Rule | Kind::Schema | Kind::Statistics | Kind::Publication
    )
}

/// Whether the server refuses to change or drop what such an object uses.
fn can_block_changes(object: &Object) -> bool {
    match &object.definition {
        Definition::View(_) => true,
        // Its rows are elsewhere.
        Definition::Table(table) => table.clauses.has(clause::SERVER),
        Definition::Plain(plain) => matches!(
            plain.kind,
            Kind::Rule
                | Kind::Policy
                | Kind::Trigger
                | Kind::Function
                | Kind::Procedure
                | Kind::Aggregate
                | Kind::Operator
                | Kind::OperatorClass
                | Kind::Cast
                | Kind::Domain
                | Kind::Type
                | Kind::EventTrigger
                | Kind::Server
                | Kind::UserMapping
                | Kind::TextSearchDictionary
                | Kind::TextSearchConfiguration
        ),
        _ => false,
    }
}

/// The columns that go, change their type, or are recreated because they are computed from such.
pub fn touched_columns(have: &Table, want: &Table) -> Vec<Name> {
    let mut touched: Vec<Name> = have
        .columns
        .iter()
        .filter(|column| match want.column(&column.name) {
            None => true,
            Some(wanted) => {
                wanted.data_type != column.data_type
                    || wanted.collation != column.collation
                    || wanted.generated != column.generated
            }
        })
        .map(|column| column.name.clone())
        .collect();
    let computed: Vec<Name> = have
        .columns
        .iter()
        .filter(|column| !touched.contains(&column.name))
        .filter(|column| {
            column.generated.as_ref().is_some_and(|g| touched.iter().any(|name| g.expression.may_use_column(name)))
        })
        .map(|column| column.name.clone())
        .collect();
    touched.extend(computed);
    touched
}

/// The columns that are computed from others that go, change their type or are recreated.
pub fn computed_columns(have: &Table, want: &Table) -> Vec<Name> {
    let touched = touched_columns(have, want);
    let computed = |column: &&Column| {
        column
            .generated
            .as_ref()
            .is_some_and(|own| touched.iter().any(|name| *name != column.name && own.expression.may_use_column(name)))
    };
    have.columns.iter().filter(computed).map(|column| column.name.clone()).collect()
}

/// The columns that are dropped and added again, because the server can't compute them otherwise where they are.
pub fn replaced_columns(have: &Table, want: &Table, major: u32) -> Vec<Name> {
    let computed = computed_columns(have, want);
    let replaced = |column: &&Column| {
        // One that shall be computed no more keeps its values.
        let Some(wanted) = want.column(&column.name).filter(|wanted| wanted.generated.is_some()) else { return false };
        let otherwise = column.generated != wanted.generated && !sets_expression(have, column, wanted, major);
        otherwise || computed.contains(&column.name)
    };
    have.columns.iter().filter(replaced).map(|column| column.name.clone()).collect()
}

/// Whether the server can compute the column otherwise where it is (<https://www.postgresql.org/docs/17/sql-altertable.html>).
pub fn sets_expression(table: &Table, have: &Column, want: &Column, major: u32) -> bool {
    match (&have.generated, &want.generated) {
        // Not yet where a check could be about a column that is computed when it is read (`ATExecSetExpression()`).
        (Some(have), Some(want)) => {
            have.stored == want.stored && major >= 17 && (have.stored || table.checks.is_empty())
        }
        _ => false,
    }
}

/// Whether a clause names the column.
fn lists(plain: &Plain, clause: &str, column: &Name) -> bool {
    plain.clauses.expression_named(clause).is_some_and(|list| list.may_use_column(column))
}

/// Whether an object reads the column of a table that it uses. Routines keep their bodies as text, except SQL-standard ones.
fn reads(object: &Object, table: &QualifiedName, column: &Name) -> bool {
    if let Definition::Plain(plain) = &object.definition
        && matches!(plain.kind, Kind::Function | Kind::Procedure)
        && !plain.clauses.has(clause::BODY)
    {
        return false;
    }
    if let Definition::Index(index) = &object.definition {
        let plain = |expression: &Expression| names::unquoted(&expression.canonical) == column.canonical();
        let parts = index.parts.iter().map(|part| &part.expression).filter(|expression| !plain(expression));
        return parts.chain(&index.predicate).any(|expression| expression.may_use_column(column));
    }
    if let Some(reads) = &object.reads {
        return reads.has(table, column);
    }
    let mut copy = object.definition.clone();
    expressions_mut(&mut copy).iter().any(|expression| expression.may_use_column(column))
}
