//! The files that a side is read from.

use std::collections::HashSet;
use std::ffi::OsStr;
use std::fmt;
use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};

use rayon::prelude::*;
use walkdir::WalkDir;
use wevrun_core::Dialect;

use crate::failure::{Ended, Failure};
use crate::files;

/// A file: what it is called, where it is, its bytes.
pub type SourceText = (String, PathBuf, Vec<u8>);

/// The files below a folder that are wanted, ordered by path: path with `/`, path, content.
pub fn find(root: &Path, wanted: impl Fn(&Path) -> bool) -> Ended<Vec<SourceText>> {
    let mut paths = Vec::new();
    for entry in WalkDir::new(root).follow_links(true).sort_by_file_name() {
        // A link to a folder above leads to no other file.
        if entry.as_ref().is_err_and(|error| error.loop_ancestor().is_some()) {
            continue;
        }
        let entry = entry.map_err(|error| Failure::new(format!("{} can't be read: {error}", root.display())))?;
        let relative = entry.path().strip_prefix(root).unwrap_or(entry.path());
        if entry.file_type().is_file() && wanted(relative) {
            let shown: Vec<_> = relative.iter().map(|part| part.to_string_lossy()).collect();
            paths.push((shown.join("/"), entry.path().to_owned()));
        }
    }
    paths.sort();
    paths.into_par_iter().map(|(shown, path)| files::read_bytes(&path).map(|bytes| (shown, path, bytes))).collect()
}

pub fn decompressed(path: &Path) -> Ended<Vec<u8>> {
    let bytes = files::read_bytes(path)?;
    let damaged = |error: &dyn fmt::Display| Failure::new(format!("{} can't be unpacked: {error}", path.display()));
    let mut out = Vec::new();
    match path.extension().and_then(OsStr::to_str) {
        Some("gz") => {
            flate2::read::MultiGzDecoder::new(&bytes[..]).read_to_end(&mut out).map_err(|error| damaged(&error))?;
        }
        Some("zst") => {
            let mut decoder = ruzstd::decoding::StreamingDecoder::new(&bytes[..]).map_err(|error| damaged(&error))?;
            decoder.read_to_end(&mut out).map_err(|error| damaged(&error))?;
        }
        _ => out = bytes,
    }
    Ok(out)
}

/// Adds the files that others include, before these, each once. A path is relative to the file that names it, or to where
/// Wevrun was started, as with the engine's client.
pub fn with_included(dialect: &dyn Dialect, files: Vec<SourceText>) -> Ended<Vec<SourceText>> {
    let includes = |(_, _, bytes): &SourceText| !dialect.included_files(&String::from_utf8_lossy(bytes)).is_empty();
    if !files.par_iter().any(includes) {
        return Ok(files);
    }
    let mut seen: HashSet<PathBuf> = files.iter().map(|(_, path, _)| real(path)).collect();
    let mut all = Vec::with_capacity(files.len());
    for file in files {
        follow(dialect, file, &mut seen, &mut all)?;
    }
    Ok(all)
}

fn follow(
    dialect: &dyn Dialect,
    file: SourceText,
    seen: &mut HashSet<PathBuf>,
    all: &mut Vec<SourceText>,
) -> Ended<()> {
    let (shown, path, bytes) = &file;
    let text = String::from_utf8_lossy(bytes);
    for (at, named) in dialect.included_files(&text) {
        let beside = path.parent().unwrap_or(Path::new("")).join(&named);
        let found = [beside, PathBuf::from(&named)].into_iter().find(|candidate| candidate.is_file());
        let Some(found) = found else {
            let line = text[..at].matches('\n').count() + 1;
            return Err(Failure::new(format!("{shown}:{line}: the included file `{named}` does not exist"))
                .help("the path is taken from the folder of the file that names it"));
        };
        if !seen.insert(real(&found)) {
            continue;
        }
        let bytes = decompressed(&found)?;
        let parent = Path::new(shown).parent().unwrap_or(Path::new(""));
        follow(dialect, (parent.join(&named).display().to_string(), found, bytes), seen, all)?;
    }
    all.push(file);
    Ok(())
}

fn real(path: &Path) -> PathBuf {
    fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
}
