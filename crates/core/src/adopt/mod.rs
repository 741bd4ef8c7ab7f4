//! A model as source files: one file an object with what belongs to it, folders by kind, one stable layout.

mod layout;

use std::collections::BTreeMap;

pub use layout::layout;

use crate::model::{Kind, Model, Object, QualifiedName};
use crate::parse::Grammar;

/// A file of a source folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AdoptedFile {
    /// Relative to the source folder, with `/`.
    pub path: String,
    /// The whole content.
    pub text: String,
}

/// The file of privileges on objects that are created later, and on a schema that every database has.
const GRANTED_ONLY: &str = "access.sql";

/// Writes a model as files, ordered by path; with owners, grants and labels if `access` asks for them. Only the white space of a
/// definition changes, and not even that where a person left a comment.
pub fn files(dialect: &dyn Grammar, model: &Model, access: bool) -> Vec<AdoptedFile> {
    let statements = |object: &Object, owned: &[&Object]| {
        let mut texts: Vec<String> =
            dialect.source_texts(object, owned).into_iter().map(|text| format!("{text};\n")).collect();
        for object in [object].iter().chain(owned).filter(|_| access) {
            let text: String = dialect.access_statements(object).iter().map(|text| format!("{text};\n")).collect();
            texts.extend((!text.is_empty()).then_some(text));
        }
        texts
    };
    let mut taken: BTreeMap<String, usize> = BTreeMap::new();
    let by_owner = model.by_owner();
    let mut files = Vec::new();
    for object in model.objects().filter(|object| object.definition.owner().is_none()) {
        let owned = by_owner.get(&object.name).map_or(&[][..], Vec::as_slice);
        files.push(AdoptedFile {
            path: path(object.definition.kind(), &object.name, &mut taken),
            text: statements(object, owned).join("\n"),
        });
    }
    // An object on something that is not in the model still gets a file.
    for (owner, objects) in by_owner.iter().filter(|(owner, _)| model.named(owner).next().is_none()) {
        let text = objects.iter().flat_map(|object| statements(object, &[])).collect::<Vec<_>>().join("\n");
        files.push(AdoptedFile { path: path(objects[0].definition.kind(), owner, &mut taken), text });
    }
    let granted_only = model.granted_only().filter(|_| access).flat_map(|object| dialect.access_statements(object));
    let text: String = granted_only.map(|statement| format!("{statement};\n")).collect();
    if !text.is_empty() {
        files.push(AdoptedFile { path: GRANTED_ONLY.to_owned(), text });
    }
    files.sort_by(|a, b| a.path.cmp(&b.path));
    files
}

/// `tables/hives.sql`. A name that no file system takes is spelled with what it takes; a second one gets a number.
fn path(kind: Kind, name: &QualifiedName, taken: &mut BTreeMap<String, usize>) -> String {
    let (schema, own) = (name.schema(), name.identifier());
    let safe = |text: &str| -> String {
        if let Some(words) = symbols(text) {
            return words;
        }
        let safe = |ch: char| if ch.is_alphanumeric() || matches!(ch, '_' | '-') { ch } else { '_' };
        let text: String = text.chars().map(safe).take(80).collect();
        if text.is_empty() { "_".to_owned() } else { text }
    };
    let kind = kind.plural().replace(' ', "-");
    let folder = schema.map_or_else(|| kind.clone(), |schema| format!("{}/{kind}", safe(schema)));
    let stem = safe(own);
    // File systems that ignore letter case must not lose a file.
    let count = taken.entry(format!("{folder}/{}", stem.to_lowercase())).or_default();
    *count += 1;
    if *count > 1 { format!("{folder}/{stem}-{count}.sql") } else { format!("{folder}/{stem}.sql") }
}

/// An operator's name in words, `less-equal` for `<=`; none for what is not all symbols.
fn symbols(text: &str) -> Option<String> {
    let word = |ch: char| {
        Some(match ch {
            '+' => "plus",
            '-' => "minus",
            '*' => "times",
            '/' => "slash",
            '<' => "less",
            '>' => "greater",
            '=' => "equal",
            '~' => "tilde",
            '!' => "not",
            '@' => "at",
            '#' => "hash",
            '%' => "percent",
            '^' => "caret",
            '&' => "and",
            '|' => "or",
            '`' => "backtick",
            '?' => "question",
            _ => return None,
        })
    };
    let words: Vec<&str> = text.chars().map(word).collect::<Option<_>>()?;
    (!words.is_empty()).then(|| words.join("-"))
}
