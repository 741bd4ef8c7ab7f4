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
use wevrun_core::parse::{RowFilter, WithoutRows};
use wevrun_core::source::SkippedLines;

use crate::failure::{Ended, Failure};
use crate::files;

/// A file of DDL.
pub struct SourceText {
    /// Its name.
    pub shown: String,
    /// Where it is.
    pub path: PathBuf,
    /// Its content.
    pub bytes: Vec<u8>,
    /// The lines that the content does not have; none of a file that was read whole.
    pub skipped: Option<SkippedLines>,
}

/// Where source files are: on the disk, or in a git revision.
pub trait FileStore {
    /// The files below a folder that are wanted, links followed: the path below it with `/`, the path.
    fn below(&self, folder: &Path, is_wanted: &dyn Fn(&Path) -> bool) -> Ended<Vec<(String, PathBuf)>>;

    /// The content of a file.
    fn read(&self, path: &Path) -> Ended<Vec<u8>>;

    /// A file, to be read from the start.
    fn open(&self, path: &Path) -> Ended<Box<dyn Read>>;

    /// The contents of files.
    fn read_all(&self, files: Vec<(String, PathBuf)>) -> Ended<Vec<SourceText>>;

    /// Whether a file is there.
    fn is_file(&self, path: &Path) -> bool;

    /// Whether a folder is there.
    fn is_folder(&self, path: &Path) -> bool;

    /// The path of a file without links: the same for every path that leads to it.
    fn real(&self, path: &Path) -> PathBuf;

    /// The path as messages have it.
    fn shown(&self, path: &Path) -> String;

    /// The name of a source file in messages: `relative` is its path below the project's folder.
    fn source_name(&self, relative: &str, path: &Path) -> String;
}

/// The files on the disk.
pub struct Disk;

impl FileStore for Disk {
    fn below(&self, folder: &Path, is_wanted: &dyn Fn(&Path) -> bool) -> Ended<Vec<(String, PathBuf)>> {
        let mut paths = Vec::new();
        for entry in WalkDir::new(folder).follow_links(true).sort_by_file_name() {
            // A link to a folder above leads to no other file.
            if entry.as_ref().is_err_and(|error| error.loop_ancestor().is_some()) {
                continue;
            }
            let entry = entry.map_err(|error| Failure::new(format!("{} can't be read: {error}", folder.display())))?;
            let relative = entry.path().strip_prefix(folder).unwrap_or(entry.path());
            if entry.file_type().is_file() && is_wanted(relative) {
                let shown: Vec<_> = relative.iter().map(|part| part.to_string_lossy()).collect();
                paths.push((shown.join("/"), entry.path().to_owned()));
            }
        }
        Ok(paths)
    }

    fn read(&self, path: &Path) -> Ended<Vec<u8>> {
        files::read_bytes(path)
    }

    fn open(&self, path: &Path) -> Ended<Box<dyn Read>> {
        let file = fs::File::open(path);
        let file =
            file.map_err(|error| Failure::new(format!("{} can't be read: {}", path.display(), files::reason(&error))))?;
        Ok(Box::new(file))
    }

    fn read_all(&self, files: Vec<(String, PathBuf)>) -> Ended<Vec<SourceText>> {
        files.into_par_iter().map(|(shown, path)| Ok(whole(self.read(&path)?, shown, path))).collect()
    }

    fn is_file(&self, path: &Path) -> bool {
        path.is_file()
    }

    fn is_folder(&self, path: &Path) -> bool {
        path.is_dir()
    }

    fn real(&self, path: &Path) -> PathBuf {
        fs::canonicalize(path).unwrap_or_else(|_| path.to_owned())
    }

    fn shown(&self, path: &Path) -> String {
        path.display().to_string()
    }

    fn source_name(&self, relative: &str, _: &Path) -> String {
        relative.to_owned()
    }
}

/// A file with all its lines.
pub fn whole(bytes: Vec<u8>, shown: String, path: PathBuf) -> SourceText {
    SourceText { shown, path, bytes, skipped: None }
}

/// The files below a folder that are wanted, ordered by path: path with `/`, path, content.
pub fn find(store: &dyn FileStore, root: &Path, is_wanted: &dyn Fn(&Path) -> bool) -> Ended<Vec<SourceText>> {
    let mut paths = store.below(root, is_wanted)?;
    paths.sort();
    store.read_all(paths)
}

fn damaged(name: &str, error: &dyn fmt::Display) -> Failure {
    Failure::new(format!("{name} can't be unpacked: {error}"))
}

/// A file, to be read from the start and unpacked.
fn unpacked(store: &dyn FileStore, path: &Path) -> Ended<Box<dyn Read>> {
    let packed = store.open(path)?;
    Ok(match path.extension().and_then(OsStr::to_str) {
        Some("gz") => Box::new(flate2::read::MultiGzDecoder::new(packed)),
        Some("zst") => {
            let decoder = ruzstd::decoding::StreamingDecoder::new(packed);
            Box::new(decoder.map_err(|error| damaged(&store.shown(path), &error))?)
        }
        _ => packed,
    })
}

/// The content of a SQL file, unpacked and without its rows.
pub fn dump(store: &dyn FileStore, dialect: &dyn Dialect, shown: String, path: &Path) -> Ended<SourceText> {
    let name = store.shown(path);
    let mut unpacked = unpacked(store, path)?;
    let mut filter = RowFilter::new(dialect.row_rules());
    let mut piece = vec![0; 1 << 18];
    loop {
        match unpacked.read(&mut piece) {
            Ok(0) => break,
            Ok(length) => filter.feed(&piece[..length]),
            Err(error) if error.kind() == std::io::ErrorKind::Interrupted => {}
            Err(error) => return Err(damaged(&name, &error)),
        }
    }
    let WithoutRows { kept, skipped, cut_off } = filter.finish();
    if let Some(line) = cut_off {
        return Err(Failure::new(format!("{name}:{line}: the rows of this COPY do not end: the file was cut off"))
            .help("copy or make the dump again; its last line is a comment that marks its end"));
    }
    Ok(SourceText { shown, path: path.to_owned(), bytes: kept, skipped: Some(skipped) })
}

/// Adds the files that others include, before these, each once. A path is relative to the file that names it, or to where
/// Wevrun was started, as with the engine's client.
pub fn with_included(store: &dyn FileStore, dialect: &dyn Dialect, files: Vec<SourceText>) -> Ended<Vec<SourceText>> {
    let includes = |file: &SourceText| !dialect.included_files(&String::from_utf8_lossy(&file.bytes)).is_empty();
    if !files.par_iter().any(includes) {
        return Ok(files);
    }
    let mut seen: HashSet<PathBuf> = files.iter().map(|file| store.real(&file.path)).collect();
    let mut all = Vec::with_capacity(files.len());
    for file in files {
        follow(store, dialect, file, &mut seen, &mut all)?;
    }
    Ok(all)
}

fn follow(
    store: &dyn FileStore,
    dialect: &dyn Dialect,
    file: SourceText,
    seen: &mut HashSet<PathBuf>,
    all: &mut Vec<SourceText>,
) -> Ended<()> {
    let SourceText { shown, path, bytes, skipped } = &file;
    let text = String::from_utf8_lossy(bytes);
    for (at, named) in dialect.included_files(&text) {
        let beside = path.parent().unwrap_or(Path::new("")).join(&named);
        let found = [beside, PathBuf::from(&named)].into_iter().find(|candidate| store.is_file(candidate));
        let Some(found) = found else {
            let left_out = skipped.as_ref().map_or(0, |skipped| skipped.before(at));
            let line = text[..at].matches('\n').count() as u64 + left_out + 1;
            return Err(Failure::new(format!("{shown}:{line}: the included file `{named}` does not exist"))
                .help("the path is taken from the folder of the file that names it"));
        };
        if !seen.insert(store.real(&found)) {
            continue;
        }
        let parent = Path::new(shown).parent().unwrap_or(Path::new(""));
        let name = parent.join(&named).display().to_string();
        // What a project includes is read whole, as its own files are.
        let included = if skipped.is_some() {
            dump(store, dialect, name, &found)?
        } else {
            let mut bytes = Vec::new();
            let read = unpacked(store, &found)?.read_to_end(&mut bytes);
            read.map_err(|error| damaged(&store.shown(&found), &error))?;
            whole(bytes, name, found)
        };
        follow(store, dialect, included, seen, all)?;
    }
    all.push(file);
    Ok(())
}
