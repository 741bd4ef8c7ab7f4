//! A script as text that the engine's own client runs.

use super::{Script, Step};
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
    line(&format!("-- steps: {}", script.plan.steps.len()));
    line("--");
    if script.is_empty() {
        line("-- Have and want are the same: there is nothing to do.");
        return out;
    }
    line("-- It is one transaction: if any statement fails, the database stays as it was.");
    line("-- Run it with `wevrun deploy THIS_FILE TARGET`, which checks the fingerprints before and after,");
    let client = dialect(script.engine).client_command();
    line(&format!("-- or with the engine's own client, which keeps no ledger: {client}"));
    line("");
    for statement in &script.plan.opening {
        line(&terminated(statement));
    }
    let count = script.plan.steps.len();
    for (index, step) in script.plan.steps.iter().enumerate() {
        line("");
        line(&format!("-- step {} of {count}: {} [{}]", index + 1, one_line(&step.title), risk_words(step)));
        for risk in &step.risks {
            line(&format!("-- risk: {}", risk_line(risk)));
        }
        for note in &step.notes {
            line(&format!("-- note: {}", one_line(note)));
        }
        for statement in &step.statements {
            line(&terminated(statement));
        }
    }
    line("");
    line("-- end of steps");
    for statement in &script.plan.closing {
        line(&terminated(statement));
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
