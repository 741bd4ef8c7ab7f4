//! From sources to a checked model: the whole way through the stages.

use rayon::prelude::*;

use crate::check;
use crate::diagnostics::{self, Diagnostic};
use crate::dialects::dialect;
use crate::engine::{Engine, EngineVersion};
use crate::fold::{Folded, fold};
use crate::model::Model;
use crate::parse::parse_source;
use crate::source::Source;

/// A model and what was found on the way to it.
#[derive(Debug)]
pub struct Build {
    /// Everything that could be read. Only to be used if there is no error.
    pub model: Model,
    /// All findings, ordered by source and place.
    pub diagnostics: Vec<Diagnostic>,
}

impl Build {
    /// Whether any finding is an error.
    pub fn has_errors(&self) -> bool {
        self.diagnostics.iter().any(Diagnostic::is_error)
    }
}

/// Reads sources into a model without checking it: for definitions that an engine has accepted already.
pub fn read(engine: Engine, sources: &[Source]) -> Build {
    let folded = folded(engine, sources);
    finish(folded.model, folded.diagnostics)
}

/// Reads and checks sources. Their order decides only the order of what is found, and which ALTER comes first.
pub fn build(engine: Engine, version: EngineVersion, sources: &[Source]) -> Build {
    let mut folded = folded(engine, sources);
    let found = check::check(engine, version, &folded);
    folded.diagnostics.extend(found);
    finish(folded.model, folded.diagnostics)
}

fn folded(engine: Engine, sources: &[Source]) -> Folded {
    let dialect = dialect(engine);
    let parsed: Vec<_> =
        sources.par_iter().enumerate().map(|(index, source)| parse_source(dialect, source, index as u32)).collect();
    let mut folded = fold(dialect, parsed);
    dialect.finish(&mut folded.model);
    folded
}

fn finish(model: Model, mut found: Vec<Diagnostic>) -> Build {
    diagnostics::sort(&mut found);
    Build { model, diagnostics: found }
}
