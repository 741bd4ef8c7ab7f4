//! A script in several files, in a folder.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Component, Path};

use wevrun_core::script::{MANIFEST, Manifest, Pieces, join};
use wevrun_engines::registry;

use crate::failure::{Ended, Failure};
use crate::files::{self, reason};

/// Writes all files or none: a new folder takes the place of the empty one when it is complete.
pub fn write(folder: &Path, pieces: &Pieces) -> Ended<()> {
    let shown = folder.display();
    let failed = |error: std::io::Error| Failure::new(format!("{shown} can't be written: {}", reason(&error)));
    let is_empty = match fs::read_dir(folder) {
        Ok(mut entries) => entries.next().is_none(),
        Err(error) => error.kind() == std::io::ErrorKind::NotFound && fs::symlink_metadata(folder).is_err(),
    };
    if !is_empty {
        return Err(Failure::new(format!("{shown} is not an empty folder; nothing was written"))
            .help("name a folder that is empty or does not exist yet"));
    }
    let parent = folder.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    fs::create_dir_all(parent).map_err(failed)?;
    let new = tempfile::Builder::new().prefix(".wevrun-").tempdir_in(parent).map_err(failed)?;
    let content = new.path().join("content");
    for (path, text) in &pieces.files {
        let file = content.join(path);
        fs::create_dir_all(file.parent().unwrap_or(&content)).map_err(failed)?;
        files::write_new(&file, text.as_bytes())?;
    }
    let manifest = serde_json::to_string_pretty(&pieces.manifest).expect("a manifest is JSON") + "\n";
    files::write_new(&content.join(MANIFEST), manifest.as_bytes())?;
    fs::rename(&content, folder).map_err(failed)
}

/// The script that a folder has.
pub fn read(folder: &Path) -> Ended<String> {
    let shown = folder.display();
    let wrong = |problem: String| Failure::new(format!("{shown}: {problem}; nothing was changed"));
    let path = folder.join(MANIFEST);
    if !path.is_file() {
        return Err(wrong(format!("there is no {MANIFEST}"))
            .help("name a script, or a folder that `wevrun script --out-dir` has written"));
    }
    let manifest: Manifest = serde_json::from_str(&files::read_text(&path)?)
        .map_err(|error| wrong(format!("{MANIFEST} can't be read: {error}")))?;
    let client = registry::find_dialect(&manifest.engine).map_err(|problem| wrong(format!("{MANIFEST}: {problem}")))?;
    let mut files = BTreeMap::new();
    for file in &manifest.files {
        let is_inside = Path::new(&file.path).components().all(|part| matches!(part, Component::Normal(_)));
        if !is_inside {
            return Err(wrong(format!("{MANIFEST} names the file `{}`, which is not in the folder", file.path)));
        }
        files.insert(file.path.clone(), crate::files::read_text(&folder.join(&file.path))?);
    }
    join(client, &Pieces { manifest, files }).map_err(wrong)
}
