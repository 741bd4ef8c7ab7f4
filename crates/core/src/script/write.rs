//! A script as text that the engine's own client runs.

use super::{ALONE, Script, Step};
use crate::dialects::dialect;
use crate::plan::{Clearance, Risk};

/// The script's text. The same script gives the same bytes.
pub fn write(script: &Script) -> String {
    let mut out = String::new();
    let mut line = |text: &str| {
        out.push_str(text);
        out.push('\n');
    };
    let title = if script.undo { "undo script: the way back" } else { "migration script" };
    line(&format!("-- Wevrun {title}"));
    line(&format!("-- engine: {} {} or later", script.engine.name(), script.engine_version));
    line(&format!("-- project: {}", one_line(&script.project)));
    line(&format!("-- have: {}", script.have));
    line(&format!("-- want: {}", script.want));
    if !script.unproven.is_empty() {
        line(&format!("-- proven: {}", script.proven));
        for object in &script.unproven {
            line(&format!("-- unproven: {}", serde_json::Value::String(object.clone())));
        }
    }
    let parts = &script.plan.parts;
    let count = script.plan.steps().count();
    line(&format!("-- steps: {count}"));
    line("--");
    if script.is_empty() {
        line("-- Have and want are the same: there is nothing to do.");
        return out;
    }
    if parts.len() == 1 && !parts[0].alone {
        line("-- It is one transaction: if any statement fails, the database stays as it was.");
    } else {
        line(
            "-- The engine can't do all of it in one transaction. If a statement fails, its part is undone, or can be run",
        );
        line(
            "-- again where it says so; the parts before it stay done. `wevrun deploy` of this same file goes on there.",
        );
    }
    line("-- Run it with `wevrun deploy THIS_FILE TARGET`, which checks the fingerprints before and after,");
    let client = dialect(script.engine).client_command();
    line(&format!("-- or with the engine's own client, which keeps no ledger: {client}"));
    let mut number = 0;
    for (index, part) in parts.iter().enumerate() {
        line("");
        if parts.len() > 1 || part.alone {
            let kind = if part.alone { format!("{ALONE}; it can be run again") } else { "one transaction".to_owned() };
            line(&format!("-- part {} of {}: {kind}", index + 1, parts.len()));
        }
        if let Some(from) = &part.from {
            line(&format!("-- from: {from}"));
        }
        for statement in &part.opening {
            line(&terminated(statement));
        }
        for step in &part.steps {
            number += 1;
            line("");
            line(&format!("-- step {number} of {count}: {} [{}]", one_line(&step.title), risk_words(step)));
            for risk in &step.risks {
                line(&format!("-- risk: {}", risk_line(risk)));
            }
            for note in &step.notes {
                line(&format!("-- note: {}", one_line(note)));
            }
            for outcome in &step.makes {
                let object = serde_json::Value::String(outcome.object.clone());
                match &outcome.fingerprint {
                    Some(fingerprint) => line(&format!("-- makes: {fingerprint} {object}")),
                    None => line(&format!("-- gone, or part of another: {object}")),
                }
            }
            for statement in &step.statements {
                line(&terminated(statement));
            }
        }
        line("");
        line("-- end of steps");
        for statement in &part.closing {
            line(&terminated(statement));
        }
    }
    out
}

/// The client's own commands take no semicolon.
fn terminated(statement: &str) -> String {
    if statement.starts_with(['.', '\\']) { statement.to_owned() } else { format!("{statement};") }
}

/// What a step risks, in the words of its line.
pub fn risk_words(step: &Step) -> String {
    let mut words: Vec<&str> = step.risks.iter().map(|risk| risk.kind.name()).collect();
    words.dedup();
    if words.is_empty() { "no risk".to_owned() } else { words.join(", ") }
}

fn risk_line(risk: &Risk) -> String {
    let clearance = match &risk.clearance {
        Clearance::NotNeeded => "needs no waiver".to_owned(),
        Clearance::Missing => "NOT WAIVED".to_owned(),
        Clearance::Impossible => "CAN'T WORK".to_owned(),
        Clearance::Waived { reason, until } => format!("waived until {until}: {}", one_line(reason)),
    };
    format!("{} | {} | {} | {clearance}", risk.kind, one_line(&risk.object), one_line(&risk.explanation))
}

/// What stands in a comment must not be able to end it.
fn one_line(text: &str) -> String {
    text.split(['\n', '\r', '\u{2028}', '\u{2029}', '\u{85}']).map(str::trim).collect::<Vec<_>>().join(" ")
}
