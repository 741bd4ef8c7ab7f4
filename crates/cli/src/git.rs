//! The git revision of source files.

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use gix::bstr::BString;
use gix::objs::Kind;
use gix::objs::tree::EntryMode;
use gix::{ObjectId, Repository};
use wevrun_core::snapshot::GitRevision;

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
    let mut trees = Trees { repository: &repository, root: commit.tree_id().ok()?.detach(), read: HashMap::new() };
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

/// The folders of a commit. Each is read once: a folder may have thousands of files.
struct Trees<'r> {
    repository: &'r Repository,
    root: ObjectId,
    read: HashMap<PathBuf, HashMap<BString, (EntryMode, ObjectId)>>,
}

impl Trees<'_> {
    /// The object at a path that begins at the work tree's root.
    fn find(&mut self, path: &Path) -> Option<ObjectId> {
        let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else { return Some(self.root) };
        self.read(folder)?;
        let name = gix::path::os_str_into_bstr(name).ok()?;
        self.read[folder].get(name).map(|(_, object)| *object)
    }

    /// Reads a folder, if the commit has it.
    fn read(&mut self, folder: &Path) -> Option<()> {
        if !self.read.contains_key(folder) {
            let id = self.find(folder)?;
            let tree = self.repository.find_tree(id).ok()?;
            let entries = tree.iter().filter_map(Result::ok);
            let entries = entries.map(|entry| (entry.filename().to_owned(), (entry.mode(), entry.object_id())));
            self.read.insert(folder.to_owned(), entries.collect());
        }
        Some(())
    }

    /// The files in a folder and in those below it.
    fn files_below(&mut self, folder: &Path) -> Vec<PathBuf> {
        let mut found = Vec::new();
        let mut waiting = vec![folder.to_owned()];
        while let Some(folder) = waiting.pop() {
            if self.read(&folder).is_none() {
                continue;
            }
            for (name, (mode, _)) in &self.read[&folder] {
                let Ok(name) = gix::path::from_bstr(name) else { continue };
                let list = if mode.is_tree() { &mut waiting } else { &mut found };
                list.push(folder.join(name));
            }
        }
        found
    }
}
