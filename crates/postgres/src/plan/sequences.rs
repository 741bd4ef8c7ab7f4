//! Sequences: how they change, and how they continue to count. A sequence never goes back without a waiver.

use crate::clause;
use sha2::{Digest, Sha256};

use crate::names::quoted;
use crate::tokens::literal;
use wevrun_core::model::{Clauses, Name, Plain, hex};
use wevrun_core::plan::{Risk, RiskKind};

/// Whether a sequence with this increment counts down.
pub fn counts_down(increment: Option<&str>) -> bool {
    increment.is_some_and(|by| by.starts_with('-'))
}

/// The risk that values are handed out again.
pub fn repeats(object: &str) -> Risk {
    let explanation = "it counts in the other direction and restarts: it may return values that it has returned before";
    let mut risk = Risk::new(RiskKind::RepeatsValues, object, explanation);
    risk.ways_out.push("keep the direction, and create another sequence".to_owned());
    risk
}

/// The name of the setting that keeps how far a sequence has counted, for the identity that follows it.
fn counted(table: &Name, column: &str) -> String {
    let digest = hex(&Sha256::digest(format!("{}.{column}", table.canonical()).as_bytes()));
    format!("wevrun.counted_{}", &digest[..12])
}

/// A statement that keeps how far a sequence of a column has counted, until the transaction ends.
pub fn keep_count(sequence: &Name, table: &Name, column: &str) -> String {
    let setting = literal(&counted(table, column));
    format!("SELECT set_config({setting}, CASE WHEN is_called THEN last_value::text ELSE '' END, true) FROM {sequence}")
}

/// Sets the sequence of an identity column to the highest number that was handed out: that of the column, or that of the sequence
/// which was there before.
pub fn continue_counting(sequence: &str, table: &Name, column: &str) -> String {
    let own = quoted(column);
    let setting = literal(&counted(table, column));
    let before = format!("nullif(current_setting({setting}, true), '')::bigint");
    let highest = format!("greatest(max({own}), {before})");
    format!("SELECT setval({sequence}, {highest}) FROM {table} HAVING {highest} > 0")
}

/// What ALTER SEQUENCE says for clauses that differ. `turns`: it counts the other way from now on.
pub fn changes(differing: &[&str], turns: bool, want: &Clauses) -> String {
    let mut out = String::new();
    // Whether it counts up or down decides what its limits are by default.
    let mut differing = differing.to_vec();
    if turns {
        differing.retain(|clause| !matches!(*clause, "minvalue" | "maxvalue" | "start"));
        differing.extend(["minvalue", "maxvalue", "start"]);
        out += " RESTART";
    }
    // A start that was never said is still where the old limits put it.
    if differing.iter().any(|clause| matches!(*clause, "minvalue" | "maxvalue")) && !differing.contains(&"start") {
        differing.push("start");
    }
    for clause in &differing {
        let value = want.value_named(clause);
        out += &match (*clause, value) {
            ("as", value) => format!(" AS {}", value.unwrap_or("bigint")),
            ("increment", value) => format!(" INCREMENT BY {}", value.unwrap_or("1")),
            ("minvalue", Some(value)) => format!(" MINVALUE {value}"),
            ("minvalue", None) => " NO MINVALUE".to_owned(),
            ("maxvalue", Some(value)) => format!(" MAXVALUE {value}"),
            ("maxvalue", None) => " NO MAXVALUE".to_owned(),
            ("start", Some(value)) => format!(" START WITH {value}"),
            ("start", None) => format!(" START WITH {}", usual_start(want)),
            ("cache", value) => format!(" CACHE {}", value.unwrap_or("1")),
            ("cycle", value) => if value.is_some() { " CYCLE" } else { " NO CYCLE" }.to_owned(),
            _ => String::new(),
        };
    }
    out
}

/// Lets a sequence that has not come as far as its new limit begin there: the server refuses a limit that the next number is
/// beyond.
pub fn into_limits(name: &Name, before: &Plain, after: &Plain) -> Option<String> {
    let down = after.clauses.value(clause::INCREMENT).is_some_and(|by| by.starts_with('-'));
    let (clause, beyond) = if down { ("maxvalue", ">") } else { ("minvalue", "<") };
    let number = |clauses: &Clauses| clauses.value_named(clause)?.parse::<i128>().ok();
    let usual = if down { -1 } else { 1 };
    let (old, new) = (number(&before.clauses).unwrap_or(usual), number(&after.clauses).unwrap_or(usual));
    let narrower = if down { new < old } else { new > old };
    let own = literal(name.canonical());
    narrower.then(|| format!("SELECT setval({own}, {new}, false) FROM {name} WHERE last_value {beyond} {new}"))
}

fn usual_start(want: &Clauses) -> String {
    let down = want.value(clause::INCREMENT).is_some_and(|by| by.starts_with('-'));
    want.value(if down { clause::MAXVALUE } else { clause::MINVALUE })
        .unwrap_or(if down { "-1" } else { "1" })
        .to_owned()
}
