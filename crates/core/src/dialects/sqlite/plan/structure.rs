//! The structure as facts that plain SQL can compare: so the client stops where it is not the expected one.

use std::collections::BTreeSet;

use super::super::names::literal;
use crate::model::{Definition, Kind, Model, Name};

/// A query for the facts about some relations and all that is on them: one text a row. `exact`: with the stored definitions.
pub fn query(names: &BTreeSet<Name>, exact: bool) -> String {
    let list: Vec<String> = names.iter().map(|name| literal(name.canonical())).collect();
    let these = format!(
        "FROM main.sqlite_schema AS o WHERE lower(o.tbl_name) IN ({}) AND o.sql IS NOT NULL \
         AND o.name NOT LIKE 'sqlite\\_%' ESCAPE '\\' AND o.name NOT LIKE 'wevrun\\_%' ESCAPE '\\'",
        list.join(", ")
    );
    let name = "o.type || ' ' || lower(o.name) || ' on ' || lower(o.tbl_name)";
    if exact {
        return format!("SELECT {name} || ': ' || o.sql {these}");
    }
    let columns = "SELECT lower(name) AS name FROM pragma_table_xinfo(o.name) ORDER BY 1";
    format!(
        "SELECT {name} {these}\n    UNION ALL SELECT 'columns of ' || lower(o.name) || ': ' || \
         (SELECT group_concat(name, ', ') FROM ({columns})) {these} AND o.type = 'table' AND o.sql LIKE 'CREATE TABLE%'"
    )
}

/// What that query gives, not exact, for a database with the structure of a model.
pub fn facts(model: &Model, names: &BTreeSet<Name>) -> Vec<String> {
    let mut facts = Vec::new();
    for object in model.objects() {
        let (own, on) = (&object.name, object.definition.owner().unwrap_or(&object.name));
        if !names.contains(on) {
            continue;
        }
        let kind = if object.definition.kind() == Kind::VirtualTable { Kind::Table } else { object.definition.kind() };
        facts.push(format!("{} {} on {}", kind.title(), own.canonical(), on.canonical()));
        if let Definition::Table(table) = &object.definition {
            let mut columns: Vec<&str> = table.columns.iter().map(|column| column.name.canonical()).collect();
            columns.sort_unstable();
            facts.push(format!("columns of {}: {}", own.canonical(), columns.join(", ")));
        }
    }
    facts
}

/// A statement that fails where the query gives anything but these facts.
pub fn guard(query: &str, facts: &[String]) -> String {
    let mut sorted = facts.to_vec();
    sorted.sort();
    let rows: Vec<String> = sorted.iter().map(|fact| format!("({})", literal(fact))).collect();
    let expected = if rows.is_empty() {
        "SELECT NULL WHERE 0".to_owned()
    } else {
        format!("VALUES\n    {}", rows.join(",\n    "))
    };
    format!(
        "WITH expected (fact) AS ({expected}),\nfound (fact) AS ({query})\n\
         INSERT INTO temp.wevrun_guard SELECT 'objects that are not as the script expects',\n    \
         (SELECT count(*) FROM (SELECT fact FROM found EXCEPT SELECT fact FROM expected))\n    \
         + (SELECT count(*) FROM (SELECT fact FROM expected EXCEPT SELECT fact FROM found))"
    )
}
