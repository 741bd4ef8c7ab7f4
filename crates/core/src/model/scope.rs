//! The part of a database that a project is responsible for.

use std::borrow::Cow;
use std::fmt;
use std::str::FromStr;

use super::{Identifiers, Kind, Model, Object, ObjectKey};

/// A kind and a name with `*` and `?`: `table:app_*`, `schema:sales`, `*:*_tmp`.
///
/// A name with a dot is matched with the schema, else without it. `schema:NAME` is the schema and everything in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    kind: PatternKind,
    name: String,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum PatternKind {
    Any,
    /// The schema itself and what is in it.
    Schema,
    Only(Kind),
}

impl FromStr for Pattern {
    type Err = String;

    fn from_str(text: &str) -> Result<Pattern, String> {
        let example = "write it like table:app_* or schema:sales";
        let (word, name) = text.split_once(':').ok_or_else(|| format!("`{text}` names no kind; {example}"))?;
        let kind = match word {
            "*" => PatternKind::Any,
            "schema" => PatternKind::Schema,
            word => {
                let found = Kind::ALL.into_iter().find(|kind| kind.word() == word);
                PatternKind::Only(found.ok_or_else(|| format!("there is no kind of object `{word}`; {example}"))?)
            }
        };
        if name.is_empty() {
            return Err(format!("`{text}` has no name after the colon; {example}"));
        }
        Ok(Pattern { kind, name: name.to_owned() })
    }
}

impl fmt::Display for Pattern {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = match self.kind {
            PatternKind::Any => "*".to_owned(),
            PatternKind::Schema => "schema".to_owned(),
            PatternKind::Only(kind) => kind.word(),
        };
        write!(f, "{kind}:{}", self.name)
    }
}

impl Pattern {
    /// The pattern of one name; of a schema, what is in it too.
    pub fn exact(kind: Kind, name: &str) -> Pattern {
        let kind = if kind == Kind::Schema { PatternKind::Schema } else { PatternKind::Only(kind) };
        Pattern { kind, name: name.to_owned() }
    }

    /// Whether an object of this kind and name is meant.
    pub fn matches(&self, names: &dyn Identifiers, key: &ObjectKey) -> bool {
        let (schema, own) = (key.name.schema(), key.name.identifier());
        let like = |text: &str| is_like(&self.name, text, names.engine().capabilities.has_caseless_names);
        match self.kind {
            PatternKind::Schema if key.kind == Kind::Schema => like(own),
            PatternKind::Schema => schema.is_some_and(&like),
            PatternKind::Only(kind) if kind != key.kind => false,
            _ if self.name.contains('.') => like(&format!("{}.{own}", schema.unwrap_or_default())),
            _ => like(own),
        }
    }
}

/// Whether a text is like a pattern: `*` matches any characters, `?` one.
pub fn is_like(pattern: &str, text: &str, ignores_case: bool) -> bool {
    let fold = |text: &str| -> Vec<char> {
        text.chars().map(|ch| if ignores_case { ch.to_ascii_lowercase() } else { ch }).collect()
    };
    let (pattern, text) = (fold(pattern), fold(text));
    let (mut p, mut t) = (0, 0);
    // Where the last star is, and how much of the text it has taken.
    let mut star: Option<(usize, usize)> = None;
    while t < text.len() {
        match pattern.get(p) {
            Some('*') => {
                star = Some((p, t));
                p += 1;
            }
            Some(ch) if *ch == '?' || *ch == text[t] => {
                p += 1;
                t += 1;
            }
            _ => {
                let Some((at, taken)) = star else { return false };
                star = Some((at, taken + 1));
                p = at + 1;
                t = taken + 1;
            }
        }
    }
    pattern[p..].iter().all(|ch| *ch == '*')
}

/// What is managed: everything that a pattern of `manages` matches (everything, if there is none) and none of `ignores`. What
/// is on a table or view, as an index or trigger is, follows it, unless a pattern names it.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Scope {
    /// Objects that the project is responsible for; empty: all.
    pub manages: Vec<Pattern>,
    /// Objects that it is not responsible for.
    pub ignores: Vec<Pattern>,
}

impl Scope {
    /// Whether it is everything.
    pub fn is_everything(&self) -> bool {
        self.manages.is_empty() && self.ignores.is_empty()
    }

    /// Whether the project is responsible for an object of a model.
    pub fn includes(&self, names: &dyn Identifiers, model: &Model, object: &Object) -> bool {
        let owner = object.definition.owner().and_then(|owner| model.relation(owner)).map(Object::key);
        self.includes_key(names, &object.key(), owner.as_ref())
    }

    /// The same by the object's key, and that of the relation that it is on.
    pub fn includes_key(&self, names: &dyn Identifiers, key: &ObjectKey, owner: Option<&ObjectKey>) -> bool {
        let any = |patterns: &[Pattern], key: &ObjectKey| patterns.iter().any(|pattern| pattern.matches(names, key));
        if any(&self.ignores, key) || owner.is_some_and(|owner| any(&self.ignores, owner)) {
            return false;
        }
        self.manages.is_empty() || any(&self.manages, key) || owner.is_some_and(|owner| any(&self.manages, owner))
    }

    /// The managed objects of a model.
    pub fn part_of<'m>(&self, names: &dyn Identifiers, model: &'m Model) -> Cow<'m, Model> {
        if self.is_everything() {
            return Cow::Borrowed(model);
        }
        let mut part = model.clone();
        for key in self.left_out(names, model) {
            part.remove(&key);
        }
        Cow::Owned(part)
    }

    /// The objects of a model that are not managed.
    pub fn left_out(&self, names: &dyn Identifiers, model: &Model) -> Vec<ObjectKey> {
        if self.is_everything() {
            return Vec::new();
        }
        model.objects().filter(|object| !self.includes(names, model, object)).map(Object::key).collect()
    }

    /// Want's managed objects, and have's others as they are: what there is to be after a release.
    pub fn effective_want<'m>(&self, names: &dyn Identifiers, have: &Model, want: &'m Model) -> Cow<'m, Model> {
        let mut effective = match self.part_of(names, want) {
            Cow::Borrowed(want) => return Cow::Borrowed(want),
            Cow::Owned(part) => part,
        };
        let others = self.left_out(names, have);
        effective.extend(others.iter().filter_map(|key| have.get(key)).cloned());
        Cow::Owned(effective)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stars_and_question_marks_match() {
        for (pattern, text, expected) in [
            ("app_*", "app_users", true),
            ("app_*", "xapp_users", false),
            ("*_tmp", "a_tmp_tmp", true),
            ("a?c", "abc", true),
            ("a?c", "ac", false),
            ("*", "", true),
            ("", "", true),
            ("a*b*c", "aXbYbZc", true),
            ("a*b*c", "aXbYbZ", false),
        ] {
            assert_eq!(is_like(pattern, text, false), expected, "{pattern} {text}");
        }
        assert!(is_like("APP_*", "app_x", true) && !is_like("APP_*", "app_x", false));
    }
}
