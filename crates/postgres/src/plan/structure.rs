//! The structure as facts that plain SQL can compare: so the client stops where it is not the expected one.

use std::collections::BTreeSet;

use super::super::names;
use super::super::tokens::{dollar_quoted, literal};
use wevrun_core::model::{Kind, Model, QualifiedName};

/// What the names are matched with: schema and identifier.
fn list(names: &BTreeSet<QualifiedName>) -> String {
    let pair = |name: &QualifiedName| {
        let (schema, own) = names::split(name);
        format!("({}, {})", literal(&schema.unwrap_or_default()), literal(&own))
    };
    let pairs: BTreeSet<String> = names.iter().map(pair).collect();
    if pairs.is_empty() { "(NULL, NULL)".to_owned() } else { pairs.into_iter().collect::<Vec<_>>().join(", ") }
}

/// A query for the facts about some objects and all that is on them: one text a row. `exact`: a hash of all definitions of each
/// object; else the names of columns, indexes, triggers, rules and policies.
pub fn query(names: &BTreeSet<QualifiedName>, exact: bool) -> String {
    let text = if exact { EXACT } else { BY_NAME };
    text.trim().replace("/*names*/", &list(names))
}

/// The search path is the script's, so that the server's functions spell as they did when the facts were read.
const EXACT: &str = include_str!("structure_exact.sql");

const BY_NAME: &str = include_str!("structure_by_name.sql");

/// What the query by name gives for a database with the structure of a model.
pub fn facts(model: &Model, names: &BTreeSet<QualifiedName>) -> Vec<String> {
    let wanted: BTreeSet<(Option<String>, String)> = names.iter().map(names::split).collect();
    let shown = |name: &QualifiedName| {
        let (schema, own) = names::split(name);
        format!("{}.{own}", schema.unwrap_or_default())
    };
    let mut facts = Vec::new();
    for object in model.objects() {
        let kind = object.definition.kind();
        let on = object.definition.owner().unwrap_or(&object.name);
        if !wanted.contains(&names::split(on)) {
            continue;
        }
        match kind {
            kind if kind.is_relation() => facts.push(format!("relation {}", shown(&object.name))),
            Kind::Index => facts.push(format!("index {} on {}", object.name.identifier(), shown(on))),
            Kind::Trigger | Kind::Rule | Kind::Policy => {
                facts.push(format!("{} {} on {}", kind.title(), object.name.identifier(), shown(on)));
            }
            _ => {}
        }
        if let Some(table) = object.as_table() {
            let mut columns: Vec<&str> = table.columns.iter().map(|column| column.name.canonical()).collect();
            columns.sort_unstable();
            if !columns.is_empty() {
                facts.push(format!("columns of {}: {}", shown(&object.name), columns.join(", ")));
            }
        }
    }
    facts
}

/// A statement that stops the client where there is anything but these facts about the names.
pub fn guard(names: &BTreeSet<QualifiedName>, exact: bool, facts: &[String]) -> String {
    let query = query(names, exact);
    let mut sorted = facts.to_vec();
    sorted.sort();
    let expected: Vec<String> = sorted.iter().map(|fact| literal(fact)).collect();
    let body = format!(
        "DECLARE\n    expected text[] := ARRAY[\n        {}\n    ]::text[];\n    found text[] := ARRAY({query});\n    \
         differing text;\nBEGIN\n    \
         SELECT string_agg(fact, '; ') INTO differing FROM (\n        \
         (SELECT unnest(found) EXCEPT SELECT unnest(expected))\n        UNION (SELECT unnest(expected) EXCEPT SELECT unnest(found))\n    \
         ) AS facts (fact);\n    \
         IF differing IS NOT NULL THEN\n        RAISE EXCEPTION USING ERRCODE = 'WV002',\n            \
         MESSAGE = 'wevrun: the structure is not the one that the script expects: ' || differing;\n    END IF;\nEND",
        expected.join(",\n        ")
    );
    format!("DO {}", dollar_quoted(&body, "wevrun"))
}
