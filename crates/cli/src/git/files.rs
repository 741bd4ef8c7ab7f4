//! Source files as of a revision, read from the repository's objects. The work tree is not touched.

use std::cell::RefCell;
use std::io::{Cursor, Read};
use std::path::{Path, PathBuf};

use gix::ObjectId;
use gix::bstr::ByteSlice;
use wevrun_core::snapshot::GitRevision;

use super::trees::{Target, Trees};
use crate::failure::{Ended, Failure};
use crate::source_files::{self, FileStore, SourceText};

/// The files of a commit. Paths begin at the root of the work tree.
pub struct GitFiles<'r> {
    trees: RefCell<Trees<'r>>,
    commit: ObjectId,
    /// `git:v1.3`
    name: String,
}

/// The patterns of a walk over folders, and the files found.
struct Walk<'w> {
    is_wanted: &'w dyn Fn(&Path) -> bool,
    found: Vec<(String, PathBuf)>,
}

/// The repository of a folder.
pub fn discover(folder: &Path) -> Ended<gix::Repository> {
    gix::discover(folder).map_err(|_| {
        Failure::usage(format!("{} is in no git repository, so git:REV means nothing here", folder.display()))
            .help("name a folder in the repository with -C DIR, or start wevrun there")
    })
}

impl<'r> GitFiles<'r> {
    /// The files of a revision: a tag, a branch, a commit's hash or whatever else git takes for one.
    pub fn open(repository: &'r gix::Repository, revision: &str) -> Ended<GitFiles<'r>> {
        let unknown = || {
            Failure::usage(format!("git finds no commit `{revision}`, or more than one"))
                .help("write a tag, a branch or a commit: git:v1.3, git:main, git:HEAD~2; `git fetch` gets what is not here yet")
        };
        let found = repository.rev_parse_single(revision.as_bytes().as_bstr()).map_err(|_| unknown())?;
        let commit = found.object().map_err(|_| unknown())?;
        let commit = commit.peel_to_commit().map_err(|_| unknown())?;
        let tree = commit.tree_id().map_err(|_| unknown())?.detach();
        Ok(GitFiles {
            trees: RefCell::new(Trees::new(repository, tree)),
            commit: commit.id,
            name: format!("git:{revision}"),
        })
    }

    /// The commit.
    pub fn revision(&self) -> GitRevision {
        GitRevision { revision: self.commit.to_string(), modified: false }
    }

    /// A folder of the work tree as a path in the commit.
    pub fn path_of(repository: &gix::Repository, folder: &Path) -> Option<PathBuf> {
        let work_tree = repository.workdir()?.canonicalize().ok()?;
        folder.canonicalize().ok()?.strip_prefix(&work_tree).ok().map(Path::to_owned)
    }

    fn in_submodule(&self, path: &Path) -> Failure {
        let path = self.shown(path);
        Failure::new(format!("{path} is in a submodule, which is another repository"))
            .help("check out the revision with its submodules into another folder, and name that folder")
    }

    /// Adds the files below a folder; `above` are the real paths of the folders that lead to it.
    fn walk(&self, shown: &str, folder: &Path, above: &mut Vec<PathBuf>, walk: &mut Walk<'_>) -> Ended<()> {
        let mut names: Vec<PathBuf> = {
            let mut trees = self.trees.borrow_mut();
            let entries = trees.entries(folder).into_iter().flatten();
            entries
                .filter_map(|(name, _)| gix::path::from_bstr(name.as_bstr()).ok().map(|name| name.into_owned()))
                .collect()
        };
        names.sort();
        for name in names {
            let path = folder.join(&name);
            let shown =
                if shown.is_empty() { name.display().to_string() } else { format!("{shown}/{}", name.display()) };
            let target = self.trees.borrow_mut().resolve(&path);
            match target {
                Some(Target::File(..)) if !(walk.is_wanted)(Path::new(&shown)) => {}
                Some(Target::File(..)) => walk.found.push((shown, path)),
                // A link to a folder above leads to no other file.
                Some(Target::Folder(real)) if above.contains(&real) => {}
                Some(Target::Folder(real)) => {
                    above.push(real.clone());
                    self.walk(&shown, &real, above, walk)?;
                    above.pop();
                }
                // What is not wanted from it is not missed.
                Some(Target::Submodule) if !(walk.is_wanted)(&Path::new(&shown).join("any.sql")) => {}
                Some(Target::Submodule) => return Err(self.in_submodule(&path)),
                None if !(walk.is_wanted)(Path::new(&shown)) => {}
                None => {
                    let path = self.shown(&path);
                    return Err(Failure::new(format!("{path} is a link to a file that this revision does not have")));
                }
            }
        }
        Ok(())
    }
}

impl FileStore for GitFiles<'_> {
    fn below(&self, folder: &Path, is_wanted: &dyn Fn(&Path) -> bool) -> Ended<Vec<(String, PathBuf)>> {
        let mut walk = Walk { is_wanted, found: Vec::new() };
        let target = self.trees.borrow_mut().resolve(folder);
        if let Some(Target::Folder(real)) = target {
            self.walk("", &real, &mut vec![real.clone()], &mut walk)?;
        }
        Ok(walk.found)
    }

    fn read(&self, path: &Path) -> Ended<Vec<u8>> {
        let target = self.trees.borrow_mut().resolve(path);
        let content = match target {
            Some(Target::File(_, id)) => self.trees.borrow().content(id),
            Some(Target::Submodule) => return Err(self.in_submodule(path)),
            _ => None,
        };
        content.ok_or_else(|| Failure::new(format!("{} does not exist", self.shown(path))))
    }

    fn open(&self, path: &Path) -> Ended<Box<dyn Read>> {
        Ok(Box::new(Cursor::new(self.read(path)?)))
    }

    fn read_all(&self, files: Vec<(String, PathBuf)>) -> Ended<Vec<SourceText>> {
        files.into_iter().map(|(shown, path)| Ok(source_files::whole(self.read(&path)?, shown, path))).collect()
    }

    fn is_file(&self, path: &Path) -> bool {
        matches!(self.trees.borrow_mut().resolve(path), Some(Target::File(..)))
    }

    fn is_folder(&self, path: &Path) -> bool {
        matches!(self.trees.borrow_mut().resolve(path), Some(Target::Folder(_)))
    }

    fn real(&self, path: &Path) -> PathBuf {
        match self.trees.borrow_mut().resolve(path) {
            Some(Target::File(real, _) | Target::Folder(real)) => real,
            _ => path.to_owned(),
        }
    }

    fn shown(&self, path: &Path) -> String {
        format!("{}:{}", self.name, path.display())
    }

    fn source_name(&self, _: &str, path: &Path) -> String {
        self.shown(path)
    }
}
