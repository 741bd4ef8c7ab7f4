//! Reads a script's text back. A person may have read and approved it, so everything in it counts: a line that is not known, a
//! statement in the wrong place, or a missing end is an error.

use super::line::{Line, ScopeWord};
use super::write::{TITLE, UNDO_TITLE, is_marked, sealed};
use super::{Client, FORMAT, Respelled, Script};
use crate::engine::EngineVersion;
use crate::model::{Fingerprint, Scope};
use crate::parse::{Reader, TokenKind, token};
use crate::plan::{Clearance, Mode, Outcome, Ownership, Part, Plan, Risk, Step};

/// Why a text is not a script.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ScriptError {
    /// Some other file.
    #[error("this is not a Wevrun script: its first line is not `{TITLE}` or `{UNDO_TITLE}`")]
    Foreign,
    /// It is of another version of the form.
    #[error("the script has format {0}, and this version of Wevrun reads format {FORMAT}; write the script again")]
    OtherFormat(u32),
    /// A line of the head is missing.
    #[error("the script's head has no line `-- | {0} …`")]
    Missing(&'static str),
    /// A line or statement is wrong.
    #[error("line {line} of the script: {problem}")]
    Wrong {
        /// From 1.
        line: usize,
        /// The mistake.
        problem: String,
    },
    /// The text ends too early.
    #[error("the script has no end mark, so it was cut off")]
    CutOff,
}

/// A script that was read.
#[derive(Debug, Clone)]
pub struct Read {
    /// Its value.
    pub script: Script,
    /// Whether it was changed after it was written: its hash does not fit.
    pub edited: bool,
}

/// Finds the dialect of an engine by its name, or lists the engines.
pub type FindDialect<'f> = &'f dyn Fn(&str) -> Result<&'static dyn Client, String>;

/// Reads a script. An edited one is read as strictly as any other.
pub fn read(text: &str, find: FindDialect<'_>) -> Result<Read, ScriptError> {
    let first = text.lines().next().unwrap_or_default();
    if first != TITLE && first != UNDO_TITLE {
        return Err(ScriptError::Foreign);
    }
    let (body_start, head) = head(text, find)?;
    let dialect = head.dialect;
    let body_text = dialect.without_client_frames(&text[body_start..]);
    let (tokens, error) = token::tokenize(dialect.token_rules(), &body_text, 0);
    if let Some(error) = error {
        let at = error.primary.as_ref().map_or(0, |label| label.location.start as usize);
        return Err(wrong(text, body_start + at, error.message));
    }
    let mut body = Body {
        dialect,
        head: &head,
        text,
        body: &body_text,
        offset: body_start,
        plan: Plan { risks: head.risks.clone(), client_only: head.client_only.clone(), ..Plan::default() },
        place: Place::Outside,
        framed: 0,
        end: None,
    };
    body.read(&tokens)?;
    let (plan, end) = (body.plan, body.end.ok_or(ScriptError::CutOff)?);
    head.fits(&plan, text)?;
    let edited = sealed(text[..end].to_owned()) != text;
    Ok(Read { script: head.script(plan, first == UNDO_TITLE), edited })
}

fn wrong(text: &str, at: usize, problem: impl Into<String>) -> ScriptError {
    let line = text.as_bytes()[..at.min(text.len())].iter().filter(|byte| **byte == b'\n').count() + 1;
    ScriptError::Wrong { line, problem: problem.into() }
}

/// The lines before the first part.
struct Head {
    dialect: &'static dyn Client,
    engine_version: EngineVersion,
    project: String,
    have: Fingerprint,
    want: Fingerprint,
    proven: Option<Fingerprint>,
    unproven: Vec<String>,
    respelled: Option<Respelled>,
    scope: Scope,
    left: Vec<String>,
    ownership: Ownership,
    parts: usize,
    steps: usize,
    client_only: Vec<String>,
    risks: Vec<Risk>,
}

/// The head, and where the body begins. The client's own commands are in the head, where no literal can hold the same text.
fn head(text: &str, find: FindDialect<'_>) -> Result<(usize, Head), ScriptError> {
    let (mut undo, mut engine, mut project, mut have, mut want) = (None, None, None, None, None);
    let (mut proven, mut format, mut ownership, mut parts, mut steps) = (None, None, None, None, None);
    let (mut rest, mut shape, mut respelled, mut client_only) = (None, None, Vec::new(), Vec::new());
    let (mut unproven, mut scope, mut risks, mut commands) = (Vec::new(), Scope::default(), Vec::new(), Vec::new());
    let mut left = Vec::new();
    let mut at = 0;
    for (index, whole) in text.split_inclusive('\n').enumerate() {
        let line = whole.strip_suffix('\n').unwrap_or(whole);
        let failed = |problem: String| ScriptError::Wrong { line: index + 1, problem };
        if line.is_empty() {
            break;
        }
        if is_marked(line) {
            let twice = |is_set: bool| if is_set { Err(failed("the line occurs twice".to_owned())) } else { Ok(()) };
            match Line::read(line).map_err(failed)? {
                Line::Format(number) => {
                    twice(format.replace(number).is_some())?;
                    if number != FORMAT {
                        return Err(ScriptError::OtherFormat(number));
                    }
                }
                Line::Undo(value) => twice(undo.replace(value).is_some())?,
                Line::Engine(name, version) => {
                    twice(engine.replace((find(&name).map_err(failed)?, version)).is_some())?;
                }
                Line::Project(value) => twice(project.replace(value).is_some())?,
                Line::Have(value) => twice(have.replace(value).is_some())?,
                Line::Want(value) => twice(want.replace(value).is_some())?,
                Line::Proven(value) => twice(proven.replace(value).is_some())?,
                Line::Unproven(value) => unproven.push(value),
                Line::Rest(value) => twice(rest.replace(value).is_some())?,
                Line::Shape(value) => twice(shape.replace(value).is_some())?,
                Line::Respelled(fingerprint, object) => {
                    respelled.push(Outcome { object, fingerprint: Some(fingerprint) });
                }
                Line::Scope(word, pattern) => {
                    let pattern = pattern.parse().map_err(failed)?;
                    match word {
                        ScopeWord::Manages => scope.manages.push(pattern),
                        ScopeWord::Ignores => scope.ignores.push(pattern),
                    }
                }
                Line::Left(element) => left.push(element),
                Line::Ownership(value) => twice(ownership.replace(value).is_some())?,
                Line::ClientOnly(reason) => client_only.push(reason),
                Line::Parts(value) => twice(parts.replace(value).is_some())?,
                Line::Steps(value) => twice(steps.replace(value).is_some())?,
                Line::Risk(kind, object, explanation) => risks.push(Risk::new(kind, object, explanation)),
                Line::Waiver(clearance) => cleared(risks.last_mut(), clearance).map_err(failed)?,
                other => return Err(failed(format!("this does not belong into the head: {other}"))),
            }
        } else if !line.starts_with("--") {
            commands.push(line);
        }
        at += whole.len();
    }
    let (dialect, engine_version) = engine.ok_or(ScriptError::Missing("engine"))?;
    let head = Head {
        dialect,
        engine_version,
        project: project.ok_or(ScriptError::Missing("project"))?,
        have: have.ok_or(ScriptError::Missing("have"))?,
        want: want.ok_or(ScriptError::Missing("want"))?,
        proven,
        unproven,
        respelled: match (rest, shape) {
            (Some(rest), Some(shape)) if !respelled.is_empty() => Some(Respelled { rest, shape, objects: respelled }),
            (None, None) if respelled.is_empty() => None,
            _ => return Err(ScriptError::Missing("rest, shape or respelled")),
        },
        scope,
        left,
        ownership: ownership.ok_or(ScriptError::Missing("ownership"))?,
        parts: parts.ok_or(ScriptError::Missing("parts"))?,
        steps: steps.ok_or(ScriptError::Missing("steps"))?,
        client_only,
        risks,
    };
    format.ok_or(ScriptError::Missing("format"))?;
    if undo.ok_or(ScriptError::Missing("kind"))? != text.starts_with(UNDO_TITLE) {
        return Err(wrong(text, 0, "the title and the line `-- | kind …` do not agree"));
    }
    if head.proven.is_none() != head.unproven.is_empty() {
        return Err(ScriptError::Missing(if head.proven.is_none() { "proven" } else { "unproven" }));
    }
    let settings = head.dialect.client_settings();
    if head.parts > 0 && commands != settings {
        let problem = format!("the text before the first part must be exactly: {}", settings.join(", "));
        return Err(wrong(text, at, problem));
    }
    Ok((at, head))
}

/// A waiver line must fit its risk.
fn cleared(risk: Option<&mut Risk>, clearance: Clearance) -> Result<(), String> {
    let risk = risk.ok_or("a waiver needs a risk before it")?;
    let fits = match &clearance {
        Clearance::NotNeeded => !risk.kind.needs_waiver(),
        Clearance::Missing | Clearance::Waived { .. } => risk.kind.can_be_waived(),
        Clearance::Impossible => true,
    };
    if !fits {
        return Err(format!("a risk {} can't have this waiver", risk.kind));
    }
    risk.clearance = clearance;
    Ok(())
}

impl Head {
    fn fits(&self, plan: &Plan, text: &str) -> Result<(), ScriptError> {
        let steps = plan.steps().count();
        if steps != self.steps || plan.parts.len() != self.parts {
            let (promised, found) = ((self.steps, self.parts), (steps, plan.parts.len()));
            let problem = format!(
                "the head declares {} steps in {} parts, but the script has {} steps in {} parts",
                promised.0, promised.1, found.0, found.1
            );
            return Err(wrong(text, 0, problem));
        }
        Ok(())
    }

    fn script(self, plan: Plan, undo: bool) -> Script {
        Script {
            engine: self.dialect.engine(),
            engine_version: self.engine_version,
            project: self.project,
            proven: self.proven.unwrap_or_else(|| self.want.clone()),
            have: self.have,
            want: self.want,
            unproven: self.unproven,
            respelled: self.respelled,
            undo,
            scope: self.scope,
            left: self.left,
            ownership: self.ownership,
            plan,
        }
    }
}

/// The place of a statement.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    /// Before or after all parts, or between two.
    Outside,
    /// Among the statements that open a part.
    Opening,
    /// Among those that are for the engine's client only.
    ForClient,
    Prepare,
    Step,
    /// Among those at the end that are for the client only.
    ClientCheck,
    Check,
    /// Among the statements that close a part.
    Closing,
    /// After the end mark.
    End,
}

/// Everything after the head.
struct Body<'t> {
    dialect: &'static dyn Client,
    head: &'t Head,
    text: &'t str,
    /// The text of the tokens: without what the client's own commands are.
    body: &'t str,
    /// Where the tokens' text begins.
    offset: usize,
    plan: Plan,
    place: Place,
    /// How many statements of the frame there were so far.
    framed: usize,
    /// Where the end mark begins.
    end: Option<usize>,
}

impl Body<'_> {
    fn read(&mut self, tokens: &[token::Token]) -> Result<(), ScriptError> {
        let body = self.body;
        let (comments, tokens): (Vec<_>, Vec<_>) =
            tokens.iter().copied().partition(|token: &token::Token| token.kind == TokenKind::Comment);
        let (mut comments, mut rest) = (&comments[..], &tokens[..]);
        loop {
            // Only comments between statements are read: those inside one are the person's own.
            let next = rest.first().map_or(u32::MAX, |token| token.start);
            while let Some((comment, later)) = comments.split_first().filter(|(comment, _)| comment.start < next) {
                let at = comment.start as usize;
                let at_line_start = at == 0 || body.as_bytes()[at - 1] == b'\n';
                let written = comment.text(body).trim_end_matches('\n');
                if is_marked(written) {
                    let failed = |problem| wrong(self.text, self.offset + at, problem);
                    if !at_line_start {
                        return Err(failed("this must begin its line".to_owned()));
                    }
                    let line = Line::read(written).map_err(failed)?;
                    self.mark(line, self.offset + at).map_err(|problem| wrong(self.text, self.offset + at, problem))?;
                } else if self.place == Place::End {
                    return Err(wrong(self.text, self.offset + at, "nothing may follow the end mark"));
                }
                comments = later;
            }
            let Some(first) = rest.first() else { return Ok(()) };
            let length = self.dialect.statement_length(body, rest);
            let statement = &rest[..length];
            let at = self.offset + first.start as usize;
            if statement.is_empty() || length == rest.len() {
                return Err(wrong(self.text, at, "here is no whole statement that ends with a semicolon"));
            }
            rest = &rest[length + 1..];
            let reader = Reader { text: body, tokens: statement, position: 0, source: 0 };
            let end = reader.location(0..length).end;
            comments = &comments[comments.partition_point(|comment| comment.start < end)..];
            let sql = reader.written(0..length).to_owned();
            self.statement(sql).map_err(|problem| wrong(self.text, at, problem))?;
        }
    }

    fn mode(&self) -> Mode {
        self.plan.parts.last().map_or(Mode::default(), |part| part.mode)
    }

    /// All statements of the frame were there.
    fn frame_is_whole(&self) -> Result<(), String> {
        let frame = self.dialect.frame(self.mode());
        let wanted = match self.place {
            Place::Opening => frame.opening(),
            Place::Closing => frame.closing(),
            _ => return Ok(()),
        };
        match wanted.get(self.framed) {
            Some(missing) => Err(format!("before this, the part needs the statement `{missing}`")),
            None => Ok(()),
        }
    }

    fn mark(&mut self, line: Line, at: usize) -> Result<(), String> {
        let inside = !matches!(self.place, Place::Outside | Place::Closing | Place::End);
        // The state in which a part begins is before its frame.
        let is_first = matches!(line, Line::From(_)) && self.framed == 0;
        if !is_first {
            self.frame_is_whole()?;
        }
        let steps = self.plan.steps().count();
        let parts = self.plan.parts.len();
        let part = self.plan.parts.last_mut();
        let misplaced = || Err("this line is in the wrong place".to_owned());
        match line {
            Line::Part(number, mode)
                if matches!(self.place, Place::Outside | Place::Closing) && number == parts + 1 =>
            {
                self.plan.parts.push(Part { mode, ..Part::default() });
                self.enter(Place::Opening);
            }
            Line::From(from) if self.place == Place::Opening && self.framed == 0 => {
                let Some(part) = part.filter(|part| part.from.is_none()) else { return misplaced() };
                part.from = Some(from);
            }
            Line::ForClient if self.place == Place::Opening && parts == 1 => self.enter(Place::ForClient),
            Line::ForClient if self.place == Place::Step && parts == self.head.parts => self.enter(Place::ClientCheck),
            Line::Prepare if matches!(self.place, Place::Opening | Place::ForClient) => self.enter(Place::Prepare),
            Line::Step(number, title)
                if matches!(self.place, Place::Opening | Place::ForClient | Place::Prepare | Place::Step)
                    && number == steps + 1 =>
            {
                part.expect("a part was begun").steps.push(Step::new(title, Vec::new()));
                self.enter(Place::Step);
            }
            Line::Check if matches!(self.place, Place::Step | Place::ClientCheck) => self.enter(Place::Check),
            Line::PartEnd(number) if inside && number == parts => self.enter(Place::Closing),
            Line::End(_) if matches!(self.place, Place::Outside | Place::Closing) => {
                self.end = Some(at);
                self.enter(Place::End);
            }
            line => {
                let step = part.and_then(|part| part.steps.last_mut()).filter(|_| self.place == Place::Step);
                let Some(step) = step.filter(|step| step.statements.is_empty()) else { return misplaced() };
                match line {
                    Line::Risk(kind, object, explanation) => step.risks.push(Risk::new(kind, object, explanation)),
                    Line::Waiver(clearance) => cleared(step.risks.last_mut(), clearance)?,
                    Line::Note(note) => step.notes.push(note),
                    Line::Changes(fingerprint, object) => {
                        step.meets.push(Outcome { object, fingerprint: Some(fingerprint) });
                    }
                    Line::Adds(object) => step.meets.push(Outcome { object, fingerprint: None }),
                    Line::Makes(fingerprint, object) => {
                        step.makes.push(Outcome { object, fingerprint: Some(fingerprint) });
                    }
                    Line::Removes(object) => step.makes.push(Outcome { object, fingerprint: None }),
                    _ => return misplaced(),
                }
            }
        }
        Ok(())
    }

    fn enter(&mut self, place: Place) {
        self.place = place;
        self.framed = 0;
    }

    fn statement(&mut self, sql: String) -> Result<(), String> {
        let frame = self.dialect.frame(self.mode());
        let wanted = match self.place {
            Place::Opening => frame.opening(),
            Place::Closing => frame.closing(),
            Place::Outside => return Err("a statement is outside all parts".to_owned()),
            Place::End => return Err("nothing may follow the end mark".to_owned()),
            _ => Vec::new(),
        };
        if matches!(self.place, Place::Opening | Place::Closing) {
            if wanted.get(self.framed) != Some(&sql.as_str()) {
                let wanted = wanted.get(self.framed).map_or("no statement".to_owned(), |wanted| format!("`{wanted}`"));
                return Err(format!("{wanted} must be here in every {} script", self.head.dialect.engine()));
            }
            self.framed += 1;
            return Ok(());
        }
        if let Some(word) = ends_or_begins_a_transaction(&sql) {
            return Err(format!("{word} has no place in a step: `wevrun deploy` begins and ends the transactions"));
        }
        let part = self.plan.parts.last_mut().expect("a part was begun");
        match self.place {
            Place::ForClient => self.plan.client_guard.push(sql),
            Place::ClientCheck => self.plan.client_check.push(sql),
            Place::Prepare => part.prepare.push(sql),
            Place::Check => part.checks.push(sql),
            _ => part.steps.last_mut().expect("a step was begun").statements.push(sql),
        }
        Ok(())
    }
}

/// The first word of a statement that changes which transaction there is, on any engine.
fn ends_or_begins_a_transaction(sql: &str) -> Option<&'static str> {
    const WORDS: [&str; 9] =
        ["BEGIN", "START", "COMMIT", "END", "ROLLBACK", "ABORT", "SAVEPOINT", "RELEASE", "PREPARE"];
    let mut words = sql.split(|ch: char| !ch.is_ascii_alphabetic()).filter(|word| !word.is_empty());
    let word = words.next().unwrap_or_default();
    // BEGIN NOT ATOMIC begins a block.
    if word.eq_ignore_ascii_case("BEGIN") && words.next().is_some_and(|next| next.eq_ignore_ascii_case("NOT")) {
        return None;
    }
    WORDS.into_iter().find(|known| known.eq_ignore_ascii_case(word))
}
