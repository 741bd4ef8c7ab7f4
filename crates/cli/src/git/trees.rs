//! The folders of a commit.

use std::collections::{HashMap, VecDeque};
use std::path::{Component, Path, PathBuf};

use gix::bstr::{BString, ByteSlice};
use gix::objs::tree::EntryMode;
use gix::{ObjectId, Repository};

type Entries = HashMap<BString, (EntryMode, ObjectId)>;

/// The folders of a commit. Each is read once: a folder may have thousands of files. Paths begin at the work tree's root.
pub struct Trees<'r> {
    repository: &'r Repository,
    root: ObjectId,
    read: HashMap<PathBuf, Entries>,
}

/// The end of a path when all links are followed.
pub enum Target {
    /// A file: its path without links, its content.
    File(PathBuf, ObjectId),
    /// A folder: its path without links.
    Folder(PathBuf),
    /// A folder that is another repository.
    Submodule,
}

/// How many links are followed on the way to one file, as on the disk.
const MAX_LINKS: usize = 40;

impl<'r> Trees<'r> {
    /// The folders below a tree.
    pub fn new(repository: &'r Repository, root: ObjectId) -> Trees<'r> {
        Trees { repository, root, read: HashMap::new() }
    }

    /// The object at a path without links.
    pub fn find(&mut self, path: &Path) -> Option<ObjectId> {
        let (Some(folder), Some(name)) = (path.parent(), path.file_name()) else { return Some(self.root) };
        let name = gix::path::os_str_into_bstr(name).ok()?;
        self.entries(folder)?.get(name).map(|(_, object)| *object)
    }

    /// The entries of a folder, if the commit has it.
    pub fn entries(&mut self, folder: &Path) -> Option<&Entries> {
        if !self.read.contains_key(folder) {
            let id = self.find(folder)?;
            let tree = self.repository.find_tree(id).ok()?;
            let entries = tree.iter().filter_map(Result::ok);
            let entries = entries.map(|entry| (entry.filename().to_owned(), (entry.mode(), entry.object_id())));
            self.read.insert(folder.to_owned(), entries.collect());
        }
        self.read.get(folder)
    }

    /// The end of a path; none if nothing is there, or a link leads out of the repository.
    pub fn resolve(&mut self, path: &Path) -> Option<Target> {
        let mut links = 0;
        let mut at = PathBuf::new();
        let mut rest: VecDeque<PathBuf> = path.components().map(|part| PathBuf::from(part.as_os_str())).collect();
        while let Some(part) = rest.pop_front() {
            let name = match part.components().next() {
                Some(Component::Normal(name)) => name,
                Some(Component::CurDir) | None => continue,
                Some(Component::ParentDir) if at.pop() => continue,
                Some(_) => return None,
            };
            let bytes = gix::path::os_str_into_bstr(name).ok()?;
            let (mode, id) = *self.entries(&at)?.get(bytes)?;
            if mode.is_link() {
                links += 1;
                let target = self.repository.find_blob(id).ok().filter(|_| links <= MAX_LINKS)?.take_data();
                let target = gix::path::from_bstring(target).ok()?;
                target.components().rev().for_each(|part| rest.push_front(PathBuf::from(part.as_os_str())));
            } else if mode.is_tree() {
                at.push(name);
            } else if mode.is_commit() {
                return Some(Target::Submodule);
            } else {
                return rest.is_empty().then(|| Target::File(at.join(name), id));
            }
        }
        Some(Target::Folder(at))
    }

    /// The files and links in a folder and in those below it, without following links.
    pub fn files_below(&mut self, folder: &Path) -> Vec<PathBuf> {
        let mut found = Vec::new();
        let mut waiting = vec![folder.to_owned()];
        while let Some(folder) = waiting.pop() {
            for (name, (mode, _)) in self.entries(&folder).into_iter().flatten() {
                let Ok(name) = gix::path::from_bstr(name.as_bstr()) else { continue };
                let list = if mode.is_tree() { &mut waiting } else { &mut found };
                list.push(folder.join(name));
            }
        }
        found
    }

    /// The content of a file.
    pub fn content(&self, id: ObjectId) -> Option<Vec<u8>> {
        Some(self.repository.find_blob(id).ok()?.take_data())
    }
}
