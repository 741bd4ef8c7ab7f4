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

/// The findings, one a refusal. `functions` are those that the application registers. Others that the engine does not know are
/// errors where `strict` says so: in a project, which can name them.
pub fn refusals(
    dialect: &dyn Dialect,
    model: &Model,
    refusals: &[Refusal],
    functions: &[String],
    strict: bool,
) -> Vec<Diagnostic> {
    refusals.iter().filter_map(|refusal| finding(dialect, model, refusal, functions, strict)).collect()
}

fn finding(
    dialect: &dyn Dialect,
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
