//! Reads a script's text back: a person may have read, changed and approved it, so the text is what counts.

use super::{ALONE, Outcome, Script, Step};
use crate::dialects::dialect;
use crate::engine::{Engine, EngineVersion};
use crate::model::Fingerprint;
use crate::parse::{Reader, TokenKind, token};
use crate::plan::{Clearance, Part, Plan, Risk, RiskKind};

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
    let found = plan.steps().count();
    if found != promised {
        return Err(ScriptError::StepsMissing { promised, found });
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

/// Where in its part a statement stands.
enum Place {
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
    let mut place = Place::Opening;
    let (comments, tokens): (Vec<_>, Vec<_>) = tokens.into_iter().partition(|token| token.kind == TokenKind::Comment);
    let (mut comments, mut rest) = (&comments[..], &tokens[..]);
    loop {
        // Only comments between statements are markers: those inside one are the person's own.
        let next = rest.first().map_or(u32::MAX, |token| token.start);
        while let Some((comment, later)) = comments.split_first().filter(|(comment, _)| comment.start < next) {
            mark(comment.text(text), &mut plan, &mut place)?;
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
        let part = last(&mut plan);
        match place {
            Place::Opening => part.opening.push(sql),
            Place::Steps => part.steps.last_mut().expect("a step has begun").statements.push(sql),
            Place::Closing => part.closing.push(sql),
        }
    }
}

/// The part that is being read. A script of one part does not say where it begins.
fn last(plan: &mut Plan) -> &mut Part {
    if plan.parts.is_empty() {
        plan.parts.push(Part::default());
    }
    plan.parts.last_mut().expect("there is one")
}

/// What a comment between two statements says.
fn mark(comment: &str, plan: &mut Plan, place: &mut Place) -> Result<(), ScriptError> {
    if comment == "-- end of steps" {
        *place = Place::Closing;
    } else if let Some((_, kind)) = comment.strip_prefix("-- part ").and_then(|line| line.split_once(": ")) {
        plan.parts.push(Part { alone: kind.starts_with(ALONE), ..Part::default() });
        *place = Place::Opening;
    } else if let Some(from) = comment.strip_prefix("-- from: ") {
        let wrong = |problem| ScriptError::Wrong("from", from.to_owned(), problem);
        last(plan).from = Some(from.trim().parse().map_err(wrong)?);
    } else if let Some((_, title)) = comment.strip_prefix("-- step ").and_then(|line| line.split_once(": ")) {
        let title = title.rsplit_once(" [").map_or(title, |(title, _)| title);
        last(plan).steps.push(Step::new(title, Vec::new()));
        *place = Place::Steps;
    } else if let Some(step) = plan.parts.last_mut().and_then(|part| part.steps.last_mut()) {
        if let Some(line) = comment.strip_prefix("-- risk: ") {
            step.risks.extend(risk(line));
        } else if let Some(line) = comment.strip_prefix("-- note: ") {
            step.notes.push(line.to_owned());
        } else if let Some(line) = comment.strip_prefix("-- makes: ") {
            let wrong = || ScriptError::Wrong("makes", line.to_owned(), "no object is named".to_owned());
            let (fingerprint, object) = line.split_once(' ').ok_or_else(wrong)?;
            step.makes.push(outcome(line, Some(fingerprint), object)?);
        } else if let Some(object) = comment.strip_prefix("-- gone, or part of another: ") {
            step.makes.push(outcome(object, None, object)?);
        }
    }
    Ok(())
}

/// What a line says of an object after its step.
fn outcome(line: &str, fingerprint: Option<&str>, object: &str) -> Result<Outcome, ScriptError> {
    let wrong = |problem: String| ScriptError::Wrong("makes", line.to_owned(), problem);
    let object = serde_json::from_str(object).map_err(|problem| wrong(problem.to_string()))?;
    let fingerprint = fingerprint.map(|text| text.parse::<Fingerprint>().map_err(wrong)).transpose()?;
    Ok(Outcome { object, fingerprint })
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
