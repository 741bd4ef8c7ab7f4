//! The validated build result as one file: what the pipeline carries, unchanged, from test to production.
//!
//! `docs/snapshot-format.md` describes the form. The same input gives the same bytes.

mod seal;

use std::borrow::Cow;
use std::fmt::Write;

use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use smol_str::SmolStr;

use crate::engine::{Engine, EngineVersion, find_engine};
use crate::model::{Clauses, ColumnReads, Definition, Fingerprint, Formerly, Model, Object, QualifiedName, Scope};
use crate::render::Writer;
use crate::source::Source;

/// The version of the form that this code writes, and the only one that it reads.
pub const FORMAT: u32 = 3;

/// A snapshot: a model, and where it came from.
#[derive(Debug, Clone)]
pub struct Snapshot {
    /// The project's name.
    pub project: String,
    /// The engine that it is for.
    pub engine: &'static Engine,
    /// The oldest version of the engine that it was checked for.
    pub engine_version: EngineVersion,
    /// The git revision of the sources, if they are under git.
    pub git: Option<GitRevision>,
    /// The source files.
    pub sources: Vec<SourceFile>,
    /// The part of a database that the project is responsible for.
    pub scope: Scope,
    /// The texts of the files.
    pub model: Model,
    /// The words of statements that run code: what they name is left alone in a database.
    pub unread: Vec<String>,
}

/// The commit that sources were built from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct GitRevision {
    /// The commit's hash.
    pub revision: String,
    /// Whether a source file differed from that commit.
    pub modified: bool,
}

/// A source file and its hash.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SourceFile {
    /// Relative to the project, with `/`.
    pub path: String,
    /// SHA-256 of its bytes, in hexadecimal digits.
    pub sha256: String,
}

/// Why a snapshot can't be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SnapshotError {
    /// Some other file.
    #[error("this is not a Wevrun snapshot")]
    Foreign,
    /// Cut off or garbled.
    #[error("the snapshot is damaged: {0}; build it again or copy it again")]
    Damaged(String),
    /// Whole, but not what was written.
    #[error("the snapshot was altered after it was built: its seal does not fit its content; build it again")]
    Altered,
    /// Written by an older Wevrun.
    #[error("the snapshot has format {0}, and this Wevrun reads format {FORMAT}; build it again")]
    Older(u64),
    /// For an engine that this build of Wevrun does not have.
    #[error("{0}")]
    UnknownEngine(String),
    /// Written by a newer Wevrun.
    #[error("the snapshot has format {0}, and this Wevrun reads format {FORMAT}; use a newer Wevrun")]
    Newer(u64),
}

/// The file's form. Field order is the order in the file.
#[derive(Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
#[schemars(title = "Wevrun snapshot")]
pub struct SnapshotFile {
    /// The version of this form.
    wevrun_snapshot: u32,
    /// SHA-256 of the whole file with 64 zeros in this place.
    seal: String,
    /// The version of Wevrun that wrote it.
    tool: String,
    project: String,
    /// The engine's name.
    engine: String,
    engine_version: EngineVersion,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    git: Option<GitRevision>,
    /// SHA-256 over the canonical structure; see docs/snapshot-format.md.
    fingerprint: Fingerprint,
    sources: Vec<SourceFile>,
    /// Objects that the project is responsible for; empty: all.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    manages: Vec<String>,
    /// Objects that it is not responsible for.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    ignores: Vec<String>,
    /// The words of the statements in the sources that run code, in lower case.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    unread: Vec<String>,
    /// Ordered by kind and name.
    objects: Vec<ObjectRecord>,
    /// What is no part of the structure, and yet roles may do something with it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    granted_only: Vec<ObjectRecord>,
}

/// One object, as it is read.
#[derive(Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct ObjectRecord {
    name: QualifiedName,
    /// The canonical structure, under its kind.
    definition: Definition,
    /// The CREATE statement as it was written.
    text: String,
    #[serde(default, skip_serializing_if = "Formerly::is_empty")]
    formerly: Formerly,
    /// Owner and privileges.
    #[serde(default, skip_serializing_if = "Clauses::is_empty")]
    access: Clauses,
    /// The objects that it needs.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    uses: Vec<QualifiedName>,
    /// The columns that it reads, if all its names could be resolved.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    reads: Option<ColumnReads>,
    /// The schema in which names without one are looked for, if it is not the object's own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(with = "Option<String>")]
    names_in: Option<SmolStr>,
    /// The source file that it was read from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    file: Option<String>,
}

impl From<ObjectRecord> for Object {
    fn from(record: ObjectRecord) -> Object {
        Object {
            name: record.name,
            definition: record.definition,
            text: record.text,
            formerly: record.formerly,
            access: record.access,
            uses: record.uses,
            reads: record.reads,
            references: None,
            names_in: record.names_in,
            unresolved: Vec::new(),
            location: None,
        }
    }
}

/// The same, as it is written: nothing is copied.
#[derive(Serialize)]
struct ObjectLine<'o> {
    name: &'o QualifiedName,
    definition: &'o Definition,
    text: Cow<'o, str>,
    #[serde(skip_serializing_if = "Formerly::is_empty")]
    formerly: &'o Formerly,
    #[serde(skip_serializing_if = "Clauses::is_empty")]
    access: &'o Clauses,
    #[serde(skip_serializing_if = "<[QualifiedName]>::is_empty")]
    uses: &'o [QualifiedName],
    #[serde(skip_serializing_if = "Option::is_none")]
    reads: Option<&'o ColumnReads>,
    #[serde(skip_serializing_if = "Option::is_none")]
    names_in: Option<&'o str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    file: Option<&'o str>,
}

impl<'o> ObjectLine<'o> {
    fn new(writer: &dyn Writer, object: &'o Object, sources: &'o [Source]) -> ObjectLine<'o> {
        ObjectLine {
            name: &object.name,
            definition: &object.definition,
            text: writer.text(object),
            formerly: &object.formerly,
            access: &object.access,
            uses: &object.uses,
            // They are found again with the references.
            reads: object.reads.as_ref().filter(|_| object.references.is_none()),
            names_in: object.names_in.as_deref(),
            file: object.location.and_then(|l| sources.get(l.source as usize)).map(|source| &*source.name),
        }
    }
}

impl Snapshot {
    /// The file's content. `sources` are the texts that the model's locations refer to.
    pub fn write(&self, writer: &dyn Writer, sources: &[Source]) -> String {
        let mut out = String::from("{\n");
        let mut field =
            |name: &str, value: String| writeln!(out, "\"{name}\": {value},").expect("a String takes every byte");
        field("wevrun-snapshot", FORMAT.to_string());
        field("seal", format!("\"{}\"", seal::BLANK));
        field("tool", json(&env!("CARGO_PKG_VERSION")));
        field("project", json(&self.project));
        field("engine", json(&self.engine.name));
        field("engine-version", json(&self.engine_version));
        if let Some(git) = &self.git {
            field("git", json(git));
        }
        field("fingerprint", json(&self.model.fingerprint()));
        out.push_str("\"sources\": [");
        push_lines(&mut out, self.sources.iter().map(json));
        out.push_str("],\n");
        for (field, patterns) in [("manages", &self.scope.manages), ("ignores", &self.scope.ignores)] {
            if !patterns.is_empty() {
                let patterns: Vec<String> = patterns.iter().map(ToString::to_string).collect();
                writeln!(out, "\"{field}\": {},", json(&patterns)).expect("a String takes every byte");
            }
        }
        if !self.unread.is_empty() {
            writeln!(out, "\"unread\": {},", json(&self.unread)).expect("a String takes every byte");
        }
        out.push_str("\"objects\": [");
        let line = |object| json(&ObjectLine::new(writer, object, sources));
        let objects: Vec<&Object> = self.model.objects().collect();
        let lines: Vec<String> = objects.into_par_iter().map(line).collect();
        push_lines(&mut out, lines.into_iter());
        let mut granted_only = self.model.granted_only().map(line).peekable();
        if granted_only.peek().is_some() {
            out.push_str("],\n\"granted-only\": [");
            push_lines(&mut out, granted_only);
        }
        out.push_str("]\n}\n");
        seal::close(out)
    }

    /// Reads a file's content, and makes sure that it is what was written.
    pub fn read(text: &str, engines: &[&'static Engine]) -> Result<Snapshot, SnapshotError> {
        /// Enough to tell a newer format from a damaged file.
        #[derive(Deserialize)]
        #[serde(rename_all = "kebab-case")]
        struct Head {
            wevrun_snapshot: Option<u64>,
        }
        if !text.trim_start().starts_with('{') || !text.contains("\"wevrun-snapshot\"") {
            return Err(SnapshotError::Foreign);
        }
        let head: Head = serde_json::from_str(text).map_err(|error| SnapshotError::Damaged(error.to_string()))?;
        match head.wevrun_snapshot {
            None => return Err(SnapshotError::Foreign),
            Some(format) if format > u64::from(FORMAT) => return Err(SnapshotError::Newer(format)),
            Some(format) if format < u64::from(FORMAT) => return Err(SnapshotError::Older(format)),
            Some(_) => {}
        }
        if !seal::holds(text) {
            return Err(SnapshotError::Altered);
        }
        let file: SnapshotFile =
            serde_json::from_str(text).map_err(|error| SnapshotError::Damaged(error.to_string()))?;
        let mut model: Model = file.objects.into_iter().map(Object::from).collect();
        for record in file.granted_only {
            model.insert_granted_only(record.into());
        }
        if model.fingerprint() != file.fingerprint {
            return Err(SnapshotError::Altered);
        }
        let patterns = |texts: Vec<String>| texts.iter().map(|text| text.parse()).collect::<Result<Vec<_>, String>>();
        let scope = Scope {
            manages: patterns(file.manages).map_err(SnapshotError::Damaged)?,
            ignores: patterns(file.ignores).map_err(SnapshotError::Damaged)?,
        };
        Ok(Snapshot {
            scope,
            project: file.project,
            engine: find_engine(engines, &file.engine).map_err(SnapshotError::UnknownEngine)?,
            engine_version: file.engine_version,
            git: file.git,
            sources: file.sources,
            unread: file.unread,
            model,
        })
    }
}

/// One item a line, so that a snapshot under version control has readable differences.
fn push_lines(out: &mut String, lines: impl Iterator<Item = String>) {
    let mut separator = "\n";
    for line in lines {
        out.push_str(separator);
        out.push_str(&line);
        separator = ",\n";
    }
    out.push('\n');
}

/// One line of JSON.
fn json(value: &impl Serialize) -> String {
    serde_json::to_string(value).expect("no map with keys that are not strings")
}
