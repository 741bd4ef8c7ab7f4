//! The result of a walk: references, and the places where a new name needs more than a replacement.

use wevrun_core::model::{QualifiedName, Reference, Span};

/// An output without an explicit name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Output {
    /// It has an explicit name: `kg AS weight`.
    Named,
    /// A column gives it its name, at this place.
    Column(Span),
    /// Its text is its name.
    Expression,
    /// `*` or `hives.*`, which has the names of columns.
    Star(Star),
}

/// A `*`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Star {
    /// Its place, with the name before it.
    pub span: Span,
    /// The columns in order; none if they are not known, or if a join makes two of them one.
    pub columns: Option<Vec<SourceColumn>>,
}

/// A column of a relation in FROM.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceColumn {
    /// The relation's alias; none if the relation has its own name.
    pub alias: Option<String>,
    /// The table or view; none for subqueries and table expressions.
    pub object: Option<QualifiedName>,
    /// The column in lower case.
    pub column: String,
}

/// The list of a SELECT whose outputs are used by their names.
#[derive(Debug)]
pub struct SelectList {
    /// The byte at which the word SELECT begins.
    pub start: u32,
    /// Its outputs, in order.
    pub outputs: Vec<Output>,
}

/// The references of a text, and where new names need more than a replacement.
#[derive(Debug, Default)]
pub struct Found {
    /// In no order, some more than once.
    pub references: Vec<Reference>,
    /// Lists of SELECT.
    pub lists: Vec<SelectList>,
    /// Columns that are read without a qualifier, and the byte at which each begins.
    pub bare: Vec<(u32, SourceColumn)>,
}

impl Found {
    /// The same of a longer text, in which this one begins at a byte.
    pub fn later(mut self, offset: u32) -> Found {
        for reference in &mut self.references {
            reference.span = reference.span.map(|span| span.later(offset));
        }
        self.bare.iter_mut().for_each(|(start, _)| *start += offset);
        for list in &mut self.lists {
            list.start += offset;
            for output in &mut list.outputs {
                match output {
                    Output::Column(span) => *span = span.later(offset),
                    Output::Star(star) => star.span = star.span.later(offset),
                    Output::Named | Output::Expression => {}
                }
            }
        }
        self
    }
}
