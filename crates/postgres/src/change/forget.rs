//! What other objects say of one that is dropped, and that does not prevent the DROP.

use wevrun_core::model::{Clauses, Definition, Kind, Model, Object, ObjectKey};

use crate::{clause, names};

/// Removes it from the model.
pub fn forget(model: &mut Model, dropped: &Object) {
    match &dropped.definition {
        Definition::Index(index) => {
            for kind in [Kind::Table, Kind::MaterializedView] {
                let object = model.get_mut(&ObjectKey::new(kind, index.table.clone()));
                if let Some(clauses) = object.and_then(|object| object.definition.clauses_mut()) {
                    forget_index(clauses, dropped.name.identifier());
                }
            }
        }
        Definition::Plain(plain) if plain.kind == Kind::Operator => forget_operator(model, dropped),
        _ => {}
    }
}

/// Removes that an index orders the rows of a table, or identifies them for replicas.
pub fn forget_index(clauses: &mut Clauses, index: &str) {
    if clauses.value(clause::CLUSTER_ON) == Some(index) {
        clauses.remove(clause::CLUSTER_ON);
    }
    if clauses.value(clause::REPLICA_IDENTITY) == Some(&format!("using index {}", names::quoted(index))) {
        clauses.remove(clause::REPLICA_IDENTITY);
    }
}

/// Removes that an operator is the commutator or the negator of others (`OperatorUpd()` of pg_operator.c).
fn forget_operator(model: &mut Model, dropped: &Object) {
    let types = dropped.name.signature().unwrap_or_default().to_vec();
    let turned: Vec<_> = types.iter().rev().cloned().collect();
    let own = (dropped.name.schema().unwrap_or("public"), dropped.name.identifier());
    for object in model.objects_mut().filter(|object| object.definition.kind() == Kind::Operator) {
        let schema = object.name.schema().unwrap_or("public").to_owned();
        let of = object.name.signature().unwrap_or_default().to_vec();
        let Definition::Plain(plain) = &mut object.definition else { continue };
        for (key, types) in [(clause::WITH_COMMUTATOR, &turned), (clause::WITH_NEGATOR, &types)] {
            let names_it = plain.clauses.value(key).is_some_and(|value| {
                let (named_schema, symbol) = operator_named(value);
                own == (named_schema.unwrap_or(&schema), symbol)
            });
            if names_it && of == *types {
                plain.clauses.remove(key);
            }
        }
    }
}

/// The schema and the symbol of `OPERATOR(schema.symbol)` or `symbol`, with or without blanks.
fn operator_named(value: &str) -> (Option<&str>, &str) {
    let is_long = value.get(..8).is_some_and(|word| word.eq_ignore_ascii_case("operator"));
    let inner = if is_long { value[8..].trim().trim_start_matches('(').trim_end_matches(')') } else { value };
    match inner.trim().rsplit_once('.') {
        Some((schema, symbol)) => (Some(schema.trim()), symbol.trim()),
        None => (None, inner.trim()),
    }
}
