//! What the engine itself says of a model, mapped back to where it was written.

use super::locate;
use crate::diagnostics::{Code, Diagnostic};
use crate::dialects::Dialect;
use crate::model::{Model, ObjectKey};
use crate::source::Location;

/// An object that the engine did not take.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refusal {
    /// The object.
    pub key: ObjectKey,
    /// The engine's own words.
    pub message: String,
    /// Where in the object's text, in bytes, if the engine says.
    pub offset: Option<usize>,
    /// A name in the message that the text holds, if there is one: `no such column: nam`.
    pub culprit: Option<String>,
    /// The engine lacks something that an application may bring: a function, a collation, a module.
    pub lacks: bool,
}

/// The findings, one a refusal.
pub fn refusals(dialect: &dyn Dialect, model: &Model, refusals: &[Refusal]) -> Vec<Diagnostic> {
    refusals.iter().filter_map(|refusal| finding(dialect, model, refusal)).collect()
}

fn finding(dialect: &dyn Dialect, model: &Model, refusal: &Refusal) -> Option<Diagnostic> {
    let object = model.get(&refusal.key)?;
    let culprit = refusal.culprit.as_ref().map(|culprit| dialect.name(culprit));
    let unaltered = object.location.filter(|l| (l.end - l.start) as usize == object.text.len());
    let at = match (refusal.offset, unaltered, culprit) {
        (Some(offset), Some(location), _) if offset < object.text.len() => {
            let length =
                object.text[offset..].find(|ch: char| !(ch.is_alphanumeric() || ch == '_')).unwrap_or(1).max(1);
            let start = location.start + offset as u32;
            Some(Location { start, end: start + length as u32, ..location })
        }
        (_, _, Some(culprit)) => locate(dialect, object, &culprit, None),
        _ => locate(dialect, object, &object.name, None),
    };
    let title = dialect.engine().title();
    let (code, message) = if refusal.lacks {
        (Code::WV201, format!("{} could not be checked by {title}: {}", refusal.key, refusal.message))
    } else {
        (Code::WV200, format!("{title} refuses {}: {}", refusal.key, refusal.message))
    };
    Some(Diagnostic::new(code, message).at(at, if refusal.lacks { "not known here" } else { "refused" }))
}
