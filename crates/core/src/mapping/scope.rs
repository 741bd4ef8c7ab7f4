//! The managed part of a database, under other names.

use super::Schemas;
use crate::model::{Identifiers, Kind, ObjectKey, Pattern, Scope};

/// The scope with patterns for renamed schemas and objects: a schema or object is managed, or ignored, if it is so by want's name.
pub fn mapped(names: &dyn Identifiers, scope: &Scope, schemas: &Schemas, renamed: &[(ObjectKey, ObjectKey)]) -> Scope {
    let of = |patterns: &[Pattern]| mapped_patterns(names, patterns, schemas, renamed);
    Scope { manages: of(&scope.manages), ignores: of(&scope.ignores) }
}

fn mapped_patterns(
    names: &dyn Identifiers,
    patterns: &[Pattern],
    schemas: &Schemas,
    renamed: &[(ObjectKey, ObjectKey)],
) -> Vec<Pattern> {
    if patterns.is_empty() {
        return Vec::new();
    }
    let any = |patterns: &[Pattern], key: &ObjectKey| patterns.iter().any(|pattern| pattern.matches(names, key));
    let of_schema = |schema: &str| Pattern::exact(Kind::Schema, schema);
    let key_of = |schema: &str| {
        let parts = crate::model::NameParts { identifier: schema.into(), ..Default::default() };
        ObjectKey::new(Kind::Schema, names.name_of(Kind::Schema, parts))
    };
    let mut mapped = patterns.to_vec();
    for (own, there) in schemas {
        let (is_meant, says_it) = (any(patterns, &key_of(own)), patterns.contains(&of_schema(own)));
        if says_it && !there.contains(own) {
            mapped.retain(|pattern| *pattern != of_schema(own));
        }
        mapped.extend(there.iter().filter(|_| is_meant).map(|schema| of_schema(schema)));
    }
    for (before, after) in renamed {
        if any(patterns, before) && !any(&mapped, after) {
            let own = after.name.identifier();
            let name = after.name.schema().map_or_else(|| own.to_owned(), |schema| format!("{schema}.{own}"));
            mapped.push(Pattern::exact(after.kind, &name));
        }
    }
    mapped
}
