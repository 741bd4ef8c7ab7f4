//! A script in several files: one for steps that follow one another and are about one kind of object, in folders by kind; one that
//! includes them in order with the engine's own client; and a manifest with their hashes.
//!
//! Put together again, they are the script, byte by byte: there is no second form of it.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use super::write::{Steps, steps_text, write_with};
use super::{Client, Script, ScriptHash};
use crate::model::{Kind, hex};
use crate::plan::Step;

/// The file that includes the others.
pub const RUN: &str = "run.sql";

/// The file that lists the others.
pub const MANIFEST: &str = "manifest.json";

/// The version of the manifest's form.
const FORMAT: u32 = 1;

/// A script in several files.
#[derive(Debug)]
pub struct Pieces {
    /// The contents of each file.
    pub manifest: Manifest,
    /// The text of each file, by its path.
    pub files: BTreeMap<String, String>,
}

/// The contents of each file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Manifest {
    /// The version of this form.
    pub format: u32,
    /// The engine.
    pub engine: String,
    /// The hash of the whole script.
    pub script_hash: String,
    /// The files, in the order in which they are run; the first includes the others.
    pub files: Vec<ManifestFile>,
}

/// One file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ManifestFile {
    /// Where it is, from the folder of the manifest.
    pub path: String,
    /// The SHA-256 of its bytes, in hexadecimal digits.
    pub sha256: String,
    /// The numbers of its steps.
    pub steps: Vec<usize>,
}

/// Steps that are in one file.
struct Group<'s> {
    /// The number of their part, from 0.
    part: usize,
    folder: String,
    path: String,
    steps: Vec<(usize, &'s Step)>,
}

/// The script in files.
pub fn split(client: &dyn Client, script: &Script) -> Pieces {
    let groups = groups(script);
    let mut lines = BTreeMap::new();
    let mut files = BTreeMap::new();
    for group in &groups {
        lines.insert(group.steps[0].0, client.include_command(&group.path));
        files.insert(group.path.clone(), steps_text(client, group.steps.iter().copied()));
    }
    let whole = super::write(client, script);
    let run = write_with(client, script, &Steps::Included(&lines)) + end_of(&whole);
    let file = |path: &str, text: &str, steps: &[(usize, &Step)]| ManifestFile {
        path: path.to_owned(),
        sha256: hex(&Sha256::digest(text.as_bytes())),
        steps: steps.iter().map(|(number, _)| *number).collect(),
    };
    let listed = groups.iter().map(|group| file(&group.path, &files[&group.path], &group.steps));
    let manifest = Manifest {
        format: FORMAT,
        engine: script.engine.name.to_owned(),
        script_hash: ScriptHash::of(&whole).as_str().to_owned(),
        files: std::iter::once(file(RUN, &run, &[])).chain(listed).collect(),
    };
    files.insert(RUN.to_owned(), run);
    Pieces { manifest, files }
}

/// The last line, which has the hash of the whole script.
fn end_of(whole: &str) -> &str {
    let start = whole.trim_end().rfind('\n').map_or(0, |at| at + 1);
    &whole[start..]
}

/// The script of which these are the files; else what is wrong with them.
pub fn join(client: &dyn Client, pieces: &Pieces) -> Result<String, String> {
    let Manifest { format, files, .. } = &pieces.manifest;
    if *format != FORMAT {
        return Err(format!("{MANIFEST} has the format {format}, and this version of Wevrun reads {FORMAT}"));
    }
    let mut included = BTreeMap::new();
    for file in files {
        let text = pieces.files.get(&file.path).ok_or_else(|| format!("{} is missing", file.path))?;
        if hex(&Sha256::digest(text.as_bytes())) != file.sha256 {
            return Err(format!("{} was edited after it was written: its hash does not fit {MANIFEST}", file.path));
        }
        included.insert(client.include_command(&file.path), text);
    }
    let run = pieces.files.get(RUN).filter(|_| files.first().is_some_and(|file| file.path == RUN));
    let run = run.ok_or_else(|| format!("{MANIFEST} does not begin with {RUN}"))?;
    let mut whole = String::new();
    for line in run.split_inclusive('\n') {
        match included.get(line.trim_end_matches('\n')) {
            Some(text) => whole.push_str(text),
            None => whole.push_str(line),
        }
    }
    if ScriptHash::of(&whole).as_str() != pieces.manifest.script_hash {
        return Err(format!("the files do not make the script of {MANIFEST}"));
    }
    Ok(whole)
}

/// Steps of one part that follow one another and are about the same kind of object.
fn groups(script: &Script) -> Vec<Group<'_>> {
    let mut groups: Vec<Group<'_>> = Vec::new();
    let mut number = 0;
    for (part, steps) in script.plan.parts.iter().map(|part| &part.steps).enumerate() {
        for step in steps {
            number += 1;
            let folder = folder(step);
            match groups.last_mut().filter(|last| last.part == part && last.folder == folder) {
                Some(last) => last.steps.push((number, step)),
                None => groups.push(Group { part, folder, path: String::new(), steps: vec![(number, step)] }),
            }
        }
    }
    let width = groups.len().to_string().len().max(2);
    for (index, group) in groups.iter_mut().enumerate() {
        let title = match &group.steps[..] {
            [(_, only)] => slug(&only.title),
            several => format!("{}-steps", several.len()),
        };
        group.path = format!("{}/{:0width$}-{title}.sql", group.folder, index + 1);
    }
    groups
}

/// The folder of a step: the kind of its object, or the first kind that its title names. What is a part of a table is in that of tables.
fn folder(step: &Step) -> String {
    let of_object = step.object.as_ref().map(|object| object.kind);
    let words: Vec<&str> = step.title.split_whitespace().collect();
    let kind_at = |at: usize| {
        let fits = |kind: &&Kind| words[at..].join(" ").starts_with(&format!("{} ", kind.title()));
        Kind::ALL.iter().filter(fits).max_by_key(|kind| kind.title().len()).copied()
    };
    let kind = of_object.or_else(|| (1..words.len().min(4)).find_map(kind_at)).unwrap_or(Kind::Table);
    kind.plural().replace(' ', "-")
}

/// Letters, digits and hyphens, as every file system and client takes them.
fn slug(title: &str) -> String {
    const LONGEST: usize = 48;
    let mut slug = String::new();
    for ch in title.chars() {
        match ch.to_ascii_lowercase() {
            ch if ch.is_ascii_alphanumeric() || ch == '_' => slug.push(ch),
            _ if slug.ends_with('-') || slug.is_empty() => {}
            _ => slug.push('-'),
        }
    }
    slug.truncate(LONGEST);
    slug.trim_end_matches('-').to_owned()
}
