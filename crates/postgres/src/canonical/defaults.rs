//! Clauses that say what the server takes by default.

use super::operators;
use crate::{clause, names};
use wevrun_core::model::{Clauses, Kind, QualifiedName};

/// Removes the clauses of a type that say what the server takes by default.
pub fn remove_type_defaults(name: &QualifiedName, clauses: &mut Clauses) {
    let own = names::identifier(name);
    // The multirange of int_range is int_multirange: https://www.postgresql.org/docs/current/rangetypes.html
    let usual =
        if own.contains("range") { own.replacen("range", "multirange", 1) } else { format!("{own}_multirange") };
    let given =
        clauses.value(clause::RANGE_MULTIRANGE_TYPE_NAME).map(|given| names::parts(given).pop().unwrap_or_default());
    if let Some(given) = given {
        clauses.remove(clause::RANGE_MULTIRANGE_TYPE_NAME);
        if given != usual {
            let schema = names::schema(name).unwrap_or_else(|| "public".to_owned());
            clauses.set_text(clause::RANGE_MULTIRANGE_TYPE_NAME, names::qualified(&schema, &given).canonical());
        }
    }
    operators::like(clauses);
    for (clause, same, usual) in [
        ("base.internallength", "- 1", "variable"),
        ("base.internallength", "-1", "variable"),
        ("base.alignment", "float8", "double"),
        ("base.alignment", "bpchar", "char"),
    ] {
        if clauses.value_named(clause) == Some(same) {
            clauses.set_text_named(clause, usual);
        }
    }
    // https://www.postgresql.org/docs/current/sql-createtype.html
    for (clause, usual) in [
        ("base.storage", "plain"),
        ("base.alignment", "int4"),
        ("base.internallength", "variable"),
        ("base.category", "U"),
        ("base.delimiter", ","),
        ("base.preferred", "false"),
        ("base.collatable", "false"),
    ] {
        if clauses.value_named(clause) == Some(usual) {
            clauses.remove_named(clause);
        }
    }
    // The default of a type of a fixed length with elements (`DefineType()`).
    if clauses.has(clause::BASE_ELEMENT)
        && clauses.value(clause::BASE_SUBSCRIPT).is_some_and(|own| own.ends_with("raw_array_subscript_handler"))
    {
        clauses.remove(clause::BASE_SUBSCRIPT);
    }
    if clauses.value(clause::RANGE_COLLATION).is_some_and(|collation| collation.ends_with("\"default\"")) {
        clauses.remove(clause::RANGE_COLLATION);
    }
}

/// Removes those of a routine (<https://www.postgresql.org/docs/current/sql-createfunction.html>).
pub fn remove_routine_defaults(clauses: &mut Clauses) {
    let compiled = matches!(clauses.value(clause::LANGUAGE), Some("c" | "internal"));
    if clauses.value(clause::COST) == Some(if compiled { "1" } else { "100" }) {
        clauses.remove(clause::COST);
    }
    if clauses.value(clause::ROWS) == Some("1000") {
        clauses.remove(clause::ROWS);
    }
    // Both are of type real, and 1e-07 is what the server says of 0.0000001.
    for clause in [clause::COST, clause::ROWS] {
        if let Some(number) = clauses.value(clause).and_then(|value| value.parse::<f32>().ok()) {
            clauses.set_text(clause, number.to_string());
        }
    }
}

/// Removes those of an aggregate or an operator.
pub fn remove_definition_defaults(kind: Kind, clauses: &mut Clauses) {
    for flag in ["finalfunc_extra", "mfinalfunc_extra", "hypothetical"].map(|option| clause::WITH.of(option)) {
        match clauses.value(flag).map(str::to_ascii_lowercase).as_deref() {
            Some("true" | "on" | "yes" | "1") => clauses.set_text(flag, ""),
            Some("false" | "off" | "no" | "0") => drop(clauses.remove(flag)),
            _ => {}
        }
    }
    let modifies = if clauses.has(clause::ORDERED) { "read_write" } else { "read_only" };
    for (option, value) in
        [("finalfunc_modify", modifies), ("mfinalfunc_modify", modifies), ("parallel", "unsafe"), ("sspace", "0")]
    {
        let key = clause::WITH.of(option);
        if kind == Kind::Aggregate && clauses.value(key) == Some(value) {
            clauses.remove(key);
        }
    }
    if kind == Kind::Aggregate {
        for (old, new) in [("sfunc1", "sfunc"), ("stype1", "stype"), ("initcond1", "initcond")] {
            if let Some(value) = clauses.remove(clause::WITH.of(old)) {
                clauses.set(clause::WITH.of(new), value);
            }
        }
        clauses.remove(clause::WITH_BASETYPE);
    }
}
