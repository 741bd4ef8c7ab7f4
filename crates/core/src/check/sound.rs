//! The part of a model in which nothing was found wrong: what can still be judged when something else is broken.

use std::borrow::Cow;
use std::collections::BTreeSet;

use crate::diagnostics::Diagnostic;
use crate::model::{Model, ObjectKey};
use crate::parse::Grammar;

/// The model without the objects that errors point into, and without what depends on them or on what is not there.
pub fn sound_part<'m>(dialect: &dyn Grammar, model: &'m Model, found: &[Diagnostic]) -> Cow<'m, Model> {
    let errors: Vec<_> =
        found.iter().filter(|d| d.is_error()).filter_map(|d| Some(d.primary.as_ref()?.location)).collect();
    if errors.is_empty() {
        return Cow::Borrowed(model);
    }
    let mut unsound: BTreeSet<ObjectKey> = model
        .objects()
        .filter(|object| {
            object.location.is_some_and(|own| {
                errors.iter().any(|error| error.source == own.source && (own.start..own.end).contains(&error.start))
            })
        })
        .map(|object| object.key())
        .collect();
    loop {
        let before = unsound.len();
        for object in model.objects() {
            let stands = object.uses.iter().chain(object.definition.owner()).all(|name| {
                let mut there = model.named(name).map(|other| !unsound.contains(&other.key()));
                let there = there.next().is_some_and(|sound| sound) && there.all(|sound| sound);
                there || dialect.is_internal(name) || dialect.is_built_in(name)
            });
            if !stands {
                unsound.insert(object.key());
            }
        }
        if unsound.len() == before {
            break;
        }
    }
    Cow::Owned(model.objects().filter(|object| !unsound.contains(&object.key())).cloned().collect())
}
