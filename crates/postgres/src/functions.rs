//! The engine's own functions, by name. `functions.txt` was read from `pg_proc` of versions 15 and 18; what only the newer one has says
//! `16`, the first version that may have it.

use std::collections::HashMap;
use std::sync::LazyLock;

static FUNCTIONS: LazyLock<HashMap<&str, u32>> = LazyLock::new(|| {
    let lines = include_str!("functions.txt").lines();
    lines
        .map(|line| line.split_once(' ').map_or((line, 0), |(name, since)| (name, since.parse().unwrap_or(0))))
        .collect()
});

/// What the grammar has as a function (<https://www.postgresql.org/docs/current/functions.html>).
#[rustfmt::skip]
const OF_THE_GRAMMAR: &[&str] = &[
    "all", "any", "array", "cast", "ceiling", "coalesce", "collation", "current_catalog", "current_date", "current_role", "current_schema",
    "current_time", "current_timestamp", "current_user", "date_part", "exists", "extract", "filter", "greatest", "grouping", "json",
    "json_array", "json_arrayagg", "json_exists", "json_object", "json_objectagg", "json_query", "json_scalar", "json_serialize",
    "json_table", "json_value", "least", "like_escape", "localtime", "localtimestamp", "merge_action", "normalize", "nullif", "overlay",
    "position", "row", "session_user", "some", "substring", "system_user", "treat", "trim", "user", "values", "xmlagg", "xmlattributes",
    "xmlconcat", "xmlelement", "xmlexists", "xmlforest", "xmlparse", "xmlpi", "xmlroot", "xmlserialize", "xmltable",
];

/// Whether any version of the engine may have a function of this name.
pub fn is_known(name: &str) -> bool {
    FUNCTIONS.contains_key(name) || OF_THE_GRAMMAR.contains(&name)
}

/// The first version that may have the function, if not every one has it.
pub fn since(name: &str) -> Option<u32> {
    FUNCTIONS.get(name).copied().filter(|since| *since > 0)
}

/// The names, for "did you mean".
pub fn names() -> impl Iterator<Item = &'static str> {
    FUNCTIONS.keys().copied()
}
