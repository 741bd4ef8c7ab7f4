//! Texts that DDL is read from, and places in them.

use std::ops::Range;
use std::sync::Arc;

/// One text: a file of a source folder, a SQL dump, or a definition that a live database holds.
#[derive(Debug, Clone)]
pub struct Source {
    /// What a person knows it by: a path relative to the project, or `sqlite:prod.db, table hives`.
    pub name: Arc<str>,
    /// The whole text. Spans are byte offsets into it.
    pub text: Arc<str>,
}

impl Source {
    /// A source with this name and text. A byte order mark at the start is left out.
    pub fn new(name: impl Into<Arc<str>>, text: &str) -> Source {
        Source { name: name.into(), text: text.strip_prefix('\u{feff}').unwrap_or(text).into() }
    }

    /// The line and column (both from 1, the column in characters) of a byte offset.
    pub fn position(&self, offset: usize) -> Position {
        let before = &self.text[..self.text.floor_char_boundary(offset)];
        let line_start = before.rfind('\n').map_or(0, |newline| newline + 1);
        Position {
            line: before.bytes().filter(|byte| *byte == b'\n').count() + 1,
            column: before[line_start..].chars().count() + 1,
        }
    }
}

/// A line and a column, both counted from 1; columns are characters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Position {
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
}

/// A stretch of one source.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Location {
    /// Index of the source in the list that the build was given.
    pub source: u32,
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

impl Location {
    /// The byte range in the source's text.
    pub fn range(&self) -> Range<usize> {
        self.start as usize..self.end as usize
    }

    /// The same place, `by` bytes further on: for a location that was found inside a part of the text.
    pub fn shifted(self, by: u32) -> Location {
        Location { start: self.start + by, end: self.end + by, ..self }
    }
}
