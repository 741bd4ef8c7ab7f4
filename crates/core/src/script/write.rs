//! A script as text that the engine's own client runs.

use std::collections::BTreeMap;

use sha2::{Digest, Sha256};

use super::line::{Line, MARK, ScopeWord};
use super::{Client, FORMAT, Script};
use crate::model::hex;
use crate::plan::{Part, Risk, Step};

/// The first line of a script.
pub const TITLE: &str = "-- Wevrun migration script";

/// The first line of an undo script.
pub const UNDO_TITLE: &str = "-- Wevrun undo script";

/// Lines of text, for a client.
pub(super) struct Text<'c> {
    client: &'c dyn Client,
    text: String,
}

impl<'c> Text<'c> {
    pub(super) fn new(client: &'c dyn Client) -> Text<'c> {
        Text { client, text: String::new() }
    }

    pub(super) fn into_text(self) -> String {
        self.text
    }

    pub(super) fn line(&mut self, text: &str) {
        self.text.push_str(text);
        self.text.push('\n');
    }

    fn mark(&mut self, line: &Line) {
        self.line(&line.to_string());
    }

    fn statements<'s>(&mut self, statements: impl IntoIterator<Item = &'s str>) {
        for statement in statements {
            self.line(&self.client.client_statement(statement));
        }
    }

    fn risk(&mut self, risk: &Risk) {
        self.mark(&Line::Risk(risk.kind, risk.object.clone(), risk.explanation.clone()));
        self.mark(&Line::Waiver(risk.clearance.clone()));
    }
}

/// The script's text. The same script gives the same bytes.
pub fn write(client: &dyn Client, script: &Script) -> String {
    sealed(write_with(client, script, &Steps::All))
}

/// The script's text without its end mark, in which some steps are replaced.
pub(super) fn write_with(client: &dyn Client, script: &Script, steps: &Steps<'_>) -> String {
    let mut text = Text::new(client);
    head(client, script, &mut text);
    let mut number = 0;
    for (index, part) in script.plan.parts.iter().enumerate() {
        write_part(client, (script, steps), (index + 1, part), &mut number, &mut text);
    }
    text.line("");
    text.into_text()
}

/// How steps are written.
pub(super) enum Steps<'s> {
    /// Each as it is.
    All,
    /// Only a line for the first of some that are in another file, by its number.
    Included(&'s BTreeMap<usize, String>),
}

/// Steps with their numbers, as they are in a script.
pub(super) fn steps_text<'s>(client: &dyn Client, steps: impl IntoIterator<Item = (usize, &'s Step)>) -> String {
    let mut text = Text::new(client);
    for (index, (number, step)) in steps.into_iter().enumerate() {
        if index > 0 {
            text.line("");
        }
        write_step(number, step, &mut text);
    }
    text.into_text()
}

/// The text with its end mark, which holds the hash of all that is before it.
pub fn sealed(text: String) -> String {
    let hash = hex(&Sha256::digest(text.as_bytes()));
    format!("{text}{}\n", Line::End(hash))
}

fn head(client: &dyn Client, script: &Script, text: &mut Text<'_>) {
    text.line(if script.undo { UNDO_TITLE } else { TITLE });
    text.mark(&Line::Format(FORMAT));
    text.mark(&Line::Undo(script.undo));
    text.mark(&Line::Engine(script.engine.name.to_owned(), script.engine_version));
    text.mark(&Line::Project(script.project.clone()));
    text.mark(&Line::Have(script.have.clone()));
    text.mark(&Line::Want(script.want.clone()));
    if !script.unproven.is_empty() {
        text.mark(&Line::Proven(script.proven.clone()));
        for object in &script.unproven {
            text.mark(&Line::Unproven(object.clone()));
        }
    }
    if let Some(respelled) = &script.respelled {
        text.mark(&Line::Rest(respelled.rest.clone()));
        text.mark(&Line::Shape(respelled.shape.clone()));
        for outcome in &respelled.objects {
            let fingerprint = outcome.fingerprint.clone().expect("a respelled object is there");
            text.mark(&Line::Respelled(fingerprint, outcome.object.clone()));
        }
    }
    for pattern in &script.scope.manages {
        text.mark(&Line::Scope(ScopeWord::Manages, pattern.to_string()));
    }
    for pattern in &script.scope.ignores {
        text.mark(&Line::Scope(ScopeWord::Ignores, pattern.to_string()));
    }
    for element in &script.left {
        text.mark(&Line::Left(element.clone()));
    }
    text.mark(&Line::Ownership(script.ownership));
    for reason in &script.plan.client_only {
        text.mark(&Line::ClientOnly(reason.clone()));
    }
    text.mark(&Line::Parts(script.plan.parts.len()));
    text.mark(&Line::Steps(script.plan.steps().count()));
    for risk in &script.plan.risks {
        text.risk(risk);
    }
    text.line("--");
    if script.is_empty() {
        text.line("-- Have and want are the same: there is nothing to do.");
        return;
    }
    if script.plan.is_one_transaction() {
        text.line("-- It is one transaction: if any statement fails, the database stays as it was.");
    } else if !script.engine.capabilities.has_transactional_ddl {
        text.line("-- The engine commits every step by itself. If a step fails, the steps before it stay, and `wevrun deploy` of this");
        text.line("-- file continues there. Make a backup first.");
    } else {
        text.line("-- The engine can't run all of it in one transaction. If a statement fails, its part is rolled back, or can be");
        text.line("-- repeated if the part is marked so; earlier parts stay committed. `wevrun deploy` of this file continues there.");
    }
    text.line("-- Run it with `wevrun deploy THIS_FILE TARGET`, which compares the whole structure before and after,");
    text.line(&format!("-- or with the engine's own client, which keeps no ledger: {}", client.client_command()));
    for command in client.client_settings() {
        text.line(command);
    }
}

fn write_part(
    client: &dyn Client,
    (script, steps): (&Script, &Steps<'_>),
    (number, part): (usize, &Part),
    step_number: &mut usize,
    text: &mut Text<'_>,
) {
    let guard = if number == 1 { &script.plan.client_guard[..] } else { &[] };
    let check = if number == script.plan.parts.len() { &script.plan.client_check[..] } else { &[] };
    let frame = client.frame(part.mode);
    text.line("");
    text.mark(&Line::Part(number, part.mode));
    if let Some(from) = &part.from {
        text.mark(&Line::From(from.clone()));
    }
    text.statements(frame.opening());
    if !guard.is_empty() {
        text.mark(&Line::ForClient);
        text.statements(guard.iter().map(String::as_str));
    }
    if !part.prepare.is_empty() {
        text.mark(&Line::Prepare);
        text.statements(part.prepare.iter().map(String::as_str));
    }
    for step in &part.steps {
        *step_number += 1;
        match steps {
            Steps::All => {
                text.line("");
                write_step(*step_number, step, text);
            }
            Steps::Included(lines) => {
                if let Some(line) = lines.get(step_number) {
                    text.line("");
                    text.line(line);
                }
            }
        }
    }
    text.line("");
    if !check.is_empty() {
        text.mark(&Line::ForClient);
        text.statements(check.iter().map(String::as_str));
    }
    if !part.checks.is_empty() {
        text.mark(&Line::Check);
        text.statements(part.checks.iter().map(String::as_str));
    }
    text.mark(&Line::PartEnd(number));
    text.statements(frame.closing());
}

fn write_step(number: usize, step: &Step, text: &mut Text<'_>) {
    text.mark(&Line::Step(number, step.title.clone()));
    for risk in &step.risks {
        text.risk(risk);
    }
    for note in &step.notes {
        text.mark(&Line::Note(note.clone()));
    }
    for outcome in &step.meets {
        text.mark(&match &outcome.fingerprint {
            Some(fingerprint) => Line::Changes(fingerprint.clone(), outcome.object.clone()),
            None => Line::Adds(outcome.object.clone()),
        });
    }
    for outcome in &step.makes {
        text.mark(&match &outcome.fingerprint {
            Some(fingerprint) => Line::Makes(fingerprint.clone(), outcome.object.clone()),
            None => Line::Removes(outcome.object.clone()),
        });
    }
    text.statements(step.statements.iter().map(String::as_str));
}

/// Whether a comment is one of the lines that are read.
pub fn is_marked(comment: &str) -> bool {
    comment.starts_with(MARK.trim_end())
}
