//! Errors of the engine itself for a model, mapped back to the places in the source.

use std::collections::BTreeSet;

use super::{locate, locate_definition};
use crate::diagnostics::{Code, Diagnostic};
use crate::model::{Model, ObjectKey, QualifiedName};
use crate::parse::Grammar;
use crate::source::Location;

/// An object that the engine did not take.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refusal {
    /// The object.
    pub key: ObjectKey,
    /// The engine's own words.
    pub message: String,
    /// The place in the object's text, in bytes, if the engine gives it.
    pub offset: Option<usize>,
    /// The text that the engine points at, if the source may have it: a name, as in `no such column: nam`, an operator or a constant.
    pub culprit: Option<String>,
    /// The engine lacks something that an application may bring: a function, a collation, a module.
    pub lacks: bool,
}

/// The findings, one a refusal. `functions` are those that the application registers. Others that the engine does not know are
/// errors if `strict`: in a project, which can name them.
pub fn refusals(
    dialect: &dyn Grammar,
    model: &Model,
    refusals: &[Refusal],
    functions: &[String],
    strict: bool,
) -> Vec<Diagnostic> {
    refusals.iter().filter_map(|refusal| finding(dialect, model, refusal, functions, strict)).collect()
}

/// The refused objects that use no other refused object. All of them, if each uses another: a refusal is never the same as none.
pub fn independent(model: &Model, refusals: Vec<Refusal>) -> Vec<Refusal> {
    let refused: BTreeSet<QualifiedName> = refusals.iter().map(|refusal| refusal.key.name.clone()).collect();
    let follows = |refusal: &Refusal| {
        let object = model.get(&refusal.key);
        object.is_some_and(|object| {
            let keys = object.as_table().into_iter().flat_map(|table| table.foreign_keys.iter());
            let used = object.uses.iter().chain(object.definition.owner()).chain(keys.map(|key| &key.parent));
            used.into_iter().any(|name| *name != object.name && refused.contains(name))
        })
    };
    if refusals.iter().all(follows) {
        return refusals;
    }
    refusals.into_iter().filter(|refusal| !follows(refusal)).collect()
}

fn finding(
    dialect: &dyn Grammar,
    model: &Model,
    refusal: &Refusal,
    functions: &[String],
    strict: bool,
) -> Option<Diagnostic> {
    let function = refusal.message.strip_prefix("no such function: ");
    if function.is_some_and(|function| functions.iter().any(|known| known.eq_ignore_ascii_case(function))) {
        return None;
    }
    let object = model.get(&refusal.key)?;
    let culprit = refusal.culprit.as_ref();
    let unaltered = object.location.filter(|l| (l.end - l.start) as usize == object.text.len());
    let text = object.text.as_str();
    let pointed_at = match (refusal.offset, culprit) {
        (Some(offset), _) if offset < text.len() => {
            let is_part = |ch: char| ch.is_alphanumeric() || ch == '_';
            Some((offset, text[offset..].find(|ch| !is_part(ch)).unwrap_or(1).max(1)))
        }
        (None, Some(culprit)) => only_place(text, culprit).map(|start| (start, culprit.len())),
        _ => None,
    };
    let at = match (unaltered.zip(pointed_at), culprit) {
        (Some((location, (offset, length))), _) => {
            let start = location.start + offset as u32;
            Some(Location { start, end: start + length as u32, ..location })
        }
        (None, Some(culprit)) => locate(dialect, object, culprit),
        (None, None) => locate_definition(dialect, object),
    };
    let title = dialect.engine().title;
    let (code, message) = if let Some(function) = function.filter(|_| strict) {
        let message = format!("{} calls {function}(), which {title} does not have", refusal.key);
        let declared = format!("if the application registers it, write functions = [\"{function}\"] in wevrun.toml");
        return Some(Diagnostic::new(Code::WV202, message).at(at, "not known").help(declared));
    } else if refusal.lacks {
        (Code::WV201, format!("{} could not be checked by {title}: {}", refusal.key, refusal.message))
    } else {
        (Code::WV200, format!("{title} refuses {}: {}", refusal.key, refusal.message))
    };
    Some(Diagnostic::new(code, message).at(at, if refusal.lacks { "not known here" } else { "refused" }))
}

/// Where a text holds a name, operator or constant, if it does so only once.
fn only_place(text: &str, culprit: &str) -> Option<usize> {
    let is_word = |ch: Option<char>| ch.is_some_and(|ch| ch.is_alphanumeric() || ch == '_');
    let is_whole = |start: &usize| {
        let end = start + culprit.len();
        !(is_word(text[..*start].chars().next_back()) && is_word(culprit.chars().next())
            || is_word(culprit.chars().next_back()) && is_word(text[end..].chars().next()))
    };
    let mut places = text.match_indices(culprit).map(|(start, _)| start).filter(is_whole);
    places.next().filter(|_| places.next().is_none())
}
