//! `wevrun.toml`: finds and reads the settings of a project.

use std::collections::BTreeMap;
use std::env;
use std::ops::Range;
use std::path::{Path, PathBuf};

use globset::{GlobBuilder, GlobSet, GlobSetBuilder};
use schemars::JsonSchema;
use serde::Deserialize;
use toml::Spanned;
use wevrun_core::compare::Aspect;
use wevrun_core::diagnostics::{Code, Diagnostic, nearest};
use wevrun_core::mapping::{MapKind, MapRule};
use wevrun_core::model::{Pattern, Scope};
use wevrun_core::parse::Session;
use wevrun_core::plan::{Waiver, WaiverFile, read_waivers};
use wevrun_core::select::{Aspects, DifferencePattern, Selection, aspects_of};
use wevrun_core::source::{Location, Source};
use wevrun_core::{Engine, EngineVersion};
use wevrun_engines::{DatabaseUrl, UrlError, registry};

use crate::choice::ChangeOption;
use crate::failure::{Ended, Failure};
use crate::files;
use crate::mapping::ProjectRule;
use crate::source_files::{Disk, FileStore};

/// The name of the settings file.
pub const FILE: &str = "wevrun.toml";

/// The name of the waivers file, beside it.
pub const WAIVERS: &str = "waivers.toml";

/// The form of `wevrun.toml`.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
#[schemars(title = "Wevrun project")]
pub struct ProjectFile {
    /// The project.
    pub project: ProjectSection,
    /// The live databases, by name.
    #[serde(default)]
    pub targets: BTreeMap<String, TargetSection>,
    /// The aspects that count as differences.
    #[serde(default)]
    pub compare: CompareSection,
    /// Names on the targets, with the names in the source.
    #[serde(default)]
    pub map: Vec<MapSection>,
    /// Under which defaults the sources are read, where the engine is MariaDB: `character-set`, `collation` and `sql-mode` of the
    /// database.
    #[serde(default)]
    #[schemars(with = "BTreeMap<String, String>")]
    pub mariadb: BTreeMap<String, Spanned<String>>,
    /// Choices of differences, by name, for `--selection NAME`.
    #[serde(default)]
    pub selections: BTreeMap<String, SelectionSection>,
}

/// The aspects that count as differences. `wevrun explain aspects` lists the aspects.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct CompareSection {
    /// Aspects that are no difference.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub ignore: Vec<Spanned<String>>,
    /// Aspects that are a difference although they are ignored by default.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub mind: Vec<Spanned<String>>,
}

/// A name on the targets, and the name in the source.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct MapSection {
    /// Of what these are names: `schema`, `column`, a kind of object, or `*` for objects of any kind. Without it, of schemas.
    #[serde(default)]
    #[schemars(with = "Option<String>")]
    pub kind: Option<Spanned<String>>,
    /// The name on the target: `sales_eu`, `eu_*`, `hives.grams`.
    #[schemars(with = "String")]
    pub have: Spanned<String>,
    /// The name in the source: `sales`, `*`, `hives.weight`.
    pub want: String,
    /// The targets that have this name. Without it, all.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub targets: Vec<Spanned<String>>,
}

/// A choice of differences.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct SelectionSection {
    /// The chosen differences: `["table:apiary_*", "column:hives.weight"]`. Without it, everything.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub only: Vec<Spanned<String>>,
    /// The differences that are not chosen, in the same form.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub except: Vec<Spanned<String>>,
    /// The kinds of change that are chosen. Without it, all.
    #[serde(default)]
    pub change: Vec<ChangeOption>,
}

/// The project.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct ProjectSection {
    /// The project's name; snapshots and scripts carry it.
    pub name: String,
    /// The database engine.
    #[schemars(schema_with = "engine_schema")]
    pub engine: Spanned<String>,
    /// The oldest version of the engine that a target runs.
    #[serde(default)]
    #[schemars(with = "Option<EngineVersion>")]
    pub engine_version: Option<Spanned<String>>,
    /// Globs of the DDL files, relative to this file.
    #[serde(default = "default_source")]
    #[schemars(with = "Vec<String>")]
    pub source: Vec<Spanned<String>>,
    /// The objects of a database that the project is responsible for: `["schema:public", "table:app_*"]`. Without it, all that are not
    /// ignored. Nothing else is ever compared, changed or removed.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub manages: Vec<Spanned<String>>,
    /// The objects that the project is not responsible for, in the same form.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub ignores: Vec<Spanned<String>>,
    /// Functions that the application registers, which the engine alone does not know.
    #[serde(default)]
    pub functions: Vec<String>,
    /// The URL of a server that spells the source, as `--scratch` does. `${NAME}` is replaced by the environment variable NAME.
    #[serde(default)]
    #[schemars(with = "Option<String>")]
    pub scratch: Option<Spanned<String>>,
    /// Codes of findings that are warnings in this project, not errors: for what an old database has and must keep.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub tolerate: Vec<Spanned<String>>,
}

/// A live database.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct TargetSection {
    /// Its URL. `${NAME}` is replaced by the environment variable NAME.
    #[schemars(with = "String")]
    pub url: Spanned<String>,
}

fn engine_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
    let names: Vec<&str> = registry::engines().iter().map(|engine| engine.name).collect();
    schemars::json_schema!({ "type": "string", "enum": names })
}

/// The globs of a project that names none.
pub const DEFAULT_SOURCE: &str = "schema/**/*.sql";

fn default_source() -> Vec<Spanned<String>> {
    vec![Spanned::new(0..0, DEFAULT_SOURCE.to_owned())]
}

/// A project: its folder and its settings, checked.
#[derive(Debug)]
pub struct Project {
    /// The folder of `wevrun.toml`.
    pub root: PathBuf,
    /// The project's name.
    pub name: String,
    /// The engine.
    pub engine: &'static Engine,
    /// The oldest version of the engine.
    pub engine_version: EngineVersion,
    /// Which files are DDL.
    pub globs: GlobSet,
    /// The globs, as they are written.
    glob_places: Vec<Spanned<String>>,
    /// The part of a database that the project is responsible for.
    pub scope: Scope,
    /// Functions that the application registers.
    pub functions: Vec<String>,
    /// Which aspects count as differences.
    pub aspects: Aspects,
    /// Choices of differences, by name.
    pub selections: BTreeMap<String, Selection>,
    /// Names on the targets, with the names in the source.
    pub maps: Vec<ProjectRule>,
    /// The URL of the scratch server, not expanded.
    scratch: Option<Spanned<String>>,
    /// The settings that are applied before the sources.
    pub settings: Session,
    /// Findings that are warnings here.
    pub tolerate: Vec<Code>,
    /// The target names and their URLs, not expanded.
    targets: BTreeMap<String, Spanned<String>>,
    /// The text of `wevrun.toml`, to point at.
    source: Source,
}

impl Project {
    /// The project of a folder that was named, or the nearest one upwards. None if there is none and none was named.
    pub fn find(folder: Option<&Path>) -> Ended<Option<Project>> {
        if let Some(folder) = folder {
            let file = folder.join(FILE);
            if !file.is_file() {
                return Err(Failure::usage(format!("there is no {FILE} in {}", folder.display()))
                    .help(format!("`wevrun new {}` makes a project there", folder.display())));
            }
            return Project::read(folder).map(Some);
        }
        let here = env::current_dir()
            .map_err(|error| Failure::new(format!("no current folder: {}", files::reason(&error))))?;
        here.ancestors().find(|folder| folder.join(FILE).is_file()).map(Project::read).transpose()
    }

    /// The project, which must be there.
    pub fn require(folder: Option<&Path>) -> Ended<Project> {
        Project::find(folder)?.ok_or_else(|| {
            Failure::usage(format!("there is no {FILE} here or in any folder above"))
                .help("go into a project's folder, name one with -C DIR, or make one with `wevrun new DIR`")
        })
    }

    /// Reads the project of a folder.
    pub fn read(root: &Path) -> Ended<Project> {
        Project::read_from(&Disk, root)
    }

    /// Reads the project of a folder in a store.
    pub fn read_from(store: &dyn FileStore, root: &Path) -> Ended<Project> {
        let path = root.join(FILE);
        let text = String::from_utf8(store.read(&path)?)
            .map_err(|_| Failure::new(format!("{} is not UTF-8 text", store.shown(&path))))?;
        let source = Source::new(store.shown(&path), &text);
        let file: ProjectFile =
            toml::from_str(&source.text).map_err(|error| toml_failure(&source, &error, Code::WV400))?;
        let wrong = |at: &Spanned<String>, problem: String| -> Failure {
            let diagnostic = Diagnostic::new(Code::WV400, problem).at(place(at.span()), "here");
            Failure::found("", vec![diagnostic], vec![source.clone()])
        };
        let section = &file.project;
        let engine = registry::engine(section.engine.get_ref()).map_err(|problem| wrong(&section.engine, problem))?;
        let engine_version = match &section.engine_version {
            Some(version) => version.get_ref().parse().map_err(|problem| wrong(version, problem))?,
            None => engine.default_version,
        };
        if let Some(at) = section.engine_version.as_ref().filter(|_| engine_version < engine.oldest_version) {
            let oldest = engine.oldest_version;
            return Err(wrong(at, format!("the scripts that Wevrun writes need {} {oldest} or later", engine.title)));
        }
        if let Some((_, at)) = file.mariadb.iter().next().filter(|_| engine.name != "mariadb") {
            return Err(wrong(at, format!("[mariadb] has no meaning in a project for {}", engine.title)));
        }
        let said = file.mariadb.iter().map(|(name, value)| (name.clone(), value.get_ref().clone())).collect();
        let settings =
            registry::dialect(engine).session(&said).map_err(|(name, problem)| match file.mariadb.get(&name) {
                Some(at) => wrong(at, problem),
                None => Failure::new(problem),
            })?;
        let mut tolerate = Vec::new();
        for name in &section.tolerate {
            let code = Code::find(name.get_ref()).filter(|code| code.is_tolerable());
            tolerate.push(code.ok_or_else(|| {
                let known: Vec<_> =
                    Code::ALL.iter().filter(|code| code.is_tolerable()).map(|code| code.name()).collect();
                wrong(name, format!("`{}` can't be tolerated; what can: {}", name.get_ref(), known.join(", ")))
            })?);
        }
        let patterns = |texts: &[Spanned<String>]| -> Ended<Vec<Pattern>> {
            texts.iter().map(|text| text.get_ref().parse().map_err(|problem| wrong(text, problem))).collect()
        };
        let scope = Scope { manages: patterns(&section.manages)?, ignores: patterns(&section.ignores)? };
        let aspects_named = |texts: &[Spanned<String>]| -> Ended<Vec<Aspect>> {
            let of = |text: &Spanned<String>| aspects_of(text.get_ref()).map_err(|problem| wrong(text, problem));
            Ok(texts.iter().map(of).collect::<Ended<Vec<_>>>()?.into_iter().flatten().collect())
        };
        let mut aspects = Aspects::default();
        aspects.ignore(aspects_named(&file.compare.ignore)?);
        aspects.mind(aspects_named(&file.compare.mind)?);
        let differences = |texts: &[Spanned<String>]| -> Ended<Vec<DifferencePattern>> {
            texts.iter().map(|text| text.get_ref().parse().map_err(|problem| wrong(text, problem))).collect()
        };
        let mut selections = BTreeMap::new();
        for (name, section) in &file.selections {
            let selection = Selection {
                only: differences(&section.only)?,
                except: differences(&section.except)?,
                changes: section.change.iter().map(|change| (*change).into()).collect(),
            };
            selections.insert(name.clone(), selection);
        }
        let mut maps = Vec::new();
        for section in &file.map {
            let what = section
                .kind
                .as_ref()
                .map_or(Ok(MapKind::Schema), |kind| kind.get_ref().parse().map_err(|problem| wrong(kind, problem)))?;
            let rule = MapRule::new(what, section.have.get_ref(), &section.want);
            let rule = rule.map_err(|problem| wrong(&section.have, problem))?;
            if let Some(target) = section.targets.iter().find(|target| !file.targets.contains_key(target.get_ref())) {
                return Err(wrong(target, format!("there is no target `{}` in {FILE}", target.get_ref())));
            }
            maps.push(ProjectRule {
                rule,
                targets: section.targets.iter().map(|target| target.get_ref().clone()).collect(),
            });
        }
        let mut globs = GlobSetBuilder::new();
        for glob in &section.source {
            let built = GlobBuilder::new(glob.get_ref()).literal_separator(true).build();
            globs.add(built.map_err(|error| wrong(glob, format!("this is not a glob: {}", error.kind())))?);
        }
        let globs =
            globs.build().map_err(|error| Failure::new(format!("the `source` globs are too large: {error}")))?;
        Ok(Project {
            root: root.to_owned(),
            name: section.name.clone(),
            engine,
            engine_version,
            globs,
            glob_places: section.source.clone(),
            scope,
            aspects,
            selections,
            maps,
            functions: section.functions.clone(),
            scratch: file.project.scratch,
            settings,
            tolerate,
            targets: file.targets.into_iter().map(|(name, target)| (name, target.url)).collect(),
            source,
        })
    }

    /// Every glob matches a file; else what is meant to be there would be taken for removed.
    pub fn require_matches<'p>(&self, paths: impl Iterator<Item = &'p str>) -> Ended<()> {
        let mut missing: Vec<usize> = (0..self.glob_places.len()).collect();
        for path in paths {
            let matched = self.globs.matches(path);
            missing.retain(|index| !matched.contains(index));
        }
        let Some(glob) = missing.first().map(|index| &self.glob_places[*index]) else { return Ok(()) };
        let problem = format!("the glob `{}` matches no file", glob.get_ref());
        let help = "correct it, or remove it from `source`; an empty file is enough for a schema with nothing in it";
        let mut diagnostic = Diagnostic::new(Code::WV400, problem).help(help);
        if !glob.span().is_empty() {
            diagnostic = diagnostic.at(place(glob.span()), "no file");
        }
        Err(Failure::found("", vec![diagnostic], vec![self.source.clone()]))
    }

    /// The names of the targets.
    pub fn target_names(&self) -> impl Iterator<Item = &str> {
        self.targets.keys().map(String::as_str)
    }

    /// The URL of a target, with its environment variables. None if there is no such target.
    pub fn target(&self, name: &str) -> Ended<Option<DatabaseUrl>> {
        self.targets.get(name).map(|url| self.database(url, &format!("the URL of target {name}"))).transpose()
    }

    /// The scratch server that the project names.
    pub fn scratch(&self) -> Ended<Option<DatabaseUrl>> {
        self.scratch.as_ref().map(|url| self.database(url, "the URL of the scratch server")).transpose()
    }

    /// The database of a URL that the settings hold; `what` names it in errors.
    fn database(&self, url: &Spanned<String>, what: &str) -> Ended<DatabaseUrl> {
        let wrong = |code: Code, problem: String, help: &str| {
            let diagnostic = Diagnostic::new(code, problem).at(place(url.span()), what).help(help);
            Failure::found("", vec![diagnostic], vec![self.source.clone()])
        };
        let expanded = expand(url.get_ref()).map_err(|variable| {
            let help = format!("set it before you run wevrun: export {variable}=…");
            wrong(Code::WV401, format!("the environment variable {variable} is not set"), &help)
        })?;
        // What a variable holds may be a secret, whatever it is: it is never shown.
        let parsed: DatabaseUrl = expanded.parse().map_err(|error| {
            let problem = match error {
                UrlError::NotAUrl(_) => format!("{what} is not the URL of a database"),
                other => other.to_string(),
            };
            wrong(Code::WV400, problem, "a URL looks like sqlite:hives.db")
        })?;
        Ok(parsed.relative_to(&self.root))
    }

    /// The waivers beside `wevrun.toml`; none if there is no such file.
    pub fn waivers(&self) -> Ended<Vec<Waiver>> {
        let path = self.root.join(WAIVERS);
        if path.exists() { read_waiver_file(&path) } else { Ok(Vec::new()) }
    }
}

/// The waivers of a file.
pub fn read_waiver_file(path: &Path) -> Ended<Vec<Waiver>> {
    let source = Source::new(path.display().to_string(), &files::read_text(path)?);
    let file: WaiverFile = toml::from_str(&source.text).map_err(|error| toml_failure(&source, &error, Code::WV402))?;
    read_waivers(file).map_err(|error| {
        let start = source.text.match_indices("[[waiver]]").nth(error.number - 1).map_or(0, |(at, _)| at);
        let diagnostic =
            Diagnostic::new(Code::WV402, error.problem.clone()).at(place(start..start + 10), "this waiver");
        Failure::found("", vec![diagnostic], vec![source.clone()])
    })
}

fn place(span: Range<usize>) -> Location {
    Location { source: 0, start: span.start as u32, end: span.end as u32 }
}

/// `${NAME}` replaced by the variable's value; the name of the first that is not set.
fn expand(text: &str) -> Result<String, String> {
    let (mut out, mut rest) = (String::new(), text);
    while let Some(start) = rest.find("${") {
        let Some(length) = rest[start..].find('}') else { break };
        let name = &rest[start + 2..start + length];
        out.push_str(&rest[..start]);
        out.push_str(&env::var(name).map_err(|_| name.to_owned())?);
        rest = &rest[start + length + 1..];
    }
    Ok(out + rest)
}

/// The error of the TOML reader, at its place, with the nearest valid key.
fn toml_failure(source: &Source, error: &toml::de::Error, code: Code) -> Failure {
    let message = error.message().replace('\n', " ");
    let mut diagnostic = Diagnostic::new(code, message.clone());
    if let Some(span) = error.span() {
        diagnostic = diagnostic.at(place(span), "");
    }
    let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
    if let Some((wrong, known)) = quoted.split_first().filter(|_| message.starts_with("unknown field")) {
        diagnostic.message = format!("`{wrong}` is not a key here");
        diagnostic = match nearest(wrong, known.iter().copied()) {
            Some(near) => diagnostic.help(format!("did you mean `{near}`?")),
            None => diagnostic.help(format!("valid here: {}", known.join(", "))),
        };
    }
    Failure::found("", vec![diagnostic], vec![source.clone()])
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The shipped JSON Schemas are those of the code. Regenerate them with WEVRUN_WRITE_DOCS=1.
    #[test]
    fn the_shipped_schemas_are_what_the_code_says() {
        let shipped = [
            ("project.schema.json", schemars::schema_for!(ProjectFile)),
            ("waivers.schema.json", schemars::schema_for!(WaiverFile)),
            ("snapshot.schema.json", schemars::schema_for!(wevrun_core::snapshot::SnapshotFile)),
        ];
        for (name, schema) in shipped {
            let path = format!("{}/../../docs/schema/{name}", env!("CARGO_MANIFEST_DIR"));
            let text = serde_json::to_string_pretty(&schema).expect("a schema is JSON") + "\n";
            if env::var_os("WEVRUN_WRITE_DOCS").is_some() {
                std::fs::write(&path, &text).expect("docs/schema/ is there");
            }
            let written = std::fs::read_to_string(&path).unwrap_or_default();
            assert!(
                written == text,
                "docs/schema/{name} is out of date: run WEVRUN_WRITE_DOCS=1 cargo test -p wevrun-cli"
            );
        }
    }
}
