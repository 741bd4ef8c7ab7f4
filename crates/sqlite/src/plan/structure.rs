//! The structure as facts that plain SQL can compare: so the client stops where it is not the expected one.

use std::collections::BTreeSet;

use super::super::names::literal;
use wevrun_core::model::{Definition, Kind, Model, QualifiedName};

/// Every object with what it is on: a table, or itself.
const OBJECTS: &str = "SELECT lower(tbl_name) AS owner, type || ' ' || lower(name) || ' on ' || lower(tbl_name) AS object, \
                       name, type, sql\n    FROM main.sqlite_master WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite\\_%' \
                       ESCAPE '\\' AND name NOT LIKE 'wevrun\\_%' ESCAPE '\\'";

/// The view that guards read.
pub fn view() -> String {
    format!("CREATE TEMP VIEW wevrun_objects AS {OBJECTS}")
}

/// A query for the facts about some relations and all that is on them: one text a row. `exact`: with the stored definitions.
pub fn query(names: &BTreeSet<QualifiedName>, exact: bool) -> String {
    facts_in(&format!("({OBJECTS})"), names, exact)
}

fn facts_in(objects: &str, names: &BTreeSet<QualifiedName>, exact: bool) -> String {
    let list: Vec<String> = names.iter().map(|name| literal(name.canonical())).collect();
    let these = format!("FROM {objects} AS o WHERE o.owner IN ({})", list.join(", "));
    if exact {
        return format!("SELECT o.object || ': ' || o.sql {these}");
    }
    let columns =
        "SELECT lower(name) || ' ' || replace(lower(type), ' ', '') AS text FROM pragma_table_xinfo(o.name) ORDER BY 1";
    format!(
        "SELECT o.object {these}\n    UNION ALL SELECT 'columns of ' || o.owner || ': ' || (SELECT group_concat(text, ', ') FROM ({columns}))\n    \
         {these} AND o.type = 'table' AND o.sql LIKE 'CREATE TABLE%'"
    )
}

/// The result of that query, not exact, for a database with the structure of a model.
pub fn facts(model: &Model, names: &BTreeSet<QualifiedName>) -> Vec<String> {
    let mut facts = Vec::new();
    for object in model.objects() {
        let (own, on) = (&object.name, object.definition.owner().unwrap_or(&object.name));
        if !names.contains(on) {
            continue;
        }
        let kind = if object.definition.kind() == Kind::VirtualTable { Kind::Table } else { object.definition.kind() };
        facts.push(format!("{} {} on {}", kind.title(), own.canonical(), on.canonical()));
        if let Definition::Table(table) = &object.definition {
            let column = |column: &wevrun_core::model::Column| {
                let data_type = column.data_type.as_ref().map_or("", |data_type| data_type.canonical.as_str());
                format!("{} {}", column.name.canonical(), data_type.replace(' ', ""))
            };
            let mut columns: Vec<String> = table.columns.iter().map(column).collect();
            columns.sort_unstable();
            facts.push(format!("columns of {}: {}", own.canonical(), columns.join(", ")));
        }
    }
    facts
}

/// A statement that fails where there is anything but these facts about the names.
pub fn guard(names: &BTreeSet<QualifiedName>, exact: bool, facts: &[String]) -> String {
    let mut sorted = facts.to_vec();
    sorted.sort();
    let rows: Vec<String> = sorted.iter().map(|fact| format!("({})", literal(fact))).collect();
    let expected = if rows.is_empty() {
        "SELECT NULL WHERE 0".to_owned()
    } else {
        format!("VALUES\n    {}", rows.join(",\n    "))
    };
    format!(
        "WITH expected (fact) AS ({expected}),\nfound (fact) AS (\n    {})\n\
         INSERT INTO temp.wevrun_guard SELECT 'objects that are not as the script expects',\n    \
         (SELECT count(*) FROM (SELECT fact FROM found EXCEPT SELECT fact FROM expected))\n    \
         + (SELECT count(*) FROM (SELECT fact FROM expected EXCEPT SELECT fact FROM found))",
        facts_in("temp.wevrun_objects", names, exact)
    )
}
