//! A model read again from the statements that make it: canonical forms of what no side has had before.

use std::collections::BTreeSet;

use crate::adopt;
use crate::build::{Build, build};
use crate::check::Rules;
use crate::compare::Privileges;
use crate::engine::EngineVersion;
use crate::model::{Model, ObjectKey};
use crate::source::Source;

/// How a model is read again.
pub struct Rereading {
    /// The engine.
    pub dialect: &'static dyn Privileges,
    /// The version for which it is read.
    pub version: EngineVersion,
    /// Whether owners, privileges and labels are read too.
    pub access: bool,
}

impl Rereading {
    /// The model, and the texts of its statements.
    pub fn read(&self, model: &Model) -> (Build, Vec<Source>) {
        let files = adopt::files(self.dialect, model, self.access);
        let sources: Vec<Source> = files.iter().map(|file| Source::new(file.path.as_str(), &file.text)).collect();
        (build(self.dialect as &dyn Rules, self.version, &sources), sources)
    }
}

/// Takes over the canonical form of some objects.
pub fn take_over(model: &mut Model, keys: &BTreeSet<ObjectKey>, read: &Model) {
    for key in keys {
        let (Some(own), Some(read)) = (model.get_mut(key), read.get(key)) else { continue };
        own.definition.clone_from(&read.definition);
        own.text.clone_from(&read.text);
        own.uses.clone_from(&read.uses);
        own.reads.clone_from(&read.reads);
        own.references.clone_from(&read.references);
        own.names_in.clone_from(&read.names_in);
        own.unresolved.clone_from(&read.unresolved);
    }
}
