//! Storage parameters and tablespaces of indexes, those of constraints too: they change as the index stands. Those of a partitioned
//! index the server does not change (<https://www.postgresql.org/docs/current/sql-alterindex.html>): it is recreated.

use super::plain::parameters;
use super::table::TableChange;
use crate::names::quoted;
use crate::sameness::is_setting_of_index;
use crate::write;
use wevrun_core::model::{Clauses, Kind, Name, QualifiedName, Table};
use wevrun_core::plan::Step;

/// The statements that change the settings, which are taken out of what differs; none if the index has to be recreated.
pub fn change(
    index: &QualifiedName,
    partitioned: bool,
    (have, want): (&Clauses, &Clauses),
    differing: &mut Vec<&str>,
) -> Option<Vec<String>> {
    if partitioned && differing.iter().any(|clause| is_setting_of_index(clause)) {
        return None;
    }
    let mut statements = parameters(&write::subject(Kind::Index, index), have, want, differing);
    if let Some(place) = differing.iter().position(|clause| *clause == "tablespace") {
        let space = want.value_named(differing.remove(place)).unwrap_or("pg_default");
        statements.push(format!("ALTER INDEX {index} SET TABLESPACE {}", quoted(space)));
    }
    Some(statements)
}

/// The indexes of the constraints that stay.
pub fn of_constraints(change: &TableChange<'_>) -> Option<Step> {
    let before = of_table(change.have);
    let mut statements = Vec::new();
    for (name, wanted) in of_table(change.want) {
        let Some((_, had)) = before.iter().find(|(other, _)| *other == name).filter(|_| !change.is_recreated(name))
        else {
            continue;
        };
        let mut differing = had.differing(wanted);
        differing.retain(|clause| is_setting_of_index(clause));
        let index = write::index_of(change.table(), name);
        statements.extend(self::change(&index, false, (had, wanted), &mut differing).unwrap_or_default());
    }
    let title = format!("change settings of indexes of {}", change.table());
    (!statements.is_empty()).then(|| Step::new(title, statements))
}

fn of_table(table: &Table) -> Vec<(&Name, &Clauses)> {
    let keys = table.primary_key.iter().chain(table.unique_keys.iter()).map(|key| (&key.name, &key.clauses));
    let exclusions = table.exclusions.iter().filter_map(|check| Some((check.name.as_ref()?, &check.clauses)));
    keys.chain(exclusions).collect()
}
