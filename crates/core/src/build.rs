//! From sources to a checked model: the whole way through the stages.

use rayon::prelude::*;

use crate::check::{self, Rules};
use crate::diagnostics::{self, Diagnostic};
use crate::engine::EngineVersion;
use crate::fold::{Folded, fold};
use crate::model::Model;
use crate::parse::{ParsedSource, Session, parse_source_in};
use crate::source::Source;
use crate::unread::Unread;

/// A model and what was found on the way to it.
#[derive(Debug)]
pub struct Build {
    /// Everything that could be read. Only to be used if there is no error.
    pub model: Model,
    /// All findings, ordered by source and place.
    pub diagnostics: Vec<Diagnostic>,
    /// Names in statements that run code.
    pub unread: Vec<Unread>,
}

impl Build {
    /// Whether any finding is an error.
    pub fn has_errors(&self) -> bool {
        self.diagnostics.iter().any(Diagnostic::is_error)
    }
}

/// Reads sources into a model without checking it: for definitions that an engine has accepted already. They may come bit by
/// bit, and are parsed as they come.
pub struct Reading {
    dialect: &'static dyn Rules,
    settings: Session,
    parsed: Vec<ParsedSource>,
}

impl Reading {
    /// Nothing is read yet.
    pub fn new(dialect: &'static dyn Rules) -> Reading {
        Reading { dialect, settings: Session::default(), parsed: Vec::new() }
    }

    /// The same with settings that are applied before each source.
    pub fn with(self, settings: Session) -> Reading {
        Reading { settings, ..self }
    }

    /// Parses the next sources.
    pub fn add(&mut self, sources: &[Source]) {
        let (dialect, first, settings) = (self.dialect, self.parsed.len(), &self.settings);
        let parsed = sources.par_iter().enumerate();
        let parse = |(index, source)| parse_source_in(dialect, source, (first + index) as u32, settings);
        self.parsed.par_extend(parsed.map(parse));
    }

    /// The index of the next source.
    pub fn next_index(&self) -> u32 {
        self.parsed.len() as u32
    }

    /// Adds the next sources, which a dialect has parsed in its own way.
    pub fn add_parsed(&mut self, parsed: Vec<ParsedSource>) {
        self.parsed.extend(parsed);
    }

    /// The model of all of them.
    pub fn finish(self) -> Build {
        let dialect = self.dialect;
        let mut folded = self.folded();
        folded.model.objects_mut().for_each(|object| dialect.unfold(object));
        finish(folded.model, folded.diagnostics)
    }

    fn folded(self) -> Folded {
        let mut folded = fold(self.dialect, self.parsed);
        self.dialect.finish(&mut folded.model);
        folded
    }
}

/// Reads and checks sources. Their order decides only the order of findings and of ALTER statements.
pub fn build(dialect: &'static dyn Rules, version: EngineVersion, sources: &[Source]) -> Build {
    build_with(dialect, version, Session::default(), sources)
}

/// The same with settings that are applied before each source.
pub fn build_with(dialect: &'static dyn Rules, version: EngineVersion, settings: Session, sources: &[Source]) -> Build {
    let mut reading = Reading::new(dialect).with(settings);
    reading.add(sources);
    let mut folded = reading.folded();
    let statements = folded.unread.iter();
    let unread: Vec<Unread> =
        statements.map(|location| Unread::new(dialect, *location, sources, &folded.model)).collect();
    folded.named_by_code = unread.iter().flat_map(|statement| statement.words.iter().cloned()).collect();
    let found = check::check(dialect, version, sources, &folded);
    folded.diagnostics.extend(found);
    Build { unread, ..finish(folded.model, folded.diagnostics) }
}

fn finish(model: Model, mut found: Vec<Diagnostic>) -> Build {
    diagnostics::sort(&mut found);
    Build { model, diagnostics: found, unread: Vec::new() }
}
