//! Completions of arguments in a shell: names from the project in the current folder.

use std::ffi::OsStr;

use clap_complete::CompletionCandidate;
use wevrun_core::diagnostics::Code;
use wevrun_core::model::{Model, ObjectKey};
use wevrun_core::select::aspects_of;

use crate::project::Project;
use crate::side::{Context, Side};

fn project() -> Option<Project> {
    Project::find(None).ok().flatten()
}

fn starting<S: Into<String>>(current: &OsStr, names: impl IntoIterator<Item = S>) -> Vec<CompletionCandidate> {
    let begun = current.to_string_lossy();
    let names = names.into_iter().map(Into::into).filter(|name: &String| name.starts_with(&*begun));
    names.map(CompletionCandidate::new).collect()
}

/// The project's targets.
pub fn targets(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(project) = project() else { return Vec::new() };
    starting(current, project.target_names())
}

/// Sides: targets, and files and folders.
pub fn sides(current: &OsStr) -> Vec<CompletionCandidate> {
    let mut candidates = targets(current);
    candidates.extend(starting(current, ["empty", "git:"]));
    candidates.extend(clap_complete::engine::ValueCompleter::complete(&clap_complete::PathCompleter::any(), current));
    candidates
}

/// The project's selections.
pub fn selections(current: &OsStr) -> Vec<CompletionCandidate> {
    let Some(project) = project() else { return Vec::new() };
    starting(current, project.selections.keys())
}

/// Objects of the project's source, as patterns: `table:hives`.
pub fn objects(current: &OsStr) -> Vec<CompletionCandidate> {
    let context = Context { project: project(), engine: None, second_opinion: false, scratch: None };
    let model = context.project.as_ref().and_then(|_| context.load(&Side::Source).ok()).map(|source| source.model);
    let model = model.unwrap_or_else(Model::empty);
    let pattern = |key: ObjectKey| match key.name.schema() {
        Some(schema) => format!("{}:{schema}.{}", key.kind.word(), key.name.identifier()),
        None => format!("{}:{}", key.kind.word(), key.name.identifier()),
    };
    starting(current, model.objects().map(|object| pattern(object.key())))
}

/// The codes of findings.
pub fn codes(current: &OsStr) -> Vec<CompletionCandidate> {
    starting(current, Code::ALL.iter().map(|code| code.name()).chain(["aspects"]))
}

/// The aspects of a comparison.
pub fn aspects(current: &OsStr) -> Vec<CompletionCandidate> {
    let names = wevrun_core::compare::Aspect::ALL.iter().map(|aspect| aspect.1);
    starting(current, names.chain(["access"]).filter(|name| aspects_of(name).is_ok()))
}
