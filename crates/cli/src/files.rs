//! Reading and writing files, with errors that name them.

use std::fs;
use std::io::Write;
use std::path::Path;

use crate::failure::{Ended, Failure};

/// The bytes of a file.
pub fn read_bytes(path: &Path) -> Ended<Vec<u8>> {
    fs::read(path).map_err(|error| Failure::new(format!("{} can't be read: {}", path.display(), reason(&error))))
}

/// The text of a file.
pub fn read_text(path: &Path) -> Ended<String> {
    String::from_utf8(read_bytes(path)?).map_err(|_| Failure::new(format!("{} is not UTF-8 text", path.display())))
}

/// Writes a whole file or nothing: a new file beside it takes its place when it is complete.
pub fn write_atomically(path: &Path, content: &[u8]) -> Ended<()> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let failed =
        |error: std::io::Error| Failure::new(format!("{} can't be written: {}", path.display(), reason(&error)));
    let mut file = tempfile::Builder::new().prefix(".wevrun-").tempfile_in(folder).map_err(failed)?;
    file.write_all(content).map_err(failed)?;
    file.as_file().sync_all().map_err(failed)?;
    readable_like_any_file(&file).map_err(failed)?;
    file.persist(path).map_err(|error| failed(error.error))?;
    Ok(())
}

/// A temporary file is its owner's alone; a result is not.
#[cfg(unix)]
fn readable_like_any_file(file: &tempfile::NamedTempFile) -> std::io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    file.as_file().set_permissions(fs::Permissions::from_mode(0o644))
}

#[cfg(not(unix))]
fn readable_like_any_file(_: &tempfile::NamedTempFile) -> std::io::Result<()> {
    Ok(())
}

/// Why, without the system's error number.
pub fn reason(error: &std::io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or_default().to_lowercase()
}
