//! Foreign keys are off while a script runs. Before its end each is checked: no value may be without a row in the parent that was
//! not without one before. What was broken before stays as it was.

use std::collections::BTreeSet;

use super::super::names::{literal, quoted};
use super::guards;
use wevrun_core::compare::Change;
use wevrun_core::model::{ForeignKey, Kind, Model, Name, ObjectKey, QualifiedName, Table};
use wevrun_core::plan::Planning;

/// The statements of a script that check foreign keys.
#[derive(Debug, Default)]
pub struct Checks {
    /// Before the first step: keeps the values that have no parent.
    pub before: Vec<String>,
    /// After the last step: stops where there are more.
    pub after: Vec<String>,
    /// Which foreign keys can't be checked, and why.
    pub notes: Vec<String>,
}

/// The checks of all foreign keys that the script can break.
pub fn checks(planning: &Planning<'_>) -> Checks {
    let mut checks = Checks::default();
    let touched = touched(planning);
    let mut checked: BTreeSet<String> = BTreeSet::new();
    for (name, table) in planning.want.tables() {
        let is_new = planning.renamed.table(name).is_none();
        for key in table.foreign_keys.iter().filter(|_| !is_new) {
            if !touched.contains(name) && !touched.contains(&key.parent) {
                continue;
            }
            let label = label(name, &key.columns, &key.parent);
            match without_parent(planning.want, name, key) {
                Some(query) => {
                    checks.after.push(format!(
                        "INSERT INTO temp.wevrun_broken SELECT 'after', {0}, value FROM ({query})\n    \
                         EXCEPT SELECT 'after', foreign_key, value FROM temp.wevrun_broken WHERE foreign_key = {0}",
                        literal(&label)
                    ));
                    checked.insert(label);
                }
                None => checks.notes.push(format!(
                    "foreign key {label} can't be checked: its columns in {} are not a unique key",
                    key.parent
                )),
            }
        }
    }
    if checks.after.is_empty() {
        return checks;
    }
    checks.before.push(
        "CREATE TEMP TABLE wevrun_broken (moment TEXT NOT NULL, foreign_key TEXT NOT NULL, value TEXT NOT NULL)"
            .to_owned(),
    );
    for (name, table) in planning.have.tables() {
        for key in table.foreign_keys.iter() {
            let label = label_in_want(planning, name, key);
            if let Some(query) = without_parent(planning.have, name, key).filter(|_| checked.contains(&label)) {
                checks.before.push(format!(
                    "INSERT INTO temp.wevrun_broken SELECT 'before', {}, value FROM ({query})",
                    literal(&label)
                ));
            }
        }
    }
    checks.after.push(guards::no_new_broken_values());
    checks.after.push("DROP TABLE temp.wevrun_broken".to_owned());
    checks
}

/// Tables, by want's names, that are changed, renamed or removed.
fn touched(planning: &Planning<'_>) -> BTreeSet<QualifiedName> {
    let differences = planning.comparison.differences.iter().filter(|difference| difference.key.kind == Kind::Table);
    let changed = differences.filter(|difference| !matches!(difference.change, Change::Create(_)));
    changed.map(|difference| difference.key.name.clone()).collect()
}

fn label(table: &Name, columns: &[Name], parent: &Name) -> String {
    let columns: Vec<&str> = columns.iter().map(Name::written).collect();
    format!("{table} ({}) to {parent}", columns.join(", ")).to_ascii_lowercase()
}

/// The name of have's foreign key after the renames.
fn label_in_want(planning: &Planning<'_>, table: &QualifiedName, key: &ForeignKey) -> String {
    let renames = &planning.comparison.renames;
    let table_name = |name: &QualifiedName| renames.key_in_want(&ObjectKey::new(Kind::Table, name.clone())).name;
    let table = table_name(table);
    let renamed = renames.columns_of(&table);
    let column = |name: &Name| {
        let new = renamed.iter().find(|(old, _)| old == name).map(|(_, new)| new);
        new.unwrap_or(name).clone()
    };
    let columns: Vec<Name> = key.columns.iter().map(column).collect();
    label(&table, &columns, &table_name(&key.parent))
}

/// A query for the values of a foreign key that have no row in the parent, each once, as `value`. None if the engine itself can't
/// check it (<https://sqlite.org/foreignkeys.html#fk_indexes>).
fn without_parent(model: &Model, name: &Name, key: &ForeignKey) -> Option<String> {
    let child = |column: &Name| format!("c.{}", quoted(column.written()));
    let value: Vec<String> = key.columns.iter().map(|column| format!("quote({})", child(column))).collect();
    let given: Vec<String> = key.columns.iter().map(|column| format!("{} IS NOT NULL", child(column))).collect();
    let all = format!(
        "SELECT DISTINCT {} AS value FROM {} AS c WHERE {}",
        value.join(" || ', ' || "),
        quoted(name.written()),
        given.join(" AND ")
    );
    let Some(parent) = model.find(Kind::Table, &key.parent) else {
        // Without a parent, no value has a row there; what is no table can't be one.
        return model.relation(&key.parent).is_none().then_some(all);
    };
    let columns = referenced(model, &key.parent, parent.as_table()?, key)?;
    // A plus takes the affinity and the collation of the child's column away: those of the parent's column count.
    let pairs = columns.iter().zip(&key.columns);
    let pairs: Vec<String> =
        pairs.map(|(there, here)| format!("p.{} = +{}", quoted(there.written()), child(here))).collect();
    let parent = quoted(parent.name.written());
    Some(format!("{all}\n    AND NOT EXISTS (SELECT 1 FROM {parent} AS p WHERE {})", pairs.join(" AND ")))
}

/// The parent's columns, if they are a unique key.
fn referenced(model: &Model, name: &QualifiedName, parent: &Table, key: &ForeignKey) -> Option<Vec<Name>> {
    let columns = key.referenced_columns(parent);
    let owned: Vec<_> = model.of_kind(Kind::Index).filter(|index| index.definition.owner() == Some(name)).collect();
    let valid = columns.len() == key.columns.len() && !columns.is_empty() && parent.is_unique(&columns, &owned);
    valid.then_some(columns)
}
