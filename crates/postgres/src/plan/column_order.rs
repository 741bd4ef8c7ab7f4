//! A table with its columns in another order: the old one is renamed temporarily, the new one takes its rows, and the old one goes.
//!
//! The server can't move a column (<https://wiki.postgresql.org/wiki/Alter_column_position>); what depends on the table is dropped
//! before and made again after, as for any table that is recreated.

use super::super::names::{self, quoted};
use super::super::tokens::literal;
use super::super::write;
use crate::clause;
use wevrun_core::model::{Definition, Kind, Model, Object, QualifiedName, Table, is};
use wevrun_core::plan::Step;

/// Why a table can't be recreated with its rows; none if it can.
pub fn obstacle(model: &Model, object: &Object) -> Option<&'static str> {
    let table = object.as_table()?;
    let clauses = &table.clauses;
    let is_parent = || {
        model
            .tables()
            .any(|(_, other)| other.clauses.get(clause::INHERITS).is_some_and(|parents| parents.contains(&object.name)))
    };
    let published = || model.of_kind(Kind::Publication).any(|publication| publication.uses.contains(&object.name));
    if clauses.has(clause::PARTITION_OF) || clauses.has(clause::PARTITION_BY) {
        Some("it is partitioned or a partition")
    } else if clauses.has(clause::INHERITS) || is_parent() {
        Some("it inherits or is inherited from")
    } else if clauses.has(clause::OF) {
        Some("it is of a type")
    } else if clauses.has(is::SERVER) {
        Some("its rows are on another server")
    } else if clauses.has(clause::FORCE_ROW_SECURITY) {
        Some("its row security holds for its owner too, who might not see every row")
    } else if published() {
        Some("it is published")
    } else {
        None
    }
}

/// What the old table is called meanwhile.
fn temporary_name(table: &QualifiedName) -> QualifiedName {
    let name = format!("wevrun_old_{}", names::identifier(table));
    let end = name.floor_char_boundary(names::LONGEST);
    names::qualified(&names::schema(table).unwrap_or_default(), &name[..end])
}

fn identity_sequences(name: &QualifiedName, table: &Table) -> Vec<QualifiedName> {
    let identities = table.columns.iter().filter(|column| column.clauses.has(clause::IDENTITY));
    identities.map(|column| write::identity_sequence(name, column)).collect()
}

/// The old table gives up its name, and those of its keys, indexes and sequences.
pub fn step_aside(model: &Model, name: &QualifiedName, table: &Table) -> Step {
    let old = temporary_name(name);
    let mut statements = vec![format!("ALTER TABLE {name} RENAME TO {}", quoted(&names::identifier(&old)))];
    // A reference to itself holds on to the key.
    let own = table.foreign_keys.iter().filter(|key| key.parent == *name).map(|key| &key.name);
    let keys = own.chain(table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| &key.name));
    let exclusions = table.exclusions.iter().filter_map(|check| check.name.as_ref());
    for constraint in keys.chain(exclusions) {
        statements.push(format!("ALTER TABLE {old} DROP CONSTRAINT {}", quoted(constraint.canonical())));
    }
    for object in model.objects().filter(|object| object.definition.owner() == Some(name)) {
        match object.definition.kind() {
            Kind::Index => statements.push(format!("DROP INDEX {}", object.name)),
            Kind::Statistics => statements.push(format!("DROP STATISTICS {}", object.name)),
            Kind::Sequence => statements.push(format!("ALTER SEQUENCE {} OWNED BY NONE", object.name)),
            _ => {}
        }
    }
    for sequence in identity_sequences(name, table) {
        let old = temporary_name(&sequence);
        statements.push(format!("ALTER SEQUENCE {sequence} RENAME TO {}", quoted(&names::identifier(&old))));
    }
    Step::new(format!("rename table {name} temporarily, to reorder its columns"), statements)
}

/// The new table takes the rows, as long as all arrive, and the numbers that come next; the old one goes.
pub fn take_rows(name: &QualifiedName, have: &Table, want: &Object) -> Step {
    let old = temporary_name(name);
    let Definition::Table(table) = &want.definition else { unreachable!("a table is ordered") };
    let columns = table.columns.iter().filter(|column| column.generated.is_none());
    let columns: Vec<String> = columns.map(|column| quoted(column.name.canonical())).collect();
    let columns = columns.join(", ");
    let mut statements =
        vec![format!("INSERT INTO {name} ({columns}) OVERRIDING SYSTEM VALUE SELECT {columns} FROM {old}")];
    let lost = format!("(SELECT count(*) FROM {name}) <> (SELECT count(*) FROM {old})");
    statements.push(super::stop_if(&lost, &format!("not every row of {name} arrived")));
    for (before, after) in identity_sequences(name, have).iter().zip(identity_sequences(name, table)) {
        let next = literal(after.canonical());
        statements.push(format!("SELECT setval({next}, last_value, is_called) FROM {}", temporary_name(before)));
    }
    statements.push(format!("DROP TABLE {old}"));
    let mut step = Step::new(format!("move the rows of table {name}"), statements);
    step.risks.push(super::rewrites(name));
    step
}
