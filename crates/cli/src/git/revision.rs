//! The git revision of source files.

use std::collections::HashSet;
use std::path::Path;

use gix::objs::Kind;
use wevrun_core::snapshot::GitRevision;

use super::trees::Trees;

/// The commit that is checked out in the repository of a project's folder, and whether the sources differ from it: a file that
/// was changed, added or removed. None without a repository or a commit.
///
/// `is_source` takes a path below the folder.
pub fn revision<'f>(
    folder: &Path,
    files: impl Iterator<Item = (&'f Path, &'f [u8])>,
    is_source: impl Fn(&Path) -> bool,
) -> Option<GitRevision> {
    let repository = gix::discover(folder).ok()?;
    let commit = repository.head_commit().ok()?;
    let work_tree = repository.workdir()?.canonicalize().ok()?;
    let mut trees = Trees::new(&repository, commit.tree_id().ok()?.detach());
    let mut seen = HashSet::new();
    let mut modified = false;
    for (path, content) in files {
        let hash = gix::objs::compute_hash(repository.object_hash(), Kind::Blob, content).ok();
        let path = path.canonicalize().ok();
        let path = path.as_deref().and_then(|path| path.strip_prefix(&work_tree).ok());
        modified |= hash.is_none() || path.and_then(|path| trees.find(path)) != hash;
        seen.extend(path.map(Path::to_owned));
    }
    let folder = folder.canonicalize().ok()?;
    let folder = folder.strip_prefix(&work_tree).ok()?;
    modified = modified
        || trees.files_below(folder).iter().any(|file| {
            file.strip_prefix(folder).is_ok_and(&is_source) && !seen.contains(file) && !is_linked(&work_tree.join(file))
        });
    Some(GitRevision { revision: commit.id().to_string(), modified })
}

/// A link that was followed has been seen as the file that it leads to.
fn is_linked(path: &Path) -> bool {
    path.canonicalize().is_ok_and(|real| real != path)
}
