//! The order of the core's modules: none uses a later one.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use wevrun_core::STAGES;

fn rust_files(path: &Path) -> Vec<PathBuf> {
    if path.is_file() {
        return vec![path.to_owned()];
    }
    let entries = fs::read_dir(path).expect("a folder of the sources");
    entries.flat_map(|entry| rust_files(&entry.expect("an entry").path())).collect()
}

/// The modules of the crate that a text names: `crate::model`, and what is in braces after `crate::`.
fn used_modules(text: &str) -> BTreeSet<&str> {
    let is_name = |ch: char| ch.is_ascii_alphanumeric() || ch == '_';
    let mut used = BTreeSet::new();
    for (at, _) in text.match_indices("crate::") {
        let rest = &text[at + "crate::".len()..];
        match rest.strip_prefix('{') {
            Some(list) => used.extend(list.split('}').next().unwrap_or_default().split(',').map(str::trim)),
            None => drop(used.insert(rest.split(|ch: char| !is_name(ch)).next().unwrap_or_default())),
        }
    }
    used.into_iter().map(|used| used.split("::").next().unwrap_or_default()).collect()
}

#[test]
fn no_stage_uses_a_later_one() {
    let sources = Path::new(env!("CARGO_MANIFEST_DIR")).join("src");
    let mut seen = BTreeSet::new();
    let mut wrong = Vec::new();
    for (place, stage) in STAGES.iter().enumerate() {
        let folder = sources.join(stage);
        let path = if folder.is_dir() { folder } else { sources.join(format!("{stage}.rs")) };
        seen.insert(path.clone());
        for file in rust_files(&path) {
            let text = fs::read_to_string(&file).expect("a source file");
            for used in used_modules(&text) {
                match STAGES.iter().position(|stage| *stage == used) {
                    Some(other) if other <= place => {}
                    _ => wrong.push(format!("{} uses {used}", file.strip_prefix(&sources).unwrap_or(&file).display())),
                }
            }
        }
    }
    assert_eq!(wrong, [""; 0]);
    let modules: BTreeSet<PathBuf> =
        fs::read_dir(&sources).expect("src").map(|entry| entry.expect("an entry").path()).collect();
    let unlisted: Vec<_> = modules.difference(&seen).filter(|path| !path.ends_with("lib.rs")).collect();
    assert!(unlisted.is_empty(), "not in STAGES: {unlisted:?}");
}

/// Statements and changes are data: what they do can be printed, compared and looked into.
#[test]
fn no_statement_holds_a_function() {
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let places = ["core/src/parse/statement.rs", "core/src/change", "postgres/src/change"];
    for file in places.iter().flat_map(|place| rust_files(&crates.join(place))) {
        let text = fs::read_to_string(&file).expect("a source file");
        let found = ["dyn Fn", "fn("].into_iter().find(|word| text.contains(word));
        assert_eq!(found, None, "{}", file.display());
    }
}

/// A clause is looked up by its key, which has the type of its value; by name only where the name was read from another clause.
#[test]
fn no_clause_is_looked_up_by_a_literal() {
    let dialects = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut wrong = Vec::new();
    for file in ["postgres/src", "sqlite/src"].iter().flat_map(|place| rust_files(&dialects.join(place))) {
        let text = fs::read_to_string(&file).expect("a source file");
        for word in ["_named(\"", "_named(&format!(", "for clause in [\""] {
            let lines = text.lines().enumerate().filter(|(_, line)| line.contains(word));
            wrong.extend(lines.map(|(number, line)| format!("{}:{}: {line}", file.display(), number + 1)));
        }
    }
    assert_eq!(wrong, [""; 0]);
}

#[test]
fn what_a_text_uses_is_found() {
    let text = "use crate::model::{Name, Kind};\nuse crate::{plan, script::Script};\nfn f() -> crate::check::Rules {}";
    assert_eq!(used_modules(text), BTreeSet::from(["model", "plan", "script", "check"]));
}
