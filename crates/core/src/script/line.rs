//! The lines of a script that Wevrun reads: `-- | `, a keyword, and words or JSON strings. The form is described in
//! `docs/script-format.md`. An unknown keyword is an error, and so is a line that is not written exactly as Wevrun writes it.

use std::fmt;

use super::FORMAT;
use crate::engine::EngineVersion;
use crate::model::Fingerprint;
use crate::plan::{Clearance, Mode, Ownership, RiskKind, is_date};

/// How every such line begins.
pub const MARK: &str = "-- | ";

/// One line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Line {
    /// The version of the form.
    Format(u32),
    /// Whether the script undoes a release.
    Undo(bool),
    /// The engine's name, and the oldest version that can run the script.
    Engine(String, EngineVersion),
    /// The project's name.
    Project(String),
    /// The structure that it starts from.
    Have(Fingerprint),
    /// The structure that it leads to.
    Want(Fingerprint),
    /// The same without the unproven objects.
    Proven(Fingerprint),
    /// An object that can't be proven.
    Unproven(String),
    /// The structure without the objects that are listed as respelled.
    Rest(Fingerprint),
    /// The objects that are listed as respelled, without their expressions.
    Shape(Fingerprint),
    /// An object with expressions, as it is expected.
    Respelled(Fingerprint, String),
    /// Objects that the project manages, or ignores.
    Scope(ScopeWord, String),
    /// A difference that is left alone.
    Left(String),
    /// How the owner of what is removed was found out.
    Ownership(Ownership),
    /// Why only the engine's own client, of the version that the database is used with, can run it.
    ClientOnly(String),
    /// The number of steps.
    Steps(usize),
    /// The number of parts.
    Parts(usize),
    /// A part begins.
    Part(usize, Mode),
    /// The state in which the part begins.
    From(Fingerprint),
    /// Statements for the engine's own client follow.
    ForClient,
    /// Statements that run before the first step follow.
    Prepare,
    /// A step begins: its number and title.
    Step(usize, String),
    /// A risk: kind, object, explanation.
    Risk(RiskKind, String, String),
    /// Whether the risk is permitted.
    Waiver(Clearance),
    /// A note on the step.
    Note(String),
    /// An object as it is before the first step about it.
    Changes(Fingerprint, String),
    /// An object that is not there before the first step about it.
    Adds(String),
    /// An object that the step leaves behind.
    Makes(Fingerprint, String),
    /// An object that is not there after the step.
    Removes(String),
    /// Statements that run after the last step follow.
    Check,
    /// A part ends.
    PartEnd(usize),
    /// The end mark, with the SHA-256 of everything before it.
    End(String),
}

/// Which list of the scope a pattern belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ScopeWord {
    /// Objects that the project is responsible for.
    Manages,
    /// Objects that it is not responsible for.
    Ignores,
}

impl fmt::Display for Line {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let quoted = |text: &str| serde_json::Value::String(text.to_owned()).to_string();
        f.write_str(MARK)?;
        match self {
            Line::Format(number) => write!(f, "format {number}"),
            Line::Undo(undo) => write!(f, "kind {}", if *undo { "undo" } else { "release" }),
            Line::Engine(engine, version) => write!(f, "engine {engine} {version}"),
            Line::Project(name) => write!(f, "project {}", quoted(name)),
            Line::Have(fingerprint) => write!(f, "have {fingerprint}"),
            Line::Want(fingerprint) => write!(f, "want {fingerprint}"),
            Line::Proven(fingerprint) => write!(f, "proven {fingerprint}"),
            Line::Unproven(object) => write!(f, "unproven {}", quoted(object)),
            Line::Rest(fingerprint) => write!(f, "rest {fingerprint}"),
            Line::Shape(fingerprint) => write!(f, "shape {fingerprint}"),
            Line::Respelled(fingerprint, object) => write!(f, "respelled {fingerprint} {}", quoted(object)),
            Line::Scope(ScopeWord::Manages, pattern) => write!(f, "manages {}", quoted(pattern)),
            Line::Scope(ScopeWord::Ignores, pattern) => write!(f, "ignores {}", quoted(pattern)),
            Line::Left(element) => write!(f, "left {}", quoted(element)),
            Line::Ownership(ownership) => write!(f, "ownership {}", ownership.name()),
            Line::ClientOnly(reason) => write!(f, "client-only {}", quoted(reason)),
            Line::Steps(count) => write!(f, "steps {count}"),
            Line::Parts(count) => write!(f, "parts {count}"),
            Line::Part(number, mode) => write!(f, "part {number} {}", mode.name()),
            Line::From(fingerprint) => write!(f, "from {fingerprint}"),
            Line::ForClient => write!(f, "for-client"),
            Line::Prepare => write!(f, "prepare"),
            Line::Step(number, title) => write!(f, "step {number} {}", quoted(title)),
            Line::Risk(kind, object, explanation) => {
                write!(f, "risk {kind} {} {}", quoted(object), quoted(explanation))
            }
            Line::Waiver(Clearance::NotNeeded) => write!(f, "waiver not-needed"),
            Line::Waiver(Clearance::Missing) => write!(f, "waiver missing"),
            Line::Waiver(Clearance::Impossible) => write!(f, "waiver impossible"),
            Line::Waiver(Clearance::Waived { reason, until }) => write!(f, "waiver until {until} {}", quoted(reason)),
            Line::Note(note) => write!(f, "note {}", quoted(note)),
            Line::Changes(fingerprint, object) => write!(f, "changes {fingerprint} {}", quoted(object)),
            Line::Adds(object) => write!(f, "adds {}", quoted(object)),
            Line::Makes(fingerprint, object) => write!(f, "makes {fingerprint} {}", quoted(object)),
            Line::Removes(object) => write!(f, "removes {}", quoted(object)),
            Line::Check => write!(f, "check"),
            Line::PartEnd(number) => write!(f, "part-end {number}"),
            Line::End(hash) => write!(f, "end sha256 {hash}"),
        }
    }
}

/// The words of a line that are still to be read.
struct Words<'t> {
    rest: &'t str,
}

impl<'t> Words<'t> {
    fn word(&mut self) -> Result<&'t str, String> {
        let rest = self.rest.trim_start_matches(' ');
        let (word, rest) = rest.split_once(' ').unwrap_or((rest, ""));
        self.rest = rest;
        if word.is_empty() { Err("a word is missing".to_owned()) } else { Ok(word) }
    }

    fn text(&mut self) -> Result<String, String> {
        let mut texts = serde_json::Deserializer::from_str(self.rest).into_iter::<String>();
        let text = texts.next().ok_or("a text in double quotes is missing")?;
        let text = text.map_err(|_| "a text in double quotes can't be read".to_owned())?;
        self.rest = &self.rest[texts.byte_offset()..];
        Ok(text)
    }

    fn number(&mut self) -> Result<usize, String> {
        let word = self.word()?;
        word.parse().map_err(|_| format!("`{word}` is no number"))
    }

    fn fingerprint(&mut self) -> Result<Fingerprint, String> {
        self.word()?.parse()
    }
}

impl Line {
    /// Reads the text of a line, from its mark on. The error is the mistake in it.
    pub fn read(text: &str) -> Result<Line, String> {
        let mut words = Words { rest: text.strip_prefix(MARK).unwrap_or(text) };
        let line = match words.word()? {
            "format" => Line::Format(words.number()?.try_into().unwrap_or(u32::MAX)),
            "kind" => match words.word()? {
                "release" => Line::Undo(false),
                "undo" => Line::Undo(true),
                other => return Err(format!("there is no kind of script `{other}`")),
            },
            "engine" => {
                let engine = words.word()?.to_owned();
                Line::Engine(engine, words.word()?.parse()?)
            }
            "project" => Line::Project(words.text()?),
            "have" => Line::Have(words.fingerprint()?),
            "want" => Line::Want(words.fingerprint()?),
            "proven" => Line::Proven(words.fingerprint()?),
            "unproven" => Line::Unproven(words.text()?),
            "rest" => Line::Rest(words.fingerprint()?),
            "shape" => Line::Shape(words.fingerprint()?),
            "respelled" => {
                let fingerprint = words.fingerprint()?;
                Line::Respelled(fingerprint, words.text()?)
            }
            "manages" => Line::Scope(ScopeWord::Manages, words.text()?),
            "ignores" => Line::Scope(ScopeWord::Ignores, words.text()?),
            "left" => Line::Left(words.text()?),
            "ownership" => Line::Ownership(words.word()?.parse()?),
            "client-only" => Line::ClientOnly(words.text()?),
            "steps" => Line::Steps(words.number()?),
            "parts" => Line::Parts(words.number()?),
            "part" => {
                let number = words.number()?;
                Line::Part(number, words.word()?.parse()?)
            }
            "from" => Line::From(words.fingerprint()?),
            "for-client" => Line::ForClient,
            "prepare" => Line::Prepare,
            "step" => {
                let number = words.number()?;
                Line::Step(number, words.text()?)
            }
            "risk" => {
                let kind = words.word()?.parse()?;
                let object = words.text()?;
                Line::Risk(kind, object, words.text()?)
            }
            "waiver" => Line::Waiver(match words.word()? {
                "not-needed" => Clearance::NotNeeded,
                "missing" => Clearance::Missing,
                "impossible" => Clearance::Impossible,
                "until" => {
                    let until = words.word()?.to_owned();
                    if !is_date(&until) {
                        return Err(format!("`{until}` is no date"));
                    }
                    Clearance::Waived { until, reason: words.text()? }
                }
                other => return Err(format!("a waiver can't be `{other}`")),
            }),
            "note" => Line::Note(words.text()?),
            "changes" => {
                let fingerprint = words.fingerprint()?;
                Line::Changes(fingerprint, words.text()?)
            }
            "adds" => Line::Adds(words.text()?),
            "makes" => {
                let fingerprint = words.fingerprint()?;
                Line::Makes(fingerprint, words.text()?)
            }
            "removes" => Line::Removes(words.text()?),
            "check" => Line::Check,
            "part-end" => Line::PartEnd(words.number()?),
            "end" => match words.word()? {
                "sha256" => Line::End(words.word()?.to_owned()),
                other => return Err(format!("there is no hash `{other}`")),
            },
            other => return Err(format!("there is no line `{other}` in format {FORMAT}")),
        };
        if line.to_string() != text {
            return Err(format!("it should be: {line}"));
        }
        Ok(line)
    }
}
