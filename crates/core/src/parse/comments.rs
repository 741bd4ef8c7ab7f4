//! Comments that speak to Wevrun: `-- wevrun: formerly OLD_NAME`.

use super::{Reader, Token};
use crate::diagnostics::{Code, Diagnostic};
use crate::model::Name;
use crate::source::Location;

/// The places of the columns of a CREATE statement, for the comments on them.
#[derive(Debug, Clone, Default)]
pub struct ColumnSpans {
    /// Byte offset of the list's opening parenthesis.
    pub open: u32,
    /// Byte offset of its closing parenthesis.
    pub close: u32,
    /// Each column with the byte offset of its name.
    pub columns: Vec<(Name, u32)>,
}

/// A comment that begins with `wevrun:`, and what follows it.
pub struct Instruction {
    /// The comment.
    pub comment: Token,
    /// The words after the colon.
    pub words: String,
    /// Its place.
    pub place: Location,
}

impl Instruction {
    /// The instructions among the comments of a statement.
    pub fn all(reader: &Reader<'_>, comments: &[Token]) -> Vec<Instruction> {
        let read = |comment: &Token| {
            let text = comment.text(reader.text);
            let inner = text.strip_prefix("--").unwrap_or_else(|| text.trim_start_matches("/*").trim_end_matches("*/"));
            let words = inner.trim().strip_prefix("wevrun:")?.trim().to_owned();
            let place = Location { source: reader.source, start: comment.start, end: comment.end };
            Some(Instruction { comment: *comment, words, place })
        };
        comments.iter().filter_map(read).collect()
    }

    /// The finding that the instruction is unknown.
    pub fn not_understood(&self) -> Diagnostic {
        Diagnostic::new(Code::WV009, format!("`wevrun: {}` is not an instruction", self.words))
            .at(self.place, "not understood")
            .help("write `-- wevrun: formerly OLD_NAME`")
    }

    /// The finding that it is at no object.
    pub fn belongs_to_nothing(&self) -> Diagnostic {
        Diagnostic::new(Code::WV009, "this comment belongs to no column")
            .at(self.place, "belongs to nothing")
            .help("put it on the line of the column that was renamed, or on the line before it")
    }

    /// The object that the comment is about.
    pub fn subject(&self, reader: &Reader<'_>, spans: Option<&ColumnSpans>) -> Subject {
        let comment = self.comment;
        let Some(spans) = spans.filter(|spans| spans.open > 0) else { return Subject::Object };
        if comment.start < spans.open {
            return Subject::Object;
        }
        let last = reader.tokens[..reader.tokens.partition_point(|token| token.start < comment.start)].last();
        let same_line = last.is_some_and(|last| !reader.text[last.end as usize..comment.start as usize].contains('\n'));
        let opening = last.is_some_and(|last| last.start == spans.open);
        if (same_line && opening) || comment.start > spans.close {
            return Subject::Object;
        }
        let column = if same_line {
            spans.columns.iter().rev().find(|(_, start)| *start < comment.start)
        } else {
            spans.columns.iter().find(|(_, start)| *start > comment.start)
        };
        column.map_or(Subject::Nothing, |(name, _)| Subject::Column(name.clone()))
    }
}

/// The object that an instruction is about.
pub enum Subject {
    /// The object that the statement creates.
    Object,
    /// One of its columns.
    Column(Name),
    /// Neither.
    Nothing,
}
