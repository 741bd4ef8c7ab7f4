//! Sides: anything that has a structure, and how it is written on the command line.

use std::ffi::OsStr;
use std::fmt;
use std::path::{Path, PathBuf};
use std::time::Instant;

use sha2::{Digest, Sha256};
use wevrun_core::diagnostics::{self, Code, Diagnostic, Severity};
use wevrun_core::model::{Model, Scope, hex};
use wevrun_core::snapshot::{GitRevision, Snapshot, SourceFile};
use wevrun_core::source::{SkippedLines, Source};
use wevrun_core::unread::Unread;
use wevrun_core::{Engine, EngineVersion, build, check};
use wevrun_engines::{
    Access, Database, DatabaseUrl,
    registry::{self, dialect},
};

use crate::failure::{Ended, Failure};
use crate::files;
use crate::git::{self, GitFiles};
use crate::progress;
use crate::project::{FILE, Project};
use crate::scratch;
use crate::source_files::{self, Disk, FileStore, SourceText};

/// Where a side is.
#[derive(Debug, Clone)]
pub enum Side {
    /// Nothing at all.
    Empty,
    /// The source of the current project.
    Source,
    /// A folder of DDL files, a project's or not.
    Folder(PathBuf),
    /// A snapshot.
    Snapshot(PathBuf),
    /// A SQL dump or any other DDL file.
    Dump(PathBuf),
    /// An archive of an engine's own dump program.
    Archive(&'static Engine, PathBuf),
    /// The source as of a git revision: the project's, or what is at a path of the repository.
    Git {
        /// A tag, a branch, a commit, …
        revision: String,
        /// From the root of the repository.
        path: Option<PathBuf>,
    },
    /// A live database, with the name that the person used.
    Live(String, DatabaseUrl),
}

impl fmt::Display for Side {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Side::Empty => f.write_str("empty"),
            Side::Source => f.write_str("source"),
            Side::Folder(path) | Side::Snapshot(path) | Side::Dump(path) | Side::Archive(_, path) => {
                write!(f, "{}", path.display())
            }
            Side::Git { revision, path: None } => write!(f, "git:{revision}"),
            Side::Git { revision, path: Some(path) } => write!(f, "git:{revision}:{}", path.display()),
            Side::Live(name, _) => f.write_str(name),
        }
    }
}

/// A side that has been read.
pub struct Loaded {
    /// Its name on the command line.
    pub name: String,
    /// The engine.
    pub engine: &'static Engine,
    /// The oldest version that it is for; of a live side, the one that it has, where that matters.
    pub engine_version: Option<EngineVersion>,
    /// The number of objects that a scratch server spelled differently than we could, if one was asked.
    pub spelled: Option<usize>,
    /// The project's name, if the side knows it.
    pub project: Option<String>,
    /// The part of a database that its project is responsible for.
    pub scope: Scope,
    /// Its model.
    pub model: Model,
    /// The texts that the model's locations refer to.
    pub sources: Vec<Source>,
    /// Warnings and notes.
    pub diagnostics: Vec<Diagnostic>,
    /// Names in statements that run code.
    pub unread: Vec<Unread>,
    /// The connection, if it is live.
    pub live: Option<Box<dyn Database>>,
    /// The file that the side is, if it is one.
    pub path: Option<PathBuf>,
    /// The commit that it is from, if it is from one.
    pub git: Option<GitRevision>,
    /// The source files' hashes, if there are any.
    pub files: Vec<SourceFile>,
    /// The paths and bytes of the source files, for git.
    pub raw: Vec<(PathBuf, Vec<u8>)>,
}

/// The context in which sides are resolved.
pub struct Context {
    /// The current project, if there is one.
    pub project: Option<Project>,
    /// `--engine`.
    pub engine: Option<&'static Engine>,
    /// Whether the engine itself is asked for its opinion of sources.
    pub second_opinion: bool,
    /// A server that may spell sources.
    pub scratch: Option<DatabaseUrl>,
}

impl Loaded {
    /// A side of which nothing is known but its structure.
    pub fn of(name: String, engine: &'static Engine, model: Model) -> Loaded {
        Loaded {
            name,
            engine,
            engine_version: None,
            spelled: None,
            project: None,
            scope: Scope::default(),
            model,
            sources: Vec::new(),
            diagnostics: Vec::new(),
            unread: Vec::new(),
            live: None,
            path: None,
            git: None,
            files: Vec::new(),
            raw: Vec::new(),
        }
    }

    /// Resolves the names of what was read from a snapshot: a plan and a choice need them, a comparison does not.
    pub fn resolve_names(&mut self) {
        dialect(self.engine).resolve_names(&mut self.model);
    }

    /// The side with another structure and scope, without its connection.
    pub fn with_model(&self, model: Model, scope: Scope) -> Loaded {
        Loaded {
            engine_version: self.engine_version,
            project: self.project.clone(),
            scope,
            sources: self.sources.clone(),
            diagnostics: self.diagnostics.clone(),
            path: self.path.clone(),
            git: self.git.clone(),
            ..Loaded::of(self.name.clone(), self.engine, model)
        }
    }
}

impl Context {
    /// The meaning of a text on the command line.
    pub fn side(&self, text: &str) -> Ended<Side> {
        if text == "empty" {
            return Ok(Side::Empty);
        }
        if let Some(url) = self.target(text)? {
            return Ok(Side::Live(shown(text), url));
        }
        if let Some(rest) = text.strip_prefix("git:") {
            let (revision, path) = rest.split_once(':').map_or((rest, None), |(revision, path)| (revision, Some(path)));
            if revision.is_empty() {
                return Err(Failure::usage(format!("`{text}` names no revision"))
                    .help("write git:REV or git:REV:PATH, like git:v1.3 or git:main:schema"));
            }
            return Ok(Side::Git { revision: revision.to_owned(), path: path.map(PathBuf::from) });
        }
        let path = PathBuf::from(text);
        let engines = registry::engines();
        if let Some(engine) = engines.iter().find(|engine| registry::live(engine).is_archive(&path)) {
            return Ok(Side::Archive(engine, path));
        }
        if path.is_dir() {
            return Ok(Side::Folder(path));
        }
        let name = path.file_name().and_then(OsStr::to_str).unwrap_or_default();
        if name.ends_with(".wsnap") {
            return Ok(Side::Snapshot(path));
        }
        if is_dump(name) {
            return Ok(Side::Dump(path));
        }
        if let Some(engine) = engines.iter().find(|engine| registry::live(engine).is_database(&path)) {
            return Ok(Side::Live(text.to_owned(), DatabaseUrl::file(engine, path)));
        }
        if path.exists() {
            return Err(Failure::usage(format!("{text} is neither a folder nor a .wsnap or .sql file"))
                .help(format!("if it is an SQLite database, write sqlite:{text}")));
        }
        Err(self.unknown(text))
    }

    /// The database that a target's name or a URL means; none if it is neither.
    pub fn target(&self, text: &str) -> Ended<Option<DatabaseUrl>> {
        if DatabaseUrl::is_url(text) {
            return text.parse().map(Some).map_err(Failure::usage);
        }
        self.project.as_ref().map_or(Ok(None), |project| project.target(text))
    }

    /// The database that a target's name or a URL means, which it must.
    pub fn require_target(&self, text: &str) -> Ended<DatabaseUrl> {
        self.target(text)?.ok_or_else(|| self.unknown(text))
    }

    fn unknown(&self, text: &str) -> Failure {
        let failure = Failure::usage(format!("there is no target, file or folder `{text}`"));
        let names: Vec<&str> = self.project.iter().flat_map(Project::target_names).collect();
        match diagnostics::nearest(text, names.iter().copied()) {
            Some(near) => failure.help(format!("did you mean the target `{near}`?")),
            None if names.is_empty() => {
                failure.help("write a folder, a .wsnap or .sql file, a URL like sqlite:hives.db, or `empty`")
            }
            None => failure.help(format!("the targets in {FILE} are: {}", names.join(", "))),
        }
    }

    /// Gives sides without an engine that of a database beside them, unless `--engine` is another.
    pub fn beside(&mut self, database: &DatabaseUrl) {
        self.engine = self.engine.or(Some(database.engine()));
    }

    /// The engine for sides without one.
    fn assumed_engine(&self, side: &str) -> Ended<&'static Engine> {
        self.engine.or(self.project.as_ref().map(|project| project.engine)).ok_or_else(|| {
            Failure::usage(format!("{side} does not name its engine")).help("add --engine sqlite or --engine postgres")
        })
    }

    /// Reads a side. Errors in it are a failure.
    pub fn load(&self, side: &Side) -> Ended<Loaded> {
        let started = Instant::now();
        let loaded = self.load_quietly(side);
        match &loaded {
            Ok(loaded) => tracing::info!(
                side = loaded.name,
                engine = loaded.engine.name,
                objects = loaded.model.len(),
                sources = loaded.sources.len(),
                ms = started.elapsed().as_secs_f64() * 1000.0,
                "side read"
            ),
            Err(failure) => tracing::info!(%side, problem = failure.message, "side can't be read"),
        }
        loaded
    }

    fn load_quietly(&self, side: &Side) -> Ended<Loaded> {
        match side {
            Side::Empty => {
                let of_project = self.project.as_ref().map(|project| project.engine);
                let engine = self.engine.or(of_project).unwrap_or_else(|| registry::engines()[0]);
                Ok(Loaded::of(side.to_string(), engine, Model::empty()))
            }
            Side::Source => {
                let Some(project) = &self.project else {
                    return Project::require(None).map(|_| unreachable!("there is no project"));
                };
                self.load_project(&Disk, project, side.to_string())
            }
            Side::Folder(path) => self.load_folder(&Disk, path, side.to_string()),
            Side::Dump(path) => self.load_dump(&Disk, path, side.to_string()),
            Side::Archive(engine, path) => self.load_archive(engine, path, side.to_string()),
            Side::Snapshot(path) => {
                load_snapshot(path.display().to_string(), Some(path.clone()), files::read_bytes(path)?)
            }
            Side::Git { revision, path } => self.load_git(revision, path.as_deref(), side.to_string()),
            Side::Live(name, url) => self.load_live(name, url, Access::Read),
        }
    }

    /// A project's folder, or any other folder of DDL files.
    fn load_folder(&self, store: &dyn FileStore, path: &Path, name: String) -> Ended<Loaded> {
        if store.is_file(&path.join(FILE)) {
            return self.load_project(store, &Project::read_from(store, path)?, name);
        }
        let engine = self.assumed_engine(&name)?;
        let is_ddl = |relative: &Path| relative.extension().is_some_and(|ending| ending == "sql");
        let files = source_files::find(store, path, &is_ddl)?;
        self.load_files(name, store, (engine, None), files, None)
    }

    fn load_dump(&self, store: &dyn FileStore, path: &Path, name: String) -> Ended<Loaded> {
        let engine = self.assumed_engine(&name)?;
        let files = vec![source_files::dump(store, dialect(engine), path.display().to_string(), path)?];
        self.load_files(name, store, (engine, None), files, None)
    }

    fn load_archive(&self, engine: &'static Engine, path: &Path, name: String) -> Ended<Loaded> {
        let read = || registry::live(engine).read_archive(path);
        let bytes = progress::while_running(&format!("reading {name}"), read);
        let bytes = bytes.map_err(|error| Failure::live(&name, &error))?;
        let skipped = Some(SkippedLines::default());
        let file = SourceText { shown: name.clone(), path: path.to_owned(), bytes, skipped };
        self.load_files(name, &Disk, (engine, None), vec![file], None)
    }

    /// The project as of a revision, or what is at a path there.
    fn load_git(&self, revision: &str, path: Option<&Path>, name: String) -> Ended<Loaded> {
        let folder = self.project.as_ref().map_or(Path::new("."), |project| &project.root);
        let repository = git::discover(folder)?;
        let store = GitFiles::open(&repository, revision)?;
        let path = match (path, &self.project) {
            (Some(path), _) => path.to_owned(),
            (None, Some(project)) => GitFiles::path_of(&repository, &project.root).ok_or_else(|| {
                Failure::usage(format!("the project is in no work tree of git; write git:{revision}:PATH"))
            })?,
            (None, None) => {
                return Err(Failure::usage(format!(
                    "git:{revision} is the project's source, and there is no project here"
                ))
                .help(format!("name a folder or file, from the root of the repository: git:{revision}:PATH")));
            }
        };
        let file_name = path.file_name().and_then(OsStr::to_str).unwrap_or_default();
        let mut loaded = if store.is_file(&path) && file_name.ends_with(".wsnap") {
            return load_snapshot(name, None, store.read(&path)?);
        } else if store.is_file(&path) && is_dump(file_name) {
            self.load_dump(&store, &path, name)?
        } else if store.is_folder(&path) {
            self.load_folder(&store, &path, name)?
        } else if store.is_file(&path) {
            return Err(Failure::usage(format!("{name} is neither a folder nor a .wsnap or .sql file")));
        } else {
            return Err(Failure::usage(format!("revision {revision} has no `{}`", path.display()))
                .help("a path begins at the root of the repository"));
        };
        loaded.git = Some(store.revision());
        // They are not on the disk.
        loaded.raw.clear();
        Ok(loaded)
    }

    fn load_project(&self, store: &dyn FileStore, project: &Project, name: String) -> Ended<Loaded> {
        let files = source_files::find(store, &project.root, &|relative| project.globs.is_match(relative))?;
        project.require_matches(files.iter().map(|file| file.shown.as_str()))?;
        let version = Some(project.engine_version);
        let mut loaded = self.load_files(name, store, (project.engine, version), files, Some(project))?;
        loaded.project = Some(project.name.clone());
        loaded.scope = project.scope.clone();
        Ok(loaded)
    }

    fn load_files(
        &self,
        name: String,
        store: &dyn FileStore,
        (engine, said): (&'static Engine, Option<EngineVersion>),
        files: Vec<SourceText>,
        project: Option<&Project>,
    ) -> Ended<Loaded> {
        let version = said.unwrap_or(engine.default_version);
        let files = source_files::with_included(store, dialect(engine), files)?;
        let mut found = Vec::new();
        let mut sources = Vec::with_capacity(files.len());
        for (index, file) in files.iter().enumerate() {
            let SourceText { shown, path, bytes, skipped } = file;
            let shown = store.source_name(shown, path);
            let text = std::str::from_utf8(bytes).unwrap_or_else(|error| {
                found.push(not_utf8(&shown, index, error.valid_up_to()));
                ""
            });
            sources.push(Source::new(shown, text).without_lines(skipped.clone().unwrap_or_default()));
        }
        let settings = project.map_or_else(Default::default, |project| project.settings.clone());
        let mut build = build::build_with(dialect(engine), version, settings, &sources);
        found.append(&mut build.diagnostics);
        if self.second_opinion {
            let sound = check::sound_part(dialect(engine), &build.model, &found);
            let refusals = registry::live(engine).second_opinion(&sound);
            let functions = project.map_or(&[][..], |project| &project.functions[..]);
            let strict = project.is_some();
            found.extend(check::refusals(dialect(engine), &build.model, &refusals, functions, strict));
        }
        let tolerate = project.map_or(&[][..], |project| &project.tolerate[..]);
        // A dump of one schema does not create the extensions that its types are from.
        let is_tolerated = |code: Code| tolerate.contains(&code) || project.is_none() && code == Code::WV114;
        let (mut found, sources) = judged(&name, found, sources, is_tolerated)?;
        let mut spelled = None;
        if let Some(url) = &self.scratch {
            if url.engine() != engine {
                let other = url.engine();
                return Err(Failure::usage(format!("{name} is for {engine}, and the scratch server is {other}")));
            }
            let answer = scratch::spell(url, version, &mut build.model)?;
            found.extend(check::refusals(dialect(engine), &build.model, &answer.refusals, &[], false));
            spelled = answer.otherwise;
        }
        let (found, sources) = judged(&name, found, sources, is_tolerated)?;
        let hashes = files
            .iter()
            .filter(|file| file.skipped.is_none())
            .map(|file| SourceFile { path: file.shown.clone(), sha256: hex(&Sha256::digest(&file.bytes)) });
        Ok(Loaded {
            name,
            engine,
            engine_version: said,
            spelled,
            project: None,
            scope: Scope::default(),
            model: build.model,
            sources,
            diagnostics: found,
            unread: build.unread,
            live: None,
            path: None,
            git: None,
            files: hashes.collect(),
            raw: files.into_iter().map(|file| (file.path, file.bytes)).collect(),
        })
    }

    /// Opens and reads a live database.
    pub fn load_live(&self, name: &str, url: &DatabaseUrl, access: Access) -> Ended<Loaded> {
        tracing::debug!(%url, "connecting");
        let mut database = wevrun_engines::open(url, access).map_err(|error| Failure::live(name, &error))?;
        let content = progress::while_running(&format!("reading {name}"), || database.read())
            .map_err(|error| Failure::live(name, &error))?;
        tracing::debug!(side = name, statements = content.sources.len(), "catalogue read");
        Ok(Loaded {
            name: name.to_owned(),
            engine: url.engine(),
            engine_version: content.version,
            spelled: None,
            project: None,
            scope: Scope::default(),
            model: content.model,
            sources: content.sources,
            diagnostics: content.diagnostics,
            unread: Vec::new(),
            live: Some(database),
            path: url.path().map(Path::to_owned),
            git: None,
            files: Vec::new(),
            raw: Vec::new(),
        })
    }
}

/// Reads two sides at once: while a server answers, the other side can be read.
pub fn load_both(
    have: impl FnOnce() -> Ended<Loaded>,
    want: impl FnOnce() -> Ended<Loaded> + Send,
) -> Ended<(Loaded, Loaded)> {
    let (have, want) = std::thread::scope(|scope| {
        let want = scope.spawn(want);
        let have = have();
        (have, want.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)))
    });
    Ok((have?, want?))
}

/// A target's name or a URL as it may be printed: without a password.
pub fn shown(text: &str) -> String {
    text.parse::<DatabaseUrl>().map_or_else(|_| text.to_owned(), |url| url.to_string())
}

/// Whether a file is one of SQL, by its name.
fn is_dump(name: &str) -> bool {
    [".sql", ".sql.gz", ".sql.zst"].iter().any(|ending| name.ends_with(ending))
}

fn load_snapshot(name: String, path: Option<PathBuf>, bytes: Vec<u8>) -> Ended<Loaded> {
    let wrong = |problem: &dyn fmt::Display| Failure::new(format!("{name}: {problem}"));
    let text = String::from_utf8(bytes).map_err(|_| wrong(&"the snapshot is damaged: it is not text"))?;
    let snapshot = Snapshot::read(&text, &registry::engines()).map_err(|error| wrong(&error))?;
    Ok(Loaded {
        name,
        engine: snapshot.engine,
        engine_version: Some(snapshot.engine_version),
        spelled: None,
        project: Some(snapshot.project),
        scope: snapshot.scope,
        model: snapshot.model,
        sources: Vec::new(),
        diagnostics: Vec::new(),
        unread: match snapshot.unread {
            words if words.is_empty() => Vec::new(),
            words => vec![Unread { location: None, words: words.into_iter().collect() }],
        },
        live: None,
        path,
        git: snapshot.git,
        files: snapshot.sources,
        raw: Vec::new(),
    })
}

/// Orders what was found in sources, makes warnings of what is tolerated, and fails if there are errors.
fn judged(
    name: &str,
    mut found: Vec<Diagnostic>,
    sources: Vec<Source>,
    is_tolerated: impl Fn(Code) -> bool,
) -> Ended<(Vec<Diagnostic>, Vec<Source>)> {
    diagnostics::sort(&mut found);
    for tolerated in found.iter_mut().filter(|found| found.is_error() && is_tolerated(found.code)) {
        tolerated.severity = Severity::Warning;
    }
    if found.iter().any(Diagnostic::is_error) {
        return Err(Failure::found(format!("{name} can't be built"), found, sources));
    }
    Ok((found, sources))
}

fn not_utf8(path: &str, index: usize, offset: usize) -> Diagnostic {
    let place = wevrun_core::source::Location { source: index as u32, start: 0, end: 0 };
    Diagnostic::new(Code::WV001, format!("{path} is not UTF-8 text: byte {} can't be read", offset + 1))
        .at(place, "")
        .help("if it is no DDL, leave it out with the `source` globs in wevrun.toml; else save it as UTF-8")
}
