//! Texts that DDL is read from, and places in them.

use std::ops::Range;
use std::sync::Arc;

/// One text: a file of a source folder, a SQL dump, or a definition that a live database holds.
#[derive(Debug, Clone)]
pub struct Source {
    /// The name in messages: a path relative to the project, or `sqlite:prod.db, table hives`.
    pub name: Arc<str>,
    /// The whole text. Spans are byte offsets into it.
    pub text: Arc<str>,
    /// Lines of the file that the text does not have.
    pub skipped: Arc<SkippedLines>,
}

/// Lines that were left out of a text: those of rows, in a dump.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SkippedLines {
    /// Places in the text, in order, each with the number of lines that were left out before it and at it.
    places: Vec<(usize, u64)>,
}

impl SkippedLines {
    /// Leaves lines out at a place, which is not before the last one.
    pub fn add(&mut self, at: usize, lines: u64) {
        match self.places.last_mut() {
            Some((place, number)) if *place == at => *number += lines,
            last => {
                let before = last.map_or(0, |(_, number)| *number);
                self.places.push((at, before + lines));
            }
        }
    }

    /// The same after bytes at the start of the text were removed.
    pub fn shift_back(&mut self, bytes: usize) {
        self.places.iter_mut().for_each(|(place, _)| *place = place.saturating_sub(bytes));
    }

    /// How many lines were left out before a place of the text.
    pub fn before(&self, offset: usize) -> u64 {
        let next = self.places.partition_point(|(place, _)| *place <= offset);
        next.checked_sub(1).map_or(0, |at| self.places[at].1)
    }
}

impl Source {
    /// A source with this name and text. A byte order mark at the start is left out.
    pub fn new(name: impl Into<Arc<str>>, text: &str) -> Source {
        let text = text.strip_prefix('\u{feff}').unwrap_or(text).into();
        Source { name: name.into(), text, skipped: Arc::default() }
    }

    /// The same without these lines of the file.
    pub fn without_lines(mut self, skipped: SkippedLines) -> Source {
        self.skipped = Arc::new(skipped);
        self
    }

    /// The line and column (both from 1, the column in characters) of a byte offset.
    pub fn position(&self, offset: usize) -> Position {
        let before = &self.text[..self.text.floor_char_boundary(offset)];
        let line_start = before.rfind('\n').map_or(0, |newline| newline + 1);
        Position {
            line: before.bytes().filter(|byte| *byte == b'\n').count() + self.skipped.before(offset) as usize + 1,
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
