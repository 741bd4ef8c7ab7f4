//! Reading and writing files, with errors that name them.

use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use crate::failure::{Ended, Failure};

/// The bytes of a file.
pub fn read_bytes(path: &Path) -> Ended<Vec<u8>> {
    fs::read(path).map_err(|error| Failure::new(format!("{} can't be read: {}", path.display(), reason(&error))))
}

/// The text of a file.
pub fn read_text(path: &Path) -> Ended<String> {
    String::from_utf8(read_bytes(path)?).map_err(|_| Failure::new(format!("{} is not UTF-8 text", path.display())))
}

/// The destination of a result: `-` is standard output; a link, a device or a pipe is written through and stays what it is.
pub fn write_result(path: &Path, content: &[u8]) -> Ended<()> {
    let failed =
        |error: std::io::Error| Failure::new(format!("{} can't be written: {}", path.display(), reason(&error)));
    if path == Path::new("-") {
        let mut out = std::io::stdout().lock();
        return out.write_all(content).and_then(|()| out.flush()).map_err(failed);
    }
    match fs::metadata(path) {
        Ok(there) if there.is_file() => {
            refuse_database(path)?;
            write_atomically(&fs::canonicalize(path).map_err(failed)?, content)
        }
        Ok(there) if there.is_dir() => Err(Failure::new(format!("{} is a folder", path.display()))),
        Ok(_) => {
            let mut file = fs::OpenOptions::new().write(true).open(path).map_err(failed)?;
            file.write_all(content).map_err(failed)
        }
        Err(_) => write_atomically(path, content),
    }
}

/// A result never replaces a database.
fn refuse_database(path: &Path) -> Ended<()> {
    let mut start = [0; 16];
    let read = fs::File::open(path).and_then(|mut file| file.read(&mut start));
    if read.is_ok_and(|length| start[..length] == *b"SQLite format 3\0") {
        return Err(Failure::usage(format!("{} is a database; nothing was written", path.display()))
            .help("name another file for the result"));
    }
    Ok(())
}

/// The results are written to different files, and to none that is read.
pub fn require_apart(results: &[&Path], read: &[PathBuf]) -> Ended<()> {
    let real = |path: &Path| fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let is_file = |path: &&Path| !fs::metadata(path).is_ok_and(|there| !there.is_file());
    for (index, path) in results.iter().enumerate() {
        let others = &results[..index];
        if *path != Path::new("-") && !is_file(path) {
            continue; // a device takes more than one
        }
        if others.iter().any(|other| real(other) == real(path)) {
            return Err(Failure::usage(format!("two results can't both be written to {}", path.display())));
        }
        if read.iter().any(|other| real(other) == real(path)) {
            return Err(Failure::usage(format!("{} is read, so nothing can be written to it", path.display()))
                .help("name another file for the result"));
        }
    }
    Ok(())
}

/// Writes a file that is not there yet, whole or not at all. It is not waited for until it is on the disk.
pub fn write_new(path: &Path, content: &[u8]) -> Ended<()> {
    let failed =
        |error: std::io::Error| Failure::new(format!("{} can't be written: {}", path.display(), reason(&error)));
    let mut file = fs::File::create_new(path).map_err(failed)?;
    file.write_all(content).map_err(|error| {
        let _ = fs::remove_file(path);
        failed(error)
    })
}

/// Writes a whole file or nothing: a new file beside it takes its place when it is complete.
pub fn write_atomically(path: &Path, content: &[u8]) -> Ended<()> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let failed =
        |error: std::io::Error| Failure::new(format!("{} can't be written: {}", path.display(), reason(&error)));
    let mut builder = tempfile::Builder::new();
    builder.prefix(".wevrun-");
    // A temporary file is usually its owner's alone; a result has the mode that the user's umask leaves, or the one it had.
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        builder.permissions(fs::Permissions::from_mode(0o666));
    }
    let mut file = builder.tempfile_in(folder).map_err(failed)?;
    if let Ok(there) = fs::metadata(path) {
        file.as_file().set_permissions(there.permissions()).map_err(failed)?;
    }
    file.write_all(content).map_err(failed)?;
    file.as_file().sync_all().map_err(failed)?;
    file.persist(path).map_err(|error| failed(error.error))?;
    Ok(())
}

/// Why, without the system's error number.
pub fn reason(error: &std::io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or_default().to_lowercase()
}
