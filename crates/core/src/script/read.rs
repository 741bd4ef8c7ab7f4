//! Reads a script's text back: a person may have read, changed and approved it, so the text is what counts.

use super::{Script, Step};
use crate::dialects::dialect;
use crate::engine::{Engine, EngineVersion};
use crate::model::Fingerprint;
use crate::parse::{Reader, TokenKind, token};
use crate::plan::{Clearance, Plan, Risk, RiskKind};

/// Why a text is not a script.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScriptError {
    /// Some other file.
    #[error(
        "this is not a Wevrun script: its first line is not `-- Wevrun migration script` or `-- Wevrun undo script …`"
    )]
    Foreign,
    /// A line of the head is missing.
    #[error("the script's head has no line `-- {0}: …`")]
    Missing(&'static str),
    /// A line of the head does not say what it should.
    #[error("the script's head says `{0}: {1}`, which can't be understood: {2}")]
    Wrong(&'static str, String, String),
    /// The SQL can't be cut into statements.
    #[error("line {line} of the script can't be read: {problem}")]
    Unreadable {
        /// From 1.
        line: usize,
        /// What is wrong there.
        problem: String,
    },
    /// The head promises another number of steps.
    #[error("the script's head says that it has {promised} steps, but {found} are there; was it cut off or edited?")]
    StepsMissing {
        /// What the head says.
        promised: usize,
        /// What is there.
        found: usize,
    },
}

/// Reads a script.
pub fn read(text: &str) -> Result<Script, ScriptError> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let first = text.lines().next().unwrap_or_default();
    let undo = first.starts_with("-- Wevrun undo script");
    if !undo && !first.starts_with("-- Wevrun migration script") {
        return Err(ScriptError::Foreign);
    }
    let head = |name: &'static str| {
        let prefix = format!("-- {name}: ");
        let lines = text.lines().take_while(|line| line.starts_with("--"));
        let found = lines.filter_map(|line| line.strip_prefix(&prefix)).next();
        found.map(|value| value.trim().to_owned()).ok_or(ScriptError::Missing(name))
    };
    let engine_line = head("engine")?;
    let mut words = engine_line.split_whitespace();
    let wrong = |name, value: &str, problem: String| ScriptError::Wrong(name, value.to_owned(), problem);
    let engine: Engine =
        words.next().unwrap_or_default().parse().map_err(|problem| wrong("engine", &engine_line, problem))?;
    let engine_version: EngineVersion =
        words.next().unwrap_or_default().parse().map_err(|problem| wrong("engine", &engine_line, problem))?;
    let fingerprint = |name: &'static str| -> Result<Fingerprint, ScriptError> {
        let value = head(name)?;
        value.parse().map_err(|problem| wrong(name, &value, problem))
    };
    let lines = text.lines().take_while(|line| line.starts_with("--"));
    let unproven = lines
        .filter_map(|line| line.strip_prefix("-- unproven: "))
        .map(|value| serde_json::from_str(value).map_err(|problem| wrong("unproven", value, problem.to_string())));
    let unproven = unproven.collect::<Result<Vec<String>, _>>()?;
    let proven = if unproven.is_empty() { fingerprint("want")? } else { fingerprint("proven")? };
    let steps_line = head("steps")?;
    let promised: usize = steps_line.parse().map_err(|_| wrong("steps", &steps_line, "not a number".to_owned()))?;
    let plan = plan(engine, text)?;
    if plan.steps.len() != promised {
        return Err(ScriptError::StepsMissing { promised, found: plan.steps.len() });
    }
    Ok(Script {
        engine,
        engine_version,
        project: head("project")?,
        have: fingerprint("have")?,
        want: fingerprint("want")?,
        unproven,
        proven,
        undo,
        plan,
    })
}

/// Which part of the script a statement belongs to.
enum Part {
    Opening,
    Steps,
    Closing,
}

fn plan(engine: Engine, text: &str) -> Result<Plan, ScriptError> {
    let dialect = dialect(engine);
    let masked = dialect.without_client_commands(text);
    let (tokens, error) = token::tokenize(dialect.token_rules(), &masked, 0);
    if let Some(error) = error {
        let at = error.primary.as_ref().map_or(0, |label| label.location.start as usize);
        let line = text[..at].matches('\n').count() + 1;
        return Err(ScriptError::Unreadable { line, problem: error.message });
    }
    let mut plan = Plan::default();
    let mut part = Part::Opening;
    let (comments, tokens): (Vec<_>, Vec<_>) = tokens.into_iter().partition(|token| token.kind == TokenKind::Comment);
    let (mut comments, mut rest) = (&comments[..], &tokens[..]);
    loop {
        // Only comments between statements are markers: those inside one are the person's own.
        let next = rest.first().map_or(u32::MAX, |token| token.start);
        while let Some((comment, later)) = comments.split_first().filter(|(comment, _)| comment.start < next) {
            mark(comment.text(text), &mut plan, &mut part);
            comments = later;
        }
        if rest.is_empty() {
            return Ok(plan);
        }
        let length = dialect.statement_length(text, rest);
        let statement = &rest[..length];
        rest = &rest[(length + 1).min(rest.len())..];
        if statement.is_empty() {
            continue;
        }
        let reader = Reader { text, tokens: statement, position: 0, source: 0 };
        let end = reader.location(0..length).end;
        comments = &comments[comments.partition_point(|comment| comment.start < end)..];
        let sql = reader.written(0..length).to_owned();
        match part {
            Part::Opening => plan.opening.push(sql),
            Part::Steps => plan.steps.last_mut().expect("a step has begun").statements.push(sql),
            Part::Closing => plan.closing.push(sql),
        }
    }
}

/// What a comment between two statements says.
fn mark(comment: &str, plan: &mut Plan, part: &mut Part) {
    if comment == "-- end of steps" {
        *part = Part::Closing;
    } else if let Some((_, title)) = comment.strip_prefix("-- step ").and_then(|line| line.split_once(": ")) {
        let title = title.rsplit_once(" [").map_or(title, |(title, _)| title);
        plan.steps.push(Step::new(title, Vec::new()));
        *part = Part::Steps;
    } else if let (Some(line), Some(step)) = (comment.strip_prefix("-- risk: "), plan.steps.last_mut()) {
        step.risks.extend(risk(line));
    } else if let (Some(line), Some(step)) = (comment.strip_prefix("-- note: "), plan.steps.last_mut()) {
        step.notes.push(line.to_owned());
    }
}

fn risk(line: &str) -> Option<Risk> {
    let mut fields = line.split(" | ");
    let kind: RiskKind = fields.next()?.parse().ok()?;
    let mut risk = Risk::new(kind, fields.next()?, fields.next()?);
    let clearance = fields.next().unwrap_or_default();
    if let Some((until, reason)) = clearance.strip_prefix("waived until ").and_then(|words| words.split_once(": ")) {
        risk.clearance = Clearance::Waived { reason: reason.to_owned(), until: until.to_owned() };
    }
    Some(risk)
}
