//! MariaDB's own rules (<https://mariadb.com/kb/en/identifier-names/>, <https://mariadb.com/kb/en/innodb-limitations/>).

use wevrun_core::EngineVersion;
use wevrun_core::check::{Checks, Rules};
use wevrun_core::diagnostics::{Code, Diagnostic};
use wevrun_core::model::{Model, Object, Table};

use crate::parse::keys::{begins_with, index_columns, primary_columns};
use crate::{MariaDb, clause, names};

impl Rules for MariaDb {
    fn check(&self, model: &Model, _: EngineVersion, checks: &mut Checks<'_>) {
        let by_owner = model.by_owner();
        for object in model.objects() {
            name_length(object, checks);
            if let Some(table) = object.as_table() {
                let owned = by_owner.get(&object.name).map_or(&[][..], Vec::as_slice);
                auto_increment(object, table, owned, checks);
            }
        }
    }
}

fn name_length(object: &Object, checks: &mut Checks<'_>) {
    let columns =
        object.as_table().into_iter().flat_map(|table| table.columns.iter().map(|column| column.name.written()));
    for name in [object.name.identifier()].into_iter().chain(columns) {
        if name.chars().count() > names::LONGEST {
            let found =
                Diagnostic::new(Code::WV131, format!("the name `{name}` has more than {} characters", names::LONGEST))
                    .at(checks.definition_of(object), "too long");
            checks.add(found);
        }
    }
}

/// The column must be the first of a key.
fn auto_increment(object: &Object, table: &Table, owned: &[&Object], checks: &mut Checks<'_>) {
    for column in table.columns.iter().filter(|column| column.clauses.has(clause::AUTO_INCREMENT)) {
        let own = std::slice::from_ref(&column.name);
        let by_primary = table.primary_key.as_ref().is_some_and(|key| begins_with(&primary_columns(key), own));
        let by_index = owned.iter().any(|object| match &object.definition {
            wevrun_core::model::Definition::Index(index) => begins_with(&index_columns(index), own),
            _ => false,
        });
        if !by_primary && !by_index {
            let found = Diagnostic::new(
                Code::WV131,
                format!("AUTO_INCREMENT column {}.{} is not the first of a key", object.name, column.name),
            )
            .at(checks.definition_of(object), "has no such key")
            .help("make it the primary key, or add a key that begins with it");
            checks.add(found);
        }
    }
}
