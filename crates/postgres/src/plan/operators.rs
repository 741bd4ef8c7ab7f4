//! Changes in place of operators, the members of their families and classes, and the functions of base types.

use crate::canonical;
use crate::clause;
use crate::members::{self, Member};
use wevrun_core::model::{Clauses, Kind, Plain, QualifiedName};

/// The statements that make one of the other; none if it must be made again.
pub fn changes(name: &QualifiedName, differing: &[&str], before: &Plain, after: &Plain) -> Option<Vec<String>> {
    match after.kind {
        Kind::Operator => {
            // https://www.postgresql.org/docs/current/sql-alteroperator.html
            let set = settings(differing, &after.clauses, "with.", &["restrict", "join"])?;
            Some(vec![format!("ALTER OPERATOR {name} SET ({set})")])
        }
        Kind::Type => {
            // https://www.postgresql.org/docs/current/sql-altertype.html
            const FUNCTIONS: [&str; 6] = ["receive", "send", "typmod_in", "typmod_out", "analyze", "subscript"];
            let set = settings(differing, &after.clauses, "base.", &FUNCTIONS)?;
            Some(vec![format!("ALTER TYPE {name} SET ({set})")])
        }
        Kind::OperatorFamily => differing.iter().all(|clause| Member::of(clause).is_some()).then(|| {
            let gone = differing.iter().filter(|clause| before.clauses.has_named(clause)).filter_map(|c| Member::of(c));
            let gone: Vec<String> = gone.map(|member| member.dropped()).collect();
            let added = members::listed(&only(differing, &after.clauses));
            let what = format!("ALTER OPERATOR FAMILY {name}");
            let dropped = (!gone.is_empty()).then(|| format!("{what} DROP {}", gone.join(", ")));
            let added = (!added.is_empty()).then(|| format!("{what} ADD {}", added.join(", ")));
            dropped.into_iter().chain(added).collect()
        }),
        Kind::OperatorClass => {
            // The server ties what comes to the family on the class's own type to the class, and lets nothing of it go.
            let comes = |clause: &&str| Member::of(clause).is_some() && !before.clauses.has_named(clause);
            let method = canonical::method_of(name);
            differing.iter().all(comes).then(|| {
                let added = members::listed(&only(differing, &after.clauses)).join(", ");
                let family = after.clauses.value(clause::FAMILY).unwrap_or_default();
                vec![format!("ALTER OPERATOR FAMILY {family} USING {method} ADD {added}")]
            })
        }
        _ => None,
    }
}

/// `key = value, key = NONE` if nothing else differs.
fn settings(differing: &[&str], want: &Clauses, prefix: &str, keys: &[&str]) -> Option<String> {
    let set: Option<Vec<String>> = differing
        .iter()
        .map(|clause| {
            let key = clause.strip_prefix(prefix).filter(|key| keys.contains(key))?;
            Some(format!("{key} = {}", want.value_named(clause).unwrap_or("NONE")))
        })
        .collect();
    set.map(|set| set.join(", "))
}

fn only(differing: &[&str], clauses: &Clauses) -> Clauses {
    let mut some = Clauses::default();
    for clause in differing {
        if let Some(value) = clauses.get_named(clause) {
            some.set_named(clause, value.clone());
        }
    }
    some
}
