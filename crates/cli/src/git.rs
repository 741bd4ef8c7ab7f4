//! The git revision of source files.

use std::path::Path;

use git2::{ObjectType, Oid, Repository};
use wevrun_core::snapshot::GitRevision;

/// The commit that is checked out in the folder's repository, and whether any of the files differs from it. None without a
/// repository or a commit.
pub fn revision<'f>(folder: &Path, files: impl Iterator<Item = (&'f Path, &'f [u8])>) -> Option<GitRevision> {
    let repository = Repository::discover(folder).ok()?;
    let commit = repository.head().ok()?.peel_to_commit().ok()?;
    let tree = commit.tree().ok()?;
    let work_tree = repository.workdir()?.canonicalize().ok()?;
    let committed = |path: &Path, content: &[u8]| -> Option<bool> {
        let path = path.canonicalize().ok()?;
        let entry = tree.get_path(path.strip_prefix(&work_tree).ok()?).ok()?;
        Some(entry.id() == Oid::hash_object(ObjectType::Blob, content).ok()?)
    };
    let modified = files.into_iter().any(|(path, content)| committed(path, content) != Some(true));
    Some(GitRevision { revision: commit.id().to_string(), modified })
}
