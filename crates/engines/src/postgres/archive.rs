//! Archives of `pg_dump`: its custom format, a folder, or a tar file. Only PostgreSQL's own `pg_restore` reads them
//! (<https://www.postgresql.org/docs/current/app-pgrestore.html>).

use std::fs::File;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::error::LiveError;

/// Whether a file or folder is one.
pub fn is_archive(path: &Path) -> bool {
    if path.is_dir() {
        return path.join("toc.dat").is_file();
    }
    let mut start = Vec::new();
    let read = File::open(path).and_then(|file| file.take(8).read_to_end(&mut start));
    // A tar file begins with the name of its first file.
    read.is_ok() && (start.starts_with(b"PGDMP") || start == b"toc.dat\0")
}

/// The definitions in it as SQL, without rows.
pub fn read(path: &Path) -> Result<Vec<u8>, LiveError> {
    let shown = path.display().to_string();
    let mut last = None;
    for program in programs() {
        match Command::new(&program).args(["--schema-only", "--file=-", "--"]).arg(path).output() {
            Ok(output) if output.status.success() => return Ok(output.stdout),
            // An older one may not know the archive's version.
            Ok(output) => last = Some(String::from_utf8_lossy(&output.stderr).trim().to_owned()),
            Err(_) => {}
        }
    }
    Err(match last {
        Some(problem) => LiveError::Archive(shown, problem),
        None => LiveError::NoArchiveReader(shown, "pg_restore"),
    })
}

/// The one in PATH, and those that packages install beside it, newest first.
fn programs() -> Vec<PathBuf> {
    let mut versions: Vec<(u32, PathBuf)> = std::fs::read_dir("/usr/lib/postgresql")
        .into_iter()
        .flatten()
        .flatten()
        .filter_map(|entry| Some((entry.file_name().to_str()?.parse().ok()?, entry.path().join("bin/pg_restore"))))
        .collect();
    versions.sort_by_key(|(version, _)| std::cmp::Reverse(*version));
    std::iter::once(PathBuf::from("pg_restore")).chain(versions.into_iter().map(|(_, path)| path)).collect()
}
