//! Findings about an input: the mistake, its place, and what to do. Values only: the interface renders them.

mod code;

use std::fmt;

pub use code::Code;

use crate::source::Location;

/// How much a diagnostic weighs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Nothing can be built.
    Error,
    /// It can be built, but is probably not what was meant.
    Warning,
    /// Something to know.
    Note,
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Severity::Error => "error",
            Severity::Warning => "warning",
            Severity::Note => "note",
        })
    }
}

/// A place that a diagnostic points at, with a label.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Label {
    /// The place.
    pub location: Location,
    /// The text at the place; may be empty.
    pub text: String,
}

/// One finding.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Diagnostic {
    /// The stable code, which `wevrun explain` explains.
    pub code: Code,
    /// Its weight.
    pub severity: Severity,
    /// The mistake, in one sentence.
    pub message: String,
    /// The place itself.
    pub primary: Option<Label>,
    /// Other ends: "defined here".
    pub secondary: Vec<Label>,
    /// The help text.
    pub help: Vec<String>,
}

impl Diagnostic {
    /// A finding with the code's usual severity.
    pub fn new(code: Code, message: impl Into<String>) -> Diagnostic {
        Diagnostic {
            code,
            severity: code.severity(),
            message: message.into(),
            primary: None,
            secondary: Vec::new(),
            help: Vec::new(),
        }
    }

    /// Points at the place.
    pub fn at(mut self, location: impl Into<Option<Location>>, text: impl Into<String>) -> Diagnostic {
        self.primary = location.into().map(|location| Label { location, text: text.into() });
        self
    }

    /// Points at another place too.
    pub fn and_at(mut self, location: impl Into<Option<Location>>, text: impl Into<String>) -> Diagnostic {
        self.secondary.extend(location.into().map(|location| Label { location, text: text.into() }));
        self
    }

    /// Adds a help text.
    pub fn help(mut self, text: impl Into<String>) -> Diagnostic {
        self.help.push(text.into());
        self
    }

    /// Adds "did you mean …", if one of the candidates is close.
    pub fn suggest<'a>(self, wrong: &str, candidates: impl IntoIterator<Item = &'a str>) -> Diagnostic {
        match nearest(wrong, candidates) {
            Some(near) => self.help(format!("did you mean `{near}`?")),
            None => self,
        }
    }

    /// Whether it stops the build.
    pub fn is_error(&self) -> bool {
        self.severity == Severity::Error
    }
}

/// The candidate that was probably meant: the closest by edit distance, if it is close at all.
pub fn nearest<'a>(wrong: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let lower = wrong.to_lowercase();
    candidates
        .into_iter()
        .map(|candidate| (strsim::damerau_levenshtein(&lower, &candidate.to_lowercase()), candidate))
        .filter(|(distance, candidate)| *distance <= candidate.chars().count().max(3) / 3)
        .min()
        .map(|(_, candidate)| candidate)
}

/// Puts findings into the order in which a person reads: by source and place, what has no place last.
pub fn sort(diagnostics: &mut [Diagnostic]) {
    diagnostics.sort_by(|a, b| {
        let place =
            |d: &Diagnostic| d.primary.as_ref().map_or((u32::MAX, 0), |l| (l.location.source, l.location.start));
        (place(a), a.code, &a.message).cmp(&(place(b), b.code, &b.message))
    });
}
