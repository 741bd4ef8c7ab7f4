//! The structure as facts that plain SQL can compare: so the client stops where it is not the expected one.

use std::collections::BTreeSet;

use wevrun_core::model::{Definition, Kind, Model, QualifiedName};

use crate::names::literal;

/// A query for the facts about some objects and all that is on them: one text a row. `exact`: with what is defined of columns and
/// keys, as far as the catalogue tells it; else by names.
pub fn query(names: &BTreeSet<QualifiedName>, exact: bool) -> String {
    let list: Vec<String> = names.iter().map(|name| literal(name.identifier())).collect();
    let list = if list.is_empty() { "NULL".to_owned() } else { list.join(", ") };
    let column = if exact {
        "CONCAT_WS(' ', LOWER(column_name), column_type, collation_name, is_nullable, column_default, extra)"
    } else {
        "LOWER(column_name)"
    };
    let key = if exact {
        "CONCAT_WS(' ', LOWER(column_name), sub_part, non_unique, index_type)"
    } else {
        "LOWER(column_name)"
    };
    format!(
        "SELECT CONCAT(IF(table_type = 'VIEW', 'view ', IF(table_type = 'SEQUENCE', 'sequence ', 'table ')), table_name) AS fact\n    \
         FROM information_schema.tables WHERE table_schema = DATABASE() AND BINARY table_name IN ({list})\n    \
         UNION ALL SELECT CONCAT('columns of ', table_name, ': ', GROUP_CONCAT({column} ORDER BY LOWER(column_name) SEPARATOR ', '))\n    \
         FROM information_schema.columns JOIN information_schema.tables USING (table_schema, table_name)\n    \
         WHERE table_schema = DATABASE() AND table_type IN ('BASE TABLE', 'SYSTEM VERSIONED') AND BINARY table_name IN ({list}) GROUP BY table_name\n    \
         UNION ALL SELECT CONCAT('key ', LOWER(index_name), ' of ', table_name, ': ', GROUP_CONCAT({key} ORDER BY seq_in_index SEPARATOR ', '))\n    \
         FROM information_schema.statistics WHERE table_schema = DATABASE() AND index_name <> 'PRIMARY' AND BINARY table_name IN ({list})\n    \
         GROUP BY table_name, index_name\n    \
         UNION ALL SELECT CONCAT('trigger ', trigger_name, ' of ', event_object_table)\n    \
         FROM information_schema.triggers WHERE trigger_schema = DATABASE() AND BINARY event_object_table IN ({list})"
    )
}

/// The result of that query, not exact, for a database with the structure of a model.
pub fn facts(model: &Model, names: &BTreeSet<QualifiedName>) -> Vec<String> {
    let wanted: BTreeSet<&str> = names.iter().map(|name| name.identifier()).collect();
    let mut facts = Vec::new();
    for object in model.objects() {
        let kind = object.definition.kind();
        let on = object.definition.owner().unwrap_or(&object.name);
        if !wanted.contains(on.identifier()) || on.schema().is_some() {
            continue;
        }
        let own = object.name.identifier();
        match (&object.definition, kind) {
            (_, Kind::View | Kind::Sequence) => facts.push(format!("{} {own}", kind.title())),
            (Definition::Table(table), _) => {
                facts.push(format!("table {own}"));
                let mut columns: Vec<&str> = table.columns.iter().map(|column| column.name.canonical()).collect();
                columns.sort_unstable();
                facts.push(format!("columns of {own}: {}", columns.join(", ")));
            }
            (Definition::Index(index), _) => {
                let columns: Vec<String> = crate::parse::keys::index_columns(index)
                    .iter()
                    .map(|(column, _)| column.canonical().to_owned())
                    .collect();
                facts.push(format!("key {} of {}: {}", own.to_lowercase(), on.identifier(), columns.join(", ")));
            }
            (_, Kind::Trigger) => facts.push(format!("trigger {own} of {}", on.identifier())),
            _ => {}
        }
    }
    facts
}

/// The message of a guard that stops a script because the structure is another one.
pub const ANOTHER_STRUCTURE: &str = "wevrun: objects that the script is about are not as it expects";

/// A statement that stops the client where there is anything but these facts about the names.
pub fn guard(names: &BTreeSet<QualifiedName>, exact: bool, facts: &[String]) -> String {
    let mut sorted = facts.to_vec();
    sorted.sort();
    let expected = if sorted.is_empty() {
        "SELECT '' AS fact WHERE FALSE".to_owned()
    } else {
        let rows: Vec<String> = sorted.iter().map(|fact| format!("SELECT {} AS fact", literal(fact))).collect();
        rows.join("\n    UNION ALL ")
    };
    let found = query(names, exact);
    format!(
        "IF EXISTS (\n    SELECT fact FROM (SELECT BINARY fact AS fact, 1 AS side FROM ({found}) AS found\n    \
         UNION ALL SELECT BINARY fact, 2 FROM ({expected}) AS expected) AS facts\n    \
         GROUP BY fact HAVING COUNT(DISTINCT side) < 2\n) THEN SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = '{ANOTHER_STRUCTURE}'; END IF"
    )
}
