//! Parts of partitioned tables' indexes that are called otherwise than the server calls those that it makes.

use crate::clause;
use std::collections::BTreeSet;

use super::super::canonical::above;
use super::super::tokens::{dollar_quoted, literal};
use super::super::write;
use wevrun_core::model::{Check, Column, Key, Kind, Model, Name, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::Step;

/// The step that gives them their names, for the partitions that get such parts. `have` is what there is under want's names,
/// `again` what is made again.
pub fn step<'m>(want: &'m Model, have: &'m Model, again: &BTreeSet<ObjectKey>) -> Option<Step> {
    let is_new = |key: &ObjectKey| have.get(key).is_none() || again.contains(key);
    let mut rows = Vec::new();
    for (partition, table) in want.tables().filter(|(_, table)| !table.part_names.is_empty()) {
        let parent = |table: &Table| table.clauses.get(clause::PARTITION_OF).cloned();
        let comes = is_new(&ObjectKey::new(Kind::Table, partition.clone()))
            || have.table(partition).and_then(parent) != parent(table);
        let above = above(want, table);
        // The server builds the indexes of a column that gets another type again, with the usual names.
        let retyped = |top: &QualifiedName| {
            have.table(top).zip(want.table(top)).is_some_and(|(have, want)| is_retyped(have, want))
        };
        let comes = comes || above.iter().any(retyped);
        let is_made = |whole: &QualifiedName| {
            let index = ObjectKey::new(Kind::Index, whole.clone());
            if want.get(&index).is_some() {
                return comes || is_new(&index);
            }
            let of = |model: &'m Model, top: &QualifiedName| constraint_of(top, model.table(top)?, whole);
            let constraint = above.iter().find_map(|top| Some((top, of(want, top)?)));
            constraint.is_some_and(|(top, constraint)| {
                comes || is_new(&ObjectKey::new(Kind::Table, top.clone())) || of(have, top) != Some(constraint)
            })
        };
        for (whole, part) in table.part_names.iter().filter(|(whole, _)| is_made(whole)) {
            let [partition, whole, part] = [partition, whole, part].map(|name| literal(name.canonical()));
            rows.push(format!("({partition}::regclass, {whole}::regclass, {part})"));
        }
    }
    let title = "name parts of partitioned tables' indexes";
    (!rows.is_empty()).then(|| Step::new(title.to_owned(), vec![statement(&rows)]))
}

/// Whether a column has another type.
fn is_retyped(have: &Table, want: &Table) -> bool {
    let data_type = |column: &Column| column.data_type.as_ref().map(|data_type| data_type.canonical.clone());
    want.columns.iter().any(|after| {
        have.column(&after.name)
            .is_some_and(|before| data_type(before) != data_type(after) || before.collation != after.collation)
    })
}

/// The constraint of a table that has this index: a key, or one of exclusion.
fn constraint_of<'t>(
    name: &QualifiedName,
    table: &'t Table,
    index: &QualifiedName,
) -> Option<(Option<&'t Key>, Option<&'t Check>)> {
    let is_it = |constraint: &Name| write::index_of(name, constraint) == *index;
    let key = table.primary_key.iter().chain(table.unique_keys.iter()).find(|key| is_it(&key.name));
    let exclusion = table.exclusions.iter().find(|check| check.name.as_ref().is_some_and(is_it));
    (key.is_some() || exclusion.is_some()).then_some((key, exclusion))
}

/// A statement that renames the parts, whatever the server has called them: of each the partition, the topmost index, the name. As
/// they may change names among themselves, they get others first. A name that something else has stays with that.
fn statement(rows: &[String]) -> String {
    let body = BODY.replace("/*rows*/", &rows.join(",\n                "));
    format!("DO {}", dollar_quoted(&body, "wevrun"))
}

const BODY: &str = "DECLARE
    part record;
BEGIN
    FOR pass IN 1..2 LOOP
        FOR part IN
            WITH wanted (partition, whole, name) AS (VALUES
                /*rows*/
            ), parts AS (
                SELECT c.oid, c.relnamespace, wanted.name FROM wanted
                JOIN pg_index i ON i.indrelid = wanted.partition AND pg_partition_root(i.indexrelid) = wanted.whole
                JOIN pg_class c ON c.oid = i.indexrelid AND c.relname <> wanted.name
            )
            SELECT p.oid, p.name FROM parts p WHERE NOT EXISTS (
                SELECT FROM pg_class other
                WHERE other.relnamespace = p.relnamespace AND other.relname = p.name AND other.oid NOT IN (SELECT oid FROM parts)
            )
        LOOP
            EXECUTE format('ALTER INDEX %s RENAME TO %I', part.oid::regclass,
                CASE pass WHEN 1 THEN 'wevrun_part_' || part.oid ELSE part.name END);
        END LOOP;
    END LOOP;
END";
